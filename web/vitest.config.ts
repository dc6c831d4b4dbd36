import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vitest/config'

export default defineConfig({
  plugins: [vue({ template: { compilerOptions: { whitespace: 'preserve' } } })],
  test: {
    include: ['tests/**/*.test.ts'],
    environment: 'node',
    environmentOptions: { happyDOM: { url: 'http://page.test/' } },
    setupFiles: ['tests/server.ts'],
  },
})
