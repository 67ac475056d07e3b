<script setup lang="ts">
import { ref } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { ProblemDocument } from '@/api/types'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { useCatalogue } from '@/composables/catalogue'
import { useWorkbench } from '@/composables/workbench'

const bench = useWorkbench()
const { catalogue } = useCatalogue()
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
    <div class="layouts">
      <button
        v-for="layout in catalogue?.layouts"
        :key="layout.name"
        type="button"
        class="panel layout"
        :data-layout="layout.name"
        @click="choose(layout.name)"
      >
        <b>{{ layout.label }}</b><span class="quiet">{{ layout.why }}</span>
      </button>
    </div>
    <ProblemNotice :problem="problem" />
  </div>
</template>

<style scoped>
.layouts {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(250px, 1fr));
  gap: 10px;
}
.layout {
  display: flex;
  flex-direction: column;
  text-align: left;
  min-height: 60px;
  border-left: 8px solid var(--copper);
}
.layout:hover {
  border-color: rgb(var(--v-theme-on-surface));
}
</style>
