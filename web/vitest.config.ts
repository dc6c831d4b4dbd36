import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vitest/config'

export default defineConfig({
  plugins: [vue({ template: { compilerOptions: { whitespace: 'preserve' } } })],
  test: {
    include: ['tests/**/*.test.ts'],
    environment: 'node',
    pool: 'threads',
    // How long one takes says nothing: machines are shared.
    testTimeout: 120_000,
    hookTimeout: 120_000,
    environmentOptions: { happyDOM: { url: 'http://page.test/' } },
    setupFiles: ['tests/server.ts'],
  },
})
