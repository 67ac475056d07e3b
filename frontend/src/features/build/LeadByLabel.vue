<script setup lang="ts">
/** Behind the code on a label: goes on to the lead's page, or says why not. */
import { onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { ApiError, client, data } from '@/api/client'
import type { ProblemDocument } from '@/api/types'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { leadPage } from './book'

const props = defineProps<{ number: string; branch: string }>()
const router = useRouter()
const problem = ref<ProblemDocument | null>(null)
onMounted(async () => {
  try {
    const path = { number: props.number, branch_id: props.branch }
    const lead = await data(client.GET('/api/leads/{number}/{branch_id}', { params: { path } }))
    await router.replace(leadPage(lead))
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    problem.value = error.problem
  }
})
</script>

<template>
  <div class="page stack">
    <v-progress-linear v-if="!problem" indeterminate aria-label="Looking for the lead" />
    <ProblemNotice :problem="problem" />
    <p v-if="problem"><router-link to="/">All jobs</router-link></p>
  </div>
</template>

<style scoped>
.page {
  padding: 12px 16px;
}
</style>
