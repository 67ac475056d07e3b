<script setup lang="ts">
/** Puts a job away: into the archive, or into the waste basket. */
import { ref } from 'vue'
import { client, data } from '@/api/client'
import { useSaving } from '@/composables/saving'
import { useSession } from '@/composables/session'
import { useWorkbench } from '@/composables/workbench'
import ProblemNotice from '@/ui/ProblemNotice.vue'

const bench = useWorkbench()
const session = useSession()
const { busy, problem, save } = useSaving()
const sure = ref(false)

async function putOn(shelf: 'archive' | 'basket'): Promise<void> {
  const done = await save(async () => {
    await data(client.PUT('/api/jobs/{job_id}/shelf', { params: { path: { job_id: bench.jobId } }, body: { shelf } }))
    await bench.reload()
  })
  if (done) sure.value = false
}
</script>

<template>
  <template v-if="session.may('shelve') && bench.job?.shelf === 'bench'">
    <v-menu>
      <template #activator="{ props }"
        ><v-btn v-bind="props" variant="text" size="small" :loading="busy" aria-label="Put the job away" data-test="shelve"
          >Put away ▾</v-btn
        ></template
      >
      <v-list>
        <v-list-item title="Archive" subtitle="Out of the list, kept for good" data-test="archive" @click="putOn('archive')" />
        <v-list-item title="Waste basket" subtitle="Deleted after thirty days" data-test="basket" @click="sure = true" />
      </v-list>
    </v-menu>
    <ProblemNotice v-if="!sure" :problem="problem" />
    <v-dialog v-model="sure" max-width="460">
      <section class="panel stack" aria-labelledby="basket-title">
        <h2 id="basket-title" class="sleeve">{{ bench.job.number }} into the waste basket?</h2>
        <p class="ma-0">For thirty days a lead can take it back, with every reading. After that it is gone for good.</p>
        <ProblemNotice :problem="problem" />
        <div class="row">
          <v-btn color="error" :loading="busy" data-test="basket-now" @click="putOn('basket')">Into the basket</v-btn>
          <v-btn variant="text" @click="sure = false">Keep it</v-btn>
        </div>
      </section>
    </v-dialog>
  </template>
</template>
