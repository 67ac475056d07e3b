import { fileURLToPath } from 'node:url'
import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vitest/config'
import vuetify from 'vite-plugin-vuetify'

export default defineConfig({
  plugins: [vue(), vuetify({ autoImport: true })],
  resolve: { alias: { '@': fileURLToPath(new URL('./src', import.meta.url)) } },
  test: { css: { include: [/(base|helpers|utilities)\.css/] }, server: { deps: { inline: ['vuetify'] } } },
  build: {
    outDir: '../src/mavrik/web/static/app',
    emptyOutDir: true,
    // Fonts stay files: the content policy allows no data: fonts.
    assetsInlineLimit: 0,
    chunkSizeWarningLimit: 900,
  },
})
