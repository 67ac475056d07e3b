<script setup lang="ts">
/** The clock of the step that is under way, to be read from the bonnet. */
import type { StepClock } from '@/composables/stepClock'

defineProps<{ clock: Pick<StepClock, 'running' | 'over' | 'ordersOff' | 'face' | 'dismiss'> }>()
</script>

<template>
  <div v-if="clock.running" class="clock" :class="{ over: clock.over && clock.ordersOff }" role="timer" data-test="clock">
    <b>{{ clock.face }}</b>
    <v-btn v-if="clock.over" variant="outlined" @click="clock.dismiss()">{{ clock.ordersOff ? 'Load is off' : 'Go on' }}</v-btn>
  </div>
</template>

<style scoped>
.clock {
  display: flex;
  gap: 16px;
  align-items: center;
  border: 3px solid currentColor;
  padding: 6px 16px;
  font-size: 3.4rem;
}
.clock.over {
  color: #fff;
  background: #a3201d;
}
</style>
