/** Mounts a component as the application would, with answers that are there already instead of a server. */
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { mount } from '@vue/test-utils'
import { createPinia } from 'pinia'
import { createVuetify } from 'vuetify'
import type { Component } from 'vue'
import type { Catalogue } from '@/api/types'
import { first } from '@/ui/first'

export function mounted(component: Component, props: Record<string, unknown>, catalogue: Partial<Catalogue> = {}, slots = {}) {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: Infinity } } })
  queries.setQueryData(['catalogue'], { bounds: {}, sizes: [], cautions: [], ...catalogue })
  return mount(component, {
    props,
    slots,
    attachTo: document.body,
    global: {
      plugins: [createPinia(), createVuetify(), [VueQueryPlugin, { queryClient: queries }]],
      directives: { first },
      stubs: { transition: true, VDialog: { template: '<div><slot /></div>' }, RouterLink: { template: '<a><slot /></a>' } },
    },
  })
}
