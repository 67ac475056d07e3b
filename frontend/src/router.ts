import { createRouter, createWebHistory } from 'vue-router'
import { useSession } from './lib/session'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'jobs', component: () => import('./pages/JobsPage.vue') },
    { path: '/sign-in', name: 'sign-in', component: () => import('./pages/SignInPage.vue'), meta: { open: true } },
    { path: '/instruments', name: 'instruments', component: () => import('./pages/InstrumentsPage.vue') },
    { path: '/people', name: 'people', component: () => import('./pages/PeoplePage.vue') },
    { path: '/jobs/:id(\\d+)/:stage?', name: 'job', component: () => import('./pages/JobPage.vue'), props: true },
    { path: '/:rest(.*)', name: 'nowhere', component: () => import('./pages/NowherePage.vue') },
  ],
})

router.beforeEach(async (to) => {
  const session = useSession()
  await session.ensure()
  if (!to.meta.open && session.known && !session.signedIn) return { name: 'sign-in', query: { to: to.fullPath } }
  if (to.name === 'sign-in' && session.signedIn) return { name: 'jobs' }
  return true
})
