<script setup lang="ts">
/** One photo: taken or chosen, seen small, looked at large, taken out again. */
import { ref, useTemplateRef } from 'vue'
import { photoUrl, sendPhoto } from '@/composables/photos'
import { useSaving } from '@/composables/saving'
import ProblemNotice from './ProblemNotice.vue'

const props = defineProps<{ jobId: number; photo: string | null; label: string; disabled?: boolean }>()
const emit = defineEmits<{ change: [key: string | null] }>()
const { busy, problem, save } = useSaving()
const input = useTemplateRef<HTMLInputElement>('input')
const large = ref(false)
/** A photo that is no longer there. */
const gone = ref<string | null>(null)

async function take(event: Event): Promise<void> {
  const field = event.target as HTMLInputElement
  const file = field.files?.[0]
  field.value = ''
  if (file) await save(async () => emit('change', (await sendPhoto(props.jobId, file)).key))
}
</script>

<template>
  <div class="photo">
    <input ref="input" type="file" accept="image/jpeg,image/png,image/webp" capture="environment" hidden @change="take" />
    <button v-if="photo" type="button" class="shot" :aria-label="`Photo: ${label}`" @click="large = true">
      <img v-if="gone !== photo" :src="photoUrl(jobId, photo)" :alt="label" @error="gone = photo" />
      <span v-else>gone</span>
    </button>
    <v-btn v-else variant="outlined" :disabled="disabled" :loading="busy" :aria-label="`Photo of: ${label}`" @click="input?.click()">
      + Photo
    </v-btn>
    <ProblemNotice :problem="problem" />
    <v-dialog v-model="large" max-width="1100">
      <v-card v-if="photo" class="pa-3 stack">
        <img class="whole" :src="photoUrl(jobId, photo)" :alt="label" />
        <div class="d-flex ga-2 justify-end">
          <v-btn v-if="!disabled" variant="text" @click="(emit('change', null), (large = false))">✕ take out</v-btn>
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
