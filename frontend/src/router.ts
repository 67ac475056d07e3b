import { ref } from 'vue'
import { createRouter, createWebHistory } from 'vue-router'
import { client } from './api/client'
import { useSession } from './composables/session'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'jobs', component: () => import('./features/jobs/JobsPage.vue') },
    { path: '/jobs', redirect: '/' },
    { path: '/sign-in', name: 'sign-in', component: () => import('./features/people/SignInPage.vue'), meta: { open: true } },
    { path: '/instruments', name: 'instruments', component: () => import('./features/instruments/InstrumentsPage.vue') },
    { path: '/schedule', name: 'schedule', component: () => import('./features/schedule/SchedulePage.vue') },
    { path: '/lists', name: 'lists', component: () => import('./features/office/ListsPage.vue') },
    { path: '/orders', name: 'orders', component: () => import('./features/office/OrdersPage.vue') },
    { path: '/people', name: 'people', component: () => import('./features/people/PeoplePage.vue') },
    { path: '/log', name: 'log', component: () => import('./features/office/LogPage.vue') },
    { path: '/customers', name: 'customers', component: () => import('./features/office/CustomersPage.vue') },
    { path: '/work', name: 'work', component: () => import('./features/office/WorkPage.vue') },
    { path: '/jobs/:id(\\d+)/:stage?', name: 'job', component: () => import('./features/jobs/JobPage.vue'), props: true },
    { path: '/lead/:number/:branch', name: 'lead', component: () => import('./features/build/LeadByLabel.vue'), props: true },
    { path: '/:rest(.*)', name: 'nowhere', component: () => import('./ui/NowherePage.vue') },
  ],
})

router.beforeEach(async (to) => {
  const session = useSession()
  await session.ensure()
  if (!to.meta.open && session.known && !session.signedIn) return { name: 'sign-in', query: { to: to.fullPath } }
  if (to.name === 'sign-in' && session.signedIn) return { name: 'jobs' }
  return true
})

/** The address of a page that could not be opened, because its files did not come; empty: none. */
export const unopened = ref('')
router.onError((_, to) => {
  unopened.value = to.fullPath
  // Whether the server is away, or only has another version by now, asking it tells.
  void client.GET('/api/health').catch(() => undefined)
})
router.afterEach(() => (unopened.value = ''))
