<script setup lang="ts">
/** Cautions of a test, the grave ones in bold; what is slotted in stands under them. */
import type { Catalogue } from '@/api/types'

defineProps<{ cautions: Catalogue['cautions'] }>()
</script>

<template>
  <ul v-if="cautions.length" class="cautions">
    <li v-for="c in cautions" :key="c.id" :class="{ grave: c.confirm }">{{ c.text }}</li>
    <li v-if="$slots.default" class="tap"><slot /></li>
  </ul>
</template>

<style scoped>
.cautions {
  border: 1px solid var(--excess);
  border-left-width: 6px;
  padding: 8px 10px 8px 26px;
}
.tap {
  list-style: none;
  margin-top: 6px;
}
.grave {
  font-weight: 700;
}
</style>
