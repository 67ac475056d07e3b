<script setup lang="ts">
/** Amperes made and used, a row a scene: what the unit can give hot and cold, and where the use lies. */
import { computed } from 'vue'
import type { SceneBalance } from '@/api/types'
import { fixed } from '@/ui/numbers'
import { roundUp } from './use'

const props = defineProps<{ scenes: readonly SceneBalance[]; planned?: readonly SceneBalance[] | null }>()
const rows = computed(() =>
  props.scenes.map((s) => ({ now: s, then: props.planned?.find((p) => p.label === s.label && p.engine_rpm === s.engine_rpm) ?? null })),
)
const most = computed(() =>
  roundUp(Math.max(1, ...rows.value.flatMap((r) => [r.now, r.then]).flatMap((s) => (s ? [s.cold.can_a, s.hot.used_a] : [])))),
)
const at = (amps: number) => `${(100 * Math.max(amps, 0)) / most.value}%`
const words = (s: SceneBalance) => {
  if (s.hot.volts === null) return 'collapses'
  if (!s.engine_rpm) return s.hot.battery_a < -0.05 ? `${fixed(-s.hot.battery_a, 1)} A out of the batteries` : 'nothing on'
  return `${over(s)} hot, ${fixed(s.hot.volts, 1)} V`
}
const over = (s: SceneBalance) => `${s.hot.surplus_a < 0 ? 'short by' : 'over'} ${fixed(Math.abs(s.hot.surplus_a), 0)} A`
</script>

<template>
  <ol class="bars" data-test="scene-bars">
    <li
      v-for="r in rows"
      :key="r.now.label"
      :data-scene="r.now.label"
      :class="{ short: r.now.engine_rpm > 0 && r.now.hot.surplus_a < -0.5 }"
    >
      <div class="head">
        <b>{{ r.now.label }}</b>
        <span class="quiet">{{ r.now.engine_rpm ? `${fixed(r.now.engine_rpm, 0)} /min` : 'engine off' }}</span>
        <span class="grow" />
        <span class="say">{{ words(r.now) }}</span><b v-if="r.then && r.now.engine_rpm"> → {{ over(r.then) }}</b>
      </div>
      <div
        v-for="s in r.now.engine_rpm ? [r.now, ...(r.then ? [r.then] : [])] : []"
        :key="s === r.now ? 'now' : 'then'"
        class="track"
        :class="{ then: s !== r.now }"
        role="img"
        :aria-label="`${r.now.label}${s === r.now ? '' : ', planned'}: can give ${fixed(s.hot.can_a, 0)} A hot, ${fixed(s.cold.can_a, 0)} A cold; ${fixed(s.hot.used_a, 0)} A used`"
      >
        <span class="cold" :style="{ width: at(s.cold.can_a) }" />
        <span class="hot" :style="{ width: at(s.hot.can_a) }" />
        <span class="used" :style="{ left: at(s.hot.used_a) }" />
      </div>
    </li>
  </ol>
  <p class="key quiet mb-0">
    <i class="swatch hot" /> can give hot <i class="swatch cold" /> cold <i class="swatch used" /> used<template v-if="planned">
      · lower bar: planned</template
    >
    · to {{ most }} A
  </p>
</template>

<style scoped>
.bars {
  list-style: none;
  padding: 0;
  margin: 0;
  display: grid;
  gap: 10px;
}
.head {
  display: flex;
  gap: 8px;
  align-items: baseline;
  flex-wrap: wrap;
}
.short .say {
  color: var(--fail);
  font-weight: 700;
}
.track {
  position: relative;
  height: 16px;
  border: 1px solid var(--line);
  margin-top: 2px;
}
.then {
  height: 12px;
  border-top-style: dashed;
}
.track .hot,
.track .cold {
  position: absolute;
  inset: 0 auto 0 0;
}
.hot {
  background: var(--slate);
}
.cold {
  background: repeating-linear-gradient(45deg, var(--slate) 0 2px, transparent 2px 6px);
}
.track .used {
  position: absolute;
  top: -4px;
  bottom: -4px;
  border-left: 4px solid var(--copper);
  margin-left: -2px;
}
.swatch {
  display: inline-block;
  width: 18px;
  height: 10px;
  border: 1px solid var(--line);
  margin-left: 8px;
}
.swatch.used {
  width: 4px;
  height: 14px;
  border: 0;
  background: var(--copper);
}
</style>
