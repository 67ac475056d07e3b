<script setup lang="ts">
/** What explains the readings, how surely, and what speaks for and against it. */
import { computed, ref } from 'vue'
import type { Cause, Findings, NotShown, StageName } from '@/api/types'
import { useQuantities } from '@/composables/quantities'
import { useWorkbench } from '@/composables/workbench'
import { fixed, inMinutes } from '@/ui/numbers'

const props = defineProps<{ findings: Findings; kept: Findings | null }>()
const emit = defineEmits<{ go: [stage: StageName] }>()
const bench = useWorkbench()
const { shown } = useQuantities()
const opened = ref<string | null>(null)
const named = ref(false)
const every = ref(false)
const FIRST_WAYS = 3
const LEAST = 0.01
const listed = computed(() => props.findings.causes.filter((c) => c.probability >= LEAST).slice(0, 6))
const percent = (p: number) => (p >= 0.99 ? '> 99 %' : p < 0.01 ? '< 1 %' : `${Math.round(p * 100)} %`)
function look(c: Cause): void {
  opened.value = opened.value === c.cause ? null : c.cause
}
/** What would turn it is looked for in what is kept only. */
const turnOf = (c: Cause) => props.kept?.causes.find((k) => k.cause === c.cause)?.would_turn ?? ''
/** What was not ruled out, by what would show it: that, too, is looked for in what is kept only. */
const notShown = computed(() => {
  const shownBy = new Map((props.kept?.not_shown ?? []).map((k) => [k.cause, k.shown_by]))
  const byHow = new Map<string, NotShown[]>()
  for (const f of props.findings.not_shown) {
    const how = shownBy.get(f.cause) ?? ''
    byHow.set(how, [...(byHow.get(how) ?? []), f])
  }
  return [...byHow]
})
function show(element: string): void {
  bench.selected = element
}
const drawn = (id: string) => bench.circuit?.branches.some((b) => b.id === id) ?? false
</script>

<template>
  <section class="panel stack" data-test="causes">
    <p v-if="!findings.readings" class="quiet ma-0">
      Every fault of the catalogue is put into this circuit and its readings predicted; what is read at the bench then sorts them.
    </p>
    <template v-else>
      <div v-for="c in listed" :key="c.cause" :data-cause="c.cause">
        <button type="button" class="cause" :aria-expanded="opened === c.cause" @click="look(c)">
          <span class="bar" :style="{ width: `${Math.max(2, 100 * c.probability)}%` }" /><span class="words"
            ><b>{{ c.label }}</b
            ><span class="quiet">{{ c.magnitude }}</span></span
          ><b class="share">{{ percent(c.probability) }}</b>
        </button>
        <div v-if="opened === c.cause" class="why">
          <p v-if="c.kind !== 'none'" class="ma-0">
            {{ c.advice }} <button v-if="drawn(c.element)" type="button" class="link" @click="show(c.element)">Show it</button>
          </p>
          <p v-if="c.assumes.length" class="ma-0" data-test="assumes">It takes for granted: {{ c.assumes.join(' ') }}</p>
          <p v-if="turnOf(c)" class="ma-0" data-test="would-turn">{{ turnOf(c) }}</p>
          <v-table v-if="c.evidence.length" class="figures">
            <thead>
              <tr>
                <th></th>
                <th class="n">read</th>
                <th class="n">with it</th>
                <th class="n">sound</th>
                <th></th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="e in c.evidence" :key="e.point">
                <td>{{ e.label }}</td>
                <td class="n">{{ shown(e.quantity, e.value) }}</td>
                <td class="n">{{ shown(e.quantity, e.expected) }}</td>
                <td class="n">{{ shown(e.quantity, e.sound) }}</td>
                <td>{{ e.favours > 0 ? 'for' : 'against' }}</td>
              </tr>
            </tbody>
          </v-table>
        </div>
      </div>
      <p v-if="findings.settled_part" class="ma-0" data-test="settled-part">
        <b>{{ findings.settled_part.label }}: {{ percent(findings.settled_part.probability) }}</b
        >, whichever of these it has. {{ findings.settled_part.advice }}
      </p>
      <p v-for="u in findings.undecided" :key="u.words" class="ma-0" data-test="undecided">
        <b>{{ u.words }}</b>
      </p>
      <p v-for="d in findings.doubtful" :key="d.point" class="ma-0" data-test="doubtful">
        <b>Read again: {{ d.label }}, {{ shown(d.quantity, d.value) }}.</b> The likeliest cause would give
        {{ shown(d.quantity, d.expected) }}, and no other explains it: a slip of the probe, the range or the decimal point ({{
          percent(d.probability)
        }}).
      </p>
      <div v-if="notShown.length" data-test="not-shown">
        <p class="ma-0"><b>Not ruled out</b>: what was read would look the same with any of these.</p>
        <ul class="next ma-0">
          <li v-for="[how, faults] in every ? notShown : notShown.slice(0, FIRST_WAYS)" :key="how">
            {{ faults.map((f) => `${f.label} (${percent(f.probability)})`).join(', ') }}.
            <span class="quiet">{{ how }}</span>
          </li>
        </ul>
        <button
          v-if="notShown.length > FIRST_WAYS"
          type="button"
          class="link"
          :aria-expanded="every"
          data-test="all-not-shown"
          @click="every = !every"
        >
          {{ every ? 'Fewer' : `All ${findings.not_shown.length}` }}
        </button>
      </div>
      <p v-if="findings.not_weighed.length" class="ma-0" data-test="not-weighed">
        So large a circuit: {{ findings.not_weighed.length === 1 ? '1 lead' : `${findings.not_weighed.length} leads` }} the readings pull at
        least were weighed beside others only.
        <button type="button" class="link" :aria-expanded="named" @click="named = !named">Which</button>
        <span v-if="named"> {{ findings.not_weighed.join(', ') }}</span>
      </p>
      <p class="quiet ma-0">Several may be there at once, so the shares can add up to more than 100 %.</p>
    </template>
    <template v-if="kept?.next_actions.length">
      <p class="ma-0">Next, by what they tell a minute:</p>
      <ol class="next ma-0" data-test="next-by-minute">
        <li v-for="a in kept.next_actions.slice(0, 4)" :key="a.text">
          {{ a.text }} <span class="quiet">{{ inMinutes(a.minutes) }}, {{ fixed(a.bits, 1) }} bit</span>
        </li>
      </ol>
      <button type="button" class="link" data-test="causes-measure" @click="emit('go', 'measure')">To the tests</button>
    </template>
  </section>
</template>

<style scoped>
.cause {
  position: relative;
  display: flex;
  width: 100%;
  min-height: 48px;
  align-items: center;
  gap: 10px;
  text-align: left;
  border-bottom: 1px solid var(--line);
}
.bar {
  position: absolute;
  inset: 4px auto 4px 0;
  background: rgb(var(--v-theme-surface-variant));
}
.words {
  position: relative;
  flex: 1;
  display: grid;
  padding-left: 8px;
}
.share {
  position: relative;
  white-space: nowrap;
  font-variant-numeric: tabular-nums;
}
.why {
  padding: 8px 0 8px 10px;
  border-left: 4px solid var(--copper);
}
.next {
  padding-left: 20px;
}
.link {
  text-decoration: underline;
  min-height: 44px;
}
</style>
