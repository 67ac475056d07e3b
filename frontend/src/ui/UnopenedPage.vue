<script setup lang="ts">
/** What stands where a page would, whose files the server did not send. A browser does not ask for them twice: the page is loaded anew. */
import { reached } from '@/api/client'

defineProps<{ address: string }>()
</script>

<template>
  <p class="panel" role="alert" data-test="unopened">
    <template v-if="reached"><b>This page has to be loaded anew.</b> What was typed stays. </template>
    <template v-else><b>This page cannot be opened: the server does not answer.</b> Nothing is lost. </template>
    <v-btn v-if="reached" variant="outlined" :href="address" data-test="open-anew">Open it</v-btn>
  </p>
</template>
