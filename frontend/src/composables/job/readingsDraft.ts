/** Readings of a test as they are typed: kept on this machine until the run is kept on the server. */
import { reactive, ref, watch } from 'vue'
import { client, data } from '@/api/client'
import type { ReadingInput, RunInput, RunRecord } from '@/api/types'
import { dropDraft, findDraft, hasFields, keepDraft } from '../drafts'
import type { JobOnBench } from './job'

/** One value, and where it came from. */
export interface Typed {
  value: number | null
  instrument: string | null
  source: ReadingInput['source']
  spread: number | null
  at: string | null
}

export interface RunDraft {
  values: Record<string, Typed>
  engine_rpm: number | null
  engine_space_c: number | null
  ambient_c: number | null
  loads_on: string[] | null
  bank_on: string | null
  note: string
  /** Who measured, where a lead records for somebody else; empty: who is signed in. */
  measured_by: string
  /** The run that these readings carry on or correct. */
  supersedes: number | null
}

const empty = (): RunDraft => ({
  values: {},
  engine_rpm: null,
  engine_space_c: null,
  ambient_c: null,
  loads_on: null,
  bank_on: null,
  note: '',
  measured_by: '',
  supersedes: null,
})

/** A kept run as a draft, to be carried on or corrected. */
export function draftOf(record: RunRecord | null | undefined): RunDraft {
  if (!record || record.run.skipped) return empty()
  const run = record.run
  return {
    values: Object.fromEntries(
      (run.readings ?? []).map((r) => [
        r.point,
        { value: r.value, instrument: r.instrument ?? null, source: r.source ?? 'typed', spread: r.spread ?? null, at: r.at ?? null },
      ]),
    ),
    engine_rpm: run.engine_rpm ?? null,
    engine_space_c: run.engine_space_c ?? null,
    ambient_c: run.ambient_c ?? null,
    loads_on: run.loads_on ? [...run.loads_on] : null,
    bank_on: run.bank_on ?? null,
    note: run.note ?? '',
    measured_by: '',
    supersedes: record.id,
  }
}

/** The same test once more under the same conditions: nothing read yet, and it corrects nothing. */
export function repeatOf(record: RunRecord | null | undefined): RunDraft {
  return { ...draftOf(record), values: {}, note: '', supersedes: null }
}

export function inputOf(procedure: string, draft: RunDraft, skipped = ''): RunInput {
  const readings = Object.entries(skipped ? {} : draft.values).flatMap(([point, t]) =>
    t.value === null ? [] : [{ point, value: t.value, instrument: t.instrument, source: t.source, spread: t.spread, at: t.at }],
  )
  return {
    procedure,
    readings,
    engine_rpm: draft.engine_rpm,
    engine_space_c: draft.engine_space_c,
    ambient_c: draft.ambient_c,
    loads_on: draft.loads_on,
    bank_on: draft.bank_on,
    skipped,
    note: draft.note,
    measured_at: null,
    measured_by: draft.measured_by ?? '',
    supersedes: skipped ? null : draft.supersedes,
  }
}

const isDraft = hasFields('values', 'supersedes', 'bank_on')

/** A draft of one procedure, with its own place on this machine. */
export function useRunDraft(jobId: number, procedure: string) {
  const key = `${jobId}:run:${procedure}`
  const draft = reactive<RunDraft>(empty())
  const dirty = ref(false)
  const kept = findDraft<RunDraft>(key, isDraft)
  if (kept) {
    Object.assign(draft, kept)
    dirty.value = true
  }
  function take(from: RunDraft): void {
    Object.assign(draft, empty(), from)
    dirty.value = false
    dropDraft(key)
  }
  function touch(): void {
    dirty.value = true
    keepDraft(key, draft)
  }
  /** A typed value; null takes it away. */
  function set(point: string, value: number | null, more: Partial<Typed> = {}): void {
    if (value === null) delete draft.values[point]
    else draft.values[point] = { value, instrument: null, source: 'typed', spread: null, at: null, ...more }
    touch()
  }
  /** What is noted beside the readings. */
  function setCondition(field: 'engine_rpm' | 'engine_space_c' | 'ambient_c', value: number | null): void {
    draft[field] = value
    touch()
  }
  return reactive({ draft, dirty, take, touch, set, setCondition })
}

/** The drop test of the job, typed beside its branches. */
export function useReadingsDraft(on: JobOnBench) {
  const procedure = 'charging_drops'
  const state = useRunDraft(on.jobId, procedure)
  const standing = () => on.job.value?.runs.filter((r) => r.run.procedure === procedure && r.stands).at(-1) ?? null
  watch(
    on.job,
    (now) => {
      if (now && !state.dirty) state.take(draftOf(standing()))
    },
    { immediate: true },
  )
  return state
}

export type ReadingsDraft = ReturnType<typeof useReadingsDraft>

/** Keeps a run, on the circuit as found unless it is of another. */
export async function keepRun(
  on: { jobId: number; asFound: { id: number } | null; reload: () => Promise<void> },
  run: RunInput,
  circuitId = on.asFound?.id,
): Promise<RunRecord | null> {
  if (circuitId === undefined) return null
  const saved = await data(
    client.POST('/api/jobs/{job_id}/runs', { params: { path: { job_id: on.jobId } }, body: { circuit_id: circuitId, run } }),
  )
  await on.reload()
  return saved
}
