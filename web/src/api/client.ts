import type { components } from './schema'

type Schemas = components['schemas']
export type Project = Schemas['ProjectOut']
export type Source = Schemas['SourceOut']
export type Places = Schemas['PlacesOut']
export type Entry = Schemas['EntryOut']
export type Entries = Schemas['EntriesOut']
export type Folder = Schemas['FolderOut']
export type Workpiece = Schemas['WorkpieceOut']
export type StepUse = Schemas['StepModel']
export type StepKind = Schemas['StepKindOut']
export type View = Schemas['ViewOut']
export type ViewContent = Schemas['ViewContent']
export type Part = Schemas['PartOut']
export type Finding = Schemas['FindingOut']
export type Delivery = Schemas['DeliveryOut']
export type Format = Schemas['FormatOut']
export type Job = Schemas['JobOut']
export type ProblemDetails = Schemas['Problem']

export class ApiError extends Error {
  constructor(readonly problem: ProblemDetails) {
    super(problem.detail)
  }
}

async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  let response: Response
  try {
    response = await fetch(`/api${path}`, {
      method,
      headers: body === undefined ? {} : { 'Content-Type': 'application/json' },
      body: body === undefined ? undefined : JSON.stringify(body),
    })
  } catch {
    throw new ApiError({ title: 'No answer', status: 0, code: 'offline', detail: 'The server does not answer. Is it still running?' })
  }
  if (!response.ok) {
    const fallback = { title: response.statusText, status: response.status, code: 'http', detail: `The server answered ${response.status}.` }
    throw new ApiError(await response.json().catch(() => fallback))
  }
  return response.status === 204 ? (undefined as T) : response.json()
}

const q = (values: Record<string, string | number | null | undefined>) =>
  new URLSearchParams(Object.entries(values).flatMap(([k, v]) => (v === null || v === undefined || v === '' ? [] : [[k, String(v)]]))).toString()

export const api = {
  projects: () => call<Project[]>('GET', '/projects'),
  createProject: (name: string) => call<Project>('POST', '/projects', { name }),
  sources: (project: string) => call<Source[]>('GET', `/projects/${project}/sources`),
  mount: (project: string, path: string) => call<Job>('POST', `/projects/${project}/sources`, { path }),
  unmount: (project: string, mount: string) => call<void>('DELETE', `/projects/${project}/sources?${q({ mount })}`),
  places: (path: string | null) => call<Places>('GET', `/places?${q({ path })}`),
  entries: (project: string, search: string, kind: string | null, folder: string | null, after: string) =>
    call<Entries>('GET', `/projects/${project}/entries?${q({ search, kind, folder, after })}`),
  folders: (project: string) => call<Folder[]>('GET', `/projects/${project}/folders`),
  steps: () => call<StepKind[]>('GET', '/steps'),
  formats: () => call<Format[]>('GET', '/formats'),
  workpieces: (project: string) => call<Workpiece[]>('GET', `/projects/${project}/workpieces`),
  openWorkpiece: (project: string, entries: string[]) => call<Workpiece>('POST', `/projects/${project}/workpieces`, { entries }),
  workpiece: (id: string) => call<Workpiece>('GET', `/workpieces/${id}`),
  setSteps: (id: string, steps: StepUse[]) => call<Workpiece>('PUT', `/workpieces/${id}/steps`, { steps }),
  undo: (id: string) => call<Workpiece>('POST', `/workpieces/${id}/undo`),
  redo: (id: string) => call<Workpiece>('POST', `/workpieces/${id}/redo`),
  view: (id: string) => call<View>('GET', `/workpieces/${id}/view`),
  deliveries: (project: string) => call<Delivery[]>('GET', `/projects/${project}/deliveries`),
  deliver: (id: string, name: string, formats: string[]) => call<Delivery>('POST', `/workpieces/${id}/deliveries`, { name, formats }),
  jobs: (project: string) => call<Job[]>('GET', `/projects/${project}/jobs`),
  cancel: (id: string) => call<Job>('POST', `/jobs/${id}/cancel`),
}
