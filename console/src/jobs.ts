import { call, Failure, get } from './api'
import type { Job } from './types'

// A job is long work that the service takes up: what came of it is asked for until it has ended.

// followWait is how many seconds one question waits for news.
const followWait = 20

// begin sends what a job is to work on, and follows it.
export async function begin(
  path: string,
  body: unknown,
  tell: (job: Job) => void,
  headers: Record<string, string> = {},
): Promise<Job> {
  const join = path.includes('?') ? '&' : '?'
  return follow(await call<Job>('POST', `${path}${join}wait=0`, body, headers), tell)
}

// follow waits for a job to end, and tells each time it has moved. One that failed throws its problem.
export async function follow(first: Job, tell: (job: Job) => void, signal?: AbortSignal): Promise<Job> {
  let job = first
  for (;;) {
    tell(job)
    if (job.problem) throw new Failure(job.problem)
    if (job.ended || signal?.aborted) return job
    job = await get<Job>(`/jobs/${job.id}?wait=${followWait}&since=${job.done}`)
  }
}
