import { digestOf } from '../model/digest'
import type { Wanted } from '../model/wanted'
import { client, ok, type Schemas } from './ask'
import type { paths } from './schema'

export { ApiError, type ProblemDetails } from './ask'

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
export type Results = Schemas['JobResults']
export type Card = Schemas['CardOut']
export type Catalogue = Schemas['CatalogueOut']
export type Naming = Schemas['NamingOut']
export type Key = Schemas['KeyOut']
export type NameList = Schemas['NameListOut']
export type ProblemRow = Schemas['ProblemRow']
export type Profile = Schemas['ProfileOut']
export type Scheme = Schemas['SchemeIn']
export type Fit = Schemas['FitOut']
export type Upload = Schemas['UploadOut']
export type Mark = Schemas['MarkIn']
export type Workpiece = Schemas['WorkpieceOut']
// What is as usual need not be said.
export type StepUse = Pick<Schemas['StepModel'], 'step' | 'params' | 'on'> & Partial<Schemas['StepModel']>
export type Recipe = Schemas['RecipeOut']
export type Rule = Schemas['Rule']
export type RuleName = Schemas['RuleOut']
export type Batch = Schemas['BatchOut']
export type BatchWhole = Schemas['BatchWhole']
export type BatchItem = Schemas['BatchItemOut']
export type StepKind = Schemas['StepKindOut']
export type View = Schemas['ViewOut']
export type ViewContent = Schemas['ViewContent']
export type ClipFacts = Schemas['ClipFactsOut']
export type Part = Schemas['PartOut']
export type Finding = Schemas['FindingOut']
export type Delivery = Schemas['DeliveryOut']
export type Format = Schemas['FormatOut']
export type Purpose = Schemas['Purpose']
export type Job = Schemas['JobOut']
export type Strip = Schemas['StripOut']
export type ReadAs = Schemas['ReadAsOut']
export type Compared = Schemas['ComparedOut']
export type Described = Schemas['DescribedOut']
export type LayoutField = Schemas['FieldOut']
export type Guess = Schemas['GuessOut']
export type Link = Schemas['LinkOut']
export type Variant = Schemas['VariantOut']
export type Slot = Schemas['SlotOut']
export type Thing = Schemas['ThingIn']
export type Guesses = Schemas['GuessesOut']
export type LayoutWord = Schemas['WordOut']
export type LayoutExample = Schemas['ExampleOut']
export type Search = NonNullable<paths['/api/entries/{entry}/finds']['get']['parameters']['query']>
export type FacesWanted = Schemas['FacesIn']
export type Chosen = Schemas['ChosenOut']
// A search as the routes take it.
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

// Values of an address; what is empty is left out.
function given<T extends object>(values: T): T {
  const kept = Object.entries(values).filter(([, v]) => v !== null && v !== undefined && v !== '' && v !== false)
  return Object.fromEntries(kept) as T
}

const raw = { bodySerializer: (body: unknown) => body as Blob, headers: { 'Content-Type': 'application/octet-stream' } }
const whole = (steps: StepUse[]) => steps.map((use) => ({ ...use, because: use.because ?? '' }))
const at = (path: Record<string, string | number>, query: object = {}) =>
  ({ params: { path, query: given(query) } }) as never

export const api = {
  projects: () => ok(client.GET('/api/projects')),
  createProject: (name: string) => ok(client.POST('/api/projects', { body: { name } })),
  renameProject: (project: string, name: string) =>
    ok(client.PATCH('/api/projects/{project}', { params: { path: { project } }, body: { name } })),
  removeProject: (project: string) => ok(client.DELETE('/api/projects/{project}', at({ project }))),
  sources: (project: string) => ok(client.GET('/api/projects/{project}/sources', { params: { path: { project } } })),
  mount: (project: string, path: string, force = false) =>
    ok(client.POST('/api/projects/{project}/sources', { params: { path: { project } }, body: { path, force } })),
  unmount: (project: string, mount: string) =>
    ok(client.DELETE('/api/projects/{project}/sources', { params: { path: { project }, query: { mount } } })),
  removeSource: (source: string) => ok(client.DELETE('/api/sources/{source}', at({ source }))),
  orderSources: (project: string, sources: string[]) =>
    ok(client.PUT('/api/projects/{project}/sources/order', { params: { path: { project } }, body: { sources } })),
  changeSource: (source: string, body: Schemas['SourceIn']) =>
    ok(client.PATCH('/api/sources/{source}', { params: { path: { source } }, body })),
  readSource: (source: string) => ok(client.POST('/api/sources/{source}/read', { params: { path: { source } } })),
  verifySource: (source: string) => ok(client.POST('/api/sources/{source}/verify', { params: { path: { source } } })),
  chooseLanguage: (project: string, language: string | null) =>
    ok(client.PUT('/api/projects/{project}/language', { params: { path: { project } }, body: { language } })),
  problems: (project: string) => ok(client.GET('/api/projects/{project}/problems', { params: { path: { project } } })),
  places: (path: string | null) => ok(client.GET('/api/places', { params: { query: given({ path }) } })),
  fits: (path: string) => ok(client.GET('/api/fits', { params: { query: { path } } })),
  profile: (project: string) => ok(client.GET('/api/projects/{project}/profile', { params: { path: { project } } })),
  checkProfile: (project: string, text: string) =>
    ok(client.POST('/api/projects/{project}/profile/check', { params: { path: { project } }, body: { text } })),
  setProfile: (project: string, text: string) =>
    ok(client.PUT('/api/projects/{project}/profile', { params: { path: { project } }, body: { text } })),
  keepScheme: (project: string, body: Scheme) =>
    ok(client.POST('/api/projects/{project}/profile/schemes', { params: { path: { project } }, body })),
  keys: (project: string) => ok(client.GET('/api/projects/{project}/keys', { params: { path: { project } } })),
  putKey: (project: string, name: string, value: string) =>
    ok(client.PUT('/api/projects/{project}/keys', { params: { path: { project } }, body: { name, value } })),
  removeKey: (project: string, name: string) =>
    ok(client.DELETE('/api/projects/{project}/keys', { params: { path: { project }, query: { name } } })),
  names: (project: string) => ok(client.GET('/api/projects/{project}/names', { params: { path: { project } } })),
  addNames: (project: string, label: string, data: Blob): Promise<NameList[]> =>
    ok(
      client.POST('/api/projects/{project}/names', {
        ...(at({ project }, { label }) as object),
        ...raw,
        body: data,
      } as never),
    ),
  removeNames: (names: string) => ok(client.DELETE('/api/names/{names}', at({ names }))),
  nameByHand: (project: string, entry: number, name: string) =>
    ok(client.POST('/api/projects/{project}/names/hand', { params: { path: { project } }, body: { entry, name } })),
  harvest: (project: string) => ok(client.POST('/api/projects/{project}/harvest', { params: { path: { project } } })),
  startUpload: (project: string, name: string, size: number) =>
    ok(client.POST('/api/projects/{project}/uploads', { params: { path: { project } }, body: { name, size } })),
  sendPiece: async (project: string, upload: string, offset: number, piece: Blob): Promise<Upload> => {
    const digest = await digestOf(piece)
    return ok(
      client.PUT('/api/projects/{project}/uploads/{upload}', {
        params: { path: { project, upload }, query: { offset }, header: { 'content-digest': digest } },
        ...raw,
        body: piece,
      } as never),
    )
  },
  entries: (project: string, wish: Wish, offset: number, limit: number, after?: string | null, signal?: AbortSignal) =>
    ok(
      client.GET('/api/projects/{project}/entries', {
        params: { path: { project }, query: given({ ...wish, offset, limit, after }) as never },
        signal,
      }),
    ),
  facets: (project: string, wish: Wish, signal?: AbortSignal) =>
    ok(
      client.GET('/api/projects/{project}/facets', {
        params: { path: { project }, query: given({ ...wish }) as never },
        signal,
      }),
    ),
  folders: (project: string, path: string, offset = 0) =>
    ok(client.GET('/api/projects/{project}/folders', { params: { path: { project }, query: { path, offset } } })),
  versions: (entry: number) => ok(client.GET('/api/entries/{entry}/versions', { params: { path: { entry } } })),
  look: (entry: number): Promise<Look> =>
    ok(client.GET('/api/entries/{entry}/look', { params: { path: { entry } } })) as Promise<Look>,
  text: (entry: number): Promise<string> =>
    ok(client.GET('/api/entries/{entry}/text', { params: { path: { entry } }, parseAs: 'text' })) as Promise<string>,
  drawInSight: (project: string, entries: number[]) =>
    ok(client.POST('/api/projects/{project}/pictures', { params: { path: { project } }, body: { entries } })),
  glance: (project: string, key: string) =>
    ok(client.GET('/api/projects/{project}/glances/{key}', { params: { path: { project, key } } })),
  bytes: (entry: number, offset: number, size: number) =>
    ok(client.GET('/api/entries/{entry}/bytes', { params: { path: { entry }, query: { offset, size } } })),
  strip: (entry: number, pieces: number) =>
    ok(client.GET('/api/entries/{entry}/strip', { params: { path: { entry }, query: { pieces } } })),
  values: (entry: number, offset: number) =>
    ok(client.GET('/api/entries/{entry}/values', { params: { path: { entry }, query: { offset } } })),
  finds: (entry: number, query: Search) =>
    ok(client.GET('/api/entries/{entry}/finds', { params: { path: { entry }, query } })),
  compared: (entry: number, path: string) =>
    ok(client.GET('/api/entries/{entry}/compared', { params: { path: { entry }, query: { path } } })),
  described: (entry: number, text: string, signal?: AbortSignal) =>
    ok(client.POST('/api/entries/{entry}/described', { params: { path: { entry } }, body: { text }, signal })),
  layoutOf: (entry: number) => ok(client.GET('/api/entries/{entry}/layout', { params: { path: { entry } } })),
  layoutWords: () => ok(client.GET('/api/layouts/words')),
  layoutExamples: () => ok(client.GET('/api/layouts/examples')),
  askGuesses: (entry: number) => ok(client.POST('/api/entries/{entry}/guesses', { params: { path: { entry } } })),
  guesses: (project: string, key: string) =>
    ok(client.GET('/api/projects/{project}/guesses/{key}', { params: { path: { project, key } } })),
  saveLayout: (project: string, text: string) =>
    ok(client.POST('/api/projects/{project}/layouts', { params: { path: { project } }, body: { text } })),
  references: (entry: number) => ok(client.GET('/api/entries/{entry}/references', { params: { path: { entry } } })),
  readReferences: (project: string) =>
    ok(client.POST('/api/projects/{project}/references', { params: { path: { project } } })),
  needs: (entry: number) => ok(client.GET('/api/entries/{entry}/needs', { params: { path: { entry } } })),
  mark: (project: string, body: Mark) =>
    ok(client.PUT('/api/projects/{project}/marks', { params: { path: { project } }, body })),
  searches: (project: string) => ok(client.GET('/api/projects/{project}/searches', { params: { path: { project } } })),
  saveSearch: (project: string, body: SavedSearch) =>
    ok(client.PUT('/api/projects/{project}/searches', { params: { path: { project } }, body })),
  forgetSearch: (project: string, name: string) =>
    ok(client.DELETE('/api/projects/{project}/searches', { params: { path: { project }, query: { name } } })),
  selection: (project: string, body: Schemas['SelectionIn']) =>
    ok(client.POST('/api/projects/{project}/selection', { params: { path: { project } }, body })),
  collisions: (project: string, body: Schemas['SelectionIn']) =>
    ok(client.POST('/api/projects/{project}/collisions', { params: { path: { project } }, body })),
  zip: (project: string, wish: ExtractWish) =>
    ok(client.POST('/api/projects/{project}/zips', { params: { path: { project } }, body: wish as never })),
  extract: (project: string, wish: ExtractWish) =>
    ok(client.POST('/api/projects/{project}/extracts', { params: { path: { project } }, body: wish as never })),
  removeExtracted: (job: string) => ok(client.DELETE('/api/jobs/{job}/extracted', at({ job }))),
  pause: (job: string) => ok(client.POST('/api/jobs/{job}/pause', { params: { path: { job } } })),
  resume: (job: string) => ok(client.POST('/api/jobs/{job}/resume', { params: { path: { job } } })),
  jobs: (project: string, limit = 40) =>
    ok(client.GET('/api/projects/{project}/jobs', { params: { path: { project }, query: { limit } } })),
  job: (job: string) => ok(client.GET('/api/jobs/{job}', { params: { path: { job } } })),
  results: (job: string) => ok(client.GET('/api/jobs/{job}/results', { params: { path: { job } } })),
  cancel: (job: string) => ok(client.POST('/api/jobs/{job}/cancel', { params: { path: { job } } })),
  again: (job: string) => ok(client.POST('/api/jobs/{job}/again', { params: { path: { job } } })),
  putAway: (job: string) => ok(client.POST('/api/jobs/{job}/away', { params: { path: { job } } })),
  putAllAway: (project: string) =>
    ok(client.POST('/api/projects/{project}/jobs/away', { params: { path: { project } } })),
  carve: (entry: number, first: number, last: number | null) =>
    ok(client.POST('/api/entries/{entry}/carve', { params: { path: { entry } }, body: { first, last } })),
  keepFinds: (entry: number, hits: Hit[]) =>
    ok(client.POST('/api/entries/{entry}/finds', { params: { path: { entry } }, body: { hits } })),
  address: (entry: number) => ok(client.GET('/api/entries/{entry}/address', { params: { path: { entry } } })),
  tryNaming: (project: string, body: Schemas['NamingIn']) =>
    ok(client.POST('/api/projects/{project}/naming/try', { params: { path: { project } }, body })),
  giveNames: (project: string, body: Schemas['NamingIn']) =>
    ok(client.POST('/api/projects/{project}/naming', { params: { path: { project } }, body })),
  takeNamesBack: (project: string) =>
    ok(client.DELETE('/api/projects/{project}/naming', { params: { path: { project } } })),
  catalogue: (project: string, group: string | null, search: string, offset: number, signal?: AbortSignal) =>
    ok(
      client.GET('/api/projects/{project}/catalogue', {
        params: { path: { project }, query: given({ group, search, offset }) },
        signal,
      }),
    ),
  steps: () => ok(client.GET('/api/steps')),
  rules: () => ok(client.GET('/api/rules')),
  recipes: (project: string) => ok(client.GET('/api/projects/{project}/recipes', { params: { path: { project } } })),
  keepRecipe: (project: string, name: string, steps: StepUse[]) =>
    ok(
      client.POST('/api/projects/{project}/recipes', {
        params: { path: { project } },
        body: { name, steps: whole(steps) },
      }),
    ),
  loadRecipe: (project: string, name: string, text: string) =>
    ok(client.POST('/api/projects/{project}/recipes/file', { params: { path: { project } }, body: { name, text } })),
  renameRecipe: (recipe: string, name: string) =>
    ok(client.PATCH('/api/recipes/{recipe}', { params: { path: { recipe } }, body: { name } })),
  removeRecipe: (recipe: string) => ok(client.DELETE('/api/recipes/{recipe}', at({ recipe }))),
  applyRecipe: (recipe: string, workpieces: string[]) =>
    ok(client.POST('/api/recipes/{recipe}/apply', { params: { path: { recipe } }, body: { workpieces } })),
  batches: (project: string) => ok(client.GET('/api/projects/{project}/batches', { params: { path: { project } } })),
  runBatch: (project: string, body: Omit<Schemas['BatchSteps'], 'steps'> & { steps: StepUse[] }) =>
    ok(
      client.POST('/api/projects/{project}/batches', {
        params: { path: { project } },
        body: { ...body, steps: whole(body.steps) },
      }),
    ),
  batch: (batch: string) => ok(client.GET('/api/batches/{batch}', { params: { path: { batch } } })),
  stopBatch: (batch: string) => ok(client.POST('/api/batches/{batch}/stop', { params: { path: { batch } } })),
  goOnWithBatch: (batch: string) => ok(client.POST('/api/batches/{batch}/go', { params: { path: { batch } } })),
  retryBatch: (batch: string) => ok(client.POST('/api/batches/{batch}/retry', { params: { path: { batch } } })),
  runBatchAgain: (batch: string, body: Schemas['BatchAgain']) =>
    ok(client.POST('/api/batches/{batch}/again', { params: { path: { batch } }, body })),
  renameBatch: (batch: string, name: string) =>
    ok(client.PATCH('/api/batches/{batch}', { params: { path: { batch } }, body: { name } })),
  removeBatch: (batch: string) => ok(client.DELETE('/api/batches/{batch}', at({ batch }))),
  formats: () => ok(client.GET('/api/formats')),
  workpieces: (project: string) => ok(client.GET('/api/projects/{project}/workpieces', at({ project }))),
  openWorkpiece: (
    project: string,
    entries: string[],
    source?: string,
    dressed: { wears?: Record<string, string>; name?: string } = {},
  ) =>
    ok(
      client.POST('/api/projects/{project}/workpieces', {
        params: { path: { project } },
        body: { entries, source: source ?? null, wears: dressed.wears ?? {}, name: dressed.name ?? '' },
      }),
    ),
  workpiece: (workpiece: string) => ok(client.GET('/api/workpieces/{workpiece}', { params: { path: { workpiece } } })),
  texturesLike: (project: string, query: { named: string; gap: string }) =>
    ok(client.GET('/api/projects/{project}/textures-like', { params: { path: { project }, query } })),
  entriesLike: (project: string, query: { named: string; kind: 'material' | 'skeleton' }) =>
    ok(client.GET('/api/projects/{project}/entries-like', { params: { path: { project }, query } })),
  chooseFaces: (manifest: string, body: FacesWanted) =>
    ok(client.POST('/api/scenes/{manifest}/faces', { params: { path: { manifest } }, body })),
  slots: (workpiece: string) => ok(client.GET('/api/workpieces/{workpiece}/slots', at({ workpiece }))),
  renameWorkpiece: (workpiece: string, name: string) =>
    ok(client.PATCH('/api/workpieces/{workpiece}', { params: { path: { workpiece } }, body: { name } })),
  copyWorkpiece: (workpiece: string) =>
    ok(client.POST('/api/workpieces/{workpiece}/copy', { params: { path: { workpiece } } })),
  removeWorkpiece: (workpiece: string) => ok(client.DELETE('/api/workpieces/{workpiece}', at({ workpiece }))),
  setSteps: (workpiece: string, steps: StepUse[]) =>
    ok(
      client.PUT('/api/workpieces/{workpiece}/steps', {
        params: { path: { workpiece } },
        body: { steps: whole(steps) },
      }),
    ),
  settle: (workpiece: string, settled: string[]) =>
    ok(client.PUT('/api/workpieces/{workpiece}/settled', { params: { path: { workpiece } }, body: { settled } })),
  undo: (workpiece: string) => ok(client.POST('/api/workpieces/{workpiece}/undo', { params: { path: { workpiece } } })),
  redo: (workpiece: string) => ok(client.POST('/api/workpieces/{workpiece}/redo', { params: { path: { workpiece } } })),
  preview: (workpiece: string, steps: StepUse[]) =>
    ok(
      client.POST('/api/workpieces/{workpiece}/preview', {
        params: { path: { workpiece } },
        body: { steps: whole(steps) },
      }),
    ),
  view: (workpiece: string) => ok(client.GET('/api/workpieces/{workpiece}/view', { params: { path: { workpiece } } })),
  deliveries: (project: string) => ok(client.GET('/api/projects/{project}/deliveries', at({ project }))),
  nameExample: (plan: Wanted['plan'], words: { name: string; piece: string; clip: string }) =>
    ok(client.POST('/api/plans/names', { body: { plan, ...words } })),
  deliverEntries: (project: string, entries: string[], together: string, wanted: Wanted) =>
    ok(
      client.POST('/api/projects/{project}/deliveries', {
        params: { path: { project } },
        body: { entries, together, ...wanted },
      }),
    ),
  deliver: (workpiece: string, also: string[], name: string, wanted: Wanted) =>
    ok(
      client.POST('/api/workpieces/{workpiece}/deliveries', {
        params: { path: { workpiece } },
        body: { name, also, ...wanted },
      }),
    ),
  freeDelivery: (delivery: string) => ok(client.DELETE('/api/deliveries/{delivery}/files', at({ delivery }))),
  purposes: () => ok(client.GET('/api/purposes')),
  keepPurpose: (purpose: Purpose) =>
    ok(client.PUT('/api/purposes/{name}', { params: { path: { name: purpose.name } }, body: purpose })),
  forgetPurpose: (name: string) => ok(client.DELETE('/api/purposes/{name}', at({ name }))),
  renameDelivery: (delivery: string, name: string) =>
    ok(client.PATCH('/api/deliveries/{delivery}', { params: { path: { delivery } }, body: { name } })),
  removeDelivery: (delivery: string) => ok(client.DELETE('/api/deliveries/{delivery}', at({ delivery }))),
}
