import { answered, missed } from './offline/connection'
import { keptHeader } from './offline/names'
import type { Problem } from './types'

// Failure is a problem the service answered, or that it did not answer at all.
export class Failure extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail)
  }
}

const noConnection: Problem = {
  type: 'offline',
  title: 'No connection',
  status: 0,
  detail: 'The service does not answer.',
  hint: 'Check your connection; what you wrote is kept here.',
}

let csrf = ''

// rememberToken keeps the session's token, which every change must carry.
export function rememberToken(token: string | undefined) {
  csrf = token ?? ''
}

// packed is a body that is sent as it is.
const packed = (body: unknown): body is Blob | FormData => body instanceof Blob || body instanceof FormData

// send asks the service and returns its answer, or throws the problem that it answered.
async function send(method: string, path: string, body: unknown, headers: Record<string, string>): Promise<Response> {
  let res: Response
  try {
    res = await fetch('/api/v1' + path, {
      method,
      credentials: 'same-origin',
      headers: {
        ...(body === undefined || packed(body) ? {} : { 'Content-Type': 'application/json' }),
        ...(method === 'GET' ? {} : { 'X-CSRF-Token': csrf }),
        ...headers,
      },
      body: body === undefined || packed(body) ? body : JSON.stringify(body),
    })
  } catch {
    missed()
    throw new Failure(noConnection)
  }
  answered(res.headers.get(keptHeader))
  if (res.ok) return res
  let problem: Problem | null = null
  try {
    problem = (await res.json()) as Problem
  } catch {
    // Not ours: a proxy between answered.
  }
  throw new Failure(
    problem?.detail
      ? problem
      : {
          type: 'status',
          title: 'No answer of the service',
          status: res.status,
          detail: 'Something between this page and the service answered instead of it.',
          hint: 'Try again in a moment; what you wrote is kept here.',
        },
  )
}

export async function call<T>(
  method: string,
  path: string,
  body?: unknown,
  headers: Record<string, string> = {},
): Promise<T> {
  const text = await (await send(method, path, body, headers)).text()
  return (text === '' ? undefined : JSON.parse(text)) as T
}

// connected is what the service itself answers: what this device kept of an earlier answer does not count.
export async function connected<T>(path: string): Promise<T> {
  const res = await send('GET', path, undefined, {})
  if (res.headers.get(keptHeader) !== null) throw new Failure(noConnection)
  return (await res.json()) as T
}

// getText is what the service answers, unread.
export const getText = async (path: string) => (await send('GET', path, undefined, {})).text()

export const get = <T>(path: string) => call<T>('GET', path)

// newKey makes a repeat of the same hand-in safe.
export function newKey(): string {
  const bytes = crypto.getRandomValues(new Uint8Array(16))
  return Array.from(bytes, (b) => b.toString(16).padStart(2, '0')).join('')
}

// download posts a body and saves what comes back as a file.
export async function download(path: string, body: unknown, name: string): Promise<void> {
  const res = await send('POST', path, body, {})
  save(await res.blob(), name)
}

// save saves what a page has as a file.
export function save(content: Blob, name: string) {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(content)
  link.download = name
  link.click()
  URL.revokeObjectURL(link.href)
}
