import { useEffect, useState } from 'react'
import { call, get } from '../api'
import { follow } from '../jobs'
import type { Job } from '../types'
import { Failing } from './States'

// JobBar shows how far a job is.
export function JobBar({ job }: { job: Job }) {
  const what = job.stage || (job.state === 'waiting' ? 'waiting for its turn' : job.state)
  const share = job.total > 0 ? Math.min(1, job.done / job.total) : undefined
  return (
    <div className="grid gap-1 text-sm">
      <div
        role="progressbar"
        aria-label={what}
        aria-valuemin={0}
        aria-valuemax={job.total || undefined}
        aria-valuenow={share === undefined ? undefined : job.done}
        aria-valuetext={job.total > 0 ? `${job.done} of ${job.total}` : job.done > 0 ? String(job.done) : what}
        className="h-2 overflow-hidden border border-edge bg-paper"
      >
        <div
          className="h-full bg-accent transition-[width] motion-reduce:transition-none"
          style={{ width: share === undefined ? '12%' : `${100 * share}%` }}
        />
      </div>
      <p className="text-soft">
        {what}
        {job.total > 0 ? `: ${job.done} of ${job.total}` : job.done > 0 && `: ${job.done}`}
      </p>
    </div>
  )
}

// FollowedJob follows a job by its number, and lets one stop it and let it go on.
export function FollowedJob({ id, ended }: { id: number; ended?: () => void }) {
  const [job, setJob] = useState<Job>()
  const [error, setError] = useState<Error>()
  const [turn, setTurn] = useState(0)
  useEffect(() => {
    const leave = new AbortController()
    get<Job>(`/jobs/${id}`)
      .then((first) => follow(first, (j) => !leave.signal.aborted && setJob(j), leave.signal))
      .then((last) => !leave.signal.aborted && last.state === 'done' && ended?.())
      .catch((err: Error) => !leave.signal.aborted && setError(err))
    return () => leave.abort()
    // Told once for each turn, whatever the caller draws meanwhile.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [id, turn])
  const ask = (method: string, path: string) =>
    call<Job>(method, path).then(
      (j) => {
        setJob(j)
        setTurn((n) => n + 1)
      },
      (err: Error) => setError(err),
    )
  if (error) return <Failing error={error} />
  if (!job) return null
  return (
    <div className="grid gap-1">
      <JobBar job={job} />
      {!job.ended && (
        <button className="button justify-self-start" onClick={() => void ask('DELETE', `/jobs/${id}`)}>
          Stop
        </button>
      )}
      {job.state === 'stopped' && (
        <button className="button justify-self-start" onClick={() => void ask('POST', `/jobs/${id}/resume`)}>
          Go on
        </button>
      )}
    </div>
  )
}
