import { render, screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, it, vi } from 'vitest'
import { serviceOf } from '../testing/service'
import type { Job } from '../types'
import { FollowedJob, JobBar } from './JobBar'

const job = (more: object) =>
  ({
    id: 7,
    kind: 'recheck',
    course: 'kelp',
    state: 'running',
    stage: '',
    done: 0,
    total: 0,
    ended: null,
    ...more,
  }) as Job

it.each([
  [{ state: 'waiting' }, 'waiting for its turn', 'waiting for its turn'],
  [{ stage: 'comparing verdicts', done: 40 }, 'comparing verdicts', '40'],
  [{ stage: 'probing', done: 3, total: 12 }, 'probing', '3 of 12'],
])('says how far a job is that is %o', (more, name, value) => {
  render(<JobBar job={job(more)} />)
  const bar = screen.getByRole('progressbar', { name })
  expect(bar.getAttribute('aria-valuetext')).toBe(value)
})

it('follows a job that is stopped and goes on to its end', async () => {
  const ended = '2026-11-27T05:00:00Z'
  let resumed = false
  const told = vi.fn()
  serviceOf({
    'GET /jobs/7': () =>
      resumed
        ? job({ state: 'done', stage: 'checking again', done: 9, total: 9, ended })
        : job({ state: 'stopped', ended }),
    'POST /jobs/7/resume': () => {
      resumed = true
      return job({ state: 'waiting' })
    },
  })
  render(<FollowedJob id={7} ended={told} />)
  await userEvent.click(await screen.findByRole('button', { name: 'Go on' }))
  await waitFor(() => expect(told).toHaveBeenCalledOnce())
  expect(screen.getByRole('progressbar').getAttribute('aria-valuetext')).toBe('9 of 9')
  expect(screen.queryByRole('button')).toBeNull()
})

it('says why it cannot be followed', async () => {
  serviceOf({})
  render(<FollowedJob id={7} />)
  expect(await screen.findByText(/There is no such thing/)).toBeTruthy()
})
