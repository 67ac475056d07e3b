/** Display units: the core and the API always speak SI. */
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'

export type LengthUnit = 'm' | 'ft'
export type TemperatureUnit = '°C' | '°F'
const METRES_PER_FOOT = 0.3048

function kept<T extends string>(key: string, allowed: readonly T[], otherwise: T): T {
  const value = localStorage.getItem(key) as T | null
  return value && allowed.includes(value) ? value : otherwise
}

export const useUnits = defineStore('units', () => {
  const length = ref<LengthUnit>(kept('mavrik-length', ['m', 'ft'] as const, 'm'))
  const temperature = ref<TemperatureUnit>(kept('mavrik-temperature', ['°C', '°F'] as const, '°C'))
  const system = ref<'mm2' | 'awg'>(kept('mavrik-size', ['mm2', 'awg'] as const, 'mm2'))
  watch(length, (v) => localStorage.setItem('mavrik-length', v))
  watch(temperature, (v) => localStorage.setItem('mavrik-temperature', v))
  watch(system, (v) => localStorage.setItem('mavrik-size', v))
  const metres = computed(() => (length.value === 'm' ? 1 : METRES_PER_FOOT))
  return {
    length,
    temperature,
    system,
    lengthOut: (m: number) => m / metres.value,
    lengthIn: (shown: number) => shown * metres.value,
    temperatureOut: (c: number) => (temperature.value === '°C' ? c : c * 1.8 + 32),
    temperatureIn: (shown: number) => (temperature.value === '°C' ? shown : (shown - 32) / 1.8),
  }
})
