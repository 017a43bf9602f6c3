import { useMutation, useQueryClient } from '@tanstack/react-query'
import { lazy, Suspense, useState } from 'react'
import { call } from '../api'
import { drop, store, stored } from '../offline/device'
import type { NewNote, NotePage } from '../types'
import { announce } from './announce'
import { Panel } from './Panel'
import { Failing } from './States'

const NoteText = lazy(() => import('./NoteText').then((m) => ({ default: m.NoteText })))

// people counts in words.
export const people = (n: number) => (n === 1 ? '1 person' : `${n} people`)

// NoteForm writes a note, and shows beside it what students will read.
export function NoteForm({
  course,
  to,
  about,
  reaches,
  later,
  close,
}: {
  course: string
  to: Omit<NewNote, 'text' | 'later'>
  about: string
  reaches: string // whom it goes to, in words
  later?: boolean // it can go to who comes later
  close: () => void
}) {
  const client = useQueryClient()
  const key = `note ${course} ${JSON.stringify(to)}`
  const [text, setText] = useState(() => stored(key) ?? '')
  const [also, setAlso] = useState(later ?? false)
  const write = (t: string) => {
    setText(t)
    store(key, t)
  }
  const send = useMutation({
    mutationFn: () => call<NotePage>('POST', `/courses/${course}/notes`, { ...to, text, later: also || undefined }),
    onSuccess: (n) => {
      drop(key)
      announce(`The note reached ${people(n.effect.reached)}.`)
      for (const k of ['knot', 'notes', 'desk', 'attempt-notes']) void client.invalidateQueries({ queryKey: [k] })
      close()
    },
  })
  const empty = text.trim() === ''
  return (
    <Panel title="Write a note" close={close}>
      <p className="text-soft">{about}</p>
      <label className="grid gap-1">
        <span className="label">what it says; `code` and lists as in CommonMark</span>
        <textarea
          className="field mono min-h-40 py-2"
          value={text}
          onChange={(e) => write(e.target.value)}
          autoFocus
          rows={7}
        />
      </label>
      {later !== undefined && (
        <label className="flex min-h-6 items-start gap-2">
          <input type="checkbox" className="size-6" checked={also} onChange={(e) => setAlso(e.target.checked)} />
          <span>also to everybody who gets into it while the note stands</span>
        </label>
      )}
      {!empty && (
        <section aria-label="what students see" className="grid gap-1">
          <span className="label">what students see</span>
          <div className="border-l-4 border-l-accent pl-3">
            <Suspense>
              <NoteText text={text} />
            </Suspense>
          </div>
        </section>
      )}
      {send.isError && <Failing error={send.error} />}
      <div className="flex flex-wrap items-center gap-3">
        <button
          className="button button-main min-h-11"
          aria-disabled={empty || send.isPending}
          onClick={() => {
            if (!empty && !send.isPending) send.mutate()
          }}
        >
          {send.isPending ? 'Sending …' : 'Send'}
        </button>
        <span>goes to {reaches}</span>
      </div>
    </Panel>
  )
}
