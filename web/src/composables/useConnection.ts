import { ref } from 'vue'

// Whether the server and its database answer. What is away comes back by itself; views ask again when it does.
export type Away = 'server' | 'database' | null
export const away = ref<Away>(null)

const PATIENCE = 60
const PAUSE = 1000

// Questions that the database cannot answer just now are asked again; acts are not, since they may have been done.
export async function patientFetch(request: Request): Promise<Response> {
  for (let tries = 0; ; tries++) {
    const answer = await fetch(request.clone())
    if (answer.status !== 503) return answer
    away.value = 'database'
    if (request.method !== 'GET' || tries >= PATIENCE) return answer
    await new Promise((done) => setTimeout(done, PAUSE))
    request.signal.throwIfAborted()
  }
}
