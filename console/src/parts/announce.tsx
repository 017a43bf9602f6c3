import { useSyncExternalStore } from 'react'

let said = ''
const listeners = new Set<() => void>()

// announce says one short sentence to those who listen to the page rather than see it.
// The same sentence twice is said twice.
export function announce(sentence: string) {
  said = said === sentence ? sentence + '\u00a0' : sentence
  listeners.forEach((tell) => tell())
}

function listen(tell: () => void): () => void {
  listeners.add(tell)
  return () => {
    listeners.delete(tell)
  }
}

// Announcements is the one region of the console that is read out as it changes.
export function Announcements() {
  const text = useSyncExternalStore(listen, () => said)
  return (
    <p role="status" aria-live="polite" className="sr-only" data-announced>
      {text}
    </p>
  )
}
