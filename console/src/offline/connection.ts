import { useSyncExternalStore } from 'react'

// The connection is what requests find: a browser that is in a network may still not reach the service.

// State is whether the service answers; with what was kept, when the oldest of it was read.
export interface State {
  on: boolean
  since: number | null
}

let state: State = { on: true, since: null }
let asking: ReturnType<typeof setInterval> | undefined
const listeners = new Set<() => void>()

// between two questions whether the service is back, in milliseconds.
const between = 5_000

export const connection = () => state

export function follow(tell: () => void): () => void {
  listeners.add(tell)
  return () => {
    listeners.delete(tell)
  }
}

// useConnection follows whether the service answers.
export const useConnection = () => useSyncExternalStore(follow, connection)

// answered is called with each answer: keptAt is when it was kept, where it came from this device.
export function answered(keptAt: string | null) {
  if (keptAt === null) return set({ on: true, since: null })
  const at = Date.parse(keptAt)
  set({ on: false, since: state.since === null ? at : Math.min(state.since, at) })
}

// missed is called with each request that was not answered.
export const missed = () => set({ on: false, since: state.since })

// look asks whether the service is there, past anything that is kept.
export async function look() {
  try {
    const res = await fetch('/healthz', { cache: 'no-store' })
    if (res.ok) answered(null)
  } catch {
    missed()
  }
}

function set(next: State) {
  if (next.on === state.on && next.since === state.since) return
  state = next
  if (state.on) {
    clearInterval(asking)
    asking = undefined
  } else asking ??= setInterval(() => void look(), between)
  listeners.forEach((tell) => tell())
}

if (typeof window !== 'undefined') {
  window.addEventListener('online', () => void look())
  window.addEventListener('offline', missed)
}
