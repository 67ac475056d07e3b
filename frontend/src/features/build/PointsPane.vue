<script setup lang="ts">
/** The schematic with its numbered points, and what lands on each stud: nut above, foot below, as it lies. */
import { computed } from 'vue'
import type { BuildBook, PointsView } from '@/api/types'
import NumberField from '@/ui/NumberField.vue'
import { fixed } from '@/ui/numbers'
import PlugsPane from './PlugsPane.vue'
import StudPile from './StudPile.vue'
import type { Bulkhead, Plug } from './book'

const props = defineProps<{
  points: PointsView['points']
  plugs: PointsView['plugs']
  specs: BuildBook['plugs']
  threads: BuildBook['threads']
  bulkheads: readonly Bulkhead[]
  jobId: number
  disabled: boolean
}>()
const emit = defineEmits<{
  thread: [node: string, mm: number | null]
  plug: [pole: string, what: Partial<Plug>]
  bulkhead: [node: string, what: Bulkhead | null]
}>()
const shown = computed(() =>
  props.points.map((p) => ({
    ...p,
    panel: props.bulkheads.find((b) => b.node_id === p.node_id) ?? null,
    thread: props.threads?.find((t) => t.node_id === p.node_id)?.thread_mm ?? null,
  })),
)
type Shown = (typeof shown.value)[number]
function say(p: Shown, what: Partial<Bulkhead>): void {
  if (p.panel) emit('bulkhead', p.node_id, { ...p.panel, ...what })
}
function turn(p: Shown, part: string): void {
  const far = p.panel?.far ?? []
  say(p, { far: far.includes(part) ? far.filter((i) => i !== part) : [...far, part] })
}
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
      <StudPile :landings="p.landings" :move="p.panel ? 'to the far side' : undefined" :disabled="disabled" @move="turn(p, $event)" />
      <template v-if="p.far">
        <p class="panel-edge ma-0" data-test="far">
          <b>{{ p.far.through }}</b><template v-if="p.far.crosses_a !== null">, {{ fixed(p.far.crosses_a, 0) }} A through it</template
          ><template v-if="p.far.needs_mm !== null">; far side takes {{ fixed(p.far.needs_mm, 1) }} mm of thread</template>
        </p>
        <StudPile :landings="p.far.landings" move="to the near side" :disabled="disabled" @move="turn(p, $event)" />
      </template>
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
      <template v-if="!disabled && (p.panel || p.if_through)">
        <v-checkbox
          :model-value="!!p.panel"
          label="Goes through a panel"
          density="compact"
          hide-details
          :data-test="`panel-${p.node_id}`"
          @update:model-value="emit('bulkhead', p.node_id, $event ? p.if_through : null)"
        />
        <div v-if="p.panel" class="stack tight">
          <v-text-field
            :model-value="p.panel.through"
            label="Which panel"
            maxlength="60"
            hide-details
            :data-test="`through-${p.node_id}`"
            @update:model-value="$event && say(p, { through: $event })"
          />
          <NumberField
            :model-value="p.panel.far_thread_mm ?? null"
            of="BulkheadStud.far_thread_mm"
            label="Thread, far side"
            unit="mm"
            compact
            :data-test="`far-thread-${p.node_id}`"
            @update:model-value="say(p, { far_thread_mm: $event })"
          />
          <v-checkbox
            :model-value="p.panel.there"
            label="It is there already"
            density="compact"
            hide-details
            :data-test="`there-${p.node_id}`"
            @update:model-value="say(p, { there: !!$event })"
          />
        </div>
      </template>
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
.panel-edge {
  border-top: 4px double currentColor;
  border-bottom: 4px double currentColor;
  padding: 4px 0;
}
.bad {
  color: var(--fail);
}
</style>
