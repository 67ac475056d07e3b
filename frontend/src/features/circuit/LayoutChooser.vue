<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { ref } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { ProblemDocument, ReadyLayout } from '@/api/types'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import LayoutSketch from '@/charts/LayoutSketch.vue'
import { useWorkbench } from '@/composables/workbench'

const bench = useWorkbench()
const ready = useQuery({
  queryKey: ['layouts'],
  queryFn: async () => (await data(client.GET('/api/layouts'))).layouts as unknown as readonly ReadyLayout[],
  staleTime: Infinity,
})
const problem = ref<ProblemDocument | null>(null)

async function choose(name: string): Promise<void> {
  problem.value = null
  try {
    const volts = bench.job?.vehicle.system_voltage_v ?? 12
    bench.edit(await data(client.GET('/api/layouts/{name}', { params: { path: { name }, query: { system_voltage_v: volts } } })))
  } catch (error) {
    if (error instanceof ApiError) problem.value = error.problem
  }
}
</script>

<template>
  <div class="stack">
    <p class="ma-0">Start from the layout nearest to the vehicle in front of you, then correct every branch.</p>
    <v-progress-linear v-if="ready.isPending.value" indeterminate aria-label="Asking for the ready layouts" />
    <div class="layouts">
      <button
        v-for="layout in ready.data.value"
        :key="layout.name"
        type="button"
        class="panel layout"
        :data-layout="layout.name"
        @click="choose(layout.name)"
      >
        <LayoutSketch :layout="layout.loop" />
        <b>{{ layout.label }}</b>
        <span class="quiet">{{ layout.why }}</span>
      </button>
    </div>
    <ProblemNotice :problem="problem" />
  </div>
</template>

<style scoped>
.layouts {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 270px), 1fr));
  gap: 10px;
}
.layout {
  display: flex;
  flex-direction: column;
  gap: 4px;
  text-align: left;
}
button.layout:not(.v-btn) {
  background: rgb(var(--v-theme-surface));
  border: 1px solid var(--line);
}
button.layout:not(.v-btn):hover,
button.layout:not(.v-btn):focus-visible {
  border-color: var(--copper);
}
</style>
