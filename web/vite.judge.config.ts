import { cpSync, mkdirSync } from 'node:fs'
import { defineConfig } from 'vite'

const home = '../src/pruxel/core/native/node_programs'

// Programs for Node with all they need inside, so that an installed application has them too: the judge of deliveries,
// and what takes textures apart.
export default defineConfig({
  publicDir: false,
  build: {
    ssr: true,
    outDir: home,
    emptyOutDir: true,
    target: 'node20',
    minify: true,
    rollupOptions: {
      input: { judge: 'judge/main.ts', transcode: 'judge/transcode.ts' },
      output: { entryFileNames: '[name].mjs' },
    },
  },
  ssr: { noExternal: true },
  plugins: [
    {
      name: 'what-lies-beside',
      closeBundle() {
        mkdirSync(`${home}/gltf-validator`, { recursive: true })
        for (const file of ['index.js', 'gltf_validator.dart.js', 'package.json', 'LICENSE', 'NOTICES'])
          cpSync(`node_modules/gltf-validator/${file}`, `${home}/gltf-validator/${file}`)
        cpSync('node_modules/three/LICENSE', `${home}/three-LICENSE`)
        const basis = 'node_modules/three/examples/jsm/libs/basis'
        cpSync(`${basis}/basis_transcoder.js`, `${home}/basis_transcoder.cjs`)
        cpSync(`${basis}/basis_transcoder.wasm`, `${home}/basis_transcoder.wasm`)
        cpSync(`${basis}/README.md`, `${home}/basis-README.md`)
      },
    },
  ],
})
