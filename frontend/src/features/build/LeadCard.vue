<script setup lang="ts">
/** One lead as it is made: what to cut, strip and press large enough to be read at the bench, and what was measured of it. */
import { computed, ref } from 'vue'
import type { BuildBook, BuildView } from '@/api/types'
import { useCatalogue } from '@/composables/catalogue'
import { howLong, useStepClock } from '@/composables/stepClock'
import NumberField from '@/ui/NumberField.vue'
import StepClock from '@/ui/StepClock.vue'
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
const studs = computed(() => catalogue.value?.studs.map((s) => s.name) ?? [])
const schools = computed(() => catalogue.value?.schools.map((s) => ({ value: s.name, title: s.label })) ?? [])
const palms = computed(() => catalogue.value?.palms.map((s) => ({ value: s.name, title: s.label })) ?? [])
const tools = computed(() => catalogue.value?.crimp_tools.map((s) => ({ value: s.name, title: s.label })) ?? [])
function pressOf(end: BuildView['cards'][number]['ends'][number]): string {
  const tool = catalogue.value?.crimp_tools.find((t) => t.name === end.pressed?.tool)?.label ?? ''
  const across = end.pressed?.across_mm ? `, ${end.pressed.across_mm.toFixed(1)} mm flat to flat` : ''
  return `${tool}${across}${end.pressed?.shim_mm ? `, ${end.pressed.shim_mm.toFixed(1)} mm shim` : ''}`
}
const tails = computed(() => [
  { field: 'from_tail_mm' as const, label: `${props.card.ends[0]?.at ?? 'First point'} to the way` },
  { field: 'to_tail_mm' as const, label: `The way to ${props.card.ends[1]?.at ?? 'last point'}` },
])
/** A lead that lies still while solder or glue sets is waited for by the clock. */
const waits = computed(() => new Map((props.card.waits ?? []).map((w) => [w.step, w])))
const clock = useStepClock(() => props.card.waits ?? [])
function put(end: { field: 'from_end' | 'to_end'; spec: Spec['from_end'] | null }, what: Partial<Spec['from_end']>): void {
  emit('change', { [end.field]: { ...END, ...end.spec, ...what } })
}
function lugOf(end: BuildView['cards'][number]['ends'][number]): string {
  if (end.tube) return `lug of ${end.tube}, ${end.stud}`
  if (end.contact) return end.contact.replace('mm2', 'mm²')
  const bent = end.palm === 'flat' ? '' : `, ${catalogue.value?.palms.find((p) => p.name === end.palm)?.label.toLowerCase() ?? end.palm}`
  return end.lug ? `${end.lug.replace('mm2', 'mm²')} lug, ${end.stud}${bent}` : 'post clamp'
}
/** What was read of an old cable: it counts once all of it is there. */
type OldCable = NonNullable<Spec['reclaimed']>
const NO_CABLE: Record<keyof OldCable, number | null> = { length_mm: null, current_a: null, drop_mv: null, cable_c: 20 }
const OLD_CABLE: readonly { field: keyof OldCable; label: string; unit: string }[] = [
  { field: 'length_mm', label: 'Between the probes', unit: 'mm' },
  { field: 'current_a', label: 'Through it', unit: 'A' },
  { field: 'drop_mv', label: 'It loses', unit: 'mV' },
  { field: 'cable_c', label: 'How warm it is', unit: '°C' },
]
const old = ref({ ...NO_CABLE, ...props.spec?.reclaimed })
function read(field: keyof OldCable, value: number | null): void {
  old.value = { ...old.value, [field]: value }
  if (Object.values(old.value).every((v) => v !== null)) emit('change', { reclaimed: old.value as OldCable })
}
const opened = ref<Record<string, boolean>>({})
/** Of a lead that cannot be made as it is asked, too: there it is put right. */
const mayPress = (end: { card?: BuildView['cards'][number]['ends'][number] }) =>
  end.card ? !!end.card.pressed && !end.card.contact : !!props.card.problem
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
      <section v-for="end in ends" :key="end.field" class="end">
        <template v-if="end.card">
          <h4>{{ end.card.at }}</h4>
          <p class="ma-0">
            <b>{{ lugOf(end.card) }}</b>, strip
            <b class="figure">{{ end.card.strip_mm.toFixed(1) }} mm</b>
          </p>
          <p class="ma-0" :class="`fit-${end.card.fit}`">{{ end.card.fit_words }}</p>
          <p v-if="end.card.school !== 'crimp'" class="ma-0 quiet" :data-test="`asks-${end.field}`">{{ end.card.asks }}</p>
          <p class="ma-0">
            Sleeve {{ end.card.sleeve }}, <b class="figure">{{ end.card.sleeve_mm.toFixed(0) }} mm</b
            ><template v-if="end.card.torque_nm !== null">
              · <b class="figure">{{ end.card.torque_nm }} Nm</b> unless the maker says otherwise</template
            >
          </p>
        </template>
        <div class="asked">
          <v-select
            v-if="end.card?.stud !== '' && !end.card?.contact"
            :model-value="end.spec?.stud ?? null"
            :items="studs"
            label="Stud, as looked at"
            clearable
            :disabled="disabled"
            :data-test="`stud-${end.field}`"
            @update:model-value="put(end, { stud: $event ?? null })"
          />
          <v-select
            :model-value="end.spec?.school ?? end.card?.school ?? null"
            :items="schools"
            label="Joined by"
            :disabled="disabled"
            :data-test="`school-${end.field}`"
            @update:model-value="put(end, { school: $event })"
          />
        </div>
        <details
          v-if="mayPress(end)"
          class="press"
          :open="opened[end.field] || !end.card"
          :data-test="`press-${end.field}`"
          @toggle="opened[end.field] = ($event.target as HTMLDetailsElement).open"
        >
          <summary>
            {{ end.card ? pressOf(end.card) : 'Pressed with' }}
          </summary>
          <div class="asked">
            <v-select
              v-if="end.card?.stud !== ''"
              :model-value="end.spec?.palm ?? 'flat'"
              :items="palms"
              label="Palm"
              :disabled="disabled"
              :data-test="`palm-${end.field}`"
              @update:model-value="put(end, { palm: $event })"
            />
            <v-select
              v-if="!end.card?.tube"
              :model-value="end.spec?.tool ?? 'hex'"
              :items="tools"
              label="Pressed with"
              :disabled="disabled"
              :data-test="`tool-${end.field}`"
              @update:model-value="put(end, { tool: $event })"
            />
            <NumberField
              v-if="(end.card?.pressed?.tool ?? end.spec?.tool ?? 'hex') === 'hex'"
              :model-value="end.spec?.die_mm ?? null"
              of="EndSpec.die_mm"
              label="Die at hand, flat to flat"
              unit="mm"
              hint="empty: the die of that lug"
              :data-test="`die-${end.field}`"
              @update:model-value="put(end, { die_mm: $event })"
            />
          </div>
        </details>
        <div v-if="(end.spec?.school ?? end.card?.school) === 'tube'" class="asked">
          <NumberField
            :model-value="end.spec?.tube_outer_mm ?? null"
            of="EndSpec.tube_outer_mm"
            label="Tube, outside"
            unit="mm"
            :data-test="`tube-${end.field}`"
            @update:model-value="put(end, { tube_outer_mm: $event })"
          />
          <NumberField
            :model-value="end.spec?.tube_wall_mm ?? null"
            of="EndSpec.tube_wall_mm"
            label="Its wall"
            unit="mm"
            :data-test="`wall-${end.field}`"
            @update:model-value="put(end, { tube_wall_mm: $event })"
          />
        </div>
      </section>
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
    <details class="mt-2" :open="spec?.reclaimed !== null && spec?.reclaimed !== undefined" data-test="reclaimed">
      <summary>Of cable that comes from elsewhere</summary>
      <p class="quiet ma-0">
        Send a known current through a length of it and read the millivolts between two points of its strands, inside the clamps that feed
        it.
      </p>
      <div class="measured">
        <NumberField
          v-for="f in OLD_CABLE"
          :key="f.field"
          :model-value="old[f.field]"
          :of="`Reclaimed.${f.field}`"
          :label="f.label"
          :unit="f.unit"
          :measure="f.field === 'cable_c' ? 'temperature' : undefined"
          :data-test="`old-${f.field}`"
          @update:model-value="read(f.field, $event)"
        />
      </div>
      <p v-if="card.reclaimed && !card.problem" class="ma-0" data-test="reclaimed-says">✓ {{ card.reclaimed }}</p>
      <v-btn
        v-if="spec?.reclaimed"
        variant="text"
        :disabled="disabled"
        data-test="from-reel"
        @click="((old = { ...NO_CABLE }), emit('change', { reclaimed: null }))"
        >Cut it from a reel again</v-btn
      >
    </details>
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
h4 {
  margin: 0 0 2px;
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
.end {
  border-left: 4px solid var(--line);
  padding-left: 10px;
}
.asked {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
  margin-top: 6px;
  align-items: start;
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
.bad,
.fit-too_much {
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
