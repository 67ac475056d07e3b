<script setup lang="ts">
/** Accounts: add, change, close. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { reactive, ref } from 'vue'
import { ApiError, client, data } from '@/api/client'
import type { Account, ProblemDocument } from '@/api/types'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { useSession } from '@/composables/session'

const queries = useQueryClient()
const session = useSession()
const query = useQuery({ queryKey: ['people'], queryFn: () => data(client.GET('/api/people')) })
const problem = ref<ProblemDocument | null>(null)
const busy = ref(false)
interface Form {
  id: number | null
  lock: number
  login: string
  name: string
  role: Account['role']
  active: boolean
  password: string
}
const blank = (): Form => ({ id: null, lock: 0, login: '', name: '', role: 'technician', active: true, password: '' })
const form = reactive<Form>(blank())
const ROLES = [
  { value: 'technician', title: 'Technician: works on jobs' },
  { value: 'lead', title: 'Lead: also looks after people' },
  { value: 'read_only', title: 'Read only' },
]
const wrong = (field: string) => problem.value?.problems?.filter((p) => p.field === field).map((p) => p.message) ?? []

function start(person: Account | null): void {
  problem.value = null
  Object.assign(form, person ? { ...person, password: '' } : blank())
}
async function save(): Promise<void> {
  problem.value = null
  busy.value = true
  try {
    const { id, lock, login, name, role, active, password } = form
    if (id === null) await data(client.POST('/api/people', { body: { login, name, role, password } }))
    else
      await data(
        client.PUT('/api/people/{person_id}', { params: { path: { person_id: id } }, body: { name, role, active, lock, password } }),
      )
    const self = login === session.me?.login
    start(null)
    if (self) await session.refresh()
    await queries.invalidateQueries({ queryKey: ['people'] })
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    problem.value = error.problem
    // What is kept now is listed anew; what was typed stays in the form.
    if (error.status === 409) {
      form.lock = (error.problem.theirs as unknown as Account).lock
      await queries.invalidateQueries({ queryKey: ['people'] })
    }
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <div class="page">
    <section class="stack">
      <h1 class="sleeve">People</h1>
      <ProblemNotice
        :problem="query.error.value instanceof ApiError ? query.error.value.problem : null"
        :again="() => void query.refetch()"
      />
      <div v-if="query.data.value" class="panel">
        <v-table class="figures">
          <thead>
            <tr>
              <th>Name</th>
              <th>Login</th>
              <th>Role</th>
              <th></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="person in query.data.value.people" :key="person.id" :class="{ closed: !person.active }" :data-person="person.login">
              <td>{{ person.name }}</td>
              <td class="mono">{{ person.login }}</td>
              <td>{{ person.active ? person.role.replace('_', ' ') : 'closed' }}</td>
              <td class="n">
                <v-btn size="small" variant="outlined" :data-test="`change-${person.login}`" @click="start(person)">Change</v-btn>
              </td>
            </tr>
          </tbody>
        </v-table>
      </div>
    </section>
    <v-form class="panel stack" data-test="person-form" @submit.prevent="save">
      <h2 class="sleeve">{{ form.id === null ? 'Add an account' : `Change ${form.login}` }}</h2>
      <v-text-field v-model="form.name" label="Name" name="person-name" :error-messages="wrong('name')" />
      <v-text-field
        v-model="form.login"
        label="Login"
        autocomplete="off"
        name="person-login"
        :disabled="form.id !== null"
        :error-messages="wrong('login')"
      />
      <v-select v-model="form.role" label="Role" :items="ROLES" :error-messages="wrong('role')" />
      <v-text-field
        v-model="form.password"
        :label="form.id === null ? 'Password, at least 10 characters' : 'New password, or leave empty'"
        type="password"
        name="person-password"
        autocomplete="new-password"
        :error-messages="wrong('password')"
      />
      <v-switch
        v-if="form.id !== null"
        v-model="form.active"
        label="May sign in"
        data-test="person-active"
        :error-messages="wrong('active')"
      />
      <p v-if="form.id !== null && (!form.active || form.password)" class="quiet ma-0">
        Saving ends every session of {{ form.name }} at once. Their work stays in the jobs.
      </p>
      <ProblemNotice :problem="problem" />
      <div class="row">
        <v-btn type="submit" color="primary" :loading="busy" data-test="save-person">{{ form.id === null ? 'Add' : 'Save' }}</v-btn>
        <v-btn v-if="form.id !== null" variant="text" @click="start(null)">Cancel</v-btn>
      </div>
    </v-form>
  </div>
</template>

<style scoped>
.page {
  max-width: 1100px;
  margin: 0 auto;
  padding: 14px 16px 40px;
  display: grid;
  grid-template-columns: minmax(0, 1.3fr) minmax(280px, 1fr);
  gap: 14px;
  align-items: start;
}
td {
  vertical-align: middle;
}
.closed {
  opacity: 0.6;
}
@media (max-width: 760px) {
  .page {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
