import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Link, useNavigate } from '@tanstack/react-router'
import { lazy, Suspense, useState } from 'react'
import { call, get } from '../api'
import { useMe } from '../me'
import type { NotePage, TeamNote } from '../types'
import { announce } from './announce'
import { keepNote } from './kept'
import { Failing, Loading } from './States'
import { When } from './When'

const NoteText = lazy(() => import('./NoteText').then((m) => ({ default: m.NoteText })))

// effectOf says what a note has come to.
export function effectOf(n: TeamNote): string {
  const e = n.effect
  return [
    `reached ${e.reached}`,
    ...(n.kind === 'course' ? [] : [`agreed ${e.agreed}`, `still ${e.still}`]),
    `answered ${e.answered}`,
    ...(e.helped > 0 ? [`${e.helped} say it helped`] : []),
    ...(e.stuck > 0 ? [`${e.stuck} say they are still stuck`] : []),
  ].join(' · ')
}

// NoteList shows notes of the team with what they have come to; one opens with its threads.
export function NoteList({
  course,
  notes,
  where,
}: {
  course: string
  notes: TeamNote[]
  where?: (n: TeamNote) => React.ReactNode
}) {
  const [opened, setOpened] = useState<number | null>(null)
  return (
    <ol className="border-t border-rule">
      {notes.map((n) => (
        <li key={n.id} data-note={n.id} className="border-b border-rule py-3">
          <div className={n.withdrawn ? 'opacity-70' : ''}>
            {where?.(n)}
            <Suspense fallback={<p className="whitespace-pre-wrap">{n.text}</p>}>
              <NoteText text={n.text} />
            </Suspense>
          </div>
          <p className="pt-1 text-sm">
            <strong className="font-semibold">{effectOf(n)}</strong>
          </p>
          <p className="flex flex-wrap items-baseline gap-x-3 text-sm text-soft">
            <span>
              {n.author || 'somebody who is gone'}, <When at={n.created} />
            </span>
            {n.groups.length > 0 && <span>to {n.groups.join(', ')}</span>}
            {n.later && <span>also to who comes later</span>}
            {n.edited && (
              <span>
                edited <When at={n.edited} />
              </span>
            )}
            {n.withdrawn && (
              <span>
                withdrawn <When at={n.withdrawn} />
              </span>
            )}
            <button
              className="within"
              aria-expanded={opened === n.id}
              onClick={() => setOpened(opened === n.id ? null : n.id)}
            >
              {opened === n.id
                ? 'close'
                : n.effect.unread > 0
                  ? `${n.effect.unread} new ${n.effect.unread === 1 ? 'answer' : 'answers'}`
                  : 'answers, edit, withdraw'}
            </button>
          </p>
          {opened === n.id && <Opened course={course} id={n.id} />}
        </li>
      ))}
    </ol>
  )
}

// Opened is a note with its threads, what it said before, and what can be done with it.
function Opened({ course, id }: { course: string; id: number }) {
  const me = useMe()
  const client = useQueryClient()
  const navigate = useNavigate()
  const path = `/courses/${course}/notes/${id}`
  const q = useQuery({ queryKey: ['note', course, id], queryFn: () => get<NotePage>(path) })
  const [editing, setEditing] = useState<string | null>(null)
  const changed = () => {
    for (const k of ['note', 'notes', 'knot', 'desk', 'attempt-notes']) void client.invalidateQueries({ queryKey: [k] })
  }
  const edit = useMutation({
    mutationFn: (text: string) =>
      call<NotePage>('PATCH', path, { text }, { 'If-Match': `"${String(q.data?.version ?? 0)}"` }),
    onSuccess: () => {
      setEditing(null)
      announce('The note is changed.')
    },
    onSettled: changed,
  })
  const withdraw = useMutation({
    mutationFn: () => call('DELETE', path),
    onSuccess: () => announce('The note is withdrawn.'),
    onSettled: changed,
  })
  const keep = useMutation({
    mutationFn: () => keepNote(me.name, course, id),
    onSuccess: (k) => {
      void navigate({ to: '/courses/$course/author', params: { course }, search: { exercise: k.exercise } })
    },
  })
  if (q.isPending) return <Loading what="the answers" />
  if (q.isError) return <Failing error={q.error} again={() => void q.refetch()} />
  const n = q.data
  const author = me.courses.find((c) => c.slug === course)?.role === 'instructor'
  return (
    <div className="grid gap-3 pt-2 pl-3">
      {n.threads.length === 0 && <p className="text-soft">Nobody has answered yet.</p>}
      {n.threads.map((t) => (
        <Thread key={t.name} course={course} id={id} thread={t} done={changed} />
      ))}
      {!n.withdrawn && (
        <div className="flex flex-wrap gap-2">
          <button className="button" onClick={() => setEditing(editing === null ? n.text : null)}>
            {editing === null ? 'Edit' : 'Leave it as it is'}
          </button>
          <button className="button" onClick={() => withdraw.mutate()} aria-disabled={withdraw.isPending}>
            Withdraw
          </button>
          {author && (n.kind === 'knot' || n.kind === 'attempt') && (
            <button className="button" onClick={() => keep.mutate()} aria-disabled={keep.isPending}>
              Keep for next time
            </button>
          )}
        </div>
      )}
      {editing !== null && (
        <form
          className="grid gap-2"
          onSubmit={(e) => {
            e.preventDefault()
            if (!edit.isPending) edit.mutate(editing)
          }}
        >
          <label className="grid gap-1">
            <span className="label">the note</span>
            <textarea
              className="field mono min-h-32 py-2"
              value={editing}
              onChange={(e) => setEditing(e.target.value)}
              autoFocus
            />
          </label>
          <button className="button button-main justify-self-start">Change it</button>
        </form>
      )}
      {[edit, withdraw, keep].map((m, i) => m.isError && <Failing key={i} error={m.error} />)}
      {n.history.length > 0 && (
        <details>
          <summary className="min-h-8 cursor-pointer text-soft">what it said before</summary>
          <ol>
            {n.history.map((h) => (
              <li key={h.version} className="border-b border-rule py-1 text-sm">
                <span className="text-soft">
                  until <When at={h.at} />, when {h.by} changed it:
                </span>{' '}
                <span className="whitespace-pre-wrap">{h.text}</span>
              </li>
            ))}
          </ol>
        </details>
      )}
    </div>
  )
}

// Messages are what two sides have said to each other below a note.
export function Messages({ lines }: { lines: NotePage['threads'][number]['lines'] }) {
  return (
    <ol className="grid gap-2">
      {lines.map((m, i) => (
        <li key={i} className={`border-l-2 pl-3 ${m.team ? 'border-l-accent' : 'border-l-edge'}`}>
          <p className="text-sm text-soft">
            {m.author}
            {m.team ? ', of the team' : ''}, <When at={m.at} />
          </p>
          <Suspense fallback={<p className="whitespace-pre-wrap">{m.text}</p>}>
            <NoteText text={m.text} />
          </Suspense>
        </li>
      ))}
    </ol>
  )
}

// Answer writes the next message of a thread.
export function Answer({
  label,
  path,
  person,
  done,
}: {
  label: string
  path: string
  person?: string
  done: () => void
}) {
  const [text, setText] = useState('')
  const send = useMutation({
    mutationFn: () => call('POST', path, { text, person }),
    onSuccess: () => {
      setText('')
      announce('Your answer is sent.')
    },
    onSettled: done,
  })
  return (
    <form
      className="grid gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        if (text.trim() !== '' && !send.isPending) send.mutate()
      }}
    >
      <label className="grid gap-1">
        <span className="label">{label}</span>
        <textarea className="field min-h-16 py-2" rows={2} value={text} onChange={(e) => setText(e.target.value)} />
      </label>
      {send.isError && <Failing error={send.error} />}
      <button className="button min-h-11 justify-self-start" aria-disabled={text.trim() === '' || send.isPending}>
        Answer
      </button>
    </form>
  )
}

function Thread({
  course,
  id,
  thread: t,
  done,
}: {
  course: string
  id: number
  thread: NotePage['threads'][number]
  done: () => void
}) {
  return (
    <section aria-label={`with ${t.display}`} className="grid gap-2">
      <p className="font-semibold">{t.display}</p>
      <Messages lines={t.lines} />
      <Answer
        label={`answer ${t.display}`}
        path={`/courses/${course}/notes/${id}/messages`}
        person={t.name}
        done={done}
      />
    </section>
  )
}

// AboutNote says in a line what a note is about, with a link there.
export function AboutNote({ course, note: n, title }: { course: string; note: TeamNote; title: string }) {
  if (n.kind === 'knot')
    return (
      <p className="text-sm text-soft">
        to{' '}
        <Link
          to="/courses/$course/knots/$exercise/$code/$output"
          params={{ course, exercise: n.exercise, code: n.code, output: n.output || '-' }}
          search={{ group: undefined }}
          className="within"
        >
          {n.output && `${n.output}: `}
          {n.says || n.code}
        </Link>{' '}
        in {title}
      </p>
    )
  if (n.kind === 'attempt')
    return (
      <p className="text-sm text-soft">
        to {n.student} about{' '}
        <Link
          to="/courses/$course/attempts/$attempt"
          params={{ course, attempt: String(n.attempt) }}
          className="within"
        >
          their attempt
        </Link>{' '}
        at {title}
      </p>
    )
  return (
    <p className="text-sm text-soft">
      {n.kind === 'exercise' ? `to everybody, about ${title}` : 'to the whole course'}
    </p>
  )
}
