import '@fontsource/b612/latin-400.css'
import '@fontsource/b612/latin-700.css'
import '@fontsource/b612-mono/latin-400.css'
import '@fontsource/b612-mono/latin-700.css'
import 'vuetify/styles/core'
import './styles/helpers.css'
import './styles/base.css'
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import { ApiError } from './api/client'
import App from './App.vue'
import { first } from './ui/first'
import { listenForKeys } from './composables/keys'
import { router } from './router'
import { makeVuetify } from './theme'

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      refetchOnWindowFocus: false,
      // The server may be on this very machine: whether it answers, only asking it tells.
      networkMode: 'always',
      // A refusal is final; only a server that could not be reached is worth another try.
      retry: (count, error) => count < 2 && error instanceof ApiError && (error.status === 0 || error.status === 503),
    },
  },
})

listenForKeys()
createApp(App)
  .directive('first', first)
  .use(createPinia())
  .use(router)
  .use(VueQueryPlugin, { queryClient: queries })
  .use(makeVuetify())
  .mount('#app')
