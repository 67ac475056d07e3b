<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { useTheme } from 'vuetify'
import KeyHelp from './ui/KeyHelp.vue'
import PasswordDialog from './features/people/PasswordDialog.vue'
import SignInsDialog from './features/people/SignInsDialog.vue'
import ProblemNotice from './ui/ProblemNotice.vue'
import UnopenedPage from './ui/UnopenedPage.vue'
import { useKeys } from './composables/keys'
import { unsent, useOutbox } from './composables/outbox'
import { useSession } from './composables/session'
import { useTasks } from './composables/tasks'
import { useUnits } from './composables/units'
import { unopened } from './router'
import { wishedTheme } from './theme'

const session = useSession()
const units = useUnits()
const router = useRouter()
const theme = useTheme()
/** Where there is no room for the name. */
const initials = computed(() =>
  (session.me?.name ?? '')
    .split(' ')
    .map((word) => word[0])
    .join(''),
)
const { running } = useTasks(() => session.signedIn)
useOutbox(() => session.signedIn)
const help = ref(false)
const password = ref(false)
const places = ref(false)

function flip(): void {
  const next = theme.global.name.value === 'graphite' ? 'paper' : 'graphite'
  theme.change(next)
  wishedTheme.value = next
}
async function leave(): Promise<void> {
  await session.signOut()
  await router.push({ name: 'sign-in' })
}
useKeys([
  { key: '?', label: 'this list', run: () => (help.value = !help.value) },
  { key: 'd', label: 'light or dark', run: flip },
  { key: 'i', label: 'instruments', run: () => void router.push({ name: 'instruments' }) },
  { key: 'v', label: 'the workshop’s week', run: () => void router.push({ name: 'schedule' }) },
  { key: 'o', label: 'parts to order', run: () => void router.push({ name: 'orders' }) },
  { key: 'w', label: 'running work', run: () => void router.push({ name: 'work' }) },
  { key: 'g', label: 'all jobs', run: () => void router.push({ name: 'jobs' }) },
])
</script>

<template>
  <v-app>
    <header class="bar">
      <router-link to="/" class="brand" aria-label="Mavrik, all jobs">
        <svg width="26" height="26" viewBox="0 0 32 32" aria-hidden="true">
          <path d="M5 22V11a4 4 0 0 1 4-4h14" fill="none" stroke="var(--copper)" stroke-width="5" />
          <path d="M27 10v11a4 4 0 0 1-4 4H9" fill="none" stroke="var(--slate)" stroke-width="5" />
        </svg>
        <b>Mavrik</b>
      </router-link>
      <span class="quiet shop">{{ session.me?.workshop }}<template v-if="session.me?.demo"> · demo data</template></span>
      <span class="grow" />
      <template v-if="session.signedIn">
        <v-menu :close-on-content-click="false">
          <template #activator="{ props }"><v-btn v-bind="props" variant="text">Units</v-btn></template>
          <div class="panel stack">
            <v-select v-model="units.length" label="Lengths" :items="['m', 'ft']" />
            <v-select v-model="units.temperature" label="Temperatures" :items="['°C', '°F']" />
            <v-select
              v-model="units.system"
              label="Cable series"
              :items="[
                { title: 'mm²', value: 'mm2' },
                { title: 'AWG', value: 'awg' },
              ]"
            />
          </div>
        </v-menu>
        <router-link
          v-if="unsent.first"
          :to="`/jobs/${unsent.first.jobId}/build`"
          class="link working"
          :class="{ bad: unsent.first.refused }"
          data-test="unsent"
          >{{ unsent.first.refused ? '✕ not taken' : '⇡' }} {{ unsent.count }} to send</router-link
        >
        <router-link v-if="running" to="/work" class="link working" data-test="working"
          ><v-progress-circular indeterminate size="16" width="2" aria-hidden="true" />{{ running }} running</router-link
        >
        <router-link to="/schedule" class="link" data-test="to-schedule">Week</router-link>
        <router-link to="/instruments" class="link">Instruments</router-link>
        <router-link v-if="session.may('keep_people')" to="/people" class="link">People</router-link>
        <v-menu>
          <template #activator="{ props }"
            ><v-btn v-bind="props" variant="text" class="who" data-test="account" :aria-label="session.me?.name"
              ><span class="whole">{{ session.me?.name }}</span
              ><span class="initials" aria-hidden="true">{{ initials }}</span></v-btn
            ></template
          >
          <v-list>
            <v-list-item title="The workshop’s lists" :to="{ name: 'lists' }" data-test="to-lists" />
            <v-list-item title="Running work" :to="{ name: 'work' }" data-test="to-work" />
            <v-list-item v-if="session.may('audit')" title="Log of changes" :to="{ name: 'log' }" data-test="to-log" />
            <v-list-item v-if="session.may('erase')" title="Customers" :to="{ name: 'customers' }" data-test="to-customers" />
            <v-list-item title="Where you are signed in" data-test="sign-ins" @click="places = true" />
            <v-list-item title="Change password" data-test="change-password" @click="password = true" />
            <v-list-item title="Sign out" data-test="sign-out" @click="leave" />
          </v-list>
        </v-menu>
      </template>
      <v-btn variant="text" aria-label="Light or dark" @click="flip">◐</v-btn>
      <v-btn variant="text" aria-label="Keys" @click="help = true">?</v-btn>
    </header>
    <v-main>
      <div v-if="session.trouble" class="pa-4"><ProblemNotice :problem="session.trouble" :again="session.refresh" /></div>
      <UnopenedPage v-if="unopened" class="ma-4" :address="unopened" />
      <router-view v-if="!session.trouble" :key="String($route.params.id ?? $route.name)" />
    </v-main>
    <KeyHelp v-model="help" />
    <PasswordDialog v-model="password" />
    <SignInsDialog v-model="places" />
  </v-app>
</template>

<style scoped>
.bar {
  display: flex;
  gap: 12px;
  align-items: center;
  min-height: 48px;
  padding: 0 14px;
  flex-wrap: wrap;
}
.brand {
  display: flex;
  gap: 8px;
  align-items: center;
  color: inherit;
  text-decoration: none;
  font-size: 1.15rem;
  min-height: 44px;
}
.link {
  color: inherit;
  display: inline-flex;
  align-items: center;
  min-height: 44px;
}
.working {
  gap: 8px;
  font-weight: 700;
}
@media (max-width: 900px) {
  .bar {
    gap: 4px;
  }
  .shop {
    display: none;
  }
  .bar :deep(.v-btn) {
    min-width: 44px;
    padding: 0 10px;
  }
}
.initials {
  display: none;
}
@media (max-width: 640px) {
  .bar {
    padding: 0 8px;
  }
  .brand b,
  .whole {
    display: none;
  }
  .initials {
    display: inline;
  }
}
</style>
