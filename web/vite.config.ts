import tailwindcss from '@tailwindcss/vite'
import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'

export default defineConfig({
  // A line break between two words is a space, as in any HTML: the formatter relies on it.
  plugins: [vue({ template: { compilerOptions: { whitespace: 'preserve' } } }), tailwindcss()],
  // Fonts and pictures come from our own address, never from within a style: the page's policy takes nothing else.
  build: { outDir: '../src/pruxel/server/web', emptyOutDir: true, chunkSizeWarningLimit: 1500, assetsInlineLimit: 0 },
  server: { proxy: { '/api': 'http://127.0.0.1:8737' } },
})
