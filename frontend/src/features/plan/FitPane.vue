<script setup lang="ts">
/** Whether another unit goes where the old one was: a list to go down at the vehicle, each point with what shows it. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { client, data } from '@/api/client'
import type { FitRequest, FitView } from '@/api/types'
import { useDocumentForm } from '@/composables/documentForm'
import { hasFields } from '@/composables/drafts'
import { useWorkbench } from '@/composables/workbench'
import CautionStrip from '@/ui/CautionStrip.vue'
import NumberField from '@/ui/NumberField.vue'
import PhotoInput from '@/ui/PhotoInput.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import FollowDialog from './FollowDialog.vue'

type Item = FitRequest['items'][number]
type State = Item['state']
const bench = useWorkbench()
const path = computed(() => ({ params: { path: { job_id: bench.jobId } } }))
const units = useQuery({ queryKey: ['units'], queryFn: () => data(client.GET('/api/units')) })
const {
  form: asked,
  same,
  view,
  problem,
  busy,
  keepProblem,
  conflict,
  keep,
  followTheirs,
  takeTheirs,
} = useDocumentForm<FitRequest, FitRequest, FitView>({
  name: 'fit',
  jobId: () => bench.jobId,
  hangsOn: () => [bench.plan?.id],
  previewHangsOn: () => [units.data.value?.revision],
  fetch: () => data(client.GET('/api/jobs/{job_id}/fit', path.value)),
  preview: (body) => data(client.POST('/api/jobs/{job_id}/fit/preview', { ...path.value, body })),
  post: (body, revision) => data(client.POST('/api/jobs/{job_id}/fit', { params: { ...path.value.params, query: { revision } }, body })),
  isForm: hasFields('items'),
  toForm: (document) => document,
  toBody: (form) => form,
})

const item = (point: string): Item =>
  asked.value?.items.find((i) => i.point === point) ?? {
    point,
    state: 'open',
    figure: null,
    words: '',
    note: '',
    photo: null,
    reversible: true,
  }
function set(point: string, what: Partial<Item>): void {
  if (!asked.value) return
  const others = asked.value.items.filter((i) => i.point !== point)
  asked.value = { ...asked.value, items: [...others, { ...item(point), ...what }] }
}
const STATES: { value: State; title: string }[] = [
  { value: 'fits', title: '✓ fits' },
  { value: 'adapter', title: '◐ with adapter' },
  { value: 'no', title: '✕ does not' },
]
const PROPOSED = { fits: '✓', adapter: '◐', no: '✕', open: '' } as const
</script>

<template>
  <FollowDialog :problem="conflict" @follow="followTheirs" @take="takeTheirs" @later="conflict = null" />
  <section v-if="asked" class="panel stack ask-panel">
    <h2 class="sleeve">Which unit</h2>
    <v-select
      :model-value="asked.unit"
      label="From the workshop's list"
      :items="(units.data.value?.document.units ?? []).map((u) => u.name)"
      clearable
      data-test="fit-unit"
      @update:model-value="asked = { ...asked, unit: $event ?? null }"
    />
    <p class="said mb-0" data-test="fit-headline">
      <b>{{ view?.headline }}.</b>
    </p>
    <p v-if="view && view.settled > 0" class="quiet mb-0">
      {{ view.reversible ? 'All of it can be changed back.' : 'Not all of it can be changed back.' }}
    </p>
    <ProblemNotice :problem="problem" />
    <ProblemNotice :problem="keepProblem" />
    <v-btn color="primary" :disabled="!view || !bench.mayWrite || same" :loading="busy" data-test="keep-fit" @click="keep">{{
      same ? 'Kept' : 'Keep this list'
    }}</v-btn>
    <CautionStrip step="drive" :job-id="bench.jobId" />
  </section>
  <v-progress-linear v-else indeterminate aria-label="Loading the list" />
  <section v-if="view" class="panel grow list">
    <div v-for="r in view.rows" :key="r.name" class="point" :class="{ wrong: r.contradicts }" :data-point="r.name">
      <div class="what">
        <b>{{ r.label }}</b>
        <p class="quiet ma-0">{{ r.ask }}</p>
        <p v-if="r.has" class="ma-0">
          The unit: <b class="figure">{{ r.has }}</b>
        </p>
        <p v-if="r.says" class="ma-0" :class="`says-${r.proposes}`" data-test="fit-says">
          <span aria-hidden="true">{{ PROPOSED[r.proposes] }}</span> {{ r.says }}<b v-if="r.contradicts">: ticked otherwise, look again</b>
        </p>
      </div>
      <div class="evidence">
        <NumberField
          v-if="r.figure_of"
          :model-value="item(r.name).figure ?? null"
          of="FitItem.figure"
          :label="r.figure_of"
          :unit="r.unit"
          :data-test="`fit-figure-${r.name}`"
          @update:model-value="set(r.name, { figure: $event })"
        />
        <v-text-field
          v-else-if="r.has"
          :model-value="item(r.name).words"
          label="The place has"
          maxlength="60"
          :data-test="`fit-words-${r.name}`"
          @update:model-value="set(r.name, { words: $event ?? '' })"
        />
        <v-text-field
          :model-value="item(r.name).note"
          class="note"
          label="Note"
          maxlength="200"
          @update:model-value="set(r.name, { note: $event ?? '' })"
        />
        <PhotoInput
          :job-id="bench.jobId"
          :photo="item(r.name).photo ?? null"
          :label="r.label"
          :disabled="!bench.mayWrite"
          @change="set(r.name, { photo: $event })"
        />
      </div>
      <div class="ticks" role="group" :aria-label="r.label">
        <button
          v-for="s in STATES"
          :key="s.value"
          type="button"
          class="tick"
          :class="[s.value, { on: item(r.name).state === s.value }]"
          :aria-pressed="item(r.name).state === s.value"
          :data-tick="s.value"
          @click="set(r.name, { state: item(r.name).state === s.value ? 'open' : s.value })"
        >
          {{ s.title }}
        </button>
        <v-checkbox
          v-if="item(r.name).state === 'adapter'"
          :model-value="item(r.name).reversible"
          label="can be changed back"
          density="compact"
          hide-details
          @update:model-value="set(r.name, { reversible: !!$event })"
        />
      </div>
    </div>
  </section>
</template>

<style scoped>
.ask-panel {
  flex: 0 0 300px;
}
.said {
  font-size: 1.2rem;
}
.list {
  min-width: 0;
}
.point {
  display: grid;
  grid-template-columns: minmax(220px, 1fr) minmax(420px, 1.5fr);
  grid-template-areas: 'what evidence' 'what ticks';
  gap: 6px 16px;
  padding: 8px 0;
  border-bottom: 1px solid var(--line);
}
.point.wrong {
  border-left: 8px solid var(--excess);
  padding-left: 10px;
}
.what {
  grid-area: what;
}
.evidence {
  grid-area: evidence;
  display: flex;
  gap: 8px;
  align-items: start;
}
.evidence > :first-child {
  flex: 1 1 130px;
}
.evidence .note {
  flex: 2 1 160px;
}
.ticks {
  grid-area: ticks;
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  align-items: center;
}
.tick {
  min-height: 44px;
  border: 1px solid var(--line);
  padding: 0 14px;
  font-weight: 600;
}
.tick.on.fits {
  background: var(--pass);
  color: #fff;
}
.tick.on.adapter {
  background: var(--close);
  color: #fff;
}
.tick.on.no {
  background: var(--fail);
  color: #fff;
}
.says-fits {
  color: var(--pass);
}
.says-no {
  color: var(--fail);
  font-weight: 700;
}
@media (max-width: 1023px) {
  .ask-panel {
    flex-basis: auto;
  }
  .point {
    grid-template-columns: 1fr;
    grid-template-areas: 'what' 'evidence' 'ticks';
  }
  .evidence {
    flex-wrap: wrap;
  }
}
</style>
