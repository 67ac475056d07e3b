<script setup lang="ts">
/** Says that a job is closed, why, and how it is opened again. */
import { computed, ref } from 'vue'
import { client, data } from '@/api/client'
import { useSaving } from '@/composables/saving'
import { useSession } from '@/composables/session'
import { useWorkbench } from '@/composables/workbench'
import ProblemNotice from '@/ui/ProblemNotice.vue'

const bench = useWorkbench()
const session = useSession()
const { busy, problem, save } = useSaving()
const asking = ref(false)
const reason = ref('')
const path = computed(() => ({ params: { path: { job_id: bench.jobId } } }))
const onBench = computed(() => bench.job?.shelf === 'bench')

async function reopen(): Promise<void> {
  const done = await save(async () => {
    await data(client.POST('/api/jobs/{job_id}/reopen', { ...path.value, body: { reason: reason.value.trim() } }))
    await bench.reload()
  })
  if (done) asking.value = false
}
const takeBack = () =>
  save(async () => {
    await data(client.PUT('/api/jobs/{job_id}/shelf', { ...path.value, body: { shelf: 'bench' } }))
    await bench.reload()
  })
</script>

<template>
  <div v-if="bench.closed" class="closed" role="status" data-test="closed">
    <span
      ><b>{{ bench.closed }}</b> Everything stays to be read and printed; nothing can be changed.</span
    >
    <template v-if="onBench">
      <v-btn v-if="session.may('reopen') && !asking" variant="outlined" data-test="reopen" @click="asking = true">Reopen</v-btn>
    </template>
    <v-btn v-else-if="session.may('shelve')" variant="outlined" :loading="busy" data-test="take-back" @click="takeBack"
      >Put it back on the bench</v-btn
    >
    <span v-else class="quiet">A lead can put it back.</span>
    <form v-if="asking && onBench" class="why" @submit.prevent="reopen">
      <v-text-field v-model="reason" autofocus label="Why is it opened again?" maxlength="200" data-test="reopen-reason" />
      <v-btn type="submit" color="primary" :loading="busy" :disabled="reason.trim().length < 3" data-test="reopen-now">Reopen</v-btn>
      <v-btn variant="text" @click="asking = false">Leave it done</v-btn>
    </form>
    <ProblemNotice :problem="problem" />
  </div>
</template>

<style scoped>
.closed {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 14px;
  align-items: center;
  padding: 4px 16px;
  border-top: 2px solid var(--pass);
}
.why {
  display: flex;
  flex: 1 1 100%;
  gap: 8px;
  align-items: center;
}
</style>
