/** One job on the bench: what is kept, what is typed but not saved, and what the core says of it. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, inject, provide, reactive, ref, shallowRef, watch, type InjectionKey } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { Circuit, CircuitRecord, DropTest, Instrument, JobRecord, Judged, ProblemDocument, ProblemItem, Reading, SolvedDraft, State, TestRecord } from '@/api/types'
import { dropDraft, findDraft, keepDraft } from './drafts'

export interface TestDraft {
  testId: number | null
  lock: number | null
  output_current_a: number | null
  engine_speed_rpm: number | null
  engine_space_c: number | null
  ambient_c: number | null
  voltmeter: Instrument | null
  clamp: Instrument | null
  measured_by: string
  note: string
  /** Volts or amperes by reading key, "branch_drop:charge_cable". */
  values: Record<string, number | null>
}

interface CircuitDraft {
  circuit: Circuit
  lock: number | null
}

const REDRAW_MS = 30

function newest<T extends { revision: number }>(list: T[]): T | null {
  return list.reduce<T | null>((best, item) => (best === null || item.revision > best.revision ? item : best), null)
}

export function readingKey(reading: Pick<Reading, 'quantity' | 'branch_id'>): string {
  return reading.branch_id ? `${reading.quantity}:${reading.branch_id}` : reading.quantity
}

function draftOf(record: TestRecord | null): TestDraft {
  const test = record?.test
  return {
    testId: record?.id ?? null,
    lock: record?.lock ?? null,
    output_current_a: test?.output_current_a ?? null,
    engine_speed_rpm: test?.engine_speed_rpm ?? null,
    engine_space_c: test?.engine_space_c ?? null,
    ambient_c: test?.ambient_c ?? null,
    voltmeter: test?.voltmeter ?? null,
    clamp: test?.clamp ?? null,
    measured_by: test?.measured_by ?? '',
    note: test?.note ?? '',
    values: Object.fromEntries((test?.readings ?? []).map((r) => [readingKey(r), r.value])),
  }
}

function makeWorkbench(jobId: number) {
  const queries = useQueryClient()
  const query = useQuery({
    queryKey: ['job', jobId],
    queryFn: () => data(client.GET('/api/jobs/{job_id}', { params: { path: { job_id: jobId } } })),
  })
  const job = computed<JobRecord | null>(() => query.data.value ?? null)
  const asFound = computed<CircuitRecord | null>(() => newest((job.value?.circuits ?? []).filter((c) => c.role === 'as_found')))
  const proposal = computed<CircuitRecord | null>(() => newest((job.value?.circuits ?? []).filter((c) => c.role === 'proposal')))
  const latestTest = computed<TestRecord | null>(() => {
    const ids = new Set((job.value?.circuits ?? []).filter((c) => c.role === 'as_found').map((c) => c.id))
    return (job.value?.tests ?? []).filter((t) => ids.has(t.circuit_id)).at(-1) ?? null
  })

  const circuit = shallowRef<Circuit | null>(null)
  const circuitLock = ref<number | null>(null)
  const circuitDirty = ref(false)
  const testDraft = reactive<TestDraft>(draftOf(null))
  const testDirty = ref(false)
  const selected = ref<string | null>(null)
  const judged = shallowRef<Judged | null>(null)
  /** The circuit that `judged` is of: drawn together, or the drawing would mix two states. */
  const judgedCircuit = shallowRef<Circuit | null>(null)
  const problems = ref<ProblemItem[]>([])
  const trouble = ref<ProblemDocument | null>(null)
  const localProblems = reactive<Record<string, string>>({})
  const circuitKey = `${jobId}:circuit`
  const testKey = `${jobId}:test`
  const restored = ref(false)

  function takeCircuit(record: CircuitRecord | null): void {
    circuit.value = record?.document ?? null
    circuitLock.value = record?.lock ?? null
    circuitDirty.value = false
    for (const key of Object.keys(localProblems)) delete localProblems[key]
    dropDraft(circuitKey)
  }

  function takeTest(record: TestRecord | null): void {
    Object.assign(testDraft, draftOf(record))
    testDirty.value = false
    dropDraft(testKey)
  }

  watch(
    job,
    (now, before) => {
      if (!now) return
      if (!before) {
        // What was typed before the page went away comes back first.
        const kept = findDraft<CircuitDraft>(circuitKey)
        if (kept) {
          circuit.value = kept.circuit
          circuitLock.value = kept.lock
          circuitDirty.value = true
          restored.value = true
        }
        const keptTest = findDraft<TestDraft>(testKey)
        if (keptTest) {
          Object.assign(testDraft, keptTest)
          testDirty.value = true
          restored.value = true
        }
      }
      if (!circuitDirty.value) takeCircuit(asFound.value)
      if (!testDirty.value) takeTest(latestTest.value)
    },
    { immediate: true },
  )

  function edit(next: Circuit): void {
    circuit.value = next
    circuitDirty.value = true
    keepDraft(circuitKey, { circuit: next, lock: circuitLock.value } satisfies CircuitDraft)
  }

  function touchTest(): void {
    testDirty.value = true
    keepDraft(testKey, testDraft)
  }

  /**
   * The test as the core takes it, without probes; null while current or speed are missing.
   * It must not depend on what the core said, or every answer would ask again.
   */
  const test = computed<DropTest | null>(() => {
    const now = circuit.value
    if (!testDraft.output_current_a || !testDraft.engine_speed_rpm || !testDraft.voltmeter || !testDraft.clamp || !now) return null
    if (testDraft.engine_space_c === null || testDraft.ambient_c === null) return null
    const known = new Set(now.branches.map((b) => b.id))
    const readings: Reading[] = Object.entries(testDraft.values).flatMap(([key, value]) => {
      if (value === null) return []
      const [quantity, branch] = key.split(':') as [Reading['quantity'], string | undefined]
      if (branch && !known.has(branch)) return []
      return [{ quantity, branch_id: branch ?? null, value, red_node: null, black_node: null }]
    })
    return {
      procedure: 'charging_drop',
      output_current_a: testDraft.output_current_a,
      engine_speed_rpm: testDraft.engine_speed_rpm,
      engine_space_c: testDraft.engine_space_c,
      ambient_c: testDraft.ambient_c,
      voltmeter: testDraft.voltmeter,
      clamp: testDraft.clamp,
      readings,
      measured_at: null,
      measured_by: testDraft.measured_by,
      note: testDraft.note,
    }
  })

  /** Where the probes go for a reading, by the core's plan. */
  function probesOf(key: string): { red: string; black: string } | null {
    const stop = judged.value?.plan.stops.find((s) => s.key === key)
    return stop ? { red: stop.red_node, black: stop.black_node } : null
  }

  /** The test with where each probe was, as it is kept. */
  function testWithProbes(): DropTest | null {
    const now = test.value
    if (!now) return null
    const readings = now.readings.map((reading) => {
      const probes = probesOf(readingKey(reading))
      return { ...reading, red_node: probes?.red ?? null, black_node: probes?.black ?? null }
    })
    return { ...now, readings }
  }

  let timer: ReturnType<typeof setTimeout> | undefined
  let asked = 0
  async function ask(): Promise<void> {
    const now = circuit.value
    const profile = job.value?.limit_profile ?? 'common'
    if (!now) {
      judged.value = null
      return
    }
    const number = ++asked
    try {
      const answer = await data(client.POST('/api/assess', { body: { circuit: now, test: test.value, limit_profile: profile } }))
      if (number !== asked) return
      judged.value = answer as Judged
      judgedCircuit.value = now
      problems.value = []
      trouble.value = null
    } catch (error) {
      if (number !== asked || !(error instanceof ApiError)) return
      if (error.status === 422) {
        problems.value = error.problem.problems ?? []
        trouble.value = null
      } else trouble.value = error.problem
    }
  }
  function askSoon(): void {
    clearTimeout(timer)
    timer = setTimeout(() => void ask(), REDRAW_MS)
  }
  watch([circuit, test, () => job.value?.limit_profile], askSoon)

  /** The state one looks at instead of the test, and the circuit solved at it; null for none. */
  const state = shallowRef<Partial<State> | null>(null)
  const solved = shallowRef<SolvedDraft | null>(null)
  const solvedCircuit = shallowRef<Circuit | null>(null)
  const stateProblem = ref<ProblemDocument | null>(null)
  let solving = false
  /** One request at a time: while one is under way the newest state waits, and those between are skipped. */
  async function solve(): Promise<void> {
    if (solving) return
    solving = true
    while (state.value && circuit.value) {
      const [asked_, now] = [state.value, circuit.value]
      try {
        const answer = await data(client.POST('/api/solve', { body: { circuit: now, state: asked_ as State, limit_profile: job.value?.limit_profile ?? 'common' } }))
        if (state.value) {
          solved.value = answer
          solvedCircuit.value = now
        }
        stateProblem.value = null
      } catch (error) {
        if (!(error instanceof ApiError)) throw error
        stateProblem.value = error.problem
      }
      if (asked_ === state.value) break
    }
    solving = false
  }
  function tryState(next: Partial<State> | null): void {
    state.value = next
    if (next) void solve()
    else {
      solved.value = null
      stateProblem.value = null
    }
  }

  async function reload(): Promise<void> {
    await queries.invalidateQueries({ queryKey: ['job', jobId] })
    await queries.invalidateQueries({ queryKey: ['jobs'] })
    await queries.invalidateQueries({ queryKey: ['comparison', jobId] })
  }

  /** Saves the circuit; a conflict is thrown to the page. */
  async function saveCircuit(asNewRevision = false): Promise<void> {
    if (!circuit.value) return
    const saved = await data(
      client.PUT('/api/jobs/{job_id}/circuit', {
        params: { path: { job_id: jobId } },
        body: { document: circuit.value, lock: circuitLock.value, as_new_revision: asNewRevision },
      }),
    )
    takeCircuit(saved)
    await reload()
  }

  async function saveTest(asNew = false): Promise<void> {
    const record = asFound.value
    const kept = testWithProbes()
    if (!record || !kept) return
    const params = { path: { job_id: jobId } }
    const onThis = !asNew && testDraft.testId !== null && latestTest.value?.circuit_id === record.id
    const saved = onThis
      ? await data(
          client.PUT('/api/jobs/{job_id}/tests/{test_id}', {
            params: { path: { job_id: jobId, test_id: testDraft.testId! } },
            body: { circuit_id: record.id, test: kept, lock: testDraft.lock },
          }),
        )
      : await data(client.POST('/api/jobs/{job_id}/tests', { params, body: { circuit_id: record.id, test: kept, lock: null } }))
    takeTest(saved)
    await reload()
  }

  return reactive({
    jobId, query, job, asFound, proposal, latestTest, circuit, circuitLock, circuitDirty, testDraft, testDirty, test, selected, judged,
    judgedCircuit, solved, solvedCircuit, stateProblem, tryState, problems, trouble, localProblems, restored, edit, touchTest, takeCircuit, takeTest, probesOf, ask, reload, saveCircuit, saveTest,
  })
}

export type Workbench = ReturnType<typeof makeWorkbench>
const KEY: InjectionKey<Workbench> = Symbol('workbench')

export function provideWorkbench(jobId: number): Workbench {
  const bench = makeWorkbench(jobId)
  provide(KEY, bench)
  return bench
}

export function useWorkbench(): Workbench {
  const bench = inject(KEY)
  if (!bench) throw new Error('No job is on the bench here')
  return bench
}
