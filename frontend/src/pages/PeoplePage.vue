<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { reactive, ref } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { ProblemDocument } from '@/api/types'
import ProblemNotice from '@/components/ProblemNotice.vue'

const queries = useQueryClient()
const query = useQuery({ queryKey: ['people'], queryFn: () => data(client.GET('/api/people')) })
const fresh = reactive({ login: '', name: '', role: 'technician' as 'technician' | 'lead' | 'read_only', password: '' })
const problem = ref<ProblemDocument | null>(null)
const ROLES = [
  { value: 'technician', title: 'Technician: works on jobs' },
  { value: 'lead', title: 'Lead: also looks after people' },
  { value: 'read_only', title: 'Read only' },
]
const wrong = (field: string) => problem.value?.problems?.filter((p) => p.field === field).map((p) => p.message) ?? []

async function add(): Promise<void> {
  problem.value = null
  try {
    await data(client.POST('/api/people', { body: { ...fresh } }))
    Object.assign(fresh, { login: '', name: '', password: '' })
    await queries.invalidateQueries({ queryKey: ['people'] })
  } catch (error) {
    if (error instanceof ApiError) problem.value = error.problem
  }
}
</script>

<template>
  <div class="page stack">
    <h1 class="sleeve">People</h1>
    <ProblemNotice :problem="query.error.value instanceof ApiError ? query.error.value.problem : null" />
    <table v-if="query.data.value" class="figures">
      <thead><tr><th>Name</th><th>Login</th><th>Role</th></tr></thead>
      <tbody>
        <tr v-for="person in query.data.value.people" :key="person.id"><td>{{ person.name }}</td><td class="mono">{{ person.login }}</td><td>{{ person.role.replace('_', ' ') }}</td></tr>
      </tbody>
    </table>
    <form class="panel stack" @submit.prevent="add">
      <b>Add an account</b>
      <v-text-field v-model="fresh.name" label="Name" :error-messages="wrong('name')" />
      <v-text-field v-model="fresh.login" label="Login" autocomplete="off" :error-messages="wrong('login')" />
      <v-select v-model="fresh.role" label="Role" :items="ROLES" />
      <v-text-field v-model="fresh.password" label="Password" type="password" autocomplete="new-password" :error-messages="wrong('password')" />
      <ProblemNotice :problem="problem" />
      <v-btn type="submit" color="primary">Add</v-btn>
    </form>
  </div>
</template>

<style scoped>
.page {
  max-width: 720px;
  margin: 0 auto;
  padding: 14px;
}
</style>
