// Asking the server: the typed client, and answers as data or as errors that say what went wrong.
import createClient from 'openapi-fetch'
import { patientFetch } from '../composables/useConnection'
import type { components, paths } from './schema'

export type Schemas = components['schemas']
export type ProblemDetails = Schemas['Problem']

export class ApiError extends Error {
  constructor(readonly problem: ProblemDetails) {
    super(problem.detail)
  }
}

export const client = createClient<paths>({ baseUrl: '', fetch: patientFetch })

const OFFLINE: ProblemDetails = {
  title: 'No answer',
  status: 0,
  code: 'offline',
  detail: 'The server does not answer. Is it still running?',
}

interface Answer<T> {
  data?: T
  error?: unknown
  response: Response
}

// The data of an answer, or an `ApiError` that says what went wrong, where, and what to try.
export async function ok<T>(asked: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>
  try {
    answer = await asked
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error
    throw new ApiError(OFFLINE)
  }
  const { data, error, response } = answer
  if (response.ok) return data as T
  const words = `The server answered ${response.status}.`
  const fallback = { title: response.statusText, status: response.status, code: 'http', detail: words }
  throw new ApiError(error && typeof error === 'object' && 'title' in error ? (error as ProblemDetails) : fallback)
}
