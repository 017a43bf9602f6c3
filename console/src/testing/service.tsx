import { QueryClientProvider } from '@tanstack/react-query'
import { createMemoryHistory, RouterProvider } from '@tanstack/react-router'
import { act, render, screen } from '@testing-library/react'
import { vi } from 'vitest'
import { newQueries, newRouter } from '../routes'

// Asked is a request that a page sent.
export interface Asked {
  method: string
  path: string
  body: unknown
  headers: Record<string, string>
}

type Answer = object | ((asked: Asked) => unknown)

// serviceOf stands for the service: it answers each `METHOD /path` (without its query)
// with a value, or with what a function makes of the request; a Response goes out as it
// is, and what nobody answers is 404. It returns what was asked, in order.
export function serviceOf(answers: Record<string, Answer>): Asked[] {
  const asked: Asked[] = []
  vi.stubGlobal('fetch', async (url: string, init: RequestInit = {}) => {
    const a: Asked = {
      method: init.method ?? 'GET',
      path: url.replace('/api/v1', ''),
      body:
        init.body === undefined || init.body instanceof Blob || init.body instanceof FormData
          ? init.body
          : (JSON.parse(String(init.body)) as unknown),
      headers: init.headers as Record<string, string>,
    }
    asked.push(a)
    const answer = answers[`${a.method} ${a.path.split('?')[0]}`] ?? refusal(404, 'There is no such thing.')
    const value: unknown = typeof answer === 'function' ? (answer as (a: Asked) => unknown)(a) : answer
    const got: unknown = await value
    return got instanceof Response ? got.clone() : Response.json(got)
  })
  return asked
}

// refusal is a problem as the service answers one.
export const refusal = (status: number, detail: string, more: object = {}) =>
  Response.json({ type: 'refused', title: 'Refused', status, detail, ...more }, { status })

// streams are the event streams that pages hold open; none of them reaches a service.
export class Stream extends EventTarget {
  static open: Stream[] = []
  onopen: (() => void) | null = null
  onerror: (() => void) | null = null
  closed = false
  constructor(readonly url: string) {
    super()
    Stream.open.push(this)
  }
  close() {
    this.closed = true
  }
}
vi.stubGlobal('EventSource', Stream)

// open shows the console at a path.
export async function open(path: string) {
  const router = newRouter(createMemoryHistory({ initialEntries: [path] }))
  await act(() => router.load())
  render(
    <QueryClientProvider client={newQueries()}>
      <RouterProvider router={router} />
    </QueryClientProvider>,
  )
  await screen.findByRole('heading', { level: 1 })
  return router
}

// textOf is what an element says, in one line.
export const textOf = (e: Element | null | undefined) => (e?.textContent ?? '').replace(/\s+/g, ' ').trim()
