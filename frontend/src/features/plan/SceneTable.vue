<script setup lang="ts">
/** What is fed, and when: a row a consumer, a column a scene, a tap where they meet. */
import { computed, ref } from 'vue'
import type { Consumer, Scene } from '@/api/types'
import NumberField from '@/ui/NumberField.vue'
import { useCatalogue } from '@/composables/catalogue'
import { renamed, withConsumer, withoutConsumer } from './use'

const consumers = defineModel<Consumer[]>('consumers', { required: true })
const scenes = defineModel<Scene[]>('scenes', { required: true })
defineProps<{
  says: (field: string) => string
  volts: number
  /** Whether there is a charger that somebody plugs in. */
  mains: boolean
}>()
const { catalogue } = useCatalogue()

const usual = computed(() =>
  (catalogue.value?.consumers ?? []).map((c) => ({ value: c.label, title: c.label, props: { subtitle: `${c.current_a} A at 12 V` } })),
)
const adding = ref<string | null>(null)
function add(label: string | null): void {
  if (!label) return
  const known = catalogue.value?.consumers.find((c) => c.label === label)
  consumers.value = withConsumer(consumers.value, label.slice(0, 60), known ?? null)
  adding.value = null
}
function change(at: number, to: Partial<Consumer>): void {
  if (to.current_a !== undefined && consumers.value[at]!.origin === 'catalogue') to = { ...to, origin: 'entered' }
  consumers.value = consumers.value.map((c, k) => (k === at ? { ...c, ...to } : c))
}
function rename(at: number, label: string): void {
  const before = consumers.value[at]!.label
  if (!label.trim() || label === before) return
  change(at, { label })
  scenes.value = renamed(scenes.value, before, label)
}
function remove(at: number): void {
  scenes.value = withoutConsumer(scenes.value, consumers.value[at]!.label)
  consumers.value = consumers.value.filter((_, k) => k !== at)
}
const isOn = (s: Scene, c: Consumer) => (s.on ?? []).includes(c.label)
function flip(at: number, c: Consumer): void {
  scenes.value = scenes.value.map((s, k) =>
    k === at ? { ...s, on: isOn(s, c) ? s.on!.filter((n) => n !== c.label) : [...(s.on ?? []), c.label] } : s,
  )
}
function set(at: number, to: Partial<Scene>): void {
  scenes.value = scenes.value.map((s, k) => (k === at ? { ...s, ...to } : s))
}
function addScene(): void {
  const label =
    ['Winching', 'Cold start', 'At anchor'].find((n) => !scenes.value.some((s) => s.label === n)) ?? `Scene ${scenes.value.length + 1}`
  scenes.value = [...scenes.value, { label, engine_rpm: 1500, hours_a_day: 0, on: consumers.value.map((c) => c.label), plugged_in: false }]
}
const ORIGIN = { circuit: 'of the circuit', catalogue: 'as usual', measured: 'measured', entered: 'as entered' } as const
</script>

<template>
  <div class="scroll">
    <table class="grid" data-test="scenes">
      <thead>
        <tr>
          <th class="who">
            <span class="d-sr-only">Consumer</span>
          </th>
          <th>A</th>
          <th>% of time</th>
          <th v-for="(s, k) in scenes" :key="k" class="scene">
            <textarea
              class="name"
              rows="3"
              lang="en"
              :value="s.label"
              :aria-label="`Name of scene ${k + 1}`"
              maxlength="60"
              @change="set(k, { label: ($event.target as HTMLTextAreaElement).value.trim() || s.label })"
            ></textarea>
          </th>
        </tr>
        <tr>
          <th class="who label" colspan="3">Engine, /min</th>
          <td v-for="(s, k) in scenes" :key="k">
            <NumberField
              :model-value="s.engine_rpm"
              of="Scene.engine_rpm"
              :label="`${s.label}: engine speed`"
              compact
              required
              :data-test="`rpm-${k}`"
              @update:model-value="$event !== null && set(k, { engine_rpm: $event })"
            />
          </td>
        </tr>
        <tr>
          <th class="who label" colspan="3">Hours a day</th>
          <td v-for="(s, k) in scenes" :key="k">
            <NumberField
              :model-value="s.hours_a_day ?? 0"
              of="Scene.hours_a_day"
              :label="`${s.label}: hours a day`"
              compact
              required
              :data-test="`hours-${k}`"
              @update:model-value="$event !== null && set(k, { hours_a_day: $event })"
            />
          </td>
        </tr>
        <tr v-if="mains" data-test="plugged">
          <th class="who label" colspan="3">Charger plugged in</th>
          <td v-for="(s, k) in scenes" :key="k" class="meet">
            <button
              type="button"
              class="tap"
              role="switch"
              :aria-checked="s.plugged_in === true"
              :aria-label="`Charger plugged in, ${s.label}`"
              :class="{ on: s.plugged_in }"
              @click="set(k, { plugged_in: !s.plugged_in })"
            >
              {{ s.plugged_in ? 'yes' : '–' }}
            </button>
          </td>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(c, at) in consumers" :key="at" :data-consumer="c.label">
          <th class="who">
            <textarea
              class="name"
              rows="2"
              :value="c.label"
              :aria-label="`Name of consumer ${at + 1}`"
              maxlength="60"
              @change="rename(at, ($event.target as HTMLTextAreaElement).value.trim())"
            ></textarea>
            <button type="button" class="off" :aria-label="`Take out ${c.label}`" @click="remove(at)">✕</button>
            <span class="quiet origin">
              {{ ORIGIN[c.origin ?? 'entered'] }}
              <button v-if="c.origin !== 'measured'" type="button" class="link" @click="change(at, { origin: 'measured' })">
                measured it
              </button>
            </span>
          </th>
          <td class="num">
            <NumberField
              :model-value="c.current_a"
              of="Consumer.current_a"
              :label="`${c.label}: current`"
              compact
              required
              :data-test="`amps-${at}`"
              @update:model-value="$event !== null && change(at, { current_a: $event })"
            />
          </td>
          <td class="num">
            <NumberField
              :model-value="c.duty ?? 1"
              of="Consumer.duty"
              :per-unit="100"
              :label="`${c.label}: share of the time it draws`"
              compact
              required
              @update:model-value="$event !== null && change(at, { duty: $event })"
            />
          </td>
          <td v-for="(s, k) in scenes" :key="k" class="meet">
            <button
              type="button"
              class="tap"
              role="switch"
              :aria-checked="isOn(s, c)"
              :aria-label="`${c.label}, ${s.label}`"
              :class="{ on: isOn(s, c) }"
              @click="flip(k, c)"
            >
              {{ isOn(s, c) ? 'on' : '–' }}
            </button>
          </td>
        </tr>
      </tbody>
      <tfoot>
        <tr>
          <th class="who label" colspan="3"><span class="d-sr-only">Take a scene out</span></th>
          <td v-for="(s, k) in scenes" :key="k" class="meet">
            <button type="button" class="drop" :aria-label="`Take out ${s.label}`" @click="scenes = scenes.filter((_, i) => i !== k)">
              ✕
            </button>
          </td>
        </tr>
      </tfoot>
    </table>
  </div>
  <p v-for="field in ['consumers', 'scenes']" v-show="says(field)" :key="field" class="wrong ma-0" role="alert">{{ says(field) }}</p>
  <div class="row add">
    <v-combobox
      v-model="adding"
      class="grow"
      label="Add a consumer"
      :items="usual"
      :return-object="false"
      :hint="
        volts === 24 ? 'Usual currents are for 12 V: half of them on 24 V' : 'Pick a usual one or type a name; then correct its amperes'
      "
      persistent-hint
      data-test="add-consumer"
      @update:model-value="add($event as string | null)"
    />
    <v-btn variant="outlined" :disabled="scenes.length >= 12" @click="addScene">Add a scene</v-btn>
  </div>
</template>

<style scoped>
.scroll {
  overflow-x: auto;
}
.grid {
  border-collapse: collapse;
  width: 100%;
}
.grid th,
.grid td {
  padding: 2px 4px;
  border-bottom: 1px solid var(--line);
  vertical-align: top;
  text-align: left;
  font-weight: 400;
}
.grid :deep(.v-field__input) {
  min-height: 44px;
  padding-inline: 8px 2px;
}
.grid :deep(.v-field__outline .v-label),
.grid :deep(.v-field-label) {
  display: none;
}
.grid :deep(.v-field__outline__notch) {
  display: none;
}
.grid :deep(.v-field__append-inner),
.grid :deep(.v-text-field__suffix) {
  padding-inline: 0 4px;
}
.num {
  min-width: 62px;
}
.who {
  min-width: 150px;
  width: 27%;
  position: relative;
  padding-right: 30px !important;
}
.label {
  vertical-align: middle !important;
  color: var(--quiet);
}
.scene {
  min-width: 72px;
  position: relative;
  vertical-align: bottom !important;
}
.name {
  width: 100%;
  min-height: 44px;
  display: block;
  overflow: hidden;
  resize: none;
  line-height: 1.15;
  padding: 4px 0;
  font: inherit;
  font-weight: 700;
  color: inherit;
  background: none;
  border: 0;
}
.scene .name {
  hyphens: auto;
  font-size: 0.9rem;
}
.drop {
  min-width: 44px;
  min-height: 44px;
}
.off {
  position: absolute;
  right: 0;
  top: 2px;
  min-width: 28px;
  min-height: 44px;
}
.origin {
  display: block;
  font-size: 0.8rem;
  white-space: nowrap;
  line-height: 1.2;
}
.link {
  text-decoration: underline;
  padding: 6px 4px;
  margin: -6px 0;
}
.meet {
  text-align: center;
}
.tap {
  min-width: 100%;
  min-height: 44px;
  border: 1px solid var(--line);
}
.tap.on {
  background: var(--copper);
  color: rgb(var(--v-theme-surface));
  font-weight: 700;
}
.wrong {
  color: var(--fail);
  font-weight: 700;
}
.add {
  align-items: flex-start;
  gap: 8px;
}
</style>
