import { fileURLToPath, URL } from 'node:url'

import vue from '@vitejs/plugin-vue'
import AutoImport from 'unplugin-auto-import/vite'
import { ElementPlusResolver } from 'unplugin-vue-components/resolvers'
import Components from 'unplugin-vue-components/vite'
import { defineConfig } from 'vitest/config'

// Styles of Element Plus come with the components that are used; vitest can't load them.
const resolver = ElementPlusResolver({ importStyle: process.env.VITEST ? false : 'css' })

export default defineConfig({
  plugins: [
    vue(),
    AutoImport({ resolvers: [resolver], dts: 'src/auto-imports.d.ts' }),
    Components({ resolvers: [resolver], dirs: [], dts: 'src/components.d.ts' }),
  ],
  resolve: { alias: { '@': fileURLToPath(new URL('./src', import.meta.url)) } },
  build: {
    outDir: fileURLToPath(new URL('../src/mnemic/web', import.meta.url)),
    emptyOutDir: true,
    // A picture or font inside a style sheet would need a wider content policy.
    assetsInlineLimit: 0,
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8420' } },
  test: { environment: 'happy-dom', include: ['src/**/*.test.ts'] },
})
