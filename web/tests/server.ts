// A server that answers what a test says, and keeps what it was asked.
export interface Asked {
  method: string
  path: string
  query: URLSearchParams
  body: unknown
}
type Answer = (asked: Asked) => unknown
type Fetch = (given: Request | string) => Promise<Response>
const nobody: Fetch = () => Promise.reject(new TypeError('nobody answers'))
let answer = nobody
// The client takes hold of `fetch` as it is loaded, before any test says what is answered.
globalThis.fetch = ((given: Request | string) => answer(given)) as typeof fetch

export class Refusal {
  constructor(
    readonly status: number,
    readonly body: unknown,
  ) {}
}

// Routes as `GET /api/projects/*/entries`; `*` stands for one part of the path.
export function serve(routes: Record<string, Answer>): Asked[] {
  const asked: Asked[] = []
  const known = Object.entries(routes).map(([route, say]) => {
    const [method, path] = route.split(' ') as [string, string]
    return { method, pattern: new RegExp(`^${path.replaceAll('*', '[^/]+')}$`), say }
  })
  answer = async (given) => {
    const request = given instanceof Request ? given : new Request(new URL(given, 'http://page.test'))
    const url = new URL(request.url)
    const text = request.headers.get('Content-Type') === 'application/json' ? await request.text() : ''
    const one = { method: request.method, path: url.pathname, query: url.searchParams, body: text && JSON.parse(text) }
    asked.push(one)
    const route = known.find((r) => r.method === one.method && r.pattern.test(one.path))
    if (!route) throw new TypeError(`nobody answers ${one.method} ${one.path}`)
    const found = await route.say(one)
    if (request.signal.aborted) throw new DOMException('asked no longer', 'AbortError')
    const refused = found instanceof Refusal
    const data = JSON.stringify(refused ? found.body : (found ?? null))
    return new Response(data, {
      status: refused ? found.status : 200,
      headers: { 'Content-Type': 'application/json', 'Content-Length': String(data.length) },
    })
  }
  return asked
}

// Events of the server, sent by the test.
export class Events {
  static readonly open: Events[] = []
  private readonly heard = new Map<string, () => void>()
  onmessage: (message: { data: string }) => void = () => undefined
  constructor(readonly url: string) {
    Events.open.push(this)
  }
  addEventListener(name: string, listener: () => void) {
    this.heard.set(name, listener)
  }
  static hello() {
    for (const one of Events.open) one.heard.get('hello')?.()
  }
  static say(event: object) {
    for (const one of Events.open) one.onmessage({ data: JSON.stringify(event) })
  }
}

// Nothing is laid out in tests, so no size ever changes.
class Unchanging {
  observe() {}
  unobserve() {}
  disconnect() {}
}
Object.assign(globalThis, { EventSource: Events, ResizeObserver: Unchanging })

// Let everything that was begun come to its end.
export async function settled(times = 12) {
  for (let i = 0; i < times; i++) await new Promise((done) => setTimeout(done, 0))
}
