import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { rememberToken } from '../api'
import type { OwnDraft } from '../types'
import { refusal, serviceOf, type Asked } from '../testing/service'
import { answered, connection } from './connection'
import { begin, readKept } from './drafts'
import { drop, store, stored, storedUnder } from './device'
import { flush, forgetWaiting, isSafe, onSent, openQueue, send, take, useWaiting, wait, type Waiting } from './queue'
import { renderHook } from '@testing-library/react'

const kept = () => new Response('{}', { headers: { 'Nimbus-Kept': '2031-03-01T08:00:00Z' } })

describe('what this device keeps', () => {
  it('is in the open page alone where storage is full or forbidden', () => {
    const full = vi.spyOn(Storage.prototype, 'setItem').mockImplementation(() => {
      throw new DOMException('full', 'QuotaExceededError')
    })
    expect(store('draft:a', 'x = 1')).toBe(false)
    expect(stored('draft:a')).toBe('x = 1')
    expect(storedUnder('draft:')).toEqual(['draft:a'])
    full.mockRestore()
    const forbidden = vi.spyOn(Storage.prototype, 'getItem').mockImplementation(() => {
      throw new DOMException('no', 'SecurityError')
    })
    expect(stored('draft:b')).toBeNull()
    expect(stored('draft:a')).toBe('x = 1')
    forbidden.mockRestore()
    expect(store('draft:a', 'x = 2')).toBe(true)
    expect(stored('draft:a')).toBe('x = 2')
    drop('draft:a')
    expect(stored('draft:a')).toBeNull()
  })
})

describe('the text to go on with', () => {
  const there = (program: string, version: number, at: number): OwnDraft => ({
    program,
    version,
    written_at: new Date(at).toISOString(),
  })
  const here = (program: string, version: number, at: number, sent: boolean) => ({ program, version, at, sent })
  it.each([
    ['nothing anywhere', null, null, 'starter', null],
    ['only here', here('mine', 0, 5, false), null, 'mine', null],
    ['only there', null, there('theirs', 1, 5), 'theirs', null],
    ['the same', here('same', 1, 5, false), there('same', 2, 6), 'same', null],
    ['written on from the version there', here('mine', 2, 5, false), there('theirs', 2, 9), 'mine', null],
    ['sent, and replaced there', here('mine', 2, 5, true), there('theirs', 3, 9), 'theirs', null],
    ['both written on, here later', here('mine', 1, 10, false), there('theirs', 2, 9), 'mine', 'theirs'],
    ['both written on, there later', here('mine', 1, 8, false), there('theirs', 2, 9), 'theirs', 'mine'],
  ])('%s', (_, h, t, text, other) => {
    const got = begin(h, t, 'starter')
    expect(got.text.program).toBe(text)
    expect(got.other?.program ?? null).toBe(other)
    if (t) expect(got.text.version).toBe(t.version) // what is sent next replaces what lies there
  })
  it('reads texts of before there were versions', () => {
    localStorage.setItem('old', 'means = 7')
    localStorage.setItem('number', '7')
    expect(readKept('old')).toEqual(here('means = 7', 0, 0, false))
    expect(readKept('number')).toEqual(here('7', 0, 0, false))
    expect(readKept('none')).toBeNull()
  })
})

describe('hand-ins that wait', () => {
  let end = () => {}
  let asked: Asked[]
  let state: string
  let answer: (a: Asked) => unknown
  const path = '/courses/kelp/exercises/rope-means'
  const waiting = () => renderHook(() => useWaiting()).result.current
  const posts = () => asked.filter((a) => a.method === 'POST')
  const one = (late = false) =>
    wait({ course: 'kelp', exercise: 'rope-means', title: 'Rope means', program: 'x', late })

  beforeEach(() => {
    state = 'open'
    answer = () => ({ id: 7 })
    asked = serviceOf({
      [`GET ${path}`]: () => ({ state }),
      [`POST ${path}/attempts`]: (a: Asked) => answer(a),
      'GET /healthz': {},
    })
    rememberToken('t')
    answered('2031-03-01T08:00:00Z') // no connection
    end = openQueue('tamsin')
  })
  afterEach(() => {
    end()
    forgetWaiting()
    answered(null)
  })

  it('are sent with their key and the time they were written, once the service answers', async () => {
    one()
    const [w] = waiting()
    expect(JSON.parse(localStorage.getItem('hand-ins:tamsin')!)).toEqual([w])
    expect(posts()).toHaveLength(0)
    const told = vi.fn()
    const off = onSent(told)
    answered(null)
    await flush()
    off()
    expect(posts()).toHaveLength(1)
    expect(posts()[0]!.body).toEqual({ program: 'x', written_at: w!.writtenAt })
    expect(posts()[0]!.headers['Idempotency-Key']).toBe(w!.key)
    expect(told).toHaveBeenCalledWith(w, { id: 7 })
    expect(waiting()).toEqual([])
    expect(localStorage.getItem('hand-ins:tamsin')).toBeNull()
  })
  it.each([
    ['late', 'closed while this waited: sent now it is late'],
    ['closed', 'closed while this waited'],
  ])('are not sent by themselves to an exercise that is %s by now', async (now, says) => {
    one()
    state = now
    await flush()
    expect(posts()).toHaveLength(0)
    expect(waiting()[0]!.held).toMatchObject({ why: now })
    expect(waiting()[0]!.held!.says).toContain(says)
    await flush()
    expect(asked).toHaveLength(1) // told once
    await send(waiting()[0]!)
    expect(posts()).toHaveLength(1)
    expect(waiting()).toEqual([])
  })
  it('wait once where the same text is handed in twice', () => {
    one()
    one()
    wait({ course: 'kelp', exercise: 'rope-means', title: 'Rope means', program: 'y', late: false })
    expect(waiting().map((w) => w.program)).toEqual(['x', 'y'])
  })
  it('go late where they were late when they were written', async () => {
    one(true)
    state = 'late'
    await flush()
    expect(posts()).toHaveLength(1)
  })
  it('wait on where the connection is gone again, or what answers is what was kept', async () => {
    one()
    answer = () => {
      throw new TypeError('no network')
    }
    await flush()
    expect(waiting()).toHaveLength(1)
    expect(waiting()[0]!.held).toBeUndefined()
    serviceOf({ [`GET ${path}`]: kept })
    await flush()
    expect(waiting()[0]!.held).toBeUndefined()
    serviceOf({ [`GET ${path}`]: { state: 'open' }, [`POST ${path}/attempts`]: refusal(503, 'Busy.') })
    await flush()
    expect(waiting()[0]!.held).toBeUndefined()
  })
  it('stay with the words of a refusal, and those behind them go', async () => {
    one()
    wait({ course: 'kelp', exercise: 'rope-means', title: 'Rope means', program: 'y', late: false })
    answer = (a) =>
      (a.body as { program: string }).program === 'x' ? refusal(403, 'All were handed in.', { hint: 'ask' }) : { id: 8 }
    await flush()
    expect(waiting()).toHaveLength(1)
    expect(waiting()[0]!.held).toEqual({ why: 'refused', says: 'All were handed in. Try: ask.' })
    take(waiting()[0]!.key)
    expect(waiting()).toEqual([])
  })
  it('say what keeps an exercise from being looked at', async () => {
    one()
    serviceOf({ [`GET ${path}`]: refusal(404, 'There is nothing here.') })
    await flush()
    expect(waiting()[0]!.held).toEqual({ why: 'refused', says: 'There is nothing here.' })
  })
  it('are those of one person, and follow other tabs', () => {
    one()
    end()
    end = openQueue('aron')
    expect(waiting()).toEqual([])
    const other: Waiting = { ...({} as Waiting), key: 'k', course: 'kelp', exercise: 'e', title: 'E', program: '' }
    localStorage.setItem('hand-ins:aron', JSON.stringify([other]))
    window.dispatchEvent(new StorageEvent('storage', { key: 'hand-ins:aron' }))
    expect(waiting()).toHaveLength(1)
    localStorage.setItem('hand-ins:aron', '{broken')
    window.dispatchEvent(new StorageEvent('storage', { key: 'hand-ins:aron' }))
    expect(waiting()).toEqual([])
    localStorage.removeItem('hand-ins:tamsin')
  })
  it('say when they do not outlive the page', () => {
    const full = vi.spyOn(Storage.prototype, 'setItem').mockImplementation(() => {
      throw new DOMException('full', 'QuotaExceededError')
    })
    one()
    full.mockRestore()
    expect(isSafe()).toBe(false)
    expect(waiting()).toHaveLength(1)
  })
})

describe('the connection', () => {
  it('is what requests find, with the age of the oldest that was kept', () => {
    expect(connection()).toEqual({ on: true, since: null })
    answered('2031-03-01T08:00:00Z')
    answered('2031-03-01T07:00:00Z')
    answered('2031-03-01T09:00:00Z')
    expect(connection()).toEqual({ on: false, since: Date.parse('2031-03-01T07:00:00Z') })
    answered(null)
    expect(connection()).toEqual({ on: true, since: null })
  })
})
