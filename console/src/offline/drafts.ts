import { useCallback, useEffect, useRef, useState } from 'react'
import { call, Failure } from '../api'
import type { Exercise, OwnDraft } from '../types'
import { connection, follow as followConnection } from './connection'
import { drop, store, stored, storedUnder } from './device'

// Kept is a text as this device keeps it.
interface Kept {
  program: string
  version: number // of the service's text that it was written from
  at: number // when it was typed
  sent: boolean // the service has it
}

// Other is a text of the same exercise that was written elsewhere.
export interface Other {
  program: string
  at: number
  where: 'on another device' | 'in another tab' | 'on this device'
}

export const draftKey = (person: string, course: string, exercise: string) => `draft:${person}:${course}:${exercise}`

const otherKey = (key: string) => `${key}:other`

function readOther(key: string): Other | null {
  try {
    return JSON.parse(stored(key) ?? 'null') as Other | null
  } catch {
    return null
  }
}

// readKept reads what is kept; texts of before there were versions are whole texts.
export function readKept(key: string): Kept | null {
  const text = stored(key)
  if (text === null) return null
  try {
    const k = JSON.parse(text) as Partial<Kept> | null
    if (k && typeof k.program === 'string')
      return { program: k.program, version: k.version ?? 0, at: k.at ?? 0, sent: k.sent ?? false }
  } catch {
    // A text.
  }
  return { program: text, version: 0, at: 0, sent: false }
}

// begin chooses the text to go on with, of this device's and the service's: the newer one, and the other is offered.
export function begin(
  here: Kept | null,
  there: OwnDraft | null,
  otherwise: string,
): { text: Kept; other: Other | null } {
  if (!there) return { text: here ?? { program: otherwise, version: 0, at: 0, sent: true }, other: null }
  const theirs: Kept = { program: there.program, version: there.version, at: Date.parse(there.written_at), sent: true }
  if (!here || here.program === theirs.program) return { text: theirs, other: null }
  if (here.version === theirs.version) return { text: here.sent ? theirs : here, other: null }
  if (here.sent) return { text: theirs, other: null } // it was the service's once, and is older
  if (here.at > theirs.at)
    return {
      text: { ...here, version: theirs.version },
      other: { program: theirs.program, at: theirs.at, where: 'on another device' },
    }
  return { text: theirs, other: { program: here.program, at: here.at, where: 'on this device' } }
}

// rest is how long typing rests before the service gets the text, in milliseconds.
const rest = 2_000

// useDraft is the text that is being written: kept on this device with every key stroke, and on the service soon after.
export function useDraft(e: Exercise, person: string, otherwise: string) {
  const key = draftKey(person, e.course, e.name)
  const [first] = useState(() => begin(readKept(key), e.draft, otherwise))
  const [text, setText] = useState(first.text.program)
  const [other, setShown] = useState(() => first.other ?? readOther(otherKey(key)))
  const [unkept, setUnkept] = useState(false)
  const now = useRef(first.text)
  const again = useRef(async () => {})
  const later = useRef<ReturnType<typeof setTimeout>>(undefined)
  const path = `/courses/${e.course}/exercises/${e.name}/draft`

  // The other text is kept until somebody decides: the service may have this one alone by then.
  const setOther = useCallback(
    (o: Other | null) => {
      setShown(o)
      if (o) store(otherKey(key), JSON.stringify(o))
      else drop(otherKey(key))
    },
    [key],
  )
  useEffect(() => {
    if (first.other) store(otherKey(key), JSON.stringify(first.other))
  }, [first, key])

  const put = useCallback(
    (k: Kept) => {
      now.current = k
      setUnkept(!store(key, JSON.stringify(k)))
    },
    [key],
  )

  const toService = useCallback(async () => {
    const mine = now.current
    if (mine.sent || !connection().on) return
    const body = { program: mine.program, version: mine.version, written_at: new Date(mine.at).toISOString() }
    try {
      const d = await call<OwnDraft>('PUT', path, body)
      if (stored(key) === null) return // signed out meanwhile
      put({ ...now.current, version: d.version, sent: now.current.program === mine.program })
    } catch (err) {
      const there = err instanceof Failure ? err.problem.draft : undefined
      if (!there || stored(key) === null) return // it stays on this device, and goes with the next
      const next = begin(now.current, there, '')
      put(next.text)
      setText(next.text.program)
      if (next.other) setOther(next.other)
      if (!next.text.sent) later.current = setTimeout(() => void again.current(), rest)
    }
  }, [key, path, put, setOther])
  useEffect(() => {
    again.current = toService
  }, [toService])

  const change = useCallback(
    (program: string) => {
      setText(program)
      put({ ...now.current, program, at: Date.now(), sent: false })
      clearTimeout(later.current)
      later.current = setTimeout(() => void toService(), rest)
    },
    [put, toService],
  )

  // What was written without a connection goes to the service when the page opens; what is written goes at once when the
  // page is left.
  useEffect(() => {
    void toService()
    const leaving = () => {
      if (document.visibilityState === 'hidden') void toService()
    }
    document.addEventListener('visibilitychange', leaving)
    const back = followConnection(() => void toService())
    return () => {
      back()
      document.removeEventListener('visibilitychange', leaving)
      clearTimeout(later.current)
      void toService()
    }
  }, [toService])

  // Another tab wrote: a page that nobody types in follows it, and one that somebody does offers it.
  useEffect(() => {
    const follow = (event: StorageEvent) => {
      if (event.key !== key || event.newValue === null) return
      const theirs = readKept(key)
      if (!theirs || theirs.program === now.current.program) {
        if (theirs) now.current = theirs
        return
      }
      if (document.hasFocus()) {
        setOther({ program: theirs.program, at: theirs.at, where: 'in another tab' })
        return
      }
      now.current = theirs
      setText(theirs.program)
    }
    window.addEventListener('storage', follow)
    return () => window.removeEventListener('storage', follow)
  }, [key, setOther])

  const take = () => {
    if (!other) return
    const mine = now.current
    change(other.program)
    setOther({ program: mine.program, at: mine.at, where: 'on this device' })
  }
  return { text, change, other, take, dismiss: () => setOther(null), unkept }
}

// forgetDrafts takes a person's drafts from this device.
export const forgetDrafts = (person: string) => storedUnder(`draft:${person}:`).forEach(drop)
