<script setup lang="ts">
/** What the workshop has to work with: bays, people, hours, days it is closed, tools that there are not enough of. */
import { computed } from 'vue'
import { useCatalogue } from '@/composables/catalogue'
import NumberField from '@/ui/NumberField.vue'
import HoursFields from './HoursFields.vue'
import { at, freshId, type Means } from './means'

const props = defineProps<{ means: Means; may: boolean }>()
const emit = defineEmits<{ change: [means: Means]; file: [files: File | File[] | null] }>()
const { catalogue } = useCatalogue()
const kinds = computed(() => (catalogue.value?.task_kinds ?? []).map((k) => ({ value: k.name, title: k.label })))
const set = (change: Partial<Means>) => emit('change', { ...props.means, ...change })

const hasOwn = (person: Means['people'][number]) => (person.shifts ?? []).length > 0
const today = () => new Date().toISOString().slice(0, 10)
const closed = computed(() => props.means.closed ?? [])
const tools = computed(() => props.means.tools ?? [])
</script>

<template>
  <fieldset class="two" :disabled="!may" data-test="means">
    <section class="panel stack">
      <h2 class="sleeve ma-0">Bays</h2>
      <div v-for="(bay, k) in means.bays" :key="bay.id" class="row">
        <v-text-field
          :model-value="bay.label"
          label="Bay"
          maxlength="60"
          hide-details
          class="grow"
          :data-bay="bay.id"
          @update:model-value="set({ bays: at(means.bays, k, { label: $event }) })"
        />
        <v-btn variant="text" :disabled="means.bays.length < 2" @click="set({ bays: at(means.bays, k, null) })">Remove</v-btn>
      </div>
      <div>
        <v-btn
          variant="outlined"
          data-test="add-bay"
          @click="set({ bays: [...means.bays, { id: freshId('bay', means.bays), label: `Bay ${means.bays.length + 1}` }] })"
          >Add a bay</v-btn
        >
      </div>
      <h2 class="sleeve ma-0">People</h2>
      <div v-for="(person, k) in means.people" :key="person.id" class="stack tight">
        <div class="row">
          <v-text-field
            :model-value="person.label"
            label="Name"
            maxlength="60"
            hide-details
            class="grow"
            :data-person="person.id"
            @update:model-value="set({ people: at(means.people, k, { label: $event }) })"
          />
          <v-btn
            variant="text"
            :data-away="person.id"
            @click="set({ people: at(means.people, k, { away: [...(person.away ?? []), { first: today(), last: today(), label: '' }] }) })"
            >Away</v-btn
          >
          <v-btn
            variant="text"
            :aria-pressed="hasOwn(person)"
            :data-own-hours="person.id"
            @click="set({ people: at(means.people, k, { shifts: hasOwn(person) ? [] : [...means.shifts] }) })"
            >{{ hasOwn(person) ? 'Hours of the shop' : 'Own hours' }}</v-btn
          >
          <v-btn variant="text" :disabled="means.people.length < 2" @click="set({ people: at(means.people, k, null) })">Remove</v-btn>
        </div>
        <HoursFields
          v-if="hasOwn(person)"
          :shifts="person.shifts ?? []"
          :name="person.id"
          @change="$event.length > 0 && set({ people: at(means.people, k, { shifts: $event }) })"
        />
        <div v-for="(days, n) in person.away ?? []" :key="n" class="row days">
          <v-text-field
            :model-value="days.first"
            type="date"
            label="Away from"
            hide-details
            @update:model-value="$event && set({ people: at(means.people, k, { away: at(person.away ?? [], n, { first: $event }) }) })"
          />
          <v-text-field
            :model-value="days.last"
            type="date"
            label="to and with"
            hide-details
            @update:model-value="$event && set({ people: at(means.people, k, { away: at(person.away ?? [], n, { last: $event }) }) })"
          />
          <v-btn variant="text" @click="set({ people: at(means.people, k, { away: at(person.away ?? [], n, null) }) })">Remove</v-btn>
        </div>
      </div>
      <div>
        <v-btn
          variant="outlined"
          data-test="add-person"
          @click="
            set({
              people: [
                ...means.people,
                { id: freshId('person', means.people), label: `Technician ${means.people.length + 1}`, away: [], shifts: [] },
              ],
            })
          "
          >Add somebody</v-btn
        >
      </div>
      <h2 class="sleeve ma-0">Tools that several jobs want</h2>
      <div v-for="(tool, k) in tools" :key="tool.id" class="row days">
        <v-text-field
          :model-value="tool.label"
          label="Tool"
          maxlength="60"
          hide-details
          class="grow"
          @update:model-value="set({ tools: at(tools, k, { label: $event }) })"
        />
        <NumberField
          :model-value="tool.count ?? 1"
          of="SharedTool.count"
          label="How many"
          required
          @update:model-value="$event !== null && set({ tools: at(tools, k, { count: $event }) })"
        />
        <v-select
          :model-value="[...tool.tasks]"
          :items="kinds"
          label="Wanted for"
          multiple
          hide-details
          class="grow"
          @update:model-value="set({ tools: at(tools, k, { tasks: $event }) })"
        />
        <NumberField
          :model-value="tool.at_end_min ?? null"
          of="SharedTool.at_end_min"
          label="For its last"
          unit="min"
          hint="empty: all through"
          data-test="at-end"
          @update:model-value="set({ tools: at(tools, k, { at_end_min: $event }) })"
        />
        <v-btn variant="text" @click="set({ tools: at(tools, k, null) })">Remove</v-btn>
      </div>
      <div>
        <v-btn
          variant="outlined"
          @click="
            set({
              tools: [...tools, { id: freshId('tool', tools), label: `Tool ${tools.length + 1}`, count: 1, tasks: [], at_end_min: null }],
            })
          "
          >Add a tool</v-btn
        >
      </div>
    </section>
    <section class="panel stack">
      <h2 class="sleeve ma-0">Hours</h2>
      <HoursFields :shifts="means.shifts" name="shop" @change="set({ shifts: $event })" />
      <NumberField
        :model-value="means.measure_min ?? null"
        of="Workshop.measure_min"
        label="A job of which nothing is planned yet takes"
        unit="min"
        required
        data-test="measure-min"
        @update:model-value="$event !== null && set({ measure_min: $event })"
      />
      <h2 class="sleeve ma-0">Closed</h2>
      <div v-for="(days, k) in closed" :key="k" class="row days" data-test="closed">
        <v-text-field
          :model-value="days.label"
          label="Why"
          maxlength="80"
          hide-details
          class="grow"
          @update:model-value="set({ closed: at(closed, k, { label: $event }) })"
        />
        <v-text-field
          :model-value="days.first"
          type="date"
          label="From"
          hide-details
          @update:model-value="$event && set({ closed: at(closed, k, { first: $event }) })"
        />
        <v-text-field
          :model-value="days.last"
          type="date"
          label="to and with"
          hide-details
          @update:model-value="$event && set({ closed: at(closed, k, { last: $event }) })"
        />
        <v-btn variant="text" @click="set({ closed: at(closed, k, null) })">Remove</v-btn>
      </div>
      <div class="row">
        <v-btn variant="outlined" data-test="add-closed" @click="set({ closed: [...closed, { first: today(), last: today(), label: '' }] })"
          >Add closed days</v-btn
        >
        <v-file-input
          v-if="may"
          label="Read holidays (.ics)"
          accept=".ics,text/calendar"
          density="compact"
          hide-details
          class="file"
          data-test="closed-ics"
          @update:model-value="emit('file', $event)"
        />
      </div>
    </section>
  </fieldset>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1.15fr) minmax(0, 1fr);
  gap: 12px;
  align-items: start;
  border: 0;
  padding: 0;
  min-width: 0;
}
.tight {
  gap: 6px;
}
.days > * {
  flex: 1 1 120px;
}
.days > .v-btn {
  flex: 0 0 auto;
}
.file {
  max-width: 260px;
}
@media (max-width: 1023px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
