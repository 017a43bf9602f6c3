import { useQuery } from '@tanstack/react-query'
import { Link, useNavigate, useParams, useSearch } from '@tanstack/react-router'
import { ToggleGroup } from 'radix-ui'
import { memo, useEffect, useRef, useState } from 'react'
import { get } from '../api'
import { CourseFrame } from '../parts/CourseFrame'
import { announce } from '../parts/announce'
import { Choice } from '../parts/Choice'
import { Live } from '../parts/Live'
import { Mark } from '../parts/Mark'
import { How } from '../parts/How'
import { QuietList } from '../parts/QuietList'
import { Sparkline } from '../parts/Sparkline'
import { Empty } from '../parts/States'
import { TeamPages } from '../parts/Team'
import { useLive } from '../parts/useLive'
import { When, zone } from '../parts/When'
import type { AttemptLine, Desk, Group, Knot } from '../types'

// DeskSearch is what narrows and orders the knots; it stands in the address.
export interface DeskSearch {
  group?: string
  exercise?: string
  topic?: string
  code?: string
  sort?: string
}

export function DeskPage() {
  const { course } = useParams({ from: '/inside/courses/$course/desk' })
  const narrowed = useSearch({ from: '/inside/courses/$course/desk' })
  const line = useLive(course, ['desk'])
  const q = useQuery({
    queryKey: ['desk', course, narrowed.group],
    queryFn: () =>
      get<Desk>(`/courses/${course}/desk${narrowed.group ? `?group=${encodeURIComponent(narrowed.group)}` : ''}`),
    placeholderData: (old) => old,
  })
  const [part, setPart] = useState('knots')
  const d = q.data
  // On a phone one part shows at a time.
  const only = (name: string) => (part === name ? '' : 'max-sm:hidden')
  return (
    <CourseFrame course={course} title={d?.title} trail={[{ text: 'Desk' }]} wide what="the desk" of={q}>
      {d && (
        <div className="grid gap-x-6 gap-y-5 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
          <div className="flex min-w-0 flex-wrap items-baseline gap-x-5 gap-y-1 lg:col-span-2">
            <h1 className="text-2xl font-semibold">Desk</h1>
            <span className="text-soft">
              {d.students} students · {d.attempts} attempts{d.waiting > 0 && ` · ${d.waiting} waiting`}
              <span className="max-sm:hidden"> · times in {zone()}</span>
              {d.groups.length > 0 && ` · ${d.groups.join(', ')} alone`}
            </span>
            <span className="ml-auto flex flex-wrap items-baseline gap-x-5">
              <TeamPages course={course} at="desk" />
              <Live line={line} />
            </span>
          </div>
          {d.stuck > 0 && (
            <p role="alert" className="border-l-4 border-l-failed py-1 pl-3 lg:col-span-2">
              ▲ {d.stuck === 1 ? '1 attempt has' : `${d.stuck} attempts have`} no verdict: checking was tried three
              times and did not end. The fault is ours; the attempts are kept, and the log names them.
            </p>
          )}
          <ToggleGroup.Root
            type="single"
            value={part}
            onValueChange={(v) => v && setPart(v)}
            aria-label="part of the desk"
            className="flex sm:hidden"
          >
            {[
              ['knots', 'Knots'],
              ['recent', 'Coming in'],
              ['quiet', 'Quiet'],
            ].map(([value, text]) => (
              <ToggleGroup.Item key={value} value={value!} className="choice min-h-11 flex-1">
                {text}
              </ToggleGroup.Item>
            ))}
          </ToggleGroup.Root>
          <div className={`min-w-0 ${only('knots')}`}>
            <Knots desk={d} />
          </div>
          <div className={`min-w-0 ${only('recent')}`}>
            <Recent desk={d} />
          </div>
          <div className={`min-w-0 ${only('knots')}`}>
            <Exercises desk={d} />
          </div>
          <div className={`min-w-0 ${only('quiet')}`}>
            <QuietList course={d.course} />
          </div>
        </div>
      )}
    </CourseFrame>
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

// narrow leaves the knots that are asked for, in the order that is asked for.
function narrow(desk: Desk, by: DeskSearch): Knot[] {
  const topics = new Map(desk.exercises.map((e) => [e.name, e.topics]))
  const list = desk.knots.filter(
    (k) =>
      (!by.exercise || k.exercise === by.exercise) &&
      (!by.code || k.code.split('.')[0] === by.code) &&
      (!by.topic || topics.get(k.exercise)?.includes(by.topic)),
  )
  if (by.sort === 'growth') return [...list].sort((a, b) => b.people - b.hour_ago - (a.people - a.hour_ago))
  if (by.sort === 'age') return [...list].sort((a, b) => a.since.localeCompare(b.since))
  return list
}

const keyOf = (k: Knot) => `${k.exercise}/${k.code}/${k.output}`

// mostAlone is up to how many knots of one person stand among the others.
const mostAlone = 4

function Knots({ desk }: { desk: Desk }) {
  const by = useSearch({ from: '/inside/courses/$course/desk' })
  const [all, setAll] = useState(false)
  const list = narrow(desk, by)
  const { rows, waiting, release, guards } = useStill(list, keyOf)
  const folded = rows.filter((k) => k.people === 1).length > mostAlone
  const shared = folded ? rows.filter((k) => k.people > 1) : rows
  const alone = folded ? rows.filter((k) => k.people === 1) : []
  const most = Math.max(1, ...rows.flatMap((k) => k.arrivals))
  return (
    <section aria-labelledby="knots">
      <Waiting count={waiting} release={release}>
        <h2 id="knots" tabIndex={-1} className="font-semibold">
          Knots{' '}
          <span className="text-sm font-normal text-soft max-sm:sr-only">
            people whose newest attempt differs in the same way for the same reason
          </span>
        </h2>
      </Waiting>
      <Narrow desk={desk} by={by} />
      {list.length === 0 ? (
        <Empty>
          {desk.knots.length === 0
            ? 'No knots: every newest attempt agrees, or nobody has begun.'
            : 'No knot is like this. Take a filter away to see the others.'}
        </Empty>
      ) : (
        <ol className="border-t border-rule" {...guards}>
          {(all ? shared : shared.slice(0, 10)).map((k) => (
            <KnotRow key={keyOf(k)} knot={k} course={desk.course} title={titleOf(desk, k.exercise)} most={most} />
          ))}
          {shared.length > 10 && (
            <li>
              <button className="within min-h-10 px-3 text-sm" onClick={() => setAll(!all)}>
                {all ? 'the first ten' : `all ${shared.length} knots`}
              </button>
            </li>
          )}
          {alone.length > 0 && <Alone knots={alone} desk={desk} />}
        </ol>
      )}
    </section>
  )
}

// Alone folds the knots of one person each into a line.
function Alone({ knots, desk }: { knots: Knot[]; desk: Desk }) {
  const [open, setOpen] = useState(false)
  return (
    <li className="border-b border-rule py-1">
      <button className="within min-h-8 px-1 text-sm" aria-expanded={open} onClick={() => setOpen(!open)}>
        {knots.length === 1 ? '1 knot' : `${knots.length} knots`} of one person
      </button>
      {open && (
        <ul className="text-sm">
          {knots.map((k) => (
            <li key={keyOf(k)} className="flex flex-wrap gap-x-2 px-1 py-1" data-knot={`${k.exercise}/${k.code}`}>
              <KnotLink knot={k} course={desk.course} />
              <span className="text-soft">
                in {titleOf(desk, k.exercise)}, since <When at={k.since} />
              </span>
            </li>
          ))}
        </ul>
      )}
    </li>
  )
}

// Narrow says which knots show, and in which order.
function Narrow({ desk, by }: { desk: Desk; by: DeskSearch }) {
  const navigate = useNavigate({ from: '/courses/$course/desk' })
  const set = (key: keyof DeskSearch) => (value: string) =>
    void navigate({ search: (old) => ({ ...old, [key]: value || undefined }), replace: true })
  const groups = useQuery({
    queryKey: ['groups', desk.course],
    queryFn: () => get<Group[]>(`/courses/${desk.course}/groups`),
    staleTime: 300_000,
  })
  const names = (groups.data ?? []).map((g) => g.name).filter((n) => n !== '')
  const topics = [...new Set(desk.exercises.flatMap((e) => e.topics))].sort()
  const codes = [...new Set(desk.knots.map((k) => k.code.split('.')[0] ?? ''))].sort()
  const [open, setOpen] = useState(false) // on a phone, where knots come first
  const chosen = Object.values(by).filter(Boolean).length
  return (
    <>
      <button className="within min-h-11 text-sm sm:hidden!" aria-expanded={open} onClick={() => setOpen(!open)}>
        {chosen === 0 ? 'filter and order' : `filter and order: ${chosen} set`}
      </button>
      <div className={`grid grid-cols-2 gap-2 pb-3 sm:grid-cols-5 ${open ? '' : 'max-sm:hidden'}`}>
        <Choice
          compact
          label="exercise"
          value={by.exercise ?? ''}
          change={set('exercise')}
          of={[['', 'all'], ...desk.exercises.map((e) => [e.name, e.title] as const)]}
        />
        <Choice
          compact
          label="topic"
          value={by.topic ?? ''}
          change={set('topic')}
          of={[['', 'all'], ...topics.map((t) => [t, t] as const)]}
        />
        <Choice
          compact
          label="kind"
          value={by.code ?? ''}
          change={set('code')}
          of={[['', 'all'], ...codes.map((c) => [c, c] as const)]}
        />
        {names.length > 0 && (
          <Choice
            compact
            label="group"
            value={by.group ?? ''}
            change={set('group')}
            of={[['', 'all'], ...names.map((n) => [n, n] as const)]}
          />
        )}
        <Choice
          compact
          label="first"
          value={by.sort ?? ''}
          change={set('sort')}
          of={[
            ['', 'most people'],
            ['growth', 'fastest growing'],
            ['age', 'oldest'],
          ]}
        />
      </div>
    </>
  )
}

function KnotLink({ knot: k, course }: { knot: Knot; course: string }) {
  const { group } = useSearch({ from: '/inside/courses/$course/desk' })
  return (
    <Link
      to="/courses/$course/knots/$exercise/$code/$output"
      params={{ course, exercise: k.exercise, code: k.code, output: k.output || '-' }}
      search={{ group }}
      className="text-ink decoration-edge"
    >
      {sentence(k)}
    </Link>
  )
}

const inWords = (n: number) => (n > 0 ? `+${n}` : `−${-n}`)

// KnotRow is a knot as a sentence with its count and how it has changed. Whoever clicks anywhere on it opens its page.
const KnotRow = memo(function KnotRow({
  knot: k,
  course,
  title,
  most,
}: {
  knot: Knot
  course: string
  title: string
  most: number
}) {
  const change = k.people - k.hour_ago
  const came = k.arrivals.reduce((a, b) => a + b, 0)
  return (
    <li
      data-knot={`${k.exercise}/${k.code}`}
      className="relative grid min-h-16 grid-cols-[3rem_1fr_auto] items-center gap-x-3 border-b border-rule py-1.5 hover:bg-sheet"
    >
      <span className="text-right text-[28px] leading-none font-semibold">
        {k.people}
        <span className="sr-only"> people</span>
      </span>
      <div className="min-w-0 [&_a]:after:absolute [&_a]:after:inset-0">
        <p className="break-words">
          <KnotLink knot={k} course={course} /> <span className="text-soft">in</span> {title}
        </p>
        {k.evidence && <How evidence={k.evidence} className="max-sm:hidden" />}
        <p className="flex flex-wrap items-baseline gap-x-3 text-sm text-soft">
          <span>of {k.tried} who tried</span>
          <span>
            since <When at={k.since} />
          </span>
          {k.growing ? (
            <strong className="text-ink" data-growing>
              ↑ {inWords(change)} in the last hour: growing
            </strong>
          ) : (
            change !== 0 && <span>{inWords(change)} in the last hour</span>
          )}
          {k.notes > 0 && <span>{k.notes === 1 ? '1 note' : `${k.notes} notes`}</span>}
          <span className="mono text-xs">{k.code}</span>
        </p>
      </div>
      <span className="max-sm:hidden">
        <Sparkline
          counts={k.arrivals}
          most={most}
          says={`${came} came within the last day, ${k.arrivals.at(-1) ?? 0} in the last hour`}
        />
      </span>
    </li>
  )
})

// sentence is a knot in words: its cause, or the finding that leads it.
function sentence(k: Knot): React.ReactNode {
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
          <RecentRow key={a.id} course={desk.course} title={titleOf(desk, a.exercise)} line={a} fresh={a.id > start} />
        ))}
      </ol>
      {desk.recent.length === 0 && (
        <p className="p-4 text-soft">Nothing has been handed in yet. Attempts appear here as they come.</p>
      )}
    </section>
  )
}

const RecentRow = memo(function RecentRow({
  course,
  title,
  line: a,
  fresh,
}: {
  course: string
  title: string
  line: AttemptLine
  fresh: boolean
}) {
  return (
    <li className={`border-b border-rule ${fresh ? 'arrive' : ''}`} data-attempt={a.id}>
      <Link
        to="/courses/$course/attempts/$attempt"
        params={{ course, attempt: String(a.id) }}
        className="grid grid-cols-[6rem_1fr] gap-x-3 px-1 py-1.5 text-ink no-underline hover:bg-sheet"
      >
        <span>
          <Mark word={a.verdict ?? 'waiting'}>{a.verdict ?? (a.state === 'stuck' ? 'no verdict' : 'waiting')}</Mark>
        </span>
        <span className="min-w-0 break-words">
          {a.display}, {title}
        </span>
        <span className="text-soft">
          <When at={a.handed_in} />
          {a.late && ' · late'}
          {a.kind === 'results' && ' · arrays'}
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
})
