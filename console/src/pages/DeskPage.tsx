import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Link, useParams } from '@tanstack/react-router'
import { useEffect, useRef, useState } from 'react'
import { get } from '../api'
import { useMe } from '../me'
import { announce } from '../parts/announce'
import { Mark } from '../parts/Mark'
import { diffLines } from '../parts/diff'
import { Page } from '../parts/Page'
import { QuietList } from '../parts/QuietList'
import { Empty, Failing, Loading } from '../parts/States'
import { When, zone } from '../parts/When'
import type { AttemptLine, Desk } from '../types'

type Line = 'connecting' | 'live' | 'lost'

// useLive refetches the desk when its stream reports a change, at most a few
// times a second, and says whether the stream is up.
function useLive(course: string): Line {
  const client = useQueryClient()
  const [line, setLine] = useState<Line>('connecting')
  useEffect(() => {
    const source = new EventSource(`/api/v1/courses/${course}/desk/events`)
    let timer: ReturnType<typeof setTimeout> | undefined
    const changed = () => {
      timer ??= setTimeout(() => {
        timer = undefined
        void client.invalidateQueries({ queryKey: ['desk', course] })
      }, 200)
    }
    for (const kind of ['attempt', 'verdict', 'revision', 'refresh']) source.addEventListener(kind, changed)
    source.onopen = () => setLine('live')
    source.onerror = () => setLine('lost')
    return () => {
      clearTimeout(timer)
      source.close()
    }
  }, [client, course])
  return line
}

export function DeskPage() {
  const me = useMe()
  const { course } = useParams({ from: '/inside/courses/$course/desk' })
  const line = useLive(course)
  const q = useQuery({ queryKey: ['desk', course], queryFn: () => get<Desk>(`/courses/${course}/desk`) })
  const d = q.data
  return (
    <Page
      me={me}
      wide
      ready={q.isSuccess}
      crumbs={[
        { text: d?.title ?? me.courses.find((c) => c.slug === course)?.title ?? course, to: `/courses/${course}` },
        { text: 'Desk' },
      ]}
    >
      {q.isPending && <Loading what="the desk" />}
      {q.isError && <Failing error={q.error} again={() => void q.refetch()} />}
      {d && (
        <div className="grid gap-6 xl:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
          <div className="flex min-w-0 flex-wrap items-baseline gap-x-5 gap-y-1 xl:col-span-2">
            <h1 className="text-2xl font-semibold">Desk</h1>
            <span className="text-soft">
              {d.students} students · {d.attempts} attempts{d.waiting > 0 && ` · ${d.waiting} waiting`} · times in{' '}
              {zone()}
              {d.groups.length > 0 && ` · you see ${d.groups.join(', ')} alone`}
            </span>
            <span className="ml-auto text-sm" data-line={line}>
              {line === 'live' ? (
                <span className="text-agrees">● live</span>
              ) : line === 'lost' ? (
                <span className="text-differs">◐ connection lost, trying again</span>
              ) : (
                <span className="text-waiting">○ connecting</span>
              )}
            </span>
          </div>
          {d.stuck > 0 && (
            <p role="alert" className="border-l-4 border-l-failed py-1 pl-3 xl:col-span-2">
              ▲ {d.stuck === 1 ? '1 attempt has' : `${d.stuck} attempts have`} no verdict: checking was tried three
              times and did not end. The fault is ours; the attempts are kept, and the log names them.
            </p>
          )}
          <div className="grid min-w-0 content-start gap-6">
            <Knots desk={d} />
            <Exercises desk={d} />
            <QuietList course={d.course} />
          </div>
          <Recent desk={d} />
        </div>
      )}
    </Page>
  )
}

const states = ['agrees', 'differs', 'failed', 'refused', 'waiting'] as const
const fills = {
  agrees: 'bg-agrees',
  differs: 'bg-differs',
  failed: 'bg-failed',
  refused: 'bg-refused',
  waiting: 'bg-waiting',
}

const titleOf = (desk: Desk, exercise: string) => desk.exercises.find((e) => e.name === exercise)?.title ?? exercise

function Exercises({ desk }: { desk: Desk }) {
  return (
    <section aria-labelledby="shares">
      <h2 id="shares" className="pb-1 font-semibold">
        Exercises <span className="text-sm font-normal text-soft">students by their newest attempt</span>
      </h2>
      <table className="rows w-full border-t border-rule text-sm">
        <thead>
          <tr>
            <th scope="col">exercise</th>
            {states.map((s) => (
              <th scope="col" key={s} className="text-right! max-sm:hidden">
                <Mark word={s} />
              </th>
            ))}
            <th scope="col" className="text-right! max-sm:hidden">
              none
            </th>
            <th scope="col" className="w-1/5 min-w-24">
              share
            </th>
          </tr>
        </thead>
        <tbody>
          {desk.exercises.map((e) => (
            <tr key={e.name} data-exercise={e.name}>
              <td>
                <Link
                  to="/courses/$course/exercises/$exercise"
                  params={{ course: desk.course, exercise: e.name }}
                  className="within break-words"
                >
                  {e.title}
                </Link>
                {e.stuck > 0 && <span className="text-failed"> ▲ {e.stuck} without a verdict</span>}
              </td>
              {states.map((s) => (
                <td key={s} className={`text-right max-sm:hidden ${e[s] === 0 ? 'text-soft' : ''}`} data-count={s}>
                  {e[s]}
                </td>
              ))}
              <td className="text-right text-soft max-sm:hidden">{e.none}</td>
              <td>
                <span aria-hidden="true" className="share flex h-3 w-full gap-px bg-rule">
                  {states.map(
                    (s) =>
                      e[s] > 0 && (
                        <span
                          key={s}
                          className={fills[s]}
                          style={{ width: `${(100 * e[s]) / Math.max(desk.students, 1)}%` }}
                        />
                      ),
                  )}
                </span>
                <span className="text-xs text-soft sm:sr-only">
                  {[...states.filter((s) => e[s] > 0).map((s) => `${s} ${e[s]}`), `none ${e.none}`].join(' · ')}
                </span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  )
}

// useStill keeps a list where it is while somebody points at it or is in it: rows
// that came meanwhile wait and are counted; rows that are there may change.
function useStill<T>(now: T[], keyOf: (row: T) => string) {
  const [held, setHeld] = useState<T[] | null>(null)
  const known = new Map(now.map((row) => [keyOf(row), row]))
  const rows = held ? held.map((row) => known.get(keyOf(row)) ?? row) : now
  const shown = new Set(rows.map(keyOf))
  const hold = () => setHeld((old) => old ?? now)
  const release = () => setHeld(null)
  return {
    rows,
    waiting: held ? now.filter((row) => !shown.has(keyOf(row))).length : 0,
    release,
    guards: {
      // Only a pointer that moves is somebody's; the page itself moves under one at rest.
      onPointerMove: (e: React.PointerEvent) => {
        if (e.movementX !== 0 || e.movementY !== 0) hold()
      },
      onPointerLeave: (e: React.PointerEvent) => {
        if (!e.currentTarget.contains(document.activeElement)) release()
      },
      onFocus: hold,
      onBlur: (e: React.FocusEvent) => {
        if (!e.currentTarget.contains(e.relatedTarget)) release()
      },
    },
  }
}

function Waiting({ count, release, children }: { count: number; release: () => void; children: React.ReactNode }) {
  return (
    <div className="flex min-h-8 items-baseline gap-3 pb-1">
      {children}
      {count > 0 && (
        <button
          className="within text-sm"
          onClick={(e) => {
            e.currentTarget.parentElement?.querySelector('h2')?.focus()
            release()
          }}
        >
          {count} new
        </button>
      )}
    </div>
  )
}

function Knots({ desk }: { desk: Desk }) {
  const [all, setAll] = useState(false)
  const { rows, waiting, release, guards } = useStill(desk.knots, (k) => `${k.exercise}/${k.code}/${k.output}`)
  if (desk.knots.length === 0) return <Empty>No knots: every newest attempt agrees, or nobody has begun.</Empty>
  return (
    <section aria-labelledby="knots" {...guards}>
      <Waiting count={waiting} release={release}>
        <h2 id="knots" tabIndex={-1} className="font-semibold">
          Knots
        </h2>
      </Waiting>
      <p className="pb-2 text-sm text-soft">
        A knot is everybody whose newest attempt differs in the same way for the same reason; the number counts people.
      </p>
      <ol className="border-t border-rule">
        {rows.slice(0, all ? undefined : 8).map((k) => (
          <li
            key={k.exercise + k.code + k.output}
            data-knot={`${k.exercise}/${k.code}`}
            className="grid grid-cols-[3rem_1fr] items-baseline gap-x-3 border-b border-rule py-2"
          >
            <span className="text-right text-[28px] leading-none font-semibold">
              {k.people}
              <span className="sr-only"> people</span>
            </span>
            <div className="min-w-0">
              <p className="break-words">
                {sentence(k)} <span className="text-soft">in</span> {titleOf(desk, k.exercise)}
              </p>
              {k.evidence && <How evidence={k.evidence} />}
              <p className="flex flex-wrap items-baseline gap-x-3 text-sm text-soft">
                <span>
                  since <When at={k.since} />
                </span>
                <span className="flex flex-wrap items-baseline gap-x-1">
                  {k.attempts.slice(0, 6).map((a) => (
                    <Link
                      key={a}
                      to="/courses/$course/attempts/$attempt"
                      params={{ course: desk.course, attempt: String(a) }}
                      aria-label={`attempt ${a}`}
                      className="within justify-center"
                    >
                      {a}
                    </Link>
                  ))}
                  {k.attempts.length > 6 && <span>and {k.attempts.length - 6} more</span>}
                </span>
                <span className="mono ml-auto text-xs">{k.code}</span>
              </p>
            </div>
          </li>
        ))}
      </ol>
      {rows.length > 8 && (
        <button className="within min-h-10 px-3 text-sm" onClick={() => setAll(!all)}>
          {all ? 'the largest eight' : `all ${rows.length} knots`}
        </button>
      )}
    </section>
  )
}

// How is how one knows a knot's cause: a statement of its newest attempt and what it becomes, or the change
// of the reference that gives the same.
function How({ evidence: e }: { evidence: NonNullable<Desk['knots'][number]['evidence']> }) {
  if (!e.diff) return e.change ? <p className="mono text-sm break-words text-soft">{e.change}</p> : null
  return (
    <div className="mono py-1 text-sm break-words">
      {diffLines(e.diff.before.trimEnd(), e.diff.after.trimEnd())
        .filter((l) => l.sign.trim() !== '')
        .slice(0, 6)
        .map((l, i) => (
          <p key={i} className={l.sign === '+' ? 'text-agrees' : 'text-differs'}>
            {l.sign} {l.text}
          </p>
        ))}
    </div>
  )
}

// sentence is a knot in words: its cause, or the finding that leads it.
function sentence(k: Desk['knots'][number]): React.ReactNode {
  return (
    <>
      {k.output && (
        <>
          <code>{k.output}</code>:{' '}
        </>
      )}
      {k.says || k.code}
    </>
  )
}

// Recent lists attempts as they arrive; new ones are highlighted for a moment.
function Recent({ desk }: { desk: Desk }) {
  const [start] = useState(() => Math.max(0, ...desk.recent.map((a) => a.id)))
  const newest = Math.max(0, ...desk.recent.map((a) => a.id))
  const { rows, waiting, release, guards } = useStill(desk.recent, (a) => String(a.id))
  const told = useRef(newest)
  useEffect(() => {
    const since = newest - told.current
    told.current = newest
    if (since > 0) announce(since === 1 ? '1 attempt has come in' : `${since} attempts have come in`)
  }, [newest])
  return (
    <section aria-labelledby="recent" className="min-w-0" {...guards}>
      <Waiting count={waiting} release={release}>
        <h2 id="recent" tabIndex={-1} className="font-semibold">
          Coming in
        </h2>
      </Waiting>
      <ol className="border-t border-rule text-sm">
        {rows.map((a) => (
          <RecentRow key={a.id} desk={desk} line={a} fresh={a.id > start} />
        ))}
      </ol>
      {desk.recent.length === 0 && (
        <p className="p-4 text-soft">Nothing has been handed in yet. Attempts appear here as they come.</p>
      )}
    </section>
  )
}

function RecentRow({ desk, line: a, fresh }: { desk: Desk; line: AttemptLine; fresh: boolean }) {
  return (
    <li className={`border-b border-rule ${fresh ? 'arrive' : ''}`} data-attempt={a.id}>
      <Link
        to="/courses/$course/attempts/$attempt"
        params={{ course: desk.course, attempt: String(a.id) }}
        className="grid grid-cols-[6rem_1fr] gap-x-3 px-1 py-1.5 text-ink no-underline hover:bg-sheet"
      >
        <span>
          <Mark word={a.verdict ?? 'waiting'}>{a.verdict ?? (a.state === 'stuck' ? 'no verdict' : 'waiting')}</Mark>
        </span>
        <span className="min-w-0 break-words">
          {a.display}, {titleOf(desk, a.exercise)}
        </span>
        <span className="text-soft">
          <When at={a.handed_in} />
          {a.late && ' · late'}
        </span>
        <span className="flex min-w-0 flex-wrap items-baseline gap-x-3 text-soft">
          {a.lead_code && (
            <>
              {a.lead_says} <span className="mono ml-auto text-xs">{a.lead_code}</span>
            </>
          )}
        </span>
      </Link>
    </li>
  )
}
