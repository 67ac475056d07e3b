<script setup lang="ts">
/** The ways that leads share: stretch by stretch as a string is laid, drawn with what holds them, and which leads lie there. */
import { computed, ref } from 'vue'
import type { BuildBook, BuildView } from '@/api/types'
import { useCatalogue } from '@/composables/catalogue'
import NumberField from '@/ui/NumberField.vue'
import { fixed } from '@/ui/numbers'
import WayStrip from './WayStrip.vue'
import { along, stretch, withNewWay, withSpec, withWay, withoutWay, type Stretch } from './book'

const props = defineProps<{
  book: BuildBook
  views: BuildView['ways']
  leads: readonly { branch_id: string; label: string }[]
  disabled: boolean
}>()
const emit = defineEmits<{ change: [book: BuildBook] }>()
const { catalogue } = useCatalogue()
const named = (list: readonly { name: string; label: string }[] | undefined) => list?.map((x) => ({ value: x.name, title: x.label })) ?? []
const where = computed(() => named(catalogue.value?.surroundings))
const passages = computed(() => named(catalogue.value?.passages))

const chosen = ref<string | null>(null)
const way = computed(() => props.book.ways?.find((w) => w.id === chosen.value) ?? props.book.ways?.[0] ?? null)
const seen = computed(() => props.views.find((v) => v.id === way.value?.id) ?? null)
function add(): void {
  const made = withNewWay(props.book)
  chosen.value = made.id
  emit('change', made.book)
}
const put = (stretches: Stretch[]) => way.value && emit('change', withWay(props.book, way.value.id, { stretches }))
const set = (at: number, what: Partial<Stretch>) => put(way.value!.stretches.map((s, k) => (k === at ? { ...s, ...what } : s)))
const specOf = (lead: string) => props.book.leads.find((l) => l.branch_id === lead)
</script>

<template>
  <nav class="ways" aria-label="Ways">
    <button
      v-for="w in book.ways ?? []"
      :key="w.id"
      type="button"
      class="pick"
      :class="{ on: w.id === way?.id }"
      :aria-pressed="w.id === way?.id"
      :data-way="w.id"
      @click="chosen = w.id"
    >
      {{ views.find((v) => v.id === w.id)?.problems.length ? '✕ ' : '' }}{{ w.label }}
    </button>
    <v-btn variant="outlined" :disabled="disabled" data-test="new-way" @click="add">New way</v-btn>
  </nav>
  <p v-if="!way" class="quiet">
    Leads that run together share a way: lay a string along it, stretch by stretch, from clamp to clamp and through each panel.
  </p>
  <template v-else>
    <WayStrip :way="way" :view="seen" />
    <template v-if="seen">
      <p class="ma-0" data-test="way-says">
        <b class="figure">{{ fixed(seen.length_mm, 0) }} mm</b
        ><template v-if="seen.bundle_mm !== null && seen.bend_mm !== null"
          >, bundle <b class="figure">{{ fixed(seen.bundle_mm, 0) }} mm</b>, no bend under
          <b class="figure">{{ fixed(seen.bend_mm, 0) }} mm</b></template
        ><template v-else>; no lead is laid along it yet</template>
      </p>
      <p v-for="w in seen.problems" :key="w" class="bad ma-0" role="alert">✕ {{ w }}</p>
      <p v-for="w in seen.says" :key="w" class="ma-0 quiet">{{ w }}</p>
    </template>
    <fieldset class="laid" :disabled="disabled">
      <legend>Leads along it</legend>
      <v-checkbox
        v-for="l in leads"
        :key="l.branch_id"
        :model-value="specOf(l.branch_id)?.way === way.id"
        :label="l.label"
        density="compact"
        hide-details
        :data-laid="l.branch_id"
        @update:model-value="emit('change', withSpec(book, l.branch_id, along($event ? way.id : null)))"
      />
    </fieldset>
    <ol class="stretches">
      <li v-for="(s, k) in way.stretches" :key="k" class="stretch" :data-stretch="k">
        <b class="figure">{{ k + 1 }}</b>
        <NumberField
          :model-value="s.length_mm"
          of="WayStretch.length_mm"
          label="String"
          unit="mm"
          required
          :data-test="`stretch-${k}`"
          @update:model-value="$event !== null && set(k, { length_mm: $event })"
        />
        <v-select
          :model-value="s.where"
          :items="where"
          label="Runs"
          hide-details
          :disabled="disabled"
          @update:model-value="set(k, { where: $event })"
        />
        <v-select
          :model-value="s.ends_at"
          :items="passages"
          label="Ends at"
          hide-details
          :disabled="disabled"
          :data-test="`ends-${k}`"
          @update:model-value="set(k, { ends_at: $event })"
        />
        <v-text-field
          :model-value="s.what"
          label="Where"
          maxlength="60"
          hide-details
          :disabled="disabled"
          @update:model-value="set(k, { what: $event })"
        />
        <NumberField
          :model-value="s.radius_mm ?? null"
          of="WayStretch.radius_mm"
          label="Bend"
          unit="mm"
          :data-test="`bend-${k}`"
          @update:model-value="set(k, { radius_mm: $event })"
        />
        <v-checkbox
          :model-value="s.moving"
          label="Moving parts"
          density="compact"
          hide-details
          :disabled="disabled"
          @update:model-value="set(k, { moving: !!$event })"
        />
        <v-btn
          v-if="way.stretches.length > 1"
          variant="text"
          class="out"
          :disabled="disabled"
          :aria-label="`Take stretch ${k + 1} out`"
          @click="put(way.stretches.filter((_, j) => j !== k))"
          >✕</v-btn
        >
      </li>
    </ol>
    <div class="row">
      <v-btn variant="outlined" :disabled="disabled" data-test="new-stretch" @click="put([...way.stretches, stretch(500)])"
        >Another stretch</v-btn
      >
      <v-text-field
        :model-value="way.label"
        label="Name of the way"
        maxlength="80"
        hide-details
        class="name"
        :disabled="disabled"
        data-test="way-label"
        @update:model-value="$event && emit('change', withWay(book, way.id, { label: $event }))"
      />
      <NumberField
        :model-value="way.straight_mm ?? null"
        of="Way.straight_mm"
        label="End to end, straight"
        unit="mm"
        class="name"
        data-test="straight"
        @update:model-value="emit('change', withWay(book, way.id, { straight_mm: $event }))"
      />
      <v-btn variant="text" :disabled="disabled" data-test="no-way" @click="emit('change', withoutWay(book, way.id))"
        >Take this way out</v-btn
      >
    </div>
  </template>
</template>

<style scoped>
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-bottom: 8px;
}
.pick {
  min-height: 44px;
  border: 1px solid var(--line);
  padding: 0 12px;
  font-weight: 600;
}
.pick.on {
  background: var(--line);
}
.laid {
  border: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 0 14px;
  margin: 6px 0;
}
.stretches {
  list-style: none;
  padding: 0;
}
.stretch {
  display: grid;
  grid-template-columns: 24px 1fr 1.45fr 1.35fr 1.2fr 0.85fr auto 44px;
  gap: 6px;
  align-items: center;
  border-top: 1px solid var(--line);
  padding: 6px 0;
}
.name {
  min-width: 160px;
  flex: 1 1 160px;
}
.bad {
  color: var(--fail);
}
@media (max-width: 1100px) {
  .stretch {
    grid-template-columns: 24px 1fr 1fr 44px;
  }
  .stretch > .out {
    grid-column: 4;
    grid-row: 1;
  }
  .stretch > b {
    grid-row: span 3;
    align-self: start;
  }
}
</style>
