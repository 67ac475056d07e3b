<script setup lang="ts">
/** Where one is signed in, and an end to it elsewhere. */
import { ref, watch } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { ProblemDocument, SignInRecord } from '@/api/types'
import { moment } from '@/ui/dates'
import ProblemNotice from '@/ui/ProblemNotice.vue'

const open = defineModel<boolean>({ required: true })
const rows = ref<SignInRecord[] | null>(null)
const hours = ref<number | null>(null)
const problem = ref<ProblemDocument | null>(null)
const ending = ref<number | null>(null)

async function take(call: () => Promise<{ sign_ins: SignInRecord[]; lasts_hours: number }>): Promise<void> {
  problem.value = null
  try {
    const answer = await call()
    rows.value = answer.sign_ins
    hours.value = answer.lasts_hours
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    problem.value = error.problem
  }
}
const load = () => take(() => data(client.GET('/api/sign-ins')))
async function end(id: number): Promise<void> {
  ending.value = id
  await take(() => data(client.DELETE('/api/sign-ins/{sign_in_id}', { params: { path: { sign_in_id: id } } })))
  ending.value = null
}
watch(open, (shown) => {
  if (shown) void load()
})
</script>

<template>
  <v-dialog v-model="open" max-width="560">
    <section class="panel stack" data-test="sign-in-list" aria-labelledby="sign-ins-title">
      <h2 id="sign-ins-title" class="sleeve">Where you are signed in</h2>
      <p class="quiet ma-0">
        A place you do not know, or a tablet that was left behind: end it here.<template v-if="hours">
          Each ends by itself after {{ hours }} hours.</template
        >
      </p>
      <ProblemNotice v-if="problem" :problem="problem" :again="load" />
      <p v-else-if="rows === null" class="quiet ma-0">Looking …</p>
      <ul v-if="rows" class="places">
        <li v-for="row in rows" :key="row.id">
          <div>
            <b>{{ row.handheld ? 'Phone or tablet' : 'Computer' }}</b> at {{ row.address }}
            <div class="quiet">since {{ moment(row.begun_at) }}, last seen {{ moment(row.seen_at) }}</div>
          </div>
          <span v-if="row.here" class="quiet">this one</span>
          <v-btn v-else variant="outlined" :loading="ending === row.id" data-test="end-sign-in" @click="end(row.id)">Sign out there</v-btn>
        </li>
      </ul>
      <div class="row">
        <v-btn variant="text" @click="open = false">Close</v-btn>
      </div>
    </section>
  </v-dialog>
</template>

<style scoped>
.places {
  list-style: none;
  margin: 0;
  padding: 0;
}
.places li {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 12px;
  min-height: 56px;
  padding: 6px 0;
  border-top: 1px solid var(--line);
}
</style>
