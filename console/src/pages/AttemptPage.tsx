import { useQuery } from '@tanstack/react-query'
import { Link, useParams } from '@tanstack/react-router'
import { useMemo, useRef, useState } from 'react'
import { get } from '../api'
import { Editor, type EditorHandle } from '../editor/Editor'
import { remarksOf } from '../editor/remarks'
import { isTeam, useMe } from '../me'
import { ExampleView } from '../parts/ExampleView'
import { Kept } from '../parts/Kept'
import { NoteForm } from '../parts/NoteForm'
import { OwnNoteView, useOwnNotes } from '../parts/OwnNote'
import { CourseFrame } from '../parts/CourseFrame'
import { SideBySide } from '../parts/SideBySide'
import { CaseTabs } from '../parts/CaseTabs'
import { Failing } from '../parts/States'
import { NoteList } from '../parts/TeamNotes'
import { VerdictView } from '../parts/VerdictView'
import { When } from '../parts/When'
import type { Attempt, Exercise, KnotPageForm, TeamNotes, Ticket, Verdict } from '../types'

export function AttemptPage() {
  const me = useMe()
  const { course, attempt } = useParams({ from: '/inside/courses/$course/attempts/$attempt' })
  const q = useQuery({ queryKey: ['attempt', attempt], queryFn: () => get<Attempt>(`/attempts/${attempt}?wait=10`) })
  const role = me.courses.find((c) => c.slug === course)
  const trail = [
    ...(isTeam(role?.role) ? [{ text: 'Desk', to: `/courses/${course}/desk` }] : []),
    { text: `Attempt ${attempt}` },
  ]
  return (
    <CourseFrame course={course} trail={trail} wide what="the attempt" of={q}>
      {q.data && <Shown attempt={q.data} team={isTeam(role?.role)} />}
    </CourseFrame>
  )
}

function Shown({ attempt: a, team }: { attempt: Attempt; team: boolean }) {
  const editor = useRef<EditorHandle>(null)
  const remarks = useMemo(() => remarksOf(a.verdict), [a.verdict])
  const e = useQuery({
    queryKey: ['exercise', a.course, a.exercise],
    queryFn: () => get<Exercise>(`/courses/${a.course}/exercises/${a.exercise}`),
  })
  return (
    <div className="grid gap-5 xl:grid-cols-2">
      <div className="min-w-0 xl:col-span-2">
        <h1 className="text-2xl font-semibold break-words">
          {a.display}, {e.data?.title ?? a.exercise}
        </h1>
        <p className="text-sm text-soft">
          handed in <When at={a.handed_in} />
          {a.written_at && (
            <>
              , written <When at={a.written_at} /> on a device without a connection
            </>
          )}
          {a.late && <span className="text-differs"> · ◐ late</span>}
          {a.seconds !== null &&
            `, checked in ${a.seconds < 1e-4 ? 'less than 0.1' : (a.seconds * 1000).toFixed(1)} ms`}
        </p>
        {team && <Around attempt={a} />}
      </div>
      <div className="grid min-w-0 content-start gap-4">
        {a.kind === 'program' ? (
          <Editor ref={editor} text={a.program} remarks={remarks} label="the program handed in" readOnly />
        ) : (
          <Elsewhere attempt={a} exercise={e.data} />
        )}
        {a.verdict ? (
          <>
            <VerdictView verdict={a.verdict} goTo={a.program === '' ? undefined : (span) => editor.current?.goTo(span)}>
              {a.kept && <Kept kept={a.kept} />}
              {!team && <OwnNotesHere attempt={a} />}
            </VerdictView>
            {a.verdict.example && <ExampleView example={a.verdict.example} />}
          </>
        ) : (
          <p className="text-soft">
            {a.state === 'stuck'
              ? 'Checking was tried three times and did not finish; there is no verdict.'
              : 'Waiting for its verdict.'}
          </p>
        )}
        {team && <Thread attempt={a} />}
      </div>
      {a.verdict && e.isError && <Failing error={e.error} again={() => void e.refetch()} />}
      {a.verdict && e.data && <SideBySide attempt={a} verdict={a.verdict} exercise={e.data} team={team} />}
    </div>
  )
}

// Elsewhere is what arrays were made of: the data of the ticket, and the text that computed them.
function Elsewhere({ attempt: a, exercise: e }: { attempt: Attempt; exercise?: Exercise }) {
  const q = useQuery({
    queryKey: ['ticket', a.ticket],
    enabled: a.ticket !== undefined,
    queryFn: () => get<Ticket>(`/tickets/${a.ticket}`),
  })
  return (
    <div className="grid gap-4">
      <p className="border-b border-rule pb-2">
        Arrays computed elsewhere were handed in; they are shown beside what was expected, case by case.
      </p>
      {a.source && (
        <section aria-labelledby="source" className="grid gap-2">
          <h2 id="source" className="font-semibold">
            The text that computed them <span className="text-sm font-normal text-soft">never run here</span>
          </h2>
          <pre className="sheet max-h-96 overflow-auto p-3 text-sm" tabIndex={0} aria-label="the attached text">
            {a.source}
          </pre>
        </section>
      )}
      {q.isError && <Failing error={q.error} again={() => void q.refetch()} />}
      {q.data && e && (
        <section aria-labelledby="data" className="grid gap-2">
          <h2 id="data" className="font-semibold">
            The data of ticket {q.data.id}
          </h2>
          <CaseTabs cases={q.data.cases} exercise={e} label="cases of the ticket" />
        </section>
      )}
    </div>
  )
}

// knotOf is the knot that an attempt leads into, by what leads its verdict; null for none.
function knotOf(v: Verdict | null): { code: string; output: string } | null {
  if (!v || v.verdict === 'agrees') return null
  const first = v.causes[0] ?? v.findings[0]
  if (first) return { code: first.code, output: first.output ?? '' }
  const rule = v.rules[0]
  return rule ? { code: rule.code, output: '' } : null
}

// Around leads the team on: to the knot and the next in it, to this student's other attempts, to the exercise.
function Around({ attempt: a }: { attempt: Attempt }) {
  const k = knotOf(a.verdict)
  const path = k && [a.exercise, k.code, k.output || '-'].map(encodeURIComponent).join('/')
  const q = useQuery({
    queryKey: ['knot', a.course, path, undefined],
    enabled: k !== null,
    queryFn: () => get<KnotPageForm>(`/courses/${a.course}/knots/${path}`),
  })
  const ids = q.data?.in.map((m) => m.attempt) ?? []
  const next = ids[(ids.indexOf(a.id) + 1) % Math.max(ids.length, 1)]
  return (
    <nav aria-label="from here" className="flex flex-wrap gap-x-5 text-sm">
      {k && (
        <Link
          to="/courses/$course/knots/$exercise/$code/$output"
          params={{ course: a.course, exercise: a.exercise, code: k.code, output: k.output || '-' }}
          search={{ group: undefined }}
          className="within"
        >
          the knot{q.data && ` of ${q.data.people}`}
        </Link>
      )}
      {next !== undefined && next !== a.id && (
        <Link
          to="/courses/$course/attempts/$attempt"
          params={{ course: a.course, attempt: String(next) }}
          className="within"
        >
          the next in it
        </Link>
      )}
      <Link to="/courses/$course/map" params={{ course: a.course }} search={{ search: a.person }} className="within">
        {a.display} in all exercises
      </Link>
      <Link
        to="/courses/$course/exercises/$exercise"
        params={{ course: a.course, exercise: a.exercise }}
        className="within"
      >
        the exercise
      </Link>
    </nav>
  )
}

// Thread is what the team has written to the student about this attempt.
function Thread({ attempt: a }: { attempt: Attempt }) {
  const [writing, setWriting] = useState(false)
  const q = useQuery({
    queryKey: ['attempt-notes', a.id],
    queryFn: () => get<TeamNotes>(`/courses/${a.course}/notes?attempt=${a.id}`),
  })
  return (
    <section aria-labelledby="thread" className="grid gap-2">
      <div className="flex flex-wrap items-center gap-3">
        <h2 id="thread" className="font-semibold">
          Notes about this attempt
        </h2>
        <button className="button" onClick={() => setWriting(true)}>
          Write to {a.display}
        </button>
      </div>
      {q.isError && <Failing error={q.error} again={() => void q.refetch()} />}
      {q.data && q.data.notes.length > 0 && <NoteList course={a.course} notes={q.data.notes} />}
      {writing && (
        <NoteForm
          course={a.course}
          to={{ attempt: a.id }}
          about={`To ${a.display}, about attempt ${a.id}.`}
          reaches={a.display}
          close={() => setWriting(false)}
        />
      )}
    </section>
  )
}

// OwnNotesHere are the notes about one's own attempt.
function OwnNotesHere({ attempt: a }: { attempt: Attempt }) {
  const q = useOwnNotes(a.course)
  const list = q.data?.notes.filter((n) => n.attempt === a.id) ?? []
  if (list.length === 0) return null
  return (
    <section aria-label="notes of your team" className="grid gap-4">
      <h3 className="font-semibold">From your team</h3>
      {list.map((n) => (
        <OwnNoteView key={n.id} note={n} />
      ))}
    </section>
  )
}
