import { useSyncExternalStore } from 'react'
import { call, connected, Failure, newKey } from '../api'
import { announce } from '../parts/announce'
import type { Attempt, Exercise } from '../types'
import { connection, follow as followConnection } from './connection'
import { drop, store, stored } from './device'

// Waiting is a hand-in that waits on this device. Its key makes it safe to send twice.
export interface Waiting {
  key: string
  course: string
  exercise: string
  title: string
  program: string
  writtenAt: string
  late: boolean // it was late when it was written
  // Why it is not sent by itself: the exercise closed meanwhile, or the service refused it.
  held?: { why: 'late' | 'closed' | 'refused'; says: string }
}

// Sent is told of each hand-in that reached the service.
type Sent = (w: Waiting, a: Attempt) => void

const keyOf = (person: string) => `hand-ins:${person}`

// again is how often what waits is tried, where the service answers and takes nothing, in milliseconds.
const again = 30_000

let person = ''
let list: Waiting[] = []
let safe = true // what waits outlives the page
const listeners = new Set<() => void>()
const sentListeners = new Set<Sent>()

function follow(tell: () => void): () => void {
  listeners.add(tell)
  return () => {
    listeners.delete(tell)
  }
}

// useWaiting are the hand-ins of whoever is signed in that wait on this device.
export const useWaiting = () => useSyncExternalStore(follow, () => list)

// isSafe reports whether what waits is kept when the page is closed.
export const isSafe = () => safe

// onSent is told of each hand-in that reached the service, until it is taken back.
export function onSent(tell: Sent): () => void {
  sentListeners.add(tell)
  return () => {
    sentListeners.delete(tell)
  }
}

function read(): Waiting[] {
  try {
    const all: unknown = JSON.parse(stored(keyOf(person)) ?? '[]')
    return Array.isArray(all) ? (all as Waiting[]) : []
  } catch {
    return []
  }
}

function write(next: Waiting[]) {
  list = next
  if (next.length > 0) safe = store(keyOf(person), JSON.stringify(next))
  else drop(keyOf(person))
  listeners.forEach((tell) => tell())
}

// openQueue reads what waits of a person, and sends it; other tabs' changes are followed.
export function openQueue(name: string): () => void {
  person = name
  list = read()
  listeners.forEach((tell) => tell())
  const other = (e: StorageEvent) => {
    if (e.key !== keyOf(person)) return
    list = read()
    listeners.forEach((tell) => tell())
  }
  window.addEventListener('storage', other)
  const end = followConnection(() => {
    if (connection().on) void flush()
  })
  const clock = setInterval(() => void (list.some((w) => !w.held) && flush()), again)
  void flush()
  return () => {
    clearInterval(clock)
    window.removeEventListener('storage', other)
    end()
  }
}

// wait puts a hand-in aside until the service can be reached; the same text twice waits once.
export function wait(w: Omit<Waiting, 'key' | 'writtenAt'>, key = newKey()) {
  const last = list.filter((x) => x.course === w.course && x.exercise === w.exercise).at(-1)
  if (last?.program === w.program) return
  write([...list, { ...w, key, writtenAt: new Date().toISOString() }])
}

export const take = (key: string) => write(list.filter((w) => w.key !== key))

// forgetWaiting takes what waits from this device.
export const forgetWaiting = () => write([])

const change = (key: string, with_: Partial<Waiting>) =>
  write(list.map((w) => (w.key === key ? { ...w, ...with_ } : w)))

let flushing: Promise<void> | null = null

// flush sends what waits, one after another, by one tab at a time.
export function flush(): Promise<void> {
  flushing ??= alone(sendAll).finally(() => (flushing = null))
  return flushing
}

async function alone(work: () => Promise<void>) {
  if (typeof navigator !== 'undefined' && navigator.locks)
    await navigator.locks.request('nimbus hand-ins', { ifAvailable: true }, (lock) => (lock ? work() : undefined))
  else await work()
}

async function sendAll() {
  list = read()
  for (const w of list) {
    if (w.held) continue
    try {
      const held = w.late ? undefined : await shown(w, closedSince(w))
      if (held) {
        change(w.key, { held })
        announce(held.says)
      } else await send(w)
    } catch (err) {
      if (!refuses(err)) return // the connection is gone again
    }
  }
}

// closedSince says whether an exercise closed while a hand-in waited: it is told before anything is sent.
async function closedSince(w: Waiting): Promise<Waiting['held']> {
  const e = await connected<Exercise>(`/courses/${w.course}/exercises/${w.exercise}`)
  if (e.state === 'late') return { why: 'late', says: `${w.title} closed while this waited: sent now it is late.` }
  if (e.state === 'closed') return { why: 'closed', says: `${w.title} closed while this waited.` }
}

const refuses = (err: unknown): err is Failure =>
  err instanceof Failure && err.problem.status >= 400 && err.problem.status < 500

// shown keeps the words of a refusal with what waits. Who must sign in, or wait, is not refused.
async function shown<T>(w: Waiting, work: Promise<T>): Promise<T> {
  try {
    return await work
  } catch (err) {
    if (refuses(err) && err.problem.status !== 429 && err.problem.status !== 401) {
      const { detail, hint } = err.problem
      change(w.key, { held: { why: 'refused', says: `${detail}${hint ? ` Try: ${hint}.` : ''}` } })
    }
    throw err
  }
}

// send hands in what waits, whatever held it.
export async function send(w: Waiting): Promise<void> {
  const path = `/courses/${w.course}/exercises/${w.exercise}/attempts?wait=0`
  const body = { program: w.program, written_at: w.writtenAt }
  const a = await shown(w, call<Attempt>('POST', path, body, { 'Idempotency-Key': w.key }))
  take(w.key)
  announce(`Handed in: ${w.title}.`)
  sentListeners.forEach((tell) => tell(w, a))
}
