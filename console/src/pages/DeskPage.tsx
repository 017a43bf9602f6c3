import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Link, useParams } from '@tanstack/react-router'
import { useEffect, useState } from 'react'
import { get } from '../api'
import { useMe } from '../me'
import { Mark, type MarkWord } from '../parts/Mark'
import { Page } from '../parts/Page'
import { Empty, Failing, Loading } from '../parts/States'
import type { AttemptLine, Desk } from '../types'

type Line = 'connecting' | 'live' | 'lost'

// useLive refetches the desk when its stream tells of a change, at most a few
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
    return () => { clearTimeout(timer); source.close() }
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
    <Page me={me} wide crumbs={[{ text: d?.title ?? course, to: `/courses/${course}` }, { text: 'Desk' }]}>
      {q.isPending && <Loading what="the desk" />}
      {q.isError && <Failing error={q.error} again={() => void q.refetch()} />}
      {d && (
        <div className="grid gap-5 xl:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
          <div className="flex flex-wrap items-baseline gap-x-5 gap-y-1 xl:col-span-2">
            <h1 className="text-2xl font-semibold">Desk</h1>
            <span className="text-soft">{d.students} students · {d.attempts} attempts{d.waiting > 0 && ` · ${d.waiting} waiting`}</span>
            <span role="status" className="ml-auto text-sm" data-line={line}>
              {line === 'live' ? <span className="text-agrees">● live</span> : line === 'lost' ? <span className="text-differs">◐ connection lost, trying again</span> : <span className="text-waiting">○ connecting</span>}
            </span>
          </div>
          <div className="grid min-w-0 content-start gap-5">
            <Knots desk={d} />
            <Exercises desk={d} />
          </div>
          <Recent desk={d} />
        </div>
      )}
    </Page>
  )
}

const states: MarkWord[] = ['agrees', 'differs', 'failed', 'refused', 'waiting']
const fills: Record<string, string> = { agrees: 'bg-agrees', differs: 'bg-differs', failed: 'bg-failed', refused: 'bg-refused', waiting: 'bg-waiting' }

function Exercises({ desk }: { desk: Desk }) {
  return (
    <section aria-label="exercises, students by their newest attempt" className="sheet overflow-x-auto">
      <table className="rows w-full text-sm">
        <thead>
          <tr>
            <th scope="col">exercise</th>
            {states.map((s) => <th scope="col" key={s} className="text-right!"><Mark word={s} /></th>)}
            <th scope="col" className="text-right!">none</th>
            <th scope="col" className="w-1/5 min-w-24"><span className="sr-only">share</span></th>
          </tr>
        </thead>
        <tbody>
          {desk.exercises.map((e) => (
            <tr key={e.name} data-exercise={e.name}>
              <td className="min-w-40"><Link to="/courses/$course/exercises/$exercise" params={{ course: desk.course, exercise: e.name }}>{e.title}</Link></td>
              {states.map((s) => <td key={s} className={`text-right ${e[s as 'agrees'] === 0 ? 'text-soft' : ''}`} data-count={s}>{e[s as 'agrees']}</td>)}
              <td className="text-right text-soft">{e.none}</td>
              <td>
                <span aria-hidden="true" className="flex h-3 w-full gap-px bg-rule/50">
                  {states.map((s) => e[s as 'agrees'] > 0 && <span key={s} className={fills[s]} style={{ width: `${(100 * e[s as 'agrees']) / Math.max(desk.students, 1)}%` }} />)}
                </span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  )
}

function Knots({ desk }: { desk: Desk }) {
  const [all, setAll] = useState(false)
  if (desk.knots.length === 0) return <Empty>No knots: every newest attempt agrees, or nobody has begun.</Empty>
  return (
    <section aria-label="knots" className="sheet overflow-x-auto">
      <table className="rows w-full text-sm">
        <thead><tr><th scope="col" className="text-right!">people</th><th scope="col">cause, or leading finding</th><th scope="col">exercise</th><th scope="col">since</th><th scope="col">attempts</th></tr></thead>
        <tbody>
          {desk.knots.slice(0, all ? undefined : 8).map((k) => (
            <tr key={k.exercise + k.code + k.output} data-knot={`${k.exercise}/${k.code}`}>
              <td className="text-right text-base font-semibold">{k.people}</td>
              <td>{k.says && <span className="block">{k.says}</span>}<span className="mono">{k.code}</span>{k.output && <> in <span className="mono">{k.output}</span></>}</td>
              <td>{k.exercise}</td>
              <td className="whitespace-nowrap text-soft">{clock(k.since)}</td>
              <td>
                <span className="flex flex-wrap gap-x-2">
                  {k.attempts.slice(0, 6).map((a) => <Link key={a} to="/courses/$course/attempts/$attempt" params={{ course: desk.course, attempt: String(a) }}>{a}</Link>)}
                  {k.attempts.length > 6 && <span className="text-soft">+{k.attempts.length - 6}</span>}
                </span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {desk.knots.length > 8 && <button className="min-h-10 cursor-pointer px-3 text-sm text-accent underline underline-offset-3" onClick={() => setAll(!all)}>{all ? 'the largest eight' : `all ${desk.knots.length} knots`}</button>}
    </section>
  )
}

const clock = (t: string) => {
  const at = new Date(t)
  return at.toDateString() === new Date().toDateString() ? at.toLocaleTimeString() : at.toLocaleString(undefined, { dateStyle: 'short', timeStyle: 'short' })
}

// Recent lists attempts as they come; new ones are lit for a moment.
function Recent({ desk }: { desk: Desk }) {
  const [start] = useState(() => Math.max(0, ...desk.recent.map((a) => a.id)))
  return (
    <section aria-label="attempts as they come" className="sheet min-w-0 content-start overflow-x-auto">
      <table className="rows w-full text-sm">
        <thead><tr><th scope="col">at</th><th scope="col">who</th><th scope="col">exercise</th><th scope="col">verdict</th></tr></thead>
        <tbody>
          {desk.recent.map((a) => <RecentRow key={a.id} course={desk.course} line={a} fresh={a.id > start} />)}
        </tbody>
      </table>
      {desk.recent.length === 0 && <p className="p-4 text-soft">Nothing has been handed in yet. Attempts appear here as they come.</p>}
    </section>
  )
}

function RecentRow({ course, line: a, fresh }: { course: string; line: AttemptLine; fresh: boolean }) {
  return (
    <tr className={fresh ? 'arrive' : ''} data-attempt={a.id}>
      <td className="whitespace-nowrap text-soft">{clock(a.handed_in)}</td>
      <td className="whitespace-nowrap">{a.display}</td>
      <td className="whitespace-nowrap">{a.exercise}</td>
      <td>
        <Link to="/courses/$course/attempts/$attempt" params={{ course, attempt: String(a.id) }} className="no-underline">
          <Mark word={a.verdict ?? 'waiting'}>{a.verdict ?? (a.state === 'stuck' ? 'no verdict' : 'waiting')}</Mark>
          {a.lead_code && <span className="mono block text-xs text-soft">{a.lead_code}</span>}
        </Link>
      </td>
    </tr>
  )
}
