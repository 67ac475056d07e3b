/** Mavrik's own look: warm paper and graphite, copper for the feed side, slate for the return side. */
import { useLocalStorage, usePreferredDark } from '@vueuse/core'
import { createVuetify } from 'vuetify'
import { aliases, mdi } from 'vuetify/iconsets/mdi-svg'

const shared = { variables: { 'border-opacity': 0.28, 'high-emphasis-opacity': 1, 'medium-emphasis-opacity': 0.78 } }

export const paper = {
  ...shared,
  dark: false,
  colors: {
    background: '#efe8db',
    surface: '#faf6ee',
    'surface-variant': '#e3dac8',
    'on-surface-variant': '#3a3d42',
    'on-background': '#23262b',
    'on-surface': '#23262b',
    primary: '#8f4319',
    'on-primary': '#fff9f0',
    secondary: '#35506a',
    error: '#a3201d',
    warning: '#8a5600',
    success: '#2b6336',
    info: '#5b4690',
  },
}

export const graphite = {
  ...shared,
  dark: true,
  colors: {
    background: '#15171a',
    surface: '#1e2125',
    'surface-variant': '#2c3036',
    'on-surface-variant': '#d8d0c2',
    'on-background': '#ece5d8',
    'on-surface': '#ece5d8',
    primary: '#e39361',
    'on-primary': '#20140b',
    secondary: '#8fb0cf',
    error: '#ff8a80',
    warning: '#f0b54a',
    success: '#86c98f',
    info: '#b9a6ec',
  },
}

export const THEMES = ['paper', 'graphite'] as const

/** What was chosen on this machine; empty: as the machine has it. */
export const wishedTheme = useLocalStorage('mavrik-theme', '')

export function makeVuetify() {
  const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content
  const wished = wishedTheme.value
  const dark = usePreferredDark().value
  return createVuetify({
    icons: { defaultSet: 'mdi', aliases, sets: { mdi } },
    theme: {
      defaultTheme: THEMES.find((name) => name === wished) ?? (dark ? 'graphite' : 'paper'),
      themes: { paper, graphite },
      cspNonce: nonce,
    },
    defaults: {
      VBtn: { variant: 'flat', rounded: 'sm', minHeight: 44 },
      VTextField: { variant: 'outlined', density: 'comfortable', hideDetails: 'auto' },
      VTextarea: { variant: 'outlined', density: 'comfortable', hideDetails: 'auto' },
      VSelect: { variant: 'outlined', density: 'comfortable', hideDetails: 'auto' },
      VAutocomplete: { variant: 'outlined', density: 'comfortable', hideDetails: 'auto' },
      VTable: { density: 'compact' },
      VSlider: { color: 'primary', hideDetails: true },
      VDialog: { maxWidth: 720 },
      VSwitch: { color: 'primary', hideDetails: 'auto' },
    },
  })
}
