<script setup lang="ts">
/** The schedule in the calendar of a telephone: a file now, or an address that it fetches it from. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { ref, watch } from 'vue'
import { client, data } from '@/api/client'
import type { Workshop } from '@/api/types'
import { useSaving } from '@/composables/saving'
import { moment } from '@/ui/dates'
import ProblemNotice from '@/ui/ProblemNotice.vue'

defineProps<{ workshop: Workshop; may: boolean }>()
const emit = defineEmits<{ read: [text: string] }>()
const shown = defineModel<boolean>({ required: true })
const queries = useQueryClient()
const feeds = useQuery({ queryKey: ['calendar-feeds'], queryFn: () => data(client.GET('/api/calendar-feeds')), enabled: shown })
const { busy, problem, save } = useSaving()
const label = ref('')
const worker = ref<string | null>(null)
/** Shown this once: the server keeps only its hash. */
const made = ref('')
watch(shown, (now) => now && (made.value = ''))

async function read(files: File | File[] | null): Promise<void> {
  const file = Array.isArray(files) ? files[0] : files
  if (!file) return
  emit('read', await file.text())
  shown.value = false
}
async function make(): Promise<void> {
  await save(async () => {
    const fresh = await data(client.POST('/api/calendar-feeds', { body: { label: label.value, worker: worker.value } }))
    made.value = new URL(fresh.path, window.location.origin).href
    label.value = ''
    await queries.invalidateQueries({ queryKey: ['calendar-feeds'] })
  })
}
async function revoke(id: number): Promise<void> {
  await save(async () => {
    const left = await data(client.DELETE('/api/calendar-feeds/{feed_id}', { params: { path: { feed_id: id } } }))
    queries.setQueryData(['calendar-feeds'], left)
    made.value = ''
  })
}
</script>

<template>
  <v-dialog v-model="shown" max-width="640" aria-label="Calendars">
    <div class="panel stack">
      <h2 class="sleeve ma-0">In a calendar</h2>
      <div class="row">
        <v-btn variant="outlined" href="/api/schedule.ics" download="schedule.ics" data-test="ics">Save as a calendar file</v-btn>
        <v-file-input
          v-if="may"
          label="Read one that was moved about in"
          accept=".ics,text/calendar"
          density="compact"
          hide-details
          data-test="read-ics"
          @update:model-value="read"
        />
      </div>
      <p class="ma-0">
        Or let a telephone fetch it by itself, from an address of its own. Whoever knows the address reads the schedule, without signing in:
        send it to nobody, and revoke it when the telephone is lost.
      </p>
      <ProblemNotice :problem="problem" />
      <p v-if="made" class="made" data-test="feed-address">
        <b>Copy it now, it is not shown again:</b><br /><span class="mono">{{ made }}</span>
      </p>
      <div class="row">
        <v-text-field v-model="label" label="For what" maxlength="60" hide-details data-test="feed-label" />
        <v-select
          v-model="worker"
          label="Whose work"
          :items="[{ value: null, title: 'Everybody’s' }, ...workshop.people.map((w) => ({ value: w.id, title: w.label }))]"
          hide-details
          data-test="feed-worker"
        />
        <v-btn color="primary" :loading="busy" :disabled="!label.trim()" data-test="feed-make" @click="make">Make an address</v-btn>
      </div>
      <ul class="feeds">
        <li v-for="f in feeds.data.value?.feeds ?? []" :key="f.id" class="row" :data-feed="f.id">
          <span class="grow"
            ><b>{{ f.label }}</b
            ><br /><span class="quiet">{{ f.fetched_at ? `fetched last on ${moment(f.fetched_at)}` : 'never fetched yet' }}</span></span
          >
          <v-btn variant="text" :disabled="busy" data-test="feed-revoke" @click="revoke(f.id)">Revoke</v-btn>
        </li>
      </ul>
      <div class="row"><span class="grow" /><v-btn variant="text" @click="shown = false">Close</v-btn></div>
    </div>
  </v-dialog>
</template>

<style scoped>
.made {
  margin: 0;
  padding: 8px;
  border-left: 6px solid var(--copper);
  overflow-wrap: anywhere;
}
.feeds {
  list-style: none;
  margin: 0;
  padding: 0;
}
</style>
