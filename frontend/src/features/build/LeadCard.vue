<script setup lang="ts">
/** One lead as it is made: what to cut, strip and press large enough to be read at the bench, and what was measured of it. */
import { computed } from 'vue'
import type { BuildBook, BuildView } from '@/api/types'
import { useCatalogue } from '@/composables/catalogue'
import { howLong, useStepClock } from '@/composables/stepClock'
import NumberField from '@/ui/NumberField.vue'
import StepClock from '@/ui/StepClock.vue'
import LeadEnd from './LeadEnd.vue'
import ReclaimedCable from './ReclaimedCable.vue'
import { END, along } from './book'

type Spec = BuildBook['leads'][number]
const props = defineProps<{
  card: BuildView['cards'][number]
  spec: Spec | null
  ways: readonly { id: string; label: string }[]
  disabled: boolean
}>()
const emit = defineEmits<{ change: [what: Partial<Spec>] }>()
const { catalogue } = useCatalogue()
const size = computed(() => props.card.size.replace('mm2', 'mm²'))
const tails = computed(() => [
  { field: 'from_tail_mm' as const, label: `${props.card.ends[0]?.at ?? 'First point'} to the way` },
  { field: 'to_tail_mm' as const, label: `The way to ${props.card.ends[1]?.at ?? 'last point'}` },
])
/** A lead that lies still while solder or glue sets is waited for by the clock. */
const waits = computed(() => new Map((props.card.waits ?? []).map((w) => [w.step, w])))
const clock = useStepClock(() => props.card.waits ?? [])
const ends = computed(() => [
  { field: 'from_end' as const, card: props.card.ends[0], spec: props.spec?.from_end ?? null },
  { field: 'to_end' as const, card: props.card.ends[1], spec: props.spec?.to_end ?? null },
])
</script>

<template>
  <article class="lead" :data-card="card.branch_id">
    <header>
      <h3>{{ card.label }}</h3>
      <span
        >{{ size }}<template v-if="card.runs > 1"> · {{ card.runs }} alike</template></span
      >
    </header>
    <p v-if="card.problem" class="bad" data-test="lead-problem">✕ {{ card.problem }}</p>
    <dl v-else class="figures">
      <div>
        <dt>Cut</dt>
        <dd class="figure" data-test="cut">{{ card.cut_mm?.toFixed(0) }} mm</dd>
      </div>
      <div>
        <dt>Stud to stud</dt>
        <dd class="figure">
          {{ card.finished_mm?.toFixed(0) }} mm <small>± {{ card.tolerance_mm?.toFixed(0) }}</small>
        </dd>
      </div>
      <div v-if="card.pull_out_n !== null">
        <dt>Each crimp holds</dt>
        <dd class="figure">{{ card.pull_out_n.toFixed(0) }} N</dd>
      </div>
      <div v-if="card.most_drop_mv !== null">
        <dt>Lug to lug at 100 A, at most</dt>
        <dd class="figure">{{ card.most_drop_mv.toFixed(1) }} mV</dd>
      </div>
    </dl>
    <div class="ends">
      <LeadEnd
        v-for="end in ends"
        :key="end.field"
        :field="end.field"
        :card="end.card"
        :spec="end.spec"
        :problem="!!card.problem"
        :disabled="disabled"
        @change="emit('change', { [end.field]: { ...END, ...end.spec, ...$event } })"
      />
    </div>
    <div class="measured">
      <v-select
        v-if="ways.length > 0"
        :model-value="spec?.way ?? null"
        :items="ways"
        item-title="label"
        item-value="id"
        label="Laid along"
        clearable
        :disabled="disabled"
        data-test="along"
        @update:model-value="emit('change', along($event ?? null))"
      />
      <template v-if="spec?.way">
        <NumberField
          v-for="tail in tails"
          :key="tail.field"
          :model-value="spec[tail.field] ?? 0"
          :of="`LeadSpec.${tail.field}`"
          :label="tail.label"
          unit="mm"
          :data-test="tail.field"
          @update:model-value="emit('change', { [tail.field]: $event ?? 0 })"
        />
      </template>
      <NumberField
        v-else
        :model-value="spec?.route_mm ?? null"
        of="LeadSpec.route_mm"
        label="String along its way"
        unit="mm"
        data-test="route"
        @update:model-value="emit('change', { route_mm: $event })"
      />
      <NumberField
        :model-value="spec?.slack ?? null"
        of="LeadSpec.slack"
        label="Slack"
        unit="%"
        :per-unit="100"
        data-test="slack"
        @update:model-value="emit('change', $event === null ? {} : { slack: $event })"
      />
      <NumberField
        :model-value="spec?.cable_mm ?? null"
        of="LeadSpec.cable_mm"
        label="Over the insulation"
        unit="mm"
        data-test="over"
        @update:model-value="emit('change', { cable_mm: $event })"
      />
    </div>
    <ReclaimedCable
      :reclaimed="spec?.reclaimed ?? null"
      :says="(!card.problem && card.reclaimed) || ''"
      :disabled="disabled"
      @change="emit('change', { reclaimed: $event })"
    />
    <ul v-if="card.assumed.length > 0" class="quiet" data-test="assumed">
      <li v-for="a in card.assumed" :key="a">{{ a }}</li>
    </ul>
    <details class="mt-2" data-test="schools">
      <summary>Ways to join, and what each asks</summary>
      <dl class="ways">
        <template v-for="s in catalogue?.schools ?? []" :key="s.name">
          <dt>
            <b>{{ s.label }}</b>
          </dt>
          <dd>{{ s.why }}</dd>
        </template>
      </dl>
    </details>
    <StepClock :clock="clock" class="mt-2" />
    <ol v-if="card.in_order.length > 0" class="order">
      <li v-for="(step, k) in card.in_order" :key="`${k} ${step}`">
        {{ step.replaceAll('mm2', 'mm²') }}
        <v-btn v-if="waits.get(k)" variant="outlined" class="ml-2" :data-test="`wait-${k}`" @click="clock.start(waits.get(k))"
          >▷ {{ howLong(waits.get(k)?.seconds ?? 0) }}</v-btn
        >
      </li>
    </ol>
  </article>
</template>

<style scoped>
header {
  display: flex;
  gap: 12px;
  align-items: baseline;
}
h3 {
  font-size: 1.4rem;
  margin: 0;
}
.figures {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 28px;
  margin: 8px 0;
}
dt {
  font-size: 0.85rem;
}
dd {
  font-size: 1.7rem;
  font-weight: 700;
  margin: 0;
}
dd small {
  font-size: 1rem;
  font-weight: 400;
}
.ends {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
}
.ways dd {
  font-size: 1rem;
  font-weight: 400;
  margin: 0 0 6px;
}
.measured {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 8px;
  margin-top: 8px;
}
.order {
  padding-left: 22px;
}
.order li {
  padding: 3px 0;
}
.bad {
  color: var(--fail);
  font-weight: 700;
}
@media (max-width: 900px) {
  .ends,
  .measured {
    grid-template-columns: 1fr;
  }
}
</style>
