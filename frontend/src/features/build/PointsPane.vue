<script setup lang="ts">
/** The schematic with its numbered points, and what lands on each stud: nut above, foot below, as it lies. */
import { computed } from 'vue'
import type { BuildBook, PointsView } from '@/api/types'
import NumberField from '@/ui/NumberField.vue'
import { fixed } from '@/ui/numbers'
import PlugsPane from './PlugsPane.vue'
import { shownSize, type Plug } from './book'

const props = defineProps<{
  points: PointsView['points']
  plugs: PointsView['plugs']
  specs: BuildBook['plugs']
  threads: BuildBook['threads']
  jobId: number
  disabled: boolean
}>()
const emit = defineEmits<{ thread: [node: string, mm: number | null]; plug: [pole: string, what: Partial<Plug>] }>()
const shown = computed(() =>
  props.points.map((p) => ({
    ...p,
    stack: p.landings.filter((x) => x.place !== null).reverse(),
    beside: p.landings.filter((x) => x.place === null),
    thread: props.threads?.find((t) => t.node_id === p.node_id)?.thread_mm ?? null,
  })),
)
const wrong = computed(() => [...props.plugs, ...props.points].filter((p) => p.problems.length > 0))
const files = computed(() => `/api/jobs/${props.jobId}/files`)
</script>

<template>
  <img class="drawn" :src="`${files}/schematic.svg`" alt="Schematic of the circuit as it is to be, its points numbered" />
  <p class="row">
    <v-btn variant="text" :href="`${files}/schematic.pdf`" data-test="schematic-pdf">Print schematic and points</v-btn>
    <b v-if="wrong.length > 0" class="bad" data-test="points-wrong">✕ {{ wrong.map((p) => p.label).join(', ') }}</b>
  </p>
  <PlugsPane :plugs="plugs" :specs="specs" :disabled="disabled" @plug="(pole, what) => emit('plug', pole, what)" />
  <ol class="points">
    <li v-for="p in shown" :key="p.node_id" :data-point="p.node_id">
      <h3>
        <span class="quiet figure">{{ p.number }}</span> {{ p.label }}
      </h3>
      <p v-if="p.stud" class="ma-0">
        <b>{{ p.stud }}</b><template v-if="p.torque_nm !== null">, {{ fixed(p.torque_nm, 0) }} N m</template
        ><template v-if="p.needs_mm !== null">, takes {{ fixed(p.needs_mm, 1) }} mm of thread</template>
      </p>
      <div v-if="p.stack.length > 0" class="pile">
        <span v-if="p.stack.length > 1" class="quiet">nut</span>
        <span v-for="(x, k) in p.stack" :key="k" class="lug"
          >{{ x.label }}
          <span class="quiet"
            >{{ shownSize(x.what) }}<template v-if="x.current_a !== null">, {{ fixed(x.current_a, 0) }} A</template></span
          ></span
        >
        <span v-if="p.stack.length > 1" class="quiet">foot</span>
      </div>
      <p v-if="p.beside.length > 0" class="quiet ma-0">Beside it: {{ p.beside.map((x) => x.label).join(', ') }}</p>
      <p v-for="w in p.problems" :key="w" class="bad ma-0" role="alert">✕ {{ w }}</p>
      <p v-for="w in p.assumed" :key="w" class="quiet ma-0">{{ w }}</p>
      <NumberField
        v-if="p.stud && !disabled"
        :model-value="p.thread"
        of="StudThread.thread_mm"
        label="Thread of the stud"
        unit="mm"
        compact
        :data-test="`thread-${p.node_id}`"
        @update:model-value="emit('thread', p.node_id, $event)"
      />
    </li>
  </ol>
</template>

<style scoped>
.drawn {
  display: block;
  width: 100%;
  max-height: 320px;
  background: #fff;
  padding: 8px;
}
.points {
  list-style: none;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(250px, 1fr));
  gap: 12px 20px;
}
li {
  border-top: 1px solid var(--line);
  padding-top: 6px;
}
h3 {
  font-size: 1rem;
  margin: 0;
}
.pile {
  display: grid;
  margin: 4px 0;
  border-left: 6px solid var(--line);
  padding-left: 8px;
}
.lug {
  border: 1px solid var(--line);
  padding: 3px 8px;
}
.lug + .lug {
  border-top: 0;
}
.bad {
  color: var(--fail);
}
</style>
