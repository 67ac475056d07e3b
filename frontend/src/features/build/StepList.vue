<script setup lang="ts">
/** All steps in a safe order: what is done and by whom, what can be done now, and what the rest waits for. */
import { computed } from 'vue'
import type { BuildView } from '@/api/types'
import { useCautions } from '@/composables/cautions'
import CautionStrip from '@/ui/CautionStrip.vue'
import PhotoInput from '@/ui/PhotoInput.vue'
import { moment } from '@/ui/dates'
import { asWritten } from '@/ui/numbers'

const props = defineProps<{ steps: BuildView['steps']; jobId: number; disabled: boolean; waitsWith?: string }>()
type Step = BuildView['steps'][number]
const cautions = useCautions(() => props.jobId)
/** Where the danger is real its cautions want a tap first, here as on top. */
const held = (s: Step) => s.ready && cautions.wants(s.caution_step ?? '')
/** The first step of each danger shows what is wanted, for all that wait for it. */
const shows = computed(() => {
  const first = new Map<string, string>()
  for (const s of props.steps) if (held(s) && !first.has(s.caution_step ?? '')) first.set(s.caution_step ?? '', s.id)
  return new Set(first.values())
})
/** As a part of a longer sentence. */
const plain = (text = '') => text.replace(/\.$/, '')
const emit = defineEmits<{ tick: [id: string]; untick: [id: string]; photo: [id: string, key: string | null] }>()
</script>

<template>
  <ol class="steps">
    <li v-for="s in steps" :key="s.id" :class="{ done: s.done, ready: s.ready }" :data-step="s.id">
      <button
        type="button"
        class="tick"
        :disabled="disabled || held(s) || !(s.ready || s.loose)"
        :aria-pressed="s.done"
        :aria-label="s.text"
        @click="s.done ? emit('untick', s.id) : emit('tick', s.id)"
      >
        {{ s.done ? '✓' : '' }}
      </button>
      <div>
        <p class="ma-0">{{ asWritten(s.text) }}</p>
        <p class="quiet ma-0">
          <template v-if="s.done">{{ s.by ? `${s.by}${s.at ? `, ${moment(s.at)}` : ''}` : 'not kept yet' }}</template>
          <template v-else-if="s.waits_for.length > 0"
            >after: {{ asWritten(plain(s.waits_for[0]))
            }}<template v-if="s.waits_for.length > 1"> and {{ s.waits_for.length - 1 }} more</template></template
          >
          <template v-else
            >about {{ s.minutes.toFixed(0) }} min<template v-if="s.people > 1">, {{ s.people }} people</template
            ><template v-if="s.tools.length > 0">; {{ asWritten(s.tools.join(', ')) }}</template></template
          >
        </p>
      </div>
      <PhotoInput
        :job-id="jobId"
        :photo="s.photo"
        :label="s.text"
        :disabled="disabled"
        :waits-with="waitsWith"
        @change="emit('photo', s.id, $event)"
      />
      <CautionStrip v-if="shows.has(s.id)" :step="s.caution_step ?? ''" :job-id="jobId" class="wide" />
    </li>
  </ol>
</template>

<style scoped>
.steps {
  list-style: none;
  padding: 0;
  margin: 0;
}
li {
  display: grid;
  grid-template-columns: 56px 1fr auto;
  gap: 12px;
  padding: 6px 0;
  border-bottom: 1px solid var(--line);
  align-items: center;
}
.wide {
  grid-column: 1 / -1;
}
.tick {
  width: 52px;
  height: 48px;
  border: 2px solid var(--line);
  font-size: 1.5rem;
  font-weight: 700;
}
.ready .tick {
  border-color: currentColor;
}
.done .tick {
  background: var(--pass);
  color: #fff;
}
.tick:disabled:not([aria-pressed='true']) {
  opacity: 0.5;
}
</style>
