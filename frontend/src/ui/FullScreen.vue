<script setup lang="ts">
/** One piece of work over the whole screen, with its name, what it is about, and a way out; what is pressed at its end stays at the foot. */
defineOptions({ inheritAttrs: false })
defineProps<{ title: string; about: string; closeTest: string }>()
const emit = defineEmits<{ close: [] }>()
</script>

<template>
  <v-dialog :model-value="true" fullscreen scrollable @update:model-value="emit('close')">
    <div class="sheet" :class="{ footed: $slots.foot }" v-bind="$attrs">
      <header class="row">
        <h1>{{ title }}</h1>
        <span class="quiet grow about">{{ about }}</span>
        <v-btn variant="text" class="close" :data-test="closeTest" @click="emit('close')">Close</v-btn>
      </header>
      <slot />
      <!-- At the lower edge whatever comes in above: nothing moves from under a finger. -->
      <footer v-if="$slots.foot" class="foot stack">
        <slot name="foot" />
      </footer>
    </div>
  </v-dialog>
</template>

<style scoped>
.sheet {
  background: rgb(var(--v-theme-background));
  min-height: 100%;
  padding: 14px 18px 60px;
  overflow: auto;
}
.footed {
  display: flex;
  flex-direction: column;
  padding-bottom: 0;
}
.footed > * {
  flex: none;
}
.foot {
  position: sticky;
  bottom: 0;
  z-index: 3;
  margin: auto -18px 0;
  padding: 10px 18px 12px;
  background: rgb(var(--v-theme-background));
  border-top: 1px solid var(--line);
}
h1 {
  font-size: 1.3rem;
}
@media (max-width: 900px) {
  /* The way out stays beside the name, where the hand looks for it. */
  .close {
    margin-left: auto;
  }
  .about {
    order: 1;
    flex-basis: 100%;
  }
}
</style>
