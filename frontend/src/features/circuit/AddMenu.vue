<script setup lang="ts">
/** Adds a battery, load, charger, alternator or ground with all that it needs; the core knows what that is. */
import { ref } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { ProblemDocument } from '@/api/types'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { useCatalogue } from '@/composables/catalogue'
import { useWorkbench } from '@/composables/workbench'

const bench = useWorkbench()
const { catalogue } = useCatalogue()
const problem = ref<ProblemDocument | null>(null)
const added = ref('')

async function add(what: string, label: string): Promise<void> {
  if (!bench.circuit) return
  problem.value = null
  try {
    const grown = await data(client.POST('/api/grow', { body: { circuit: bench.circuit, what } }))
    bench.edit(grown.circuit)
    added.value = `${label}: added at starting values. Correct them at the vehicle.`
    bench.selected = grown.circuit.branches.find((b) => grown.added.includes(b.id))?.id ?? null
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    problem.value = error.problem
  }
}
</script>

<template>
  <div class="stack">
    <v-menu>
      <template #activator="{ props }"><v-btn v-bind="props" variant="outlined" data-test="add-part">Add a part</v-btn></template>
      <v-list max-height="440">
        <v-list-item
          v-for="a in catalogue?.additions"
          :key="a.name"
          :title="a.label"
          :subtitle="a.why"
          :data-add="a.name"
          @click="add(a.name, a.label)"
        />
      </v-list>
    </v-menu>
    <p v-if="added" class="quiet ma-0" role="status">{{ added }}</p>
    <ProblemNotice :problem="problem" />
  </div>
</template>
