<script setup lang="ts">
/** Cautions of a step; those where the danger is real want a tap, once a job. */
import { computed, ref, watch } from 'vue'
import { useCautions } from '@/composables/cautions'

const props = defineProps<{
  step: string
  jobId?: number
  /** The work beside waits for the tap, so the button takes the focus. */
  gate?: boolean
}>()
const cautions = useCautions(() => props.jobId ?? 0)
const list = computed(() => cautions.of(props.step))
const folded = ref(cautions.isSeen(props.step))
const grave = computed(() => list.value.filter((c) => c.confirm).length)
const wants = computed(() => list.value.length > 0 && cautions.wants(props.step))
const tap = ref<{ $el: HTMLElement } | null>(null)
watch(tap, (button) => props.gate && button?.$el.focus())
const emit = defineEmits<{ confirmed: []; clear: [] }>()
// What needs no tap, or has had it, here or elsewhere, is clear.
watch(
  () => !cautions.wants(props.step),
  (clear) => clear && emit('clear'),
  { immediate: true },
)
watch(wants, (now, before) => before && !now && (folded.value = true))

function confirm(): void {
  cautions.confirm(props.step)
  emit('confirmed')
}
</script>

<template>
  <div v-if="list.length" class="cautions" :class="{ wants, slim: folded && grave }">
    <svg width="22" height="22" viewBox="0 0 24 24" aria-hidden="true">
      <path
        d="M12 3l10 18H2z M12 10v5 M12 17.500v.5"
        fill="none"
        stroke="currentColor"
        stroke-width="2.4"
        stroke-linejoin="round"
        stroke-linecap="round"
      />
    </svg>
    <div class="grow">
      <p v-if="grave && folded">
        Cautions of this step seen. <button type="button" class="show" @click="folded = false">Show them</button>
      </p>
      <p v-for="caution in folded && grave ? [] : list" :key="caution.id" :class="{ grave: caution.confirm }">{{ caution.text }}</p>
      <v-btn v-if="wants" ref="tap" color="error" class="mt-1" data-test="cautions-seen" @click="confirm">Area clear, go on</v-btn>
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
.slim {
  padding: 0 10px;
  align-items: center;
}
.cautions svg {
  color: var(--excess);
  flex: none;
}
.cautions p {
  margin: 0;
}
.show {
  text-decoration: underline;
  min-height: 44px;
  padding: 0 6px;
}
.cautions.wants .grave {
  font-weight: 700;
}
</style>
