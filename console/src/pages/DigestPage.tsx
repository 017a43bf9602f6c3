import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Link, useParams } from '@tanstack/react-router'
import { useState } from 'react'
import { call, get } from '../api'
import { useMe } from '../me'
import { CourseFrame } from '../parts/CourseFrame'
import { announce } from '../parts/announce'
import { Choice } from '../parts/Choice'
import { Field } from '../parts/Field'
import { Fold } from '../parts/Fold'
import { percent } from '../parts/numbers'
import { Empty, Failing } from '../parts/States'
import { Ticked } from '../parts/VerdictView'
import { TeamPages } from '../parts/Team'
import { AboutNote, effectOf } from '../parts/TeamNotes'
import { When, zone } from '../parts/When'
import type { CourseSettings, Digest, DigestKnot, Hook } from '../types'

const spans = [
  ['7', 'the last week'],
  ['1', 'the last day'],
  ['14', 'the last two weeks'],
  ['42', 'the last six weeks'],
] as const

// DigestPage says what happened in a course within a span, and what to teach again.
export function DigestPage() {
  const me = useMe()
  const { course } = useParams({ from: '/inside/courses/$course/digest' })
  const [days, setDays] = useState('7')
  const [back, setBack] = useState(0) // spans before the one that ends now
  const query = useDigestQuery(Number(days), back)
  const q = useQuery({
    queryKey: ['digest', course, days, back],
    queryFn: () => get<Digest>(`/courses/${course}/digest?${query}`),
    placeholderData: (old) => old,
  })
  const d = q.data
  const author = me.courses.find((c) => c.slug === course)?.role === 'instructor'
  return (
    <CourseFrame course={course} title={d?.title} trail={[{ text: 'Digest' }]} what="the digest" of={q}>
      {d && (
        <div className="grid gap-6">
          <div className="flex flex-wrap items-baseline gap-x-5 gap-y-2">
            <h1 className="flex-1 text-2xl font-semibold">Digest</h1>
            <TeamPages course={course} at="digest" />
          </div>
          <div className="flex flex-wrap items-end gap-3">
            <Choice label="of" value={days} change={setDays} of={spans} />
            <button className="button min-h-11" onClick={() => setBack(back + 1)}>
              ← before
            </button>
            {back > 0 && (
              <button className="button min-h-11" onClick={() => setBack(back - 1)}>
                after →
              </button>
            )}
            <span className="text-sm text-soft">
              {day(d.from)} to {day(d.to)}
            </span>
            <span className="ml-auto flex gap-3 text-sm">
              {(['text', 'markdown', 'html'] as const).map((f) => (
                <a
                  key={f}
                  className="within"
                  href={`/api/v1/courses/${course}/digest?${query}&format=${f}&zone=${encodeURIComponent(zone())}`}
                >
                  {f === 'html' ? 'HTML' : f === 'text' ? 'plain text' : 'Markdown'}
                </a>
              ))}
            </span>
          </div>
          <ol className="grid gap-2 border-l-4 border-l-accent pl-4 text-lg">
            {d.sentences.map((s, i) => (
              <li key={i}>
                <Ticked text={s} />
              </li>
            ))}
          </ol>
          <p className="text-soft">
            {d.attempts} attempts by {d.active} of {d.students} students; {d.quiet} were quiet.
          </p>
          <KnotTable course={course} title="Knots that formed" list={d.formed} />
          <KnotTable course={course} title="Knots that grew" list={d.grew} />
          <KnotTable course={course} title="Knots that dissolved" list={d.dissolved} />
          <Notes course={course} digest={d} />
          <Exercises digest={d} />
          {author && <Sending course={course} />}
        </div>
      )}
    </CourseFrame>
  )
}

// useDigestQuery is the span as the service takes it. It stays the same while one looks at it.
function useDigestQuery(days: number, back: number) {
  const [opened] = useState(() => Math.ceil(Date.now() / 60_000) * 60_000)
  const to = opened - back * days * 86_400_000
  const text = (at: number) => new Date(at).toISOString().slice(0, 19) + 'Z'
  return `from=${text(to - days * 86_400_000)}&to=${text(to)}`
}

const day = (at: string) => new Date(at).toLocaleDateString('en-GB', { dateStyle: 'medium' })

function KnotTable({ course, title, list }: { course: string; title: string; list: DigestKnot[] }) {
  if (list.length === 0) return null
  return (
    <section aria-label={title} className="min-w-0">
      <h2 className="pb-1 font-semibold">{title}</h2>
      <ul className="border-t border-rule">
        {list.slice(0, 20).map((k) => (
          <li
            key={k.exercise + k.code + k.output}
            className="grid min-h-8 grid-cols-[5rem_1fr] items-baseline gap-x-3 border-b border-rule py-1"
          >
            <span className="text-right">
              {k.before} → <strong>{k.after}</strong>
            </span>
            <span className="min-w-0 break-words">
              <Link
                to="/courses/$course/knots/$exercise/$code/$output"
                params={{ course, exercise: k.exercise, code: k.code, output: k.output || '-' }}
                search={{ group: undefined }}
                className="text-ink decoration-edge"
              >
                {k.output && <code>{k.output}: </code>}
                {k.says || k.code}
              </Link>{' '}
              <span className="text-soft">in {k.exercise_title}</span>
            </span>
          </li>
        ))}
      </ul>
      {list.length > 20 && <p className="text-sm text-soft">and {list.length - 20} more</p>}
    </section>
  )
}

function Notes({ course, digest: d }: { course: string; digest: Digest }) {
  const titleOf = (name: string) => d.exercises.find((e) => e.name === name)?.title ?? name
  return (
    <section aria-label="notes" className="min-w-0">
      <h2 className="pb-1 font-semibold">Notes and what they came to</h2>
      {d.notes.length === 0 ? (
        <p className="text-soft">No note was written in this span.</p>
      ) : (
        <ul className="border-t border-rule">
          {d.notes.map((n) => (
            <li key={n.id} className="border-b border-rule py-2">
              <AboutNote course={course} note={n} title={titleOf(n.exercise)} />
              <p className="break-words">{n.text.split('\n')[0]}</p>
              <p className="text-sm">
                <strong className="font-semibold">{effectOf(n)}</strong>{' '}
                <span className="text-soft">
                  · {n.author}, <When at={n.created} />
                </span>
              </p>
            </li>
          ))}
        </ul>
      )}
    </section>
  )
}

function Exercises({ digest: d }: { digest: Digest }) {
  return (
    <section aria-label="exercises" className="min-w-0">
      <h2 className="pb-1 font-semibold">Exercises</h2>
      <div className="overflow-x-auto" tabIndex={0} role="region" aria-label="how each exercise stands">
        <table className="rows w-full border-t border-rule text-sm">
          <thead>
            <tr>
              <th scope="col">exercise</th>
              {['attempts', 'tried', 'agree', 'median tries', 'slips caught', 'by hand'].map((h) => (
                <th scope="col" key={h} className="text-right!">
                  {h}
                </th>
              ))}
              <th scope="col">hardest output</th>
            </tr>
          </thead>
          <tbody>
            {d.exercises.map((e) => (
              <tr key={e.name}>
                <td>{e.title}</td>
                <td className="text-right">{e.attempts}</td>
                <td className="text-right">{e.tried}</td>
                <td className="text-right">{e.share === null ? '—' : percent(e.share)}</td>
                <td className="text-right">{e.tries ?? '—'}</td>
                <td className="text-right">{e.caught === null ? '—' : percent(e.caught)}</td>
                <td className="text-right">{e.changed}</td>
                <td>
                  {e.hardest ? (
                    <>
                      <code>{e.hardest}</code> <span className="text-soft">{e.stuck} stuck</span>
                    </>
                  ) : (
                    '—'
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  )
}

const days = ['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday']

// Sending is when the digest goes out by mail, and which other programs are told of what happens.
function Sending({ course }: { course: string }) {
  return (
    <Fold title="Sent by itself" className="border-t border-rule pt-3">
      <div className="grid gap-6 pt-2">
        <ByMail course={course} />
        <Hooks course={course} />
      </div>
    </Fold>
  )
}

function ByMail({ course }: { course: string }) {
  const client = useQueryClient()
  const q = useQuery({
    queryKey: ['settings', course],
    queryFn: () => get<CourseSettings>(`/courses/${course}/settings`),
  })
  const set = useMutation({
    mutationFn: (digest: CourseSettings['digest']) =>
      call<CourseSettings>('PUT', `/courses/${course}/settings`, { digest }),
    onSuccess: (s) => {
      client.setQueryData(['settings', course], s)
      announce(s.digest ? `The digest is sent each ${s.digest.day}.` : 'The digest is not sent by itself.')
    },
  })
  if (!q.data) return null
  const now = q.data.digest
  return (
    <section aria-label="by mail" className="grid gap-2">
      <h2 className="font-semibold">By mail to the team</h2>
      <div className="flex flex-wrap items-end gap-3">
        <Choice
          label="each"
          value={now?.day ?? ''}
          change={(v) => set.mutate(v ? { day: v, hour: now?.hour ?? 7, zone: now?.zone ?? zone() } : null)}
          of={[['', 'never'], ...days.map((d) => [d, d] as const)]}
        />
        {now && (
          <>
            <Choice
              label="at"
              value={String(now.hour)}
              change={(v) => set.mutate({ ...now, hour: Number(v) })}
              of={Array.from({ length: 24 }, (_, h) => [String(h), `${h}:00`] as const)}
            />
            <span className="text-soft">{now.zone}; each can say no in their account</span>
          </>
        )}
      </div>
      {set.isError && <Failing error={set.error} />}
    </section>
  )
}

function Hooks({ course }: { course: string }) {
  const client = useQueryClient()
  const [address, setAddress] = useState('')
  const q = useQuery({ queryKey: ['hooks', course], queryFn: () => get<Hook[]>(`/courses/${course}/hooks`) })
  const settled = () => void client.invalidateQueries({ queryKey: ['hooks', course] })
  const add = useMutation({
    mutationFn: () => call<Hook>('POST', `/courses/${course}/hooks`, { address, events: [] }),
    onSuccess: () => setAddress(''),
    onSettled: settled,
  })
  const end = useMutation({
    mutationFn: (id: number) => call('DELETE', `/courses/${course}/hooks/${id}`),
    onSettled: settled,
  })
  return (
    <section aria-label="web hooks" className="grid gap-2">
      <h2 className="font-semibold">Web hooks</h2>
      <p className="text-sm text-soft">
        Another program is told of knots that grow, of answers to notes and of digests: CloudEvents in JSON, signed as
        Standard Webhooks has it.
      </p>
      {q.data?.length === 0 && <Empty>No program is told of anything.</Empty>}
      <ul className={q.data && q.data.length > 0 ? 'border-t border-rule' : ''}>
        {q.data?.map((h) => (
          <li key={h.id} className="flex flex-wrap items-center gap-3 border-b border-rule py-1">
            <span className="mono min-w-0 flex-1 text-sm break-all">{h.address}</span>
            <span className="text-sm text-soft">{h.events.join(', ')}</span>
            <button className="button" onClick={() => end.mutate(h.id)} aria-label={`withdraw ${h.address}`}>
              Withdraw
            </button>
          </li>
        ))}
      </ul>
      <form
        className="flex flex-wrap items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault()
          if (!add.isPending) add.mutate()
        }}
      >
        <Field label="address, with https" value={address} change={setAddress} type="url" />
        <button className="button min-h-11">Add</button>
      </form>
      {add.isError && <Failing error={add.error} />}
      {add.data?.secret && (
        <p role="status" className="border-l-4 border-l-accent pl-3">
          The secret that messages are signed with, shown once: <code className="break-all">{add.data.secret}</code>
        </p>
      )}
    </section>
  )
}
