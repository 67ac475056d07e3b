<script setup lang="ts">
/** What a disconnect must do, purpose by purpose: each rule required, advised or not asked. */
import { computed, ref } from 'vue'
import type { ProblemDocument, PurposeList, PurposeProfile, PurposesRecord } from '@/api/types'
import { strictnessOf, withRule, type Strictness } from './purposes'

const props = defineProps<{
  purposes: PurposeList
  rules: PurposesRecord['rules']
  problem: ProblemDocument | null
  may: boolean
}>()
const emit = defineEmits<{ change: [purposes: PurposeList] }>()
type Name = keyof PurposeList['purposes'] & string
const names = computed(() => Object.keys(props.purposes.purposes) as Name[])
const at = ref<Name>('emergency' as Name)
const profile = computed(() => props.purposes.purposes[at.value] as PurposeProfile)
const set = (changed: PurposeProfile) => emit('change', { purposes: { ...props.purposes.purposes, [at.value]: changed } })
const CHOICES: { value: Strictness; title: string }[] = [
  { value: 'required', title: 'Required' },
  { value: 'advised', title: 'Advised' },
  { value: 'no', title: 'Not asked' },
]
const stays = (rule: PurposesRecord['rules'][number]) => (rule.stays as readonly string[]).includes(at.value)
const wrong = computed(() => props.problem?.problems?.filter((p) => p.element === at.value) ?? [])
</script>

<template>
  <div class="two" data-test="purposes">
    <section class="panel stack" aria-label="Purposes">
      <button
        v-for="name in names"
        :key="name"
        type="button"
        class="purpose"
        :class="{ on: name === at }"
        :aria-pressed="name === at"
        :data-purpose="name"
        @click="at = name"
      >
        <b>{{ purposes.purposes[name]?.label }}</b>
        <span class="quiet">{{ purposes.purposes[name]?.requires.length }} required</span>
      </button>
    </section>
    <fieldset class="panel stack" :disabled="!may" :aria-label="profile.label">
      <div class="pairs">
        <v-text-field
          :model-value="profile.label"
          label="Name"
          maxlength="60"
          @update:model-value="$event && set({ ...profile, label: $event })"
        />
        <v-text-field
          :model-value="profile.rulebook"
          label="Rulebook it follows, with its year"
          maxlength="120"
          hint="stands on screen and sheet; the rulebook in force wins"
          persistent-hint
          data-test="rulebook"
          @update:model-value="set({ ...profile, rulebook: $event ?? '' })"
        />
      </div>
      <v-textarea
        :model-value="profile.why"
        label="Why somebody wants it"
        rows="1"
        auto-grow
        maxlength="300"
        @update:model-value="$event && set({ ...profile, why: $event })"
      />
      <p v-for="p in wrong" :key="p.message" class="wrong mb-0" role="alert">{{ p.message }}</p>
      <ul class="rules">
        <li v-for="r in rules" :key="r.name" :data-rule="r.name" :data-asked="strictnessOf(profile, r.name)">
          <span class="grow">{{ r.forbids ? `Never: ${r.label.charAt(0).toLowerCase()}${r.label.slice(1)}` : r.label }}</span>
          <span v-if="stays(r)" class="quiet">Required: it would not be that purpose without it</span>
          <v-btn-toggle
            v-else
            :model-value="strictnessOf(profile, r.name)"
            mandatory
            color="primary"
            variant="outlined"
            density="comfortable"
            :disabled="!may"
            :aria-label="r.label"
            @update:model-value="set(withRule(profile, r, $event))"
          >
            <v-btn v-for="c in CHOICES" :key="c.value" :value="c.value" size="small">{{ c.title }}</v-btn>
          </v-btn-toggle>
        </li>
      </ul>
    </fieldset>
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: 260px minmax(0, 1fr);
  gap: 12px;
  align-items: start;
}
fieldset {
  min-width: 0;
}
.pairs {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px 12px;
  align-items: start;
}
.purpose {
  display: flex;
  flex-direction: column;
  text-align: left;
  padding: 6px 10px;
  min-height: 44px;
  border-left: 4px solid transparent;
}
.purpose.on {
  background: rgb(var(--v-theme-surface-variant));
  border-left-color: var(--copper);
}
.rules {
  list-style: none;
  padding: 0;
  margin: 0;
}
.rules li {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 12px;
  min-height: 48px;
  border-top: 1px solid var(--line);
}
.wrong {
  color: var(--fail);
}
@media (max-width: 1023px) {
  .two,
  .pairs {
    grid-template-columns: 1fr;
  }
}
</style>
