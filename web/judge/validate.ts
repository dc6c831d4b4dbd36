import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { basename, dirname, join } from 'node:path'

interface Issues {
  numErrors: number
  numWarnings: number
  messages: { code: string; message: string; severity: number; pointer?: string }[]
}

interface Validator {
  validateBytes(data: Uint8Array, options: object): Promise<{ issues: Issues }>
}

// The official validator lies beside the judge as it came: its program cannot be bundled.
export async function validate(file: string): Promise<Issues> {
  const validator = createRequire(import.meta.url)('./gltf-validator/index.js') as Validator
  const report = await validator.validateBytes(new Uint8Array(readFileSync(file)), {
    uri: basename(file),
    maxIssues: 60,
    writeTimestamp: false,
    externalResourceFunction: (uri: string) =>
      Promise.resolve(new Uint8Array(readFileSync(join(dirname(file), decodeURIComponent(uri))))),
  })
  return report.issues
}
