/** The circuit as it is drawn on this screen: kept on this machine until it is saved. */
import { reactive, ref, shallowRef, watch } from 'vue'
import { client, data } from '@/api/client'
import type { Circuit, CircuitRecord } from '@/api/types'
import { dropDraft, findDraft, hasFields, keepDraft } from '../drafts'
import type { JobOnBench } from './job'

interface Draft {
  circuit: Circuit
  lock: number | null
  circuitId: number | null
}

export function useCircuitDraft(on: JobOnBench) {
  const key = `${on.jobId}:circuit`
  const circuit = shallowRef<Circuit | null>(null)
  const circuitLock = ref<number | null>(null)
  const circuitId = ref<number | null>(null)
  const circuitDirty = ref(false)
  const restored = ref(false)
  /** What a field says is wrong before the server is asked, by place. */
  const localProblems = reactive<Record<string, string>>({})

  function takeCircuit(record: CircuitRecord | null): void {
    circuit.value = record?.document ?? null
    circuitLock.value = record?.lock ?? null
    circuitId.value = record?.id ?? null
    circuitDirty.value = false
    for (const place of Object.keys(localProblems)) delete localProblems[place]
    dropDraft(key)
  }

  watch(
    on.job,
    (now, before) => {
      if (!now) return
      const kept = before ? null : findDraft<Draft>(key, hasFields('circuit', 'lock', 'circuitId'))
      if (kept) {
        // What was typed before the page went away comes back first.
        circuit.value = kept.circuit
        circuitLock.value = kept.lock
        circuitId.value = kept.circuitId
        circuitDirty.value = restored.value = true
      }
      if (!circuitDirty.value) takeCircuit(on.asFound.value)
    },
    { immediate: true },
  )

  function edit(next: Circuit): void {
    circuit.value = next
    circuitDirty.value = true
    keepDraft(key, { circuit: next, lock: circuitLock.value, circuitId: circuitId.value } satisfies Draft)
  }

  /** Saves the circuit; a conflict is thrown to the page. */
  async function saveCircuit(asNewRevision = false): Promise<void> {
    if (!circuit.value) return
    const saved = await data(
      client.PUT('/api/jobs/{job_id}/circuit', {
        params: { path: { job_id: on.jobId } },
        body: { document: circuit.value, lock: circuitLock.value, circuit_id: circuitId.value, as_new_revision: asNewRevision },
      }),
    )
    await on.reload(() => takeCircuit(saved))
  }
  return { circuit, circuitLock, circuitDirty, restored, localProblems, edit, takeCircuit, saveCircuit }
}

export type CircuitDraft = ReturnType<typeof useCircuitDraft>
