<script setup lang="ts">
/** What is taken out of use, what becomes of each part, and how all of it is put back. */
import { computed } from 'vue'
import type { BuildBook, BuildView } from '@/api/types'
import { useCatalogue } from '@/composables/catalogue'
import type { Old } from './book'

const props = defineProps<{ old: BuildView['old']; book: BuildBook['old']; disabled: boolean }>()
const emit = defineEmits<{ old: [part: Old] }>()
const { catalogue } = useCatalogue()
type Part = BuildView['old']['parts'][number]
const words = computed(() => new Map(catalogue.value?.fates.map((f) => [f.name, f.label])))
const fates = (part: Part) => part.fates.map((f) => ({ value: f, title: words.value.get(f) ?? f }))
/** What has been said stands in the book at once; what the work comes to by it arrives a moment later. */
const oldOf = (part: Part): Old =>
  props.book?.find((p) => p.part_id === part.part_id) ?? { part_id: part.part_id, fate: part.fate, where: part.where }
function say(part: Part, what: Partial<Old>): void {
  emit('old', { ...oldOf(part), ...what })
}
const gone = computed(() => props.old.parts.filter((p) => p.fate === 'scrap').map((p) => p.label))
</script>

<template>
  <p v-if="old.parts.length === 0" class="quiet">Nothing that is there is taken out of use.</p>
  <section v-for="p in old.parts" :key="p.part_id" class="part row" :data-old="p.part_id">
    <div class="what">
      <h3>
        {{ p.label }} <span class="quiet">{{ p.was }}</span>
      </h3>
      <p v-if="p.between" class="quiet ma-0">{{ p.between }}</p>
    </div>
    <div class="asked">
      <v-select
        :model-value="oldOf(p).fate"
        :items="fates(p)"
        :label="p.assumed ? 'What becomes of it, as a rule' : 'What becomes of it'"
        hide-details
        :disabled="disabled"
        data-test="fate"
        @update:model-value="say(p, { fate: $event })"
      />
      <v-text-field
        v-if="oldOf(p).fate !== 'scrap'"
        :model-value="oldOf(p).where"
        :label="oldOf(p).fate === 'capped' ? 'Tied back where' : 'Kept where'"
        maxlength="80"
        hide-details
        :disabled="disabled"
        data-test="where"
        @change="say(p, { where: ($event.target as HTMLInputElement).value.trim() })"
      />
    </div>
  </section>
  <section v-if="old.back.length > 0" class="part" data-test="way-back">
    <h3>To undo it</h3>
    <p class="ma-0">
      <template v-if="old.whole">All that was there is still there: nothing has to be bought for it.</template>
      <template v-else>Not without parts: {{ gone.join(', ') }} will be gone.</template>
    </p>
    <ol>
      <li v-for="line in old.back" :key="line">{{ line }}</li>
    </ol>
  </section>
</template>

<style scoped>
.part {
  border-top: 2px solid var(--line);
  padding: 8px 0;
}
.part.row {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0 16px;
}
.what {
  flex: 1 1 240px;
}
h3 {
  margin: 0;
}
.asked {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin: 6px 0;
  flex: 2 1 480px;
}
.asked > * {
  flex: 1 1 220px;
}
</style>
