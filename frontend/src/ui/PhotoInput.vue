<script setup lang="ts">
/** One photo: taken or chosen, seen small, looked at large, taken out again. */
import { computed, ref, useTemplateRef } from 'vue'
import { dropPhoto, heldPhotos, keepPhoto } from '@/composables/heldPhotos'
import { photoUrl, sendPhoto } from '@/composables/photos'
import { useSaving } from '@/composables/saving'
import ProblemNotice from './ProblemNotice.vue'

const props = defineProps<{
  jobId: number
  photo: string | null
  label: string
  disabled?: boolean
  /** Name of the draft that shows it, where it may wait on this machine for a server that does not answer. */
  waitsWith?: string
}>()
const emit = defineEmits<{ change: [key: string | null] }>()
const { busy, problem, save } = useSaving()
const input = useTemplateRef<HTMLInputElement>('input')
const large = ref(false)
/** A photo that is no longer there. */
const gone = ref<string | null>(null)

const held = computed(() => (props.photo ? (heldPhotos.value.get(props.photo) ?? null) : null))
const source = computed(() => held.value?.url ?? (props.photo ? photoUrl(props.jobId, props.photo) : ''))

async function send(file: File): Promise<void> {
  const before = props.photo
  emit('change', props.waitsWith ? await keepPhoto(props.jobId, props.waitsWith, file) : (await sendPhoto(props.jobId, file)).key)
  if (before) await dropPhoto(before)
}
async function takeOut(): Promise<void> {
  large.value = false
  const before = props.photo
  emit('change', null)
  if (before) await dropPhoto(before)
}
async function take(event: Event): Promise<void> {
  const field = event.target as HTMLInputElement
  const file = field.files?.[0]
  field.value = ''
  if (file) await save(() => send(file))
}
</script>

<template>
  <div class="photo">
    <input ref="input" type="file" accept="image/jpeg,image/png,image/webp" capture="environment" hidden @change="take" />
    <button v-if="photo" type="button" class="shot" :aria-label="`Photo: ${label}`" @click="large = true">
      <img v-if="gone !== photo" :src="source" :alt="label" @error="gone = photo" />
      <span v-else>gone</span>
      <span v-if="held" class="held" :title="held.refused || 'On this machine until the server answers'">{{
        held.refused ? '✕' : '⇡'
      }}</span>
    </button>
    <v-btn v-else variant="outlined" :disabled="disabled" :loading="busy" :aria-label="`Photo of: ${label}`" @click="input?.click()">
      + Photo
    </v-btn>
    <p v-if="held?.refused" class="bad ma-0" role="alert">✕ {{ held.refused }}</p>
    <ProblemNotice :problem="problem" />
    <v-dialog v-model="large" max-width="1100">
      <v-card v-if="photo" class="pa-3 stack">
        <img class="whole" :src="source" :alt="label" />
        <div class="d-flex ga-2 justify-end">
          <v-btn v-if="!disabled" variant="text" @click="takeOut">✕ take out</v-btn>
          <v-btn v-if="!disabled" variant="outlined" :loading="busy" @click="input?.click()">Take another</v-btn>
          <v-btn color="primary" @click="large = false">Close</v-btn>
        </div>
      </v-card>
    </v-dialog>
  </div>
</template>

<style scoped>
.shot {
  height: 48px;
  width: 72px;
  border: 1px solid var(--line);
  padding: 0;
  overflow: hidden;
  position: relative;
}
.held {
  position: absolute;
  right: 0;
  bottom: 0;
  background: rgb(var(--v-theme-surface));
  padding: 0 4px;
  font-weight: 700;
}
.bad {
  color: var(--fail);
  max-width: 220px;
}
.shot img {
  width: 100%;
  height: 100%;
  object-fit: cover;
}
.whole {
  max-width: 100%;
  max-height: 75vh;
  object-fit: contain;
}
</style>
