<script setup lang="ts">
/** What the circuit does at the state: a fault's course, gives and takes, where the volts go, what each part costs. */
import { computed } from 'vue'
import type { SolvedDraft } from '@/api/types'
import { fixed, mv } from '@/ui/numbers'
import { useUnits } from '@/composables/units'
import { useWorkbench } from '@/composables/workbench'

const props = defineProps<{ solved: SolvedDraft }>()
const bench = useWorkbench()
const units = useUnits()
const point = computed(() => props.solved.point)
/** Where the volts go: every branch by what it loses, the greatest first. */
const ranked = computed(() =>
  [...point.value.branches].sort((a, b) => Math.abs(b.drop_v) * Number(b.closed) - Math.abs(a.drop_v) * Number(a.closed)).slice(0, 8),
)
const devices = computed(() => point.value.devices.filter((d) => d.kind !== 'converter_in'))
const nameOf = (id: string) => point.value.devices.find((d) => d.device_id === id)?.label ?? id
/** Who supplies a taker, in words; nothing where there is one source for everything. */
const from = (id: string) => {
  const mine = point.value.supplies.filter((s) => s.taker_id === id)
  return mine.length > 1
    ? mine.map((s) => `${nameOf(s.source_id)} ${fixed(s.current_a, 1)}`).join(', ')
    : mine[0]
      ? `from ${nameOf(mine[0].source_id)}`
      : ''
}
const hot = computed(() =>
  point.value.branches
    .filter((b) => b.seconds_to_limit !== null && b.seconds_to_limit !== undefined)
    .sort((a, b) => a.seconds_to_limit! - b.seconds_to_limit!),
)
const lasts = (s: number) => (s < 100 ? `${s.toPrecision(2)} s` : s < 7200 ? `${Math.round(s / 60)} min` : `${Math.round(s / 3600)} h`)
const costs = computed(() => props.solved.gains.branches.slice(0, 6))
const watched = computed(() => bench.circuit?.nodes.find((n) => n.id === props.solved.gains.plus)?.label ?? props.solved.gains.plus)
</script>

<template>
  <div class="stack">
    <section
      v-if="solved.course"
      class="course"
      :class="{ lost: !solved.course.survives || !solved.course.cleared }"
      data-test="fault-course"
    >
      <h3>{{ solved.course.headline }}</h3>
      <ol>
        <li v-for="words in solved.course.words" :key="words">{{ words }}</li>
      </ol>
    </section>
    <p v-for="note in point.notes" :key="note" class="note">{{ note }}</p>
    <p v-for="b in solved.course ? [] : hot" :key="b.branch_id" class="note" data-test="gets-hot">
      <b>{{ b.label }}</b> reaches its {{ fixed(units.temperatureOut(b.limit_c!), 0) }} {{ units.temperature }} after
      {{ lasts(b.seconds_to_limit!) }} of this.
    </p>
    <v-table class="figures" data-test="state-devices">
      <thead>
        <tr>
          <th>Gives and takes</th>
          <th class="n">V</th>
          <th class="n">A</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="d in devices" :key="d.device_id + d.kind" :data-device="d.device_id">
          <td>{{ d.label }}</td>
          <td class="n">{{ fixed(d.volts, 2) }}</td>
          <td class="n">{{ fixed(d.current_a, 1) }}</td>
          <td>
            {{ d.does }}<template v-if="d.limit_a !== null && d.does === 'at its limit'"> of {{ fixed(d.limit_a, 0) }} A</template
            ><span v-if="d.current_a < 0 && from(d.device_id)" class="quiet">, {{ from(d.device_id) }}</span>
          </td>
        </tr>
      </tbody>
    </v-table>
    <v-table class="figures" data-test="state-volts">
      <thead>
        <tr>
          <th>Where the volts go</th>
          <th class="n">mV</th>
          <th class="n">A</th>
          <th class="n">W</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="b in ranked" :key="b.branch_id" class="line" @click="bench.selected = b.branch_id">
          <td>{{ b.label }}<span v-if="!b.closed" class="quiet"> (open)</span></td>
          <td class="n">{{ b.closed ? mv(Math.abs(b.drop_v)) : '–' }}</td>
          <td class="n">{{ fixed(b.current_a, 1) }}</td>
          <td class="n">{{ fixed(b.closed ? b.heat_w : 0, 1) }}</td>
        </tr>
      </tbody>
    </v-table>
    <v-table v-if="!solved.course" class="figures" data-test="state-gains">
      <caption>
        {{
          watched
        }}:
        {{
          fixed(solved.gains.volts, 2)
        }}
        V. What better parts would gain, in mV
      </caption>
      <thead>
        <tr>
          <th></th>
          <th class="n">perfect</th>
          <th class="n">next size</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="g in costs" :key="g.branch_id" class="line" :data-gain="g.branch_id" @click="bench.selected = g.branch_id">
          <td>{{ g.label }}</td>
          <td class="n">{{ mv(g.perfect_v) }}</td>
          <td class="n">
            {{ g.larger_v === null ? '–' : mv(g.larger_v)
            }}<span v-if="g.larger" class="quiet">{{ ` ${g.larger.replace('mm2', 'mm²')}` }}</span>
          </td>
        </tr>
      </tbody>
    </v-table>
    <p class="quiet ma-0">
      Predicted from the parts as fitted, sound; batteries as full as the circuit says. Given {{ fixed(point.given_w, 0) }} W = taken
      {{ fixed(point.taken_w, 0) }} W + lost in the leads {{ fixed(point.lost_w, 0) }} W.
    </p>
  </div>
</template>

<style scoped>
.course {
  border: 2px solid currentColor;
  border-left-width: 10px;
  padding: 8px 12px;
  color: var(--pass);
}
.course.lost {
  color: var(--fail);
}
.course li {
  color: rgb(var(--v-theme-on-surface));
}
.course ol {
  margin: 4px 0 0;
  padding-left: 20px;
}
.note {
  margin: 0;
  border-left: 6px solid var(--excess);
  padding-left: 8px;
}
caption {
  text-align: left;
  font-weight: 700;
  padding: 6px 0;
}
.line {
  cursor: pointer;
}
</style>
