/** Display units: the core and the API always speak SI. */
import { useLocalStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed } from 'vue'

export type LengthUnit = 'm' | 'ft'
export type TemperatureUnit = '°C' | '°F'
export type Measure = 'length' | 'temperature' | 'percent'
export interface Shown {
  unit: string
  out: (value: number) => number
  in: (shown: number) => number
}
const METRES_PER_FOOT = 0.3048

/** A choice kept on this machine; what an older program left behind counts as none. */
function kept<T extends string>(key: string, allowed: readonly T[], otherwise: T) {
  const read = (text: string) => (allowed.includes(text as T) ? (text as T) : otherwise)
  return useLocalStorage<T>(key, otherwise, { serializer: { read, write: (value) => value } })
}

export const useUnits = defineStore('units', () => {
  const length = kept('mavrik-length', ['m', 'ft'] as const, 'm')
  const temperature = kept('mavrik-temperature', ['°C', '°F'] as const, '°C')
  const system = kept('mavrik-size', ['mm2', 'awg'] as const, 'mm2')
  const metres = computed(() => (length.value === 'm' ? 1 : METRES_PER_FOOT))
  const lengthOut = (m: number) => m / metres.value
  const lengthIn = (shown: number) => shown * metres.value
  const temperatureOut = (c: number) => (temperature.value === '°C' ? c : c * 1.8 + 32)
  const temperatureIn = (shown: number) => (temperature.value === '°C' ? shown : (shown - 32) / 1.8)
  /** What is entered in a unit of the person's choice, or as a share of a hundred. */
  const measures = computed<Record<Measure, Shown>>(() => ({
    length: { unit: length.value, out: lengthOut, in: lengthIn },
    temperature: { unit: temperature.value, out: temperatureOut, in: temperatureIn },
    percent: { unit: '%', out: (share) => share * 100, in: (shown) => shown / 100 },
  }))
  return {
    length,
    temperature,
    system,
    lengthOut,
    lengthIn,
    temperatureOut,
    temperatureIn,
    measures,
  }
})
