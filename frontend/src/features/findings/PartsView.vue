<script setup lang="ts">
/** What the parts fitted and the circuit as drawn give to say, before and beside any reading. */
import type { Findings } from '@/api/types'
import { useWorkbench } from '@/composables/workbench'

defineProps<{ findings: Findings }>()
const bench = useWorkbench()
</script>

<template>
  <section class="panel stack" data-test="parts">
    <p v-if="!findings.parts.length" class="ma-0">Nothing to call out.</p>
    <p v-for="f in findings.parts" :key="f.code + f.branch_id + f.why" class="finding" :class="f.severity" :data-finding="f.code">
      <button v-if="f.branch_id" type="button" class="link" @click="bench.selected = f.branch_id">
        <b>{{ f.title }}.</b></button
      ><b v-else>{{ f.title }}.</b> {{ f.why }} <span class="quiet">{{ f.rule }} ({{ f.source }}).</span>
    </p>
  </section>
</template>

<style scoped>
.finding {
  border-left: 8px solid var(--excess);
  padding-left: 10px;
  margin: 0;
}
.finding.danger {
  border-left-color: var(--fail);
}
.finding.note {
  border-left-color: var(--close);
}
.link {
  text-align: left;
  text-decoration: underline;
  min-height: 44px;
}
</style>
