import { cpSync, mkdirSync } from 'node:fs'
import { defineConfig } from 'vite'

const home = '../src/pruxel/core/deliver/judge_program'

// The judge of deliveries: one program for Node with all it needs inside, so that an installed application has it too.
export default defineConfig({
  publicDir: false,
  build: {
    ssr: 'judge/main.ts',
    outDir: home,
    emptyOutDir: true,
    target: 'node20',
    minify: true,
    rollupOptions: { output: { entryFileNames: 'judge.mjs' } },
  },
  ssr: { noExternal: true },
  plugins: [
    {
      name: 'validator-beside',
      closeBundle() {
        mkdirSync(`${home}/gltf-validator`, { recursive: true })
        for (const file of ['index.js', 'gltf_validator.dart.js', 'package.json', 'LICENSE', 'NOTICES'])
          cpSync(`node_modules/gltf-validator/${file}`, `${home}/gltf-validator/${file}`)
        cpSync('node_modules/three/LICENSE', `${home}/three-LICENSE`)
      },
    },
  ],
})
