<script setup lang="ts">
/** The sheet, and taking the job with you. */
import { computed, ref } from 'vue'
import type { StageName } from '@/api/types'
import CautionStrip from '@/ui/CautionStrip.vue'
import { moment } from '@/ui/dates'
import { useCatalogue } from '@/composables/catalogue'
import { useKeys } from '@/composables/keys'
import { useWorkbench } from '@/composables/workbench'

const { catalogue } = useCatalogue()
const emit = defineEmits<{ go: [stage: StageName] }>()
const bench = useWorkbench()
/** Those that this job has something for. */
const files = computed(() => (catalogue.value?.files ?? []).filter((f) => !f.needs || bench.job?.documents.some((d) => d.kind === f.needs)))
const frame = ref<HTMLIFrameElement | null>(null)
const print = () => frame.value?.contentWindow?.print()
useKeys([{ key: 'p', label: 'print the sheet', run: print }])
</script>

<template>
  <div class="frame">
    <p v-if="!bench.asFound" class="panel">
      There is nothing to print before the circuit is described.
      <v-btn color="primary" @click="emit('go', 'circuit')">To the circuit</v-btn>
    </p>
    <template v-else>
      <section class="panel stack side">
        <h2 class="sleeve">Sheet</h2>
        <p v-if="bench.circuitDirty || bench.readings.dirty" class="warn">
          The sheet shows what is saved; this screen holds edits that are not.
        </p>
        <v-btn color="primary" data-test="print" @click="print">Print</v-btn>
        <h2 class="sleeve">Take it with you</h2>
        <v-btn
          v-for="file in files"
          :key="file.name"
          variant="outlined"
          :href="`/api/jobs/${bench.jobId}/files/${file.name}`"
          :data-test="file.name"
        >
          {{ file.label }}
        </v-btn>
        <CautionStrip step="hand_over" :job-id="bench.jobId" />
        <CautionStrip v-if="bench.hasDisconnect" step="hand_over_switch" :job-id="bench.jobId" />
        <h2 class="sleeve">Who did what</h2>
        <ol class="history">
          <li v-for="change in bench.job?.changes" :key="change.at + change.what">
            <span class="figure">{{ moment(change.at) }}</span> {{ change.person }} {{ change.what }}
          </li>
        </ol>
      </section>
      <iframe ref="frame" class="paper" :src="`/api/jobs/${bench.jobId}/sheet`" title="The job sheet" />
    </template>
  </div>
</template>

<style scoped>
.frame {
  display: flex;
  gap: 12px;
  padding: 12px 16px 40px;
  align-items: flex-start;
}
.side {
  flex: 0 0 300px;
}
.paper {
  flex: 1;
  min-width: 0;
  height: calc(100vh - 170px);
  min-height: 560px;
  border: 1px solid var(--line);
  background: #fff;
}
.history {
  padding-left: 18px;
  font-size: 0.85rem;
  margin: 0;
}
.warn {
  color: var(--excess);
  font-weight: 700;
}
@media (max-width: 900px) {
  .frame {
    flex-direction: column;
    align-items: stretch;
  }
  .side {
    flex-basis: auto;
  }
}
</style>
