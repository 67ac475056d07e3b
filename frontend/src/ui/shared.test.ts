// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { ApiError } from '@/api/client'
import type { ProblemDocument } from '@/api/types'
import { MARKS } from '@/charts/marks'
import { useSaving } from '@/composables/saving'
import { mounted } from '@/testing'
import CautionStrip from './CautionStrip.vue'
import ConflictDialog from './ConflictDialog.vue'
import ProblemNotice from './ProblemNotice.vue'
import VerdictMark from './VerdictMark.vue'

const PROBLEM = {
  title: 'Not kept',
  detail: 'Two fields.',
  status: 422,
  problems: [{ element: 'feed', field: 'size', message: 'No such size.' }],
}
const problem = (status: number, theirs: Record<string, unknown> | null = null) =>
  new ApiError({ ...PROBLEM, status, theirs } as unknown as ProblemDocument)

beforeEach(() => sessionStorage.clear())
afterEach(() => document.body.replaceChildren())

describe('a verdict', () => {
  it('is a word, a shape and a colour, and a word for the ear where there is no room', () => {
    for (const [verdict, mark] of Object.entries(MARKS)) {
      expect(mounted(VerdictMark, { verdict }).get('b').text()).toBe(mark.word)
      const small = mounted(VerdictMark, { verdict, word: false })
      expect(small.find('b').exists()).toBe(false)
      expect(small.get('.d-sr-only').text()).toBe(mark.word)
      expect(small.get('path').attributes('d')).toBe(mark.path)
    }
  })
})

describe('what went wrong', () => {
  it('is said where it is, with a way to try again where that helps', async () => {
    expect(mounted(ProblemNotice, { problem: null }).find('[role=alert]').exists()).toBe(false)
    let tries = 0
    const notice = mounted(ProblemNotice, { problem: PROBLEM, again: () => tries++ })
    expect(notice.get('[role=alert]').text()).toContain('Two fields.')
    await notice.get('button').trigger('click')
    expect(tries).toBe(1)
  })
})

describe('cautions of a step', () => {
  const cautions = [
    { id: 'belt', steps: ['measure'], confirm: true, text: 'Belts turn.' },
    { id: 'acid', steps: ['measure', 'circuit'], confirm: false, text: 'Acid burns.' },
    { id: 'flame', steps: ['build'], confirm: true, text: 'Flames.' },
  ]
  it('stand at their step and hold the work until they were seen', async () => {
    const strip = mounted(CautionStrip, { step: 'measure', jobId: 3, gate: true }, { cautions })
    expect(strip.text()).toContain('Belts turn.')
    expect(strip.text()).not.toContain('Flames.')
    expect(strip.emitted('clear')).toBeUndefined()
    await strip.get('[data-test=cautions-seen]').trigger('click')
    expect(strip.emitted('confirmed')).toHaveLength(1)
    expect(strip.text()).not.toContain('Belts turn.')
    await strip.get('.show').trigger('click')
    expect(strip.text()).toContain('Belts turn.')
  })
  it('are asked once a job, and again in another', async () => {
    await mounted(CautionStrip, { step: 'measure', jobId: 3 }, { cautions }).get('[data-test=cautions-seen]').trigger('click')
    expect(mounted(CautionStrip, { step: 'measure', jobId: 3 }, { cautions }).find('[data-test=cautions-seen]').exists()).toBe(false)
    expect(mounted(CautionStrip, { step: 'measure', jobId: 4 }, { cautions }).find('[data-test=cautions-seen]').exists()).toBe(true)
  })
  it('hold up nothing where none of them is grave', () => {
    const strip = mounted(CautionStrip, { step: 'circuit', jobId: 3 }, { cautions })
    expect(strip.emitted('clear')).toHaveLength(1)
    expect(strip.text()).toContain('Acid burns.')
  })
})

describe('saving', () => {
  it('says the refusal at its place and is free again', async () => {
    const { busy, problem: wrong, says, save } = useSaving()
    const done = save(() => Promise.reject(problem(422)))
    expect(busy.value).toBe(true)
    expect(await done).toBe(false)
    expect([busy.value, wrong.value?.title, says('feed'), says('fuse')]).toEqual([false, 'Not kept', 'No such size.', ''])
    expect(await save(() => Promise.resolve())).toBe(true)
    expect(wrong.value).toBeNull()
  })
  it('saves once, however often it is asked', async () => {
    let [calls, release] = [0, () => {}]
    const { save } = useSaving()
    const work = () => {
      calls++
      return new Promise<void>((resolve) => (release = resolve))
    }
    const first = save(work)
    expect(await save(work)).toBe(false)
    release()
    expect(await first).toBe(true)
    expect(calls).toBe(1)
  })
  it('keeps a lost race apart from a refusal', async () => {
    const { conflict, problem: wrong, save } = useSaving()
    await save(() => Promise.reject(problem(409, { complaint: 'theirs' })))
    expect([conflict.value?.status, wrong.value]).toEqual([409, null])
  })
  it('says it where there is nothing of theirs to keep: the thing was made twice', async () => {
    const { conflict, problem: wrong, save } = useSaving()
    await save(() => Promise.reject(problem(409)))
    expect([conflict.value, wrong.value?.status]).toEqual([null, 409])
  })
  it('does not swallow what is no answer of the server', async () => {
    const { busy, save } = useSaving()
    await expect(save(() => Promise.reject(new Error('a slip of ours')))).rejects.toThrow('a slip of ours')
    expect(busy.value).toBe(false)
  })
})

describe('the dialog after a lost race', () => {
  it('offers both versions and says that nothing typed is lost', async () => {
    const dialog = mounted(ConflictDialog, { problem: PROBLEM, both: 'Keep both', theirs: 'Take theirs', mineHint: 'Both can stay.' })
    await flushPromises()
    expect(document.body.textContent).toContain('still on this screen')
    for (const [button, event] of [
      ['keep-both', 'keepBoth'],
      ['take-theirs', 'takeTheirs'],
    ] as const) {
      document.querySelector<HTMLElement>(`[data-test=${button}]`)!.click()
      expect(dialog.emitted(event)).toHaveLength(1)
    }
  })
})
