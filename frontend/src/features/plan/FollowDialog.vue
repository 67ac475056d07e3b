<script setup lang="ts">
/** Somebody else kept this document of the job first. */
import type { ProblemDocument } from '@/api/types'
import ConflictDialog from '@/ui/ConflictDialog.vue'

defineProps<{ problem: ProblemDocument | null }>()
defineEmits<{ follow: []; take: []; later: [] }>()
</script>

<template>
  <ConflictDialog
    :problem="problem"
    both="Keep mine after theirs"
    theirs="Take theirs"
    mine-hint="Theirs stays in the log."
    @keep-both="$emit('follow')"
    @take-theirs="$emit('take')"
    @later="$emit('later')"
  />
</template>
