<script setup lang="ts">
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { ApiError } from '@/api/client'
import type { ProblemDocument } from '@/api/types'
import ProblemNotice from '@/ui/ProblemNotice.vue'
import { useSession } from '@/composables/session'

const session = useSession()
const router = useRouter()
const route = useRoute()
const login = ref('')
const password = ref('')
const busy = ref(false)
const problem = ref<ProblemDocument | null>(null)

async function enter(): Promise<void> {
  busy.value = true
  problem.value = null
  try {
    await session.signIn(login.value, password.value)
    const to =
      typeof route.query.to === 'string' && route.query.to.startsWith('/') && !route.query.to.startsWith('//') ? route.query.to : '/'
    await router.replace(to)
  } catch (error) {
    if (error instanceof ApiError) problem.value = error.problem
    password.value = ''
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <div class="door">
    <v-form class="panel stack" @submit.prevent="enter">
      <h1 class="sleeve">Sign in to {{ session.me?.workshop ?? 'the workshop' }}</h1>
      <v-text-field v-model="login" v-first label="Login" autocomplete="username" name="login" />
      <v-text-field v-model="password" label="Password" type="password" autocomplete="current-password" name="password" />
      <ProblemNotice :problem="problem" />
      <v-btn type="submit" color="primary" size="large" :loading="busy">Sign in</v-btn>
      <p v-if="session.me?.demo" class="quiet ma-0">Demo: the sign-in was printed where Mavrik was started.</p>
    </v-form>
    <svg class="art" viewBox="0 0 420 240" aria-hidden="true">
      <path d="M60 170V90a30 30 0 0 1 30-30h220" stroke="var(--copper)" stroke-width="16" fill="none" />
      <path d="M360 80v70a30 30 0 0 1-30 30H110" stroke="var(--slate)" stroke-width="16" fill="none" />
      <path d="M60 176h0M110 180h0M310 60h0M360 76h0" stroke="currentColor" stroke-width="24" stroke-linecap="round" />
    </svg>
  </div>
</template>

<style scoped>
.door {
  display: grid;
  grid-template-columns: minmax(280px, 420px) minmax(0, 480px);
  gap: 48px;
  align-items: center;
  justify-content: center;
  padding: 6vh 20px;
}
.art {
  width: 100%;
}
@media (max-width: 760px) {
  .door {
    grid-template-columns: minmax(0, 420px);
  }
  .art {
    display: none;
  }
}
</style>
