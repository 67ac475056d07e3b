// @vitest-environment happy-dom
import { beforeEach, describe, expect, it } from 'vitest'
import { nextTick } from 'vue'
import { mounted } from '@/testing'
import StepList from './StepList.vue'

const cautions = [{ id: 'spark', steps: ['step_off'], confirm: true, text: 'A spanner bridges the posts.' }]
const step = (id: string, ready: boolean, caution_step = 'step_off') => ({
  id,
  phase: 'off',
  text: `${id}.`,
  minutes: 2,
  branch_id: '',
  done: false,
  by: '',
  at: null,
  ready,
  loose: false,
  waits_for: [],
  tools: [],
  people: 1,
  caution_step,
  photo: null,
})

describe('all steps', () => {
  beforeEach(() => sessionStorage.clear())
  it('hold what is dangerous until its cautions were tapped, once for all of a kind', async () => {
    const steps = [step('first', true), step('second', true), step('plain', true, 'step_make'), step('later', false)]
    const list = mounted(StepList, { steps, jobId: 7, disabled: false }, { cautions })
    const tick = (id: string) => list.get(`[data-step=${id}] .tick`)
    expect(list.findAll('[data-test=cautions-seen]')).toHaveLength(1)
    expect(tick('first').attributes('disabled')).toBeDefined()
    expect(tick('second').attributes('disabled')).toBeDefined()
    expect(tick('plain').attributes('disabled')).toBeUndefined()
    await list.get('[data-test=cautions-seen]').trigger('click')
    await nextTick()
    await tick('second').trigger('click')
    expect(list.emitted('tick')).toEqual([['second']])
    expect(list.findAll('[data-test=cautions-seen]')).toHaveLength(0)
    expect(tick('later').attributes('disabled')).toBeDefined()
  })
  it('ask again on another job', () => {
    sessionStorage.setItem('mavrik-cautions:7:step_off', 'yes')
    const of = (jobId: number) => mounted(StepList, { steps: [step('first', true)], jobId, disabled: false }, { cautions })
    expect(of(7).find('[data-test=cautions-seen]').exists()).toBe(false)
    expect(of(8).find('[data-test=cautions-seen]').exists()).toBe(true)
  })
})
