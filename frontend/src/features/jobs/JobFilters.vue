<script setup lang="ts">
/** Narrows the list of jobs: what for, when due, what machine, who worked on it, where it lies; and what comes first. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { client, data } from '@/api/client'
import { useCatalogue } from '@/composables/catalogue'
import type { Filters } from './jobsList'

const props = defineProps<{ filters: Filters; narrowed: number }>()
const emit = defineEmits<{ clear: [] }>()
const filters = computed(() => props.filters)
const { catalogue } = useCatalogue()
const names = useQuery({ queryKey: ['names'], queryFn: () => data(client.GET('/api/people/names')) })
const choice = (list: readonly { name: string; label: string }[] | undefined) =>
  (list ?? []).map((c) => ({ value: c.name, title: c.label }))
const DUE = [
  { value: 'overdue', title: 'Overdue' },
  { value: 'week', title: 'Within a week' },
  { value: 'never', title: 'No date promised' },
]
const SHELVES = [
  { value: 'archive', title: 'Archive' },
  { value: 'basket', title: 'Waste basket' },
]
const ORDERS = [
  { value: 'newest', title: 'Newest first' },
  { value: 'touched', title: 'Last worked on first' },
]
</script>

<template>
  <div class="narrow" role="group" aria-label="Narrow the list">
    <v-select v-model="filters.purpose" label="Purpose" clearable :items="choice(catalogue?.purposes)" data-test="by-purpose" />
    <v-select v-model="filters.due" label="Due" clearable :items="DUE" data-test="by-due" />
    <v-select v-model="filters.vehicle_kind" label="Machine" clearable :items="choice(catalogue?.vehicle_kinds)" data-test="by-kind" />
    <v-select
      v-model="filters.who"
      label="Worked on by"
      clearable
      :items="(names.data.value?.people ?? []).map((p) => ({ value: p.id, title: p.name }))"
      data-test="by-who"
    />
    <v-select
      v-model="filters.shelf"
      label="Where"
      placeholder="On the bench"
      persistent-placeholder
      clearable
      :items="SHELVES"
      data-test="by-shelf"
    />
    <v-select
      v-model="filters.order"
      label="Order"
      placeholder="Soonest due"
      persistent-placeholder
      clearable
      :items="ORDERS"
      data-test="by-order"
    />
    <v-btn v-if="narrowed" variant="text" data-test="clear-filters" @click="emit('clear')">All of them</v-btn>
  </div>
</template>

<style scoped>
.narrow {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(180px, 1fr));
  gap: 8px;
  align-items: center;
}
</style>
