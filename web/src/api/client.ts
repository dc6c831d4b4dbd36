import type { components } from './schema'

type Schemas = components['schemas']
export type Project = Schemas['ProjectOut']
export type Source = Schemas['SourceOut']
export type Places = Schemas['PlacesOut']
export type Entry = Schemas['EntryOut']
export type Entries = Schemas['EntriesOut']
export type Facets = Schemas['FacetsOut']
export type Folder = Schemas['FolderOut']
export type Version = Schemas['VersionOut']
export type Look = Schemas['LookOut']
export type Glance = Schemas['GlanceOut']
export type References = Schemas['ReferencesOut']
export type SavedSearch = Schemas['SavedSearchModel']
export type Selection = Schemas['SelectionOut']
export type ExtractWish = Partial<Schemas['ExtractIn']>
export type Collision = Schemas['CollisionOut']
export type Hit = Schemas['HitModel']
export type Card = Schemas['CardOut']
export type Catalogue = Schemas['CatalogueOut']
export type Naming = Schemas['NamingOut']
export type Key = Schemas['KeyOut']
export type NameList = Schemas['NameListOut']
export type ProblemRow = Schemas['ProblemRow']
export type Profile = Schemas['ProfileOut']
export type Fit = Schemas['FitOut']
export type Upload = Schemas['UploadOut']
export type Mark = Schemas['MarkIn']
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

async function call<T>(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
  let response: Response
  const raw = body instanceof Blob
  try {
    response = await fetch(`/api${path}`, {
      method,
      signal,
      headers: body === undefined ? {} : { 'Content-Type': raw ? 'application/octet-stream' : 'application/json' },
      body: body === undefined ? undefined : raw ? body : JSON.stringify(body),
    })
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error
    throw new ApiError({ title: 'No answer', status: 0, code: 'offline', detail: 'The server does not answer. Is it still running?' })
  }
  if (!response.ok) {
    const fallback = { title: response.statusText, status: response.status, code: 'http', detail: `The server answered ${response.status}.` }
    throw new ApiError(await response.json().catch(() => fallback))
  }
  return response.status === 204 ? (undefined as T) : response.json()
}

type Values = Record<string, string | number | boolean | null | undefined>
/** A search as the routes take it. */
export interface Wish {
  search?: string
  kind?: string | null
  source?: string | null
  variant?: string | null
  flag?: string | null
  folder?: string | null
  direct?: boolean
  least?: number | null
  most?: number | null
  sort?: string
  down?: boolean
}

const q = (values: Values) =>
  new URLSearchParams(Object.entries(values).flatMap(([k, v]) => (v === null || v === undefined || v === '' || v === false ? [] : [[k, String(v)]]))).toString()

export const api = {
  projects: () => call<Project[]>('GET', '/projects'),
  createProject: (name: string) => call<Project>('POST', '/projects', { name }),
  sources: (project: string) => call<Source[]>('GET', `/projects/${project}/sources`),
  mount: (project: string, path: string, force = false) => call<Job>('POST', `/projects/${project}/sources`, { path, force }),
  unmount: (project: string, mount: string) => call<void>('DELETE', `/projects/${project}/sources?${q({ mount })}`),
  removeSource: (source: string) => call<void>('DELETE', `/sources/${source}`),
  orderSources: (project: string, sources: string[]) => call<Source[]>('PUT', `/projects/${project}/sources/order`, { sources }),
  changeSource: (source: string, change: Schemas['SourceIn']) => call<Source>('PATCH', `/sources/${source}`, change),
  readSource: (source: string) => call<Job>('POST', `/sources/${source}/read`),
  verifySource: (source: string) => call<Job>('POST', `/sources/${source}/verify`),
  chooseLanguage: (project: string, language: string | null) => call<Project>('PUT', `/projects/${project}/language`, { language }),
  problems: (project: string) => call<ProblemRow[]>('GET', `/projects/${project}/problems`),
  places: (path: string | null) => call<Places>('GET', `/places?${q({ path })}`),
  fits: (path: string) => call<Fit[]>('GET', `/fits?${q({ path })}`),
  profile: (project: string) => call<Profile>('GET', `/projects/${project}/profile`),
  checkProfile: (project: string, text: string) => call<Profile>('POST', `/projects/${project}/profile/check`, { text }),
  setProfile: (project: string, text: string) => call<Job | null>('PUT', `/projects/${project}/profile`, { text }),
  keys: (project: string) => call<Key[]>('GET', `/projects/${project}/keys`),
  putKey: (project: string, name: string, value: string) => call<Key[]>('PUT', `/projects/${project}/keys`, { name, value }),
  removeKey: (project: string, name: string) => call<Key[]>('DELETE', `/projects/${project}/keys?${q({ name })}`),
  names: (project: string) => call<NameList[]>('GET', `/projects/${project}/names`),
  addNames: (project: string, label: string, data: Blob) => call<NameList[]>('POST', `/projects/${project}/names?${q({ label })}`, data),
  removeNames: (id: string) => call<void>('DELETE', `/names/${id}`),
  nameByHand: (project: string, entry: number, name: string) => call<NameList[]>('POST', `/projects/${project}/names/hand`, { entry, name }),
  harvest: (project: string) => call<Job>('POST', `/projects/${project}/harvest`),
  startUpload: (project: string, name: string, size: number) => call<Upload>('POST', `/projects/${project}/uploads`, { name, size }),
  sendPiece: (project: string, upload: string, offset: number, piece: Blob) =>
    call<Upload>('PUT', `/projects/${project}/uploads/${upload}?offset=${offset}`, piece),
  entries: (project: string, wish: Wish, offset: number, limit: number, after?: string | null, signal?: AbortSignal) =>
    call<Entries>('GET', `/projects/${project}/entries?${q({ ...wish, offset, limit, after })}`, undefined, signal),
  facets: (project: string, wish: Wish, signal?: AbortSignal) => call<Facets>('GET', `/projects/${project}/facets?${q({ ...wish })}`, undefined, signal),
  folders: (project: string, path: string, offset = 0) => call<Folder[]>('GET', `/projects/${project}/folders?${q({ path, offset })}`),
  versions: (entry: number) => call<Version[]>('GET', `/entries/${entry}/versions`),
  look: (entry: number) => call<Look>('GET', `/entries/${entry}/look`),
  drawInSight: (project: string, entries: number[]) => call<void>('POST', `/projects/${project}/pictures`, { entries }),
  glance: (job: string) => call<Glance>('GET', `/glances/${job}`),
  bytes: (entry: number, offset: number, size: number) => call<Schemas['BytesOut']>('GET', `/entries/${entry}/bytes?${q({ offset, size })}`),
  references: (entry: number) => call<References>('GET', `/entries/${entry}/references`),
  readReferences: (project: string) => call<Job>('POST', `/projects/${project}/references`),
  needs: (entry: number) => call<Schemas['NeedsOut']>('GET', `/entries/${entry}/needs`),
  mark: (project: string, mark: Mark) => call<void>('PUT', `/projects/${project}/marks`, mark),
  searches: (project: string) => call<SavedSearch[]>('GET', `/projects/${project}/searches`),
  saveSearch: (project: string, search: SavedSearch) => call<SavedSearch[]>('PUT', `/projects/${project}/searches`, search),
  forgetSearch: (project: string, name: string) => call<SavedSearch[]>('DELETE', `/projects/${project}/searches?${q({ name })}`),
  selection: (project: string, selection: Schemas['SelectionIn']) => call<Selection>('POST', `/projects/${project}/selection`, selection),
  collisions: (project: string, selection: Schemas['SelectionIn']) => call<Collision[]>('POST', `/projects/${project}/collisions`, selection),
  zip: (project: string, wish: ExtractWish) => call<Schemas['ZipOut']>('POST', `/projects/${project}/zips`, wish),
  extract: (project: string, wish: ExtractWish) => call<Job>('POST', `/projects/${project}/extracts`, wish),
  pause: (job: string) => call<Job>('POST', `/jobs/${job}/pause`),
  resume: (job: string) => call<Job>('POST', `/jobs/${job}/resume`),
  job: (job: string) => call<Job>('GET', `/jobs/${job}`),
  carve: (entry: number, first: number, last: number | null) => call<Job>('POST', `/entries/${entry}/carve`, { first, last }),
  keepFinds: (entry: number, hits: Hit[]) => call<string>('POST', `/entries/${entry}/finds`, { hits }),
  address: (entry: number) => call<string>('GET', `/entries/${entry}/address`),
  tryNaming: (project: string, wish: Schemas['NamingIn']) => call<Naming>('POST', `/projects/${project}/naming/try`, wish),
  giveNames: (project: string, wish: Schemas['NamingIn']) => call<Job>('POST', `/projects/${project}/naming`, wish),
  takeNamesBack: (project: string) => call<number>('DELETE', `/projects/${project}/naming`),
  catalogue: (project: string, group: string | null, search: string, offset: number, signal?: AbortSignal) =>
    call<Catalogue>('GET', `/projects/${project}/catalogue?${q({ group, search, offset })}`, undefined, signal),
  steps: () => call<StepKind[]>('GET', '/steps'),
  formats: () => call<Format[]>('GET', '/formats'),
  workpieces: (project: string) => call<Workpiece[]>('GET', `/projects/${project}/workpieces`),
  openWorkpiece: (project: string, entries: string[], source?: string) =>
    call<Workpiece>('POST', `/projects/${project}/workpieces`, { entries, source: source ?? null }),
  workpiece: (id: string) => call<Workpiece>('GET', `/workpieces/${id}`),
  setSteps: (id: string, steps: StepUse[]) => call<Workpiece>('PUT', `/workpieces/${id}/steps`, { steps }),
  undo: (id: string) => call<Workpiece>('POST', `/workpieces/${id}/undo`),
  redo: (id: string) => call<Workpiece>('POST', `/workpieces/${id}/redo`),
  view: (id: string) => call<View>('GET', `/workpieces/${id}/view`),
  deliveries: (project: string) => call<Delivery[]>('GET', `/projects/${project}/deliveries`),
  deliverEach: (project: string, entries: string[], formats: string[]) => call<Delivery[]>('POST', `/projects/${project}/deliveries`, { entries, formats }),
  deliver: (id: string, name: string, formats: string[]) => call<Delivery>('POST', `/workpieces/${id}/deliveries`, { name, formats }),
  jobs: (project: string) => call<Job[]>('GET', `/projects/${project}/jobs`),
  cancel: (id: string) => call<Job>('POST', `/jobs/${id}/cancel`),
}
