/** A step's clock: it runs down, and where the load has to come off it says so until somebody answers. */
import { useIntervalFn } from '@vueuse/core'
import { computed, reactive, ref, type Ref } from 'vue'

export interface TimedStep {
  seconds: number
  orders_off?: boolean
}
const TICK_MS = 100
/** From here on minutes are easier to read than seconds. */
const IN_MINUTES_FROM_S = 120
/** Below this a tenth of a second matters to the hand on the switch. */
const TENTHS_BELOW_S = 20

/** How long a step takes, in words. */
export const howLong = (seconds: number): string => (seconds < IN_MINUTES_FROM_S ? `${seconds} s` : `${Math.round(seconds / 60)} min`)

/** What the face of a clock shows. */
export function onTheClock(left: number, over: boolean, ordersOff: boolean): string {
  if (over) return ordersOff ? 'LOAD OFF' : 'Time is up'
  if (left >= IN_MINUTES_FROM_S) return `${Math.floor(left / 60)}:${String(Math.floor(left % 60)).padStart(2, '0')} min`
  return `${left.toFixed(left < TENTHS_BELOW_S ? 1 : 0)} s`
}

export function useStepClock<Step extends TimedStep>(steps: () => readonly Step[]) {
  const running = ref(null) as Ref<Step | null>
  const began = ref<number | null>(null)
  const left = ref(0)
  const over = ref(false)
  let end = 0
  const { resume, pause } = useIntervalFn(
    () => {
      left.value = Math.max(0, (end - Date.now()) / 1000)
      if (left.value > 0) return
      pause()
      over.value = true
    },
    TICK_MS,
    { immediate: false },
  )
  /** The step that has a clock first, where none is named. */
  function start(step: Step | undefined = steps().find((s) => s.seconds > 0)): void {
    if (!step) return
    running.value = step
    left.value = step.seconds
    over.value = false
    began.value = Date.now()
    end = began.value + step.seconds * 1000
    resume()
  }
  function dismiss(): void {
    running.value = null
  }
  const ordersOff = computed(() => running.value?.orders_off === true)
  const face = computed(() => onTheClock(left.value, over.value, ordersOff.value))
  /** Seconds since a clock was started last; null before. */
  const passed = () => (began.value === null ? null : (Date.now() - began.value) / 1000)
  return reactive({ running, began, over, ordersOff, face, start, dismiss, passed })
}

/** Whatever steps it is of. */
export type StepClock = Omit<ReturnType<typeof useStepClock<TimedStep>>, 'start'> & { start(step?: TimedStep): void }
