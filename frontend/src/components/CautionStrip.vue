<script setup lang="ts">
/** Cautions of a step; those where the danger is real want a tap, once a job. */
import { computed, ref } from 'vue'
import { useCatalogue } from '@/lib/catalogue'

const props = defineProps<{ step: string; jobId?: number }>()
const { catalogue } = useCatalogue()
const key = computed(() => `mavrik-cautions:${props.jobId ?? 0}:${props.step}`)
const seen = ref(sessionStorage.getItem(key.value) === 'yes')
const list = computed(() => catalogue.value?.cautions.filter((c) => c.steps.includes(props.step)) ?? [])
const wants = computed(() => list.value.some((c) => c.confirm) && !seen.value)
const emit = defineEmits<{ confirmed: [] }>()

function confirm(): void {
  seen.value = true
  sessionStorage.setItem(key.value, 'yes')
  emit('confirmed')
}
</script>

<template>
  <div v-if="list.length" class="cautions" :class="{ wants }">
    <svg width="22" height="22" viewBox="0 0 24 24" aria-hidden="true"><path d="M12 3l10 18H2z M12 10v5 M12 17.500v.5" fill="none" stroke="currentColor" stroke-width="2.4" stroke-linejoin="round" stroke-linecap="round" /></svg>
    <div class="grow">
      <p v-for="caution in list" :key="caution.id" :class="{ grave: caution.confirm }">{{ caution.text }}</p>
      <v-btn v-if="wants" color="error" class="mt-1" data-test="cautions-seen" @click="confirm">Area clear, go on</v-btn>
    </div>
  </div>
</template>

<style scoped>
.cautions {
  display: flex;
  gap: 10px;
  padding: 8px 10px;
  border: 1px solid var(--excess);
  border-left: 6px solid var(--excess);
  color: rgb(var(--v-theme-on-surface));
  font-size: 0.87rem;
}
.cautions svg {
  color: var(--excess);
  flex: none;
}
.cautions p {
  margin: 0;
}
.cautions.wants .grave {
  font-weight: 700;
}
</style>
