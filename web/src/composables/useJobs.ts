import { computed, ref } from 'vue'
import { api, type Job } from '../api/client'
import { useEvents } from './useEvents'

const jobs = ref(new Map<string, Job>())
// What is done for the eye alone shows in its own place, there or not.
const quiet = new Set(['glance', 'sight'])
const told = computed(() => [...jobs.value.values()].filter((j) => !quiet.has(j.kind)))
export const runningJobs = computed(() => told.value.filter((j) => j.status === 'queued' || j.status === 'running'))
export const failedJobs = computed(() => told.value.filter((j) => j.status === 'failed'))

const extracts = computed(() => [...jobs.value.values()].filter((j) => j.kind === 'extract' && (j.status !== 'cancelled' || j.payload.pause)).slice(-3))
/** Extractions that run, wait to go on, or ended lately. */
export const useExtracts = () => extracts
export const jobById = (id: string | null | undefined) => (id ? jobs.value.get(id) : undefined)
export const forgetJob = (id: string) => jobs.value.delete(id)

const put = (job: Job) => jobs.value.set(job.id, job)

/** Keep the list of jobs of a project current. */
export function useJobs(project: () => string) {
  const load = async () => {
    if (!project()) return
    const found = await api.jobs(project())
    jobs.value = new Map(found.filter((j) => j.status !== 'failed' || jobs.value.has(j.id)).map((j) => [j.id, j]))
  }
  useEvents((event) => {
    if (event.reconnected) void load()
    if (event.job && event.job.project_id === project()) put(event.job)
  })
  return { load, put }
}
