<script setup lang="ts">
/** The next step, large enough to read at the bench: what to do, with what, and its cautions before it is ticked. */
import type { BuildView } from '@/api/types'
import CautionStrip from '@/ui/CautionStrip.vue'
import { asWritten } from '@/ui/numbers'

const props = defineProps<{ step: BuildView['steps'][number]; jobId: number; disabled: boolean }>()
/** Whose cautions were seen: where the danger is real they want a tap before the step is ticked, also by its key. */
const cleared = defineModel<string>('cleared', { required: true })
const emit = defineEmits<{ done: [id: string] }>()
</script>

<template>
  <div class="next" data-test="next-step">
    <span class="quiet">Next</span>
    <p class="doing">{{ asWritten(step.text) }}</p>
    <p v-if="step.people > 1 || step.tools.length > 0" class="quiet" data-test="step-tools">
      <b v-if="step.people > 1">{{ step.people }} people. </b>{{ asWritten(step.tools.join(', ')) }}
    </p>
    <CautionStrip
      :key="step.caution_step"
      :step="step.caution_step"
      :job-id="jobId"
      class="mb-3"
      @clear="cleared = props.step.caution_step"
    />
    <v-btn
      color="primary"
      size="x-large"
      :disabled="disabled || cleared !== step.caution_step"
      data-test="step-done"
      @click="emit('done', step.id)"
      >✓ Done</v-btn
    >
  </div>
</template>

<style scoped>
.next {
  border-left: 6px solid var(--line);
  padding: 4px 0 4px 12px;
}
.doing {
  font-size: 1.35rem;
  font-weight: 700;
  line-height: 1.3;
  margin: 4px 0 12px;
}
</style>
