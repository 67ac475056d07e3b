// @vitest-environment happy-dom
import { afterEach, describe, expect, it, vi } from 'vitest'
import { nextTick, ref } from 'vue'
import { mounted } from '@/testing'

const bench = { problems: ref<object[]>([]), localProblems: {} as Record<string, string> }
vi.mock('@/composables/workbench', () => ({
  useWorkbench: () => ({
    get problems() {
      return bench.problems.value
    },
    localProblems: bench.localProblems,
  }),
}))
const { default: PartNumber } = await import('./PartNumber.vue')

/** Figures only for these tests. */
const BATTERY = { id: 'start', capacity_ah: 70, cca_a: 640, state_of_charge: 0.8 }
const BOUNDS = {
  'Battery.capacity_ah': { least: 0, most: 2000, above: true, whole: false },
  'Battery.cca_a': { least: 0, most: 3000, above: true, whole: false },
  'Battery.state_of_charge': { least: 0, most: 1, above: false, whole: false },
}
function field(props: Record<string, unknown>) {
  const made = mounted(PartNumber, { part: BATTERY, of: 'Battery', label: 'Of it', ...props }, { bounds: BOUNDS })
  return { made, input: made.find('input'), patches: () => (made.emitted('change') ?? []).map((e) => e[0]) }
}

afterEach(() => {
  document.body.replaceChildren()
  bench.problems.value = []
  for (const key of Object.keys(bench.localProblems)) delete bench.localProblems[key]
})

describe('a number of a part', () => {
  it('shows what the part has and changes that field alone', async () => {
    const { input, patches } = field({ field: 'capacity_ah', unit: 'Ah' })
    expect(input.element.value).toBe('70')
    await input.setValue('95')
    expect(patches()).toEqual([{ capacity_ah: 95 }])
  })
  it('is in the unit that is shown', async () => {
    const { input, patches } = field({ field: 'state_of_charge', measure: 'percent' })
    expect(input.element.value).toBe('80')
    await input.setValue('55')
    expect(patches()).toEqual([{ state_of_charge: 0.55 }])
  })
  it('keeps what stood there while the field is empty, unless it may be', async () => {
    const must = field({ field: 'capacity_ah' })
    await must.input.setValue('')
    expect(must.patches()).toEqual([])
    expect(must.made.text()).toContain('Needed here.')
    const may = field({ field: 'cca_a', optional: true })
    await may.input.setValue('')
    expect(may.patches()).toEqual([{ cca_a: null }])
  })
  it('holds saving back while what is typed cannot be', async () => {
    const { input, patches } = field({ field: 'capacity_ah' })
    await input.setValue('2001')
    expect(bench.localProblems['start:capacity_ah']).toBe('At most 2000.')
    expect(patches()).toEqual([])
    await input.setValue('60')
    expect(bench.localProblems).toEqual({})
  })
  it('says at its place what the server says of it', async () => {
    const { made } = field({ field: 'cca_a' })
    bench.problems.value = [{ element: 'start', field: 'cca_a', message: 'More than its size can give.' }]
    await nextTick()
    expect(made.text()).toContain('More than its size can give.')
  })
})
