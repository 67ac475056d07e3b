/** Cautions of a step; those where the danger is real want a tap, once a job for as long as the page is open, wherever they are shown. */
import { ref } from 'vue'
import { useCatalogue } from './catalogue'

/** What the tab remembers is not reactive: this is counted up when it changes. */
const tapped = ref(0)
const place = (jobId: number, step: string) => `mavrik-cautions:${jobId}:${step}`

export function useCautions(jobId: () => number) {
  const { catalogue } = useCatalogue()
  const of = (step: string) => catalogue.value?.cautions.filter((c) => c.steps.includes(step)) ?? []
  const isSeen = (step: string): boolean => tapped.value >= 0 && sessionStorage.getItem(place(jobId(), step)) === 'yes'
  /** Whether its danger is still to be tapped; unknown cautions keep the hand off as well. */
  const wants = (step: string): boolean => catalogue.value === undefined || (of(step).some((c) => c.confirm) && !isSeen(step))
  function confirm(step: string): void {
    sessionStorage.setItem(place(jobId(), step), 'yes')
    tapped.value += 1
  }
  return { of, isSeen, wants, confirm }
}
