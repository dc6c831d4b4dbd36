import { computed, ref } from 'vue'
import { api, type Job } from '../api/client'
import { useEvents, type JobNews } from './useEvents'

const jobs = ref(new Map<string, Job>())
const ENDED = new Set(['done', 'failed', 'cancelled', 'paused'])
const listed = computed(() => [...jobs.value.values()])

export const runningJobs = computed(() => listed.value.filter((j) => j.status === 'queued' || j.status === 'running'))
// A quick look that fails says so where one looks: nothing is left to be done about it.
export const failedJobs = computed(() =>
  listed.value.filter((j) => j.status === 'failed' && !j.away && j.kind !== 'glance'),
)
export const endedJobs = computed(() => listed.value.filter((j) => ENDED.has(j.status) && j.status !== 'failed'))

const extracts = computed(() =>
  listed.value.filter((j) => j.kind === 'extract' && !j.away && (j.status !== 'done' || recent(j))).slice(0, 3),
)
const recent = (job: Job) => job.ended !== null && Date.now() - Date.parse(job.ended) < 15 * 60 * 1000
// Extractions that run, wait to go on, or ended lately.
export const useExtracts = () => extracts
export const jobById = (id: string | null | undefined) => (id ? jobs.value.get(id) : undefined)

function put(job: Job): void {
  jobs.value.set(job.id, job)
}

// Ask for a whole job: events tell only how it stands.
export async function lookUp(id: string): Promise<Job | undefined> {
  const found = await api.job(id).catch(() => undefined)
  if (found) put(found)
  return found
}

// An event about a job: small changes are taken from it, its end and its beginning are looked up whole.
function hear(news: JobNews): void {
  const known = jobs.value.get(news.id)
  if (!known || (ENDED.has(news.status) && known.status !== news.status)) void lookUp(news.id)
  if (known) put({ ...known, ...news, title: known.title })
}

// Keep the list of jobs of a project current.
export function useJobs(project: () => string) {
  const load = async () => {
    if (!project()) return
    const found = await api.jobs(project())
    jobs.value = new Map(found.map((job) => [job.id, job]))
  }
  useEvents((event) => {
    if (event.reconnected || (event.changed === 'jobs' && event.project_id === project())) void load()
    if (event.job && event.job.project_id === project()) hear(event.job)
  })
  return { load }
}
