import { useSyncExternalStore } from 'react'

let minute = Date.now()
const listeners = new Set<() => void>()
let clock: ReturnType<typeof setInterval> | undefined

function follow(tell: () => void): () => void {
  listeners.add(tell)
  if (!clock) {
    minute = Date.now()
    clock = setInterval(() => {
      minute = Date.now()
      listeners.forEach((t) => t())
    }, 30_000)
  }
  return () => {
    listeners.delete(tell)
    if (listeners.size === 0) {
      clearInterval(clock)
      clock = undefined
    }
  }
}

// useNow is the time, followed every half minute by all that shows one.
const useNow = () => useSyncExternalStore(follow, () => minute)

const words = new Intl.RelativeTimeFormat('en', { numeric: 'auto' })

function relative(at: number, now: number): string {
  const seconds = (at - now) / 1000
  const size = Math.abs(seconds)
  if (size < 45) return 'just now'
  if (size < 45 * 60) return words.format(Math.round(seconds / 60), 'minute')
  if (size < 22 * 3600) return words.format(Math.round(seconds / 3600), 'hour')
  return words.format(Math.round(seconds / 86400), 'day')
}

// exactly is a time to the second in the browser's zone, which it names.
export const exactly = (at: string) => new Date(at).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'long' })

// When tells a time from now, and exactly to who points at it or stands on its row; in full, exactly to everybody, as
// a deadline is told to who holds a phone and points at nothing.
export function When({ at, full = false }: { at: string; full?: boolean }) {
  const now = useNow()
  if (full)
    return (
      <time dateTime={at}>
        {relative(Date.parse(at), now)} ({exactly(at)})
      </time>
    )
  return (
    <time dateTime={at} title={exactly(at)} className="relative whitespace-nowrap">
      {relative(Date.parse(at), now)}
      <span className="exact"> {exactly(at)}</span>
    </time>
  )
}

// Zone names the zone that the console's times are in.
export const zone = () => Intl.DateTimeFormat().resolvedOptions().timeZone
