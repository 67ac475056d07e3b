<script setup lang="ts">
/** A guided change: a few questions, the circuit they make, what else is to be done. */
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { ComparedAnswer, GuidedRequest, GuideView, PlanView, Question } from '@/api/types'
import { alike } from '@/composables/alike'
import { useEach } from '@/composables/each'
import { dropDraft, findDraft, hasFields, keepDraft } from '@/composables/drafts'
import { useSaving } from '@/composables/saving'
import { useUnits } from '@/composables/units'
import { useWorkbench } from '@/composables/workbench'
import CautionStrip from '@/ui/CautionStrip.vue'
import NumberField from '@/ui/NumberField.vue'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { fixed, mv } from '@/ui/numbers'
import BeforeAfter from './BeforeAfter.vue'

const FITS: Record<string, string> = { true: '✓ Fit.', false: '✕ Not fit.', null: '? Not yet proven.' }
const bench = useWorkbench()
const units = useUnits()
const { busy, problem: keepProblem, save } = useSaving()

const path = computed(() => ({ params: { path: { job_id: bench.jobId } } }))
const key = computed(() => [bench.jobId, bench.asFound?.id, bench.asFound?.lock])
const listed = useQuery({
  queryKey: computed(() => ['guided', ...key.value]),
  queryFn: () => data(client.GET('/api/jobs/{job_id}/guided', path.value)),
})
const begin = useQuery({
  queryKey: computed(() => ['plan-target', bench.jobId, bench.asFound?.id]),
  queryFn: () => data(client.GET('/api/jobs/{job_id}/plan/target', path.value)),
})
const guides = computed<readonly GuideView[]>(() => listed.data.value?.guides ?? [])

type Answers = GuidedRequest['answers']
interface Form {
  name: string
  /** Of every guide, so that going back and forth loses nothing. */
  answers: Record<string, Answers>
  carry: number | null
}
const draft = computed(() => `${bench.jobId}:guided`)
const form = ref<Form>(findDraft<Form>(draft.value, hasFields('name', 'answers')) ?? { name: '', answers: {}, carry: null })
watch(form, (now) => (now.name ? keepDraft(draft.value, now) : dropDraft(draft.value)), { deep: true })
watch(
  [guides, () => begin.data.value],
  () => {
    if (!guides.value.some((g) => g.name === form.value.name && !g.not_here))
      form.value.name = guides.value.find((g) => !g.not_here)?.name ?? ''
    form.value.carry ??= bench.asFound?.document.alternators[0]?.rated_a ?? null
  },
  { immediate: true },
)
const guide = computed(() => guides.value.find((g) => g.name === form.value.name && !g.not_here) ?? null)
const given = (q: Question) => form.value.answers[form.value.name]?.[q.name] ?? q.usual
function answer(q: Question, value: string | number | null): void {
  const { name, answers } = form.value
  if (value !== null) form.value.answers = { ...answers, [name]: { ...answers[name], [q.name]: value } }
}
const body = computed<GuidedRequest | null>(() => {
  if (!guide.value || !begin.data.value || !form.value.carry) return null
  const answers = Object.fromEntries(guide.value.questions.map((q) => [q.name, given(q)]))
  const target = { ...begin.data.value, target_current_a: form.value.carry, system: units.system, alternator_label: '' }
  return { name: guide.value.name, answers, target }
})
const preview = useQuery({
  queryKey: computed(() => ['guided-preview', ...key.value, body.value]),
  queryFn: () => data(client.POST('/api/jobs/{job_id}/guided/preview', { ...path.value, body: body.value! })),
  enabled: computed(() => body.value !== null),
  placeholderData: keepPreviousData,
})
const problem = computed(() => (preview.error.value instanceof ApiError ? preview.error.value.problem : null))
const says = (field: string) => problem.value?.problems?.find((p) => p.field === field)?.message ?? ''
const view = computed(() => (problem.value ? null : ((preview.data.value as PlanView | undefined) ?? null)))
/** The answers to the question that decides, each built, sized and solved. */
const decides = computed(() => guide.value?.questions.find((q) => q.name === guide.value?.compares) ?? null)
const without = (answers: Answers = {}) => Object.fromEntries(Object.entries(answers).filter(([name]) => name !== decides.value?.name))
const compared = computed(() => (body.value && view.value ? (decides.value?.choices.map((c) => c.name) ?? []) : []))
const {
  results: besides,
  waiting,
  problem: besideProblem,
  again: besideAgain,
} = useEach<ComparedAnswer>(
  compared,
  computed(() => ['guided-beside', ...key.value, { ...body.value, answers: without(body.value?.answers) }]),
  (name) => {
    const request = { ...path.value, body: { ...body.value!, answers: { ...body.value!.answers, [decides.value!.name]: name } } }
    return async (signal) => (await data(client.POST('/api/jobs/{job_id}/guided/comparison', { ...request, signal }))) as ComparedAnswer
  },
)
/** In the order of the answers, those that are worked out. */
const sides = computed(() => compared.value.flatMap((name) => besides.value[name] ?? []))
const magnets = computed(() => sides.value.some((r) => r.stator))
const cranks = computed(() => sides.value.some((r) => typeof r.crank_v === 'number'))
const picked = ref<string | null>(null)
const rows = computed(() => view.value?.comparison.branches.filter((r) => r.change !== 'kept') ?? [])
const reason = (id: string) => view.value?.proposal.choices.find((c) => c.branch_id === id)?.reason ?? ''
const same = computed(() => {
  const kept = bench.plan?.document
  return !!kept?.guided && !!view.value && alike(kept.guided, view.value.guided) && alike(kept.target, view.value.proposal.target)
})
async function keep(): Promise<void> {
  await save(async () => {
    await data(client.POST('/api/jobs/{job_id}/guided', { ...path.value, body: body.value! }))
    dropDraft(draft.value)
    await bench.reload()
  })
}
</script>

<template>
  <section class="panel stack ask-panel" data-test="guided">
    <h2 class="sleeve">What is to change</h2>
    <v-radio-group v-model="form.name" hide-details>
      <template v-for="g in guides" :key="g.name">
        <v-radio :value="g.name" :label="g.label" :disabled="!!g.not_here" :data-guide="g.name" />
        <p class="quiet why">{{ g.not_here || g.when }}</p>
      </template>
    </v-radio-group>
    <template v-if="guide">
      <h2 class="sleeve">{{ guide.label }}</h2>
      <template v-for="q in guide.questions" :key="`${guide.name} ${q.name}`">
        <v-select
          v-if="q.choices.length"
          :model-value="given(q)"
          :label="q.label"
          :items="q.choices.map((c) => ({ value: c.name, title: c.label }))"
          :hint="q.why"
          :persistent-hint="!!q.why"
          :error-messages="says(q.name)"
          :data-question="q.name"
          @update:model-value="answer(q, $event)"
        />
        <NumberField
          v-else
          :model-value="Number(given(q))"
          :label="q.label"
          :unit="q.unit"
          :hint="q.why"
          :error="says(q.name)"
          required
          :data-question="q.name"
          @update:model-value="answer(q, $event)"
        />
      </template>
      <NumberField
        v-model="form.carry"
        of="SizingTarget.target_current_a"
        label="Alternator output to carry"
        unit="A"
        hint="the first alternator's"
        required
        data-test="guided-carry"
      />
      <ProblemNotice :problem="problem" />
      <ProblemNotice :problem="keepProblem" />
      <div class="row">
        <v-btn color="primary" :disabled="!view || !bench.mayWrite || same" :loading="busy" data-test="keep-guided" @click="keep">{{
          same ? 'Kept' : 'Keep as the plan'
        }}</v-btn>
      </div>
    </template>
    <CautionStrip step="plan" :job-id="bench.jobId" />
  </section>
  <div class="stack grow results">
    <v-progress-linear v-if="preview.isFetching.value && !view" indeterminate aria-label="Sizing" />
    <template v-if="view && bench.asFound">
      <section class="panel">
        <h2 class="sleeve">In this order</h2>
        <ol class="steps" data-test="to-do">
          <li v-for="t in view.guided?.to_do" :key="t">{{ t }}</li>
        </ol>
      </section>
      <section v-if="decides" class="panel scroll" data-test="beside">
        <h2 class="sleeve">{{ decides.label }}: side by side</h2>
        <ProblemNotice :problem="besideProblem" :again="() => void besideAgain()" />
        <v-progress-linear
          v-if="waiting"
          :model-value="(100 * (compared.length - waiting)) / compared.length"
          height="6"
          :aria-label="`${waiting} of ${compared.length} are still being worked out`"
        />
        <v-table v-if="sides.length" class="figures">
          <thead>
            <tr>
              <th></th>
              <th class="n">Feed loses, mV</th>
              <th class="n">Return loses, mV</th>
              <th class="n">Without one ground, mV</th>
              <th>Half full, at speed</th>
              <th v-if="cranks" class="n">Starter gets, V</th>
              <th v-if="magnets">Full, at speed</th>
              <th class="n">Costs</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="r in sides" :key="r.name" :class="{ on: given(decides) === r.name }" :data-beside="r.name">
              <td>
                <button
                  type="button"
                  class="take"
                  :aria-pressed="given(decides) === r.name"
                  :disabled="!!r.refused"
                  @click="answer(decides, r.name)"
                >
                  <b>{{ r.label }}</b>
                </button>
                <div v-if="r.fit_words" class="fit" data-test="fit">
                  <b>{{ FITS[String(r.does)] }}</b> {{ r.fit_words }}
                </div>
              </td>
              <td v-if="r.refused" :colspan="5 + Number(cranks) + Number(magnets)" class="quiet">{{ r.refused }}</td>
              <template v-else>
                <td class="n">{{ mv(r.feed_v) }}</td>
                <td class="n">{{ mv(r.return_v) }}</td>
                <td class="n">
                  {{ typeof r.lost_v === 'number' ? mv(r.lost_v) : 'nothing charges' }}<br /><span class="quiet">{{ r.worst_lead }}</span>
                </td>
                <td>
                  <div v-for="b in r.batteries" :key="b.label">
                    {{ b.label }} <b class="figure">{{ fixed(b.volts, 2) }} V</b>, {{ fixed(b.current_a, 0) }} A
                  </div>
                </td>
                <td v-if="cranks" class="n">{{ typeof r.crank_v === 'number' ? fixed(r.crank_v, 2) : '–' }}</td>
                <td v-if="magnets">
                  <template v-if="r.stator">
                    <div>
                      Stator carries <b class="figure">{{ fixed(r.stator.current_a, 0) }} A</b>,
                      {{ fixed(units.temperatureOut(r.stator.warm_c), 0) }} {{ units.temperature }}
                    </div>
                    <div v-if="r.stator.regulator_w > 0" class="quiet">
                      Regulator burns {{ fixed(r.stator.regulator_w, 0) }} W of what nobody takes
                    </div>
                  </template>
                </td>
                <td class="n">{{ typeof r.cost === 'number' ? fixed(r.cost, 2) : '–' }}</td>
              </template>
            </tr>
          </tbody>
        </v-table>
        <p class="quiet mb-0">
          Losses at full output, all leads and fuses sized; “without one ground”: the lead missing whose loss is worst. Costs by the
          workshop’s prices.
        </p>
      </section>
      <BeforeAfter v-model="picked" :as-found="bench.asFound.document" :view="view" title="Then" />
      <section class="panel scroll">
        <v-table class="figures" data-test="guided-parts">
          <thead>
            <tr>
              <th>Part</th>
              <th>As found</th>
              <th>Then</th>
              <th class="n">mV then</th>
              <th>Why</th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="r in rows"
              :key="r.branch_id"
              :data-row="r.branch_id"
              :class="{ on: r.branch_id === picked }"
              @click="picked = r.branch_id"
            >
              <td>
                <b>{{ r.label }}</b>
              </td>
              <td>{{ r.before ?? '–' }}</td>
              <td>{{ r.after ?? '–' }}</td>
              <td class="n">{{ mv(r.drop_after_v) }}</td>
              <td class="quiet">{{ reason(r.branch_id) || r.change }}</td>
            </tr>
          </tbody>
        </v-table>
        <p v-for="note in view.proposal.notes" :key="note" class="quiet mb-0">{{ note }}</p>
      </section>
    </template>
  </div>
</template>

<style scoped>
.fit {
  max-width: 26rem;
  white-space: normal;
}
.ask-panel {
  flex: 0 0 320px;
}
.results {
  min-width: 0;
}
.why {
  margin: -4px 0 6px 44px;
}
.steps {
  margin: 0;
  padding-left: 22px;
}
.scroll {
  overflow-x: auto;
}
.on {
  background: rgb(var(--v-theme-surface-variant));
}
.take {
  min-height: 44px;
  text-align: left;
  text-decoration: underline;
}
.on .quiet {
  color: inherit;
}
@media (max-width: 1023px) {
  .ask-panel {
    flex-basis: auto;
  }
}
</style>
