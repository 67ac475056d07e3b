/** `v-first`: the field that takes the focus as it appears, at once and only then. */
import type { Directive } from 'vue'

/** Vuetify's own autofocus comes again once the field is seen, and takes the focus from one that is typed into by then. */
export const first: Directive<HTMLElement, boolean | undefined> = {
  mounted(element, binding) {
    if (binding.value === false) return
    element.querySelector<HTMLElement>('input, textarea')?.focus()
  },
}
