import { useEffect, useSyncExternalStore } from 'react'

let state = ''
const listeners = new Set<() => void>()

function follow(tell: () => void): () => void {
  listeners.add(tell)
  return () => {
    listeners.delete(tell)
  }
}

function set(next: string) {
  state = next
  listeners.forEach((tell) => tell())
}

// useTitleState is what the tab's title begins with: how what is on the page stands.
export const useTitleState = () => useSyncExternalStore(follow, () => state)

// useSaidInTitle lets the tab's title begin with some words, as long as the page is there.
export function useSaidInTitle(words: string) {
  useEffect(() => {
    set(words)
    return () => set('')
  }, [words])
}
