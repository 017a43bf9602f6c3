import { beforeEach, describe, expect, it, vi } from 'vitest'
import { call, download, Failure, get, newKey, rememberToken } from './api'
import { refusal, serviceOf } from './testing/service'

const failureOf = async (work: Promise<unknown>): Promise<Failure> => {
  const got = await work.then(
    () => null,
    (e: unknown) => e,
  )
  if (!(got instanceof Failure)) throw new Error(`no failure: ${String(got)}`)
  return got
}

beforeEach(() => rememberToken(undefined))

describe('a request', () => {
  it('reads the answer', async () => {
    serviceOf({ 'GET /session': { name: 'tamsin' } })
    expect(await get('/session')).toEqual({ name: 'tamsin' })
  })
  it('carries the body, its type and the token of the session', async () => {
    const asked = serviceOf({ 'POST /session': {} })
    rememberToken('t')
    await call('POST', '/session', { name: 'tamsin' }, { 'Idempotency-Key': 'k' })
    expect(asked).toEqual([
      {
        method: 'POST',
        path: '/session',
        body: { name: 'tamsin' },
        headers: { 'Content-Type': 'application/json', 'X-CSRF-Token': 't', 'Idempotency-Key': 'k' },
      },
    ])
  })
  it('sends no token where nothing is changed', async () => {
    const asked = serviceOf({ 'GET /session': {} })
    rememberToken('t')
    await get('/session')
    expect(asked[0]?.headers).toEqual({})
  })
  it('takes an empty answer for nothing', async () => {
    serviceOf({ 'DELETE /session': new Response('', { status: 200 }) })
    expect(await call('DELETE', '/session')).toBeUndefined()
  })
})

describe('a failure', () => {
  it('keeps every part of the problem', async () => {
    serviceOf({ 'POST /x': refusal(412, 'Somebody came first.', { current: { number: 4, by: 'Imke' }, hint: 'read' }) })
    const { problem, message } = await failureOf(call('POST', '/x', {}))
    expect(message).toBe('Somebody came first.')
    expect(problem).toMatchObject({ status: 412, hint: 'read', current: { number: 4, by: 'Imke' } })
  })
  it('says that the service does not answer', async () => {
    vi.stubGlobal('fetch', () => Promise.reject(new TypeError('network')))
    expect((await failureOf(get('/x'))).problem).toMatchObject({ status: 0, title: 'No connection' })
  })
  it.each([
    ['a page of a proxy', '<html>Bad gateway</html>'],
    ['another JSON', '{"error": "gateway"}'],
  ])('does not take %s for ours', async (_, text) => {
    serviceOf({ 'GET /x': new Response(text, { status: 502 }) })
    const { problem } = await failureOf(get('/x'))
    expect(problem).toMatchObject({ status: 502, title: 'No answer of the service' })
    expect(problem.hint).toContain('kept here')
  })
})

describe('a download', () => {
  const made: { href: string; download: string }[] = []
  beforeEach(() => {
    made.length = 0
    URL.createObjectURL = () => 'blob:of-the-page'
    URL.revokeObjectURL = vi.fn()
    vi.spyOn(HTMLAnchorElement.prototype, 'click').mockImplementation(function (this: HTMLAnchorElement) {
      made.push({ href: this.href, download: this.download })
    })
  })
  it('saves what comes back under its name, and lets go of it', async () => {
    const asked = serviceOf({ 'POST /archive': new Response('PK') })
    await download('/archive', { files: {} }, 'kelp.zip')
    expect(asked[0]?.body).toEqual({ files: {} })
    expect(made).toEqual([{ href: 'blob:of-the-page', download: 'kelp.zip' }])
    expect(URL.revokeObjectURL).toHaveBeenCalledWith('blob:of-the-page')
  })
  it('saves nothing that was refused', async () => {
    serviceOf({ 'POST /archive': refusal(403, 'Only instructors.') })
    expect((await failureOf(download('/archive', {}, 'kelp.zip'))).problem.status).toBe(403)
    expect(made).toEqual([])
  })
})

it('keys of hand-ins are long and never alike', () => {
  const keys = new Set(Array.from({ length: 100 }, newKey))
  expect(keys.size).toBe(100)
  for (const k of keys) expect(k).toMatch(/^[0-9a-f]{32}$/)
})
