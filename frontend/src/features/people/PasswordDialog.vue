<script setup lang="ts">
/** One's own password. */
import { reactive, ref, watch } from 'vue'
import { ApiError } from '@/api/client'
import type { ProblemDocument } from '@/api/types'
import { useSession } from '@/composables/session'
import ProblemNotice from '@/ui/ProblemNotice.vue'

const open = defineModel<boolean>({ required: true })
const session = useSession()
const form = reactive({ password: '', fresh: '', again: '' })
const problem = ref<ProblemDocument | null>(null)
const busy = ref(false)
const tried = ref(false)
const wrong = (field: string) => problem.value?.problems?.filter((p) => p.field === field).map((p) => p.message) ?? []
watch(open, () => {
  Object.assign(form, { password: '', fresh: '', again: '' })
  problem.value = null
  tried.value = false
})
async function save(): Promise<void> {
  tried.value = true
  problem.value = null
  if (form.fresh !== form.again) return
  busy.value = true
  try {
    await session.changePassword(form.password, form.fresh)
    open.value = false
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    problem.value = error.problem
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <v-dialog v-model="open" max-width="420">
    <v-form class="panel stack" data-test="password-form" @submit.prevent="save">
      <h2 class="sleeve">Change your password</h2>
      <v-text-field
        v-model="form.password"
        v-first
        label="Password of now"
        type="password"
        name="old-password"
        autocomplete="current-password"
        :error-messages="wrong('password')"
      />
      <v-text-field
        v-model="form.fresh"
        label="New password, at least 10 characters"
        type="password"
        name="new-password"
        autocomplete="new-password"
        :error-messages="wrong('new_password')"
      />
      <v-text-field
        v-model="form.again"
        label="Once more"
        type="password"
        name="new-password-again"
        autocomplete="new-password"
        :error-messages="tried && form.fresh !== form.again ? ['The two differ.'] : []"
      />
      <p class="quiet ma-0">Signs you out everywhere else.</p>
      <ProblemNotice v-if="problem && !problem.problems?.length" :problem="problem" />
      <div class="row">
        <v-btn type="submit" color="primary" :loading="busy" data-test="save-password">Change it</v-btn>
        <v-btn variant="text" @click="open = false">Cancel</v-btn>
      </div>
    </v-form>
  </v-dialog>
</template>
