import { useQuery } from '@tanstack/react-query'
import { Link, useNavigate, useParams, useSearch } from '@tanstack/react-router'
import { useEffect, useState } from 'react'
import { get } from '../api'
import { CourseFrame } from '../parts/CourseFrame'
import { lookOf } from '../parts/ArrayViewer'
import { Code } from '../parts/Code'
import { How } from '../parts/How'
import { Live } from '../parts/Live'
import { Mark } from '../parts/Mark'
import { NoteForm, people } from '../parts/NoteForm'
import { Pair } from '../parts/Pair'
import { Sparkline } from '../parts/Sparkline'
import { Empty, Failing, Loading } from '../parts/States'
import { NoteList } from '../parts/TeamNotes'
import { useLive } from '../parts/useLive'
import { When } from '../parts/When'
import type { Arrays, Exercise, KnotPageForm, Way } from '../types'

export function KnotPage() {
  const at = useParams({ from: '/inside/courses/$course/knots/$exercise/$code/$output' })
  const { group } = useSearch({ from: '/inside/courses/$course/knots/$exercise/$code/$output' })
  const { course } = at
  const line = useLive(course, ['knot'])
  const parts = [at.exercise, at.code, at.output].map(encodeURIComponent).join('/')
  const q = useQuery({
    queryKey: ['knot', course, parts, group],
    queryFn: () =>
      get<KnotPageForm>(`/courses/${course}/knots/${parts}${group ? `?group=${encodeURIComponent(group)}` : ''}`),
    placeholderData: (old) => old,
  })
  const k = q.data
  return (
    <CourseFrame
      course={course}
      title={k?.title}
      trail={[{ text: 'Desk', to: `/courses/${course}/desk` }, { text: k ? k.says || k.code : 'Knot' }]}
      wide
      what="the knot"
      of={q}
    >
      {k && <Shown knot={k} line={<Live line={line} />} group={group} />}
    </CourseFrame>
  )
}

function Shown({ knot: k, line, group }: { knot: KnotPageForm; line: React.ReactNode; group?: string }) {
  const [writing, setWriting] = useState(false)
  const [picked, setPicked] = useState<number | null>(null) // the attempt that stands for a way
  const way = k.ways.find((w) => w.attempt === picked) ?? k.ways[0]
  const change = k.people - k.hour_ago
  const came = k.arrivals.reduce((a, b) => a + b, 0)
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      const on = e.target instanceof HTMLElement ? e.target : null
      if (
        e.key !== 'n' ||
        e.ctrlKey ||
        e.metaKey ||
        e.altKey ||
        on?.isContentEditable ||
        on?.closest('input, textarea, select')
      )
        return
      e.preventDefault()
      setWriting(true)
    }
    window.addEventListener('keydown', press)
    return () => window.removeEventListener('keydown', press)
  }, [])
  return (
    <div className="grid gap-x-8 gap-y-6 lg:grid-cols-12">
      <div className="grid gap-1 lg:col-span-12">
        <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
          <h1 className="min-w-0 flex-1 basis-60 text-2xl font-semibold break-words">
            {k.output && <code>{k.output}: </code>}
            {k.says || k.code}
          </h1>
          {line}
          <button className="button button-main min-h-11" onClick={() => setWriting(true)}>
            Write a note <span className="mono text-xs max-sm:hidden">n</span>
          </button>
        </div>
        <p className="text-soft">
          in{' '}
          <Link
            to="/courses/$course/exercises/$exercise"
            params={{ course: k.course, exercise: k.exercise }}
            className="within"
          >
            {k.exercise_title}
          </Link>
          {(group || k.groups.length > 0) && ` · ${group ?? k.groups.join(', ')} alone`}{' '}
          <span className="mono text-xs">{k.code}</span>
        </p>
        <p className="flex flex-wrap items-center gap-x-4 gap-y-1">
          <span>
            <strong className="text-[28px] leading-none">{k.people}</strong> of {k.tried} who tried
          </span>
          {k.since && (
            <span className="text-soft">
              since <When at={k.since} />
            </span>
          )}
          <span className={k.growing ? 'font-semibold' : 'text-soft'}>
            {change === 0 ? 'as many as an hour ago' : `${change > 0 ? `+${change}` : `−${-change}`} in the last hour`}
            {k.growing && ': growing'}
          </span>
          <Sparkline
            counts={k.arrivals}
            says={`${came} came within the last day, ${k.arrivals.at(-1) ?? 0} in the last hour`}
          />
        </p>
      </div>
      <div className="grid min-w-0 content-start gap-6 lg:col-span-7">
        <Ways knot={k} way={way} pick={setPicked} />
        <Members knot={k} />
      </div>
      <div className="grid min-w-0 content-start gap-6 lg:col-span-5">
        {way && <Example key={way.attempt} course={k.course} exercise={k.exercise} way={way} />}
        <Leavers knot={k} />
      </div>
      <section aria-labelledby="notes" className="min-w-0 lg:col-span-12">
        <h2 id="notes" className="pb-1 font-semibold">
          Notes to this knot
        </h2>
        {k.notes.length === 0 ? (
          <Empty>
            No note yet. What you write reaches everybody who is in the knot, and you see whether it helped.
          </Empty>
        ) : (
          <NoteList course={k.course} notes={k.notes} />
        )}
      </section>
      {writing && (
        <NoteForm
          course={k.course}
          to={{ exercise: k.exercise, code: k.code, output: k.output, groups: group ? [group] : undefined }}
          about={`${k.exercise_title}: ${k.output ? k.output + ': ' : ''}${k.says || k.code}`}
          reaches={people(k.people)}
          later={false}
          close={() => setWriting(false)}
        />
      )}
    </div>
  )
}

// Ways are how the mistake is written: one example of each, the most common first. Arrows move between them, Enter opens
// the attempt.
function Ways({ knot: k, way, pick }: { knot: KnotPageForm; way?: Way; pick: (attempt: number) => void }) {
  const navigate = useNavigate()
  const [all, setAll] = useState(false)
  const shown = all ? k.ways : k.ways.slice(0, 6)
  const at = Math.max(
    0,
    shown.findIndex((w) => w.attempt === way?.attempt),
  )
  const press = (e: React.KeyboardEvent) => {
    const step = { ArrowDown: 1, ArrowUp: -1 }[e.key]
    const row = shown[at]
    if (step) {
      e.preventDefault()
      const next = shown[Math.max(0, Math.min(shown.length - 1, at + step))]
      if (!next) return
      pick(next.attempt)
      const list = e.currentTarget
      requestAnimationFrame(() => list.querySelector<HTMLElement>('[aria-selected="true"]')?.focus())
    } else if (e.key === 'Enter' && row) {
      e.preventDefault()
      void navigate({
        to: '/courses/$course/attempts/$attempt',
        params: { course: k.course, attempt: String(row.attempt) },
      })
    }
  }
  return (
    <section aria-labelledby="ways" className="min-w-0">
      <h2 id="ways" className="pb-1 font-semibold">
        Ways of writing it{' '}
        <span className="text-sm font-normal text-soft">
          {k.ways.length} in {k.read} programs; alike but for layout, comments, literals and names
        </span>
      </h2>
      {k.ways.length === 0 && (
        <Empty>
          {k.in.length === 0
            ? 'Nobody is in this knot now.'
            : 'Everybody in it has computed elsewhere and handed arrays in: open an attempt to see the data and the text.'}
        </Empty>
      )}
      <div role="listbox" aria-label="ways of writing it" onKeyDown={press} className="border-t border-rule">
        {shown.map((w, i) => (
          <div
            key={w.attempt}
            role="option"
            aria-selected={i === at}
            tabIndex={i === at ? 0 : -1}
            onClick={() => pick(w.attempt)}
            onFocus={() => pick(w.attempt)}
            data-way={w.attempt}
            className="way grid cursor-pointer grid-cols-[3rem_1fr] gap-x-3 border-b border-rule py-2"
          >
            <span className="text-right text-[28px] leading-none font-semibold">
              {w.count}
              <span className="sr-only"> people</span>
            </span>
            <div className="min-w-0">
              <Code text={w.program} at={w.span} label={`as ${w.display} wrote it`} />
            </div>
          </div>
        ))}
      </div>
      {k.ways.length > 6 && (
        <button className="within min-h-10 px-3 text-sm" onClick={() => setAll(!all)}>
          {all ? 'the six most common' : `all ${k.ways.length} ways`}
        </button>
      )}
    </section>
  )
}

// Example shows one attempt: how one knows, and the array that shows it.
function Example({ course, exercise, way: w }: { course: string; exercise: string; way: Way }) {
  const e = useQuery({
    queryKey: ['exercise', course, exercise],
    queryFn: () => get<Exercise>(`/courses/${course}/exercises/${exercise}`),
  })
  const q = useQuery({
    queryKey: ['arrays', w.attempt, w.case, w.output],
    enabled: w.output !== '',
    queryFn: () =>
      get<Arrays>(
        `/attempts/${w.attempt}/arrays?case=${encodeURIComponent(w.case)}&output=${encodeURIComponent(w.output)}`,
      ),
  })
  return (
    <section aria-labelledby="example" className="grid min-w-0 gap-3">
      <h2 id="example" className="font-semibold">
        As{' '}
        <Link
          to="/courses/$course/attempts/$attempt"
          params={{ course, attempt: String(w.attempt) }}
          className="within"
        >
          {w.display} wrote it
        </Link>
        {w.case && <span className="text-sm font-normal text-soft"> in the case {w.case}</span>}
      </h2>
      {w.evidence && <How evidence={w.evidence} />}
      {w.output === '' && <p className="text-soft">No array shows it: the program did not get so far.</p>}
      {q.isLoading && <Loading what="the arrays" />}
      {q.isError && <Failing error={q.error} />}
      {q.data && (
        <Pair arrays={q.data} overlay={lookOf(e.data?.outputs.find((o) => o.name === w.output)?.present ?? '')} />
      )}
    </section>
  )
}

function Members({ knot: k }: { knot: KnotPageForm }) {
  const [all, setAll] = useState(false)
  if (k.in.length === 0) return null
  return (
    <section aria-labelledby="members" className="min-w-0">
      <h2 id="members" className="pb-1 font-semibold">
        Who is in it <span className="text-sm font-normal text-soft">{k.more && `the newest ${k.in.length}`}</span>
      </h2>
      <ul className="border-t border-rule text-sm">
        {(all ? k.in : k.in.slice(0, 12)).map((m) => (
          <li key={m.name} className="border-b border-rule" data-member={m.name}>
            <Link
              to="/courses/$course/attempts/$attempt"
              params={{ course: k.course, attempt: String(m.attempt) }}
              className="flex flex-wrap gap-x-3 px-1 py-1.5 text-ink no-underline hover:bg-sheet"
            >
              <span className="min-w-0 flex-1 break-words">
                {m.display} <span className="text-soft">{m.group}</span>
              </span>
              <span className="text-soft">
                {m.within === m.tries ? `${m.tries}` : `${m.within} of ${m.tries}`} {m.tries === 1 ? 'try' : 'tries'} ·
                since <When at={m.since} />
              </span>
            </Link>
          </li>
        ))}
      </ul>
      {k.in.length > 12 && !all && (
        <button className="button mt-2" onClick={() => setAll(true)}>
          All {k.in.length}
        </button>
      )}
    </section>
  )
}

function Leavers({ knot: k }: { knot: KnotPageForm }) {
  const [all, setAll] = useState(false)
  return (
    <section aria-labelledby="left" className="min-w-0">
      <h2 id="left" className="pb-1 font-semibold">
        Who has left it{' '}
        {k.left.length > 0 && (
          <span className="text-sm font-normal text-soft">
            {k.more_left && 'the latest '}
            {k.left.length}: {k.agreed} agree by now
            {k.into.length > 0 && `, ${k.left.length - k.agreed} stuck elsewhere`}
          </span>
        )}
      </h2>
      {k.left.length === 0 && <p className="text-soft">Nobody yet.</p>}
      {k.into.length > 0 && (
        <ul className="pb-2 text-sm">
          {k.into.slice(0, 5).map((x) => (
            <li key={x.code + x.output}>
              {x.people} went to{' '}
              <Link
                to="/courses/$course/knots/$exercise/$code/$output"
                params={{ course: k.course, exercise: x.exercise, code: x.code, output: x.output || '-' }}
                search={{ group: undefined }}
                className="within"
              >
                {x.output && `${x.output}: `}
                {x.says || x.code}
              </Link>
            </li>
          ))}
        </ul>
      )}
      <ul className={k.left.length > 0 ? 'border-t border-rule text-sm' : ''}>
        {(all ? k.left : k.left.slice(0, 8)).map((l) => (
          <li key={l.name} className="border-b border-rule" data-left={l.name}>
            <Link
              to="/courses/$course/attempts/$attempt"
              params={{ course: k.course, attempt: String(l.attempt) }}
              className="flex flex-wrap gap-x-3 px-1 py-1.5 text-ink no-underline hover:bg-sheet"
            >
              <Mark word={l.agrees ? 'agrees' : 'differs'} bare />
              <span className="min-w-0 flex-1 break-words">{l.display}</span>
              <span className="text-soft">
                after {l.within} {l.within === 1 ? 'try' : 'tries'}, <When at={l.at} />
              </span>
            </Link>
          </li>
        ))}
      </ul>
      {k.left.length > 8 && !all && (
        <button className="button mt-2" onClick={() => setAll(true)}>
          All {k.left.length}
        </button>
      )}
    </section>
  )
}
