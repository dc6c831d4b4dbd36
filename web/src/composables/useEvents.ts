import { onScopeDispose } from 'vue'
import type { Job } from '../api/client'
import { away } from './useConnection'

// How a job stands; the rest of it is asked for by its id.
export type JobNews = Pick<Job, 'id' | 'project_id' | 'kind' | 'title' | 'status' | 'fraction' | 'message' | 'away'>

export interface ServerEvent {
  project_id?: string
  job?: JobNews
  view?: string
  batch?: string
  changed?:
    | 'sources'
    | 'deliveries'
    | 'batches'
    | 'marks'
    | 'names'
    | 'keys'
    | 'references'
    | 'jobs'
    | 'workpieces'
    | 'projects'
    | 'problems'
  picture?: { entry: number; key: string }
  reconnected?: boolean
}

const listeners = new Set<(event: ServerEvent) => void>()
let stream: EventSource | null = null

function connect(): void {
  stream = new EventSource('/api/events')
  stream.addEventListener('error', () => (away.value ??= 'server'))
  stream.addEventListener('away', () => (away.value = 'database'))
  stream.addEventListener('hello', () => {
    away.value = null
    // What happened before the stream stood open was missed: everybody looks again, the first time too.
    listeners.forEach((listener) => listener({ reconnected: true }))
  })
  stream.onmessage = (message) => {
    const event = JSON.parse(message.data as string) as ServerEvent
    listeners.forEach((listener) => listener(event))
  }
}

// Call `listener` for every event of the server while the calling scope lives. One stream serves the whole page.
export function useEvents(listener: (event: ServerEvent) => void): void {
  if (!stream) connect()
  listeners.add(listener)
  onScopeDispose(() => listeners.delete(listener))
}
