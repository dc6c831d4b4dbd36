// A program that stays ready: a line of JSON for each question, a list of words, and a line for each answer,
// `{"answer": …}` or `{"wrong": "…"}`. It ends with its input, when nobody asks for a while, and when it has grown.
import { createInterface } from 'node:readline'

const MOST_IDLE_MS = 30_000
const MOST_BYTES = 512 << 20

export async function answered(answer: (words: string[]) => unknown): Promise<void> {
  // Its output is for answers; what loaders have to say of a file goes where the last words go.
  console.log = console.info = console.error
  const waiting = () => setTimeout(() => process.exit(), MOST_IDLE_MS)
  let patience = waiting()
  for await (const line of createInterface({ input: process.stdin })) {
    clearTimeout(patience)
    let said: object
    try {
      said = { answer: (await answer(JSON.parse(line) as string[])) ?? null }
    } catch (error) {
      said = { wrong: error instanceof Error ? error.message : String(error) }
    }
    process.stdout.write(`${JSON.stringify(said)}\n`)
    if (process.memoryUsage.rss() > MOST_BYTES) break
    patience = waiting()
  }
  process.exit()
}
