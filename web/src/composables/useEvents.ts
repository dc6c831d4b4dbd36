import { onScopeDispose } from 'vue'
import type { Job } from '../api/client'

export interface ServerEvent {
  project_id?: string
  job?: Job
  view?: string
  changed?: 'sources' | 'deliveries'
  picture?: { entry: number; key: string }
  reconnected?: boolean
}

const listeners = new Set<(event: ServerEvent) => void>()
let stream: EventSource | null = null
let opened = false

function connect() {
  stream = new EventSource('/api/events')
  stream.addEventListener('hello', () => {
    if (opened) listeners.forEach((listener) => listener({ reconnected: true }))
    opened = true
  })
  stream.onmessage = (message) => {
    const event = JSON.parse(message.data) as ServerEvent
    listeners.forEach((listener) => listener(event))
  }
}

/** Call `listener` for every event of the server while the calling scope lives. One stream serves the whole page. */
export function useEvents(listener: (event: ServerEvent) => void) {
  if (!stream) connect()
  listeners.add(listener)
  onScopeDispose(() => listeners.delete(listener))
}
