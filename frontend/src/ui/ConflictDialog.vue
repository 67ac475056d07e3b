<script setup lang="ts">
/** Somebody saved first: nothing typed is lost, and both can be kept. */
import type { ProblemDocument } from '@/api/types'

defineProps<{ problem: ProblemDocument | null; both: string; theirs: string; mineHint?: string }>()
const emit = defineEmits<{ keepBoth: []; takeTheirs: []; later: [] }>()
</script>

<template>
  <v-dialog :model-value="problem !== null" persistent max-width="560">
    <div v-if="problem" class="panel" role="alertdialog" aria-labelledby="conflict-title">
      <h2 id="conflict-title" class="sleeve">Somebody else saved first</h2>
      <p class="mt-2">{{ problem.detail }} Yours was <b>not</b> saved and is still on this screen. {{ mineHint }}</p>
      <slot />
      <div class="row mt-3">
        <v-btn color="primary" data-test="keep-both" @click="emit('keepBoth')">{{ both }}</v-btn>
        <v-btn variant="outlined" data-test="take-theirs" @click="emit('takeTheirs')">{{ theirs }}</v-btn>
        <v-btn variant="text" @click="emit('later')">Decide later</v-btn>
      </div>
    </div>
  </v-dialog>
</template>
