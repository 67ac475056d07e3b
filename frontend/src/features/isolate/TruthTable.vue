<script setup lang="ts">
/** The truth table: the rows that have to be read, or all of them. */
import { computed, ref } from 'vue'
import type { Circuit, RowView } from '@/api/types'
import { fixed } from '@/ui/numbers'
import { doesWords } from './rows'

const props = defineProps<{
  rows: readonly RowView[]
  circuit: Circuit
  /** The one that is on the loop. */
  now?: RowView
}>()
const emit = defineEmits<{ show: [row: RowView] }>()
const all = ref(false)
const few = computed(() => props.rows.filter((r) => r.read_first))
const listed = computed(() => (all.value ? props.rows : few.value))
const loads = computed(() => new Map(props.circuit.loads.map((l) => [l.id, l.label])))
const fed = (row: RowView) => row.fed.map((id) => loads.value.get(id) ?? id).join(', ') || 'nothing'
/** With the engine turning, what a battery gives is no drain. */
const standing = (row: RowView) => !row.runs && row.situation !== 'cranking'
const isNow = (row: RowView) => row.situation === props.now?.situation && row.off.join() === props.now?.off.join()
</script>

<template>
  <div class="scroll">
    <v-table class="figures" data-test="truth-table">
      <thead>
        <tr>
          <th>Off</th>
          <th>Engine and key</th>
          <th>Then</th>
          <th class="n">Live</th>
          <th>Fed</th>
          <th class="n">Drain, A</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in listed" :key="`${r.situation} ${r.off.join()}`" :class="{ on: isNow(r) }" @click="emit('show', r)">
          <td>
            <button type="button" class="take" :aria-pressed="isNow(r)">{{ r.off.join(', ') || 'none' }}</button>
          </td>
          <td>{{ r.situation_label }}</td>
          <td>
            <b>{{ doesWords(r) }}</b>
          </td>
          <td class="n">{{ r.lit.length }}</td>
          <td>{{ fed(r) }}</td>
          <td class="n">{{ standing(r) ? fixed(r.drain_a, 2) : '–' }}</td>
        </tr>
      </tbody>
    </v-table>
    <v-btn v-if="few.length < rows.length" variant="text" data-test="all-rows" @click="all = !all">{{
      all ? 'Only those that have to be read' : `All ${rows.length} positions`
    }}</v-btn>
  </div>
</template>

<style scoped>
.scroll {
  overflow-x: auto;
}
td {
  vertical-align: middle;
}
.take {
  min-height: 44px;
  text-align: left;
  text-decoration: underline;
}
.on {
  background: rgb(var(--v-theme-surface-variant));
}
</style>
