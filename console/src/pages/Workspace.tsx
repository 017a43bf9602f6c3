import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useParams } from '@tanstack/react-router'
import { ToggleGroup } from 'radix-ui'
import { lazy, Suspense, useEffect, useMemo, useRef, useState } from 'react'
import { call, Failure, get, getText, newKey } from '../api'
import type { EditorHandle, Point } from '../editor/Editor'
import { remarksOf } from '../editor/remarks'
import { connection } from '../offline/connection'
import { useDraft } from '../offline/drafts'
import { onSent, wait } from '../offline/queue'
import { useEngine } from '../engine/useEngine'
import { useMe } from '../me'
import { CourseFrame } from '../parts/CourseFrame'
import { announce } from '../parts/announce'
import { Bring } from '../parts/Bring'
import { CaseTabs } from '../parts/CaseTabs'
import { Download, axesOf } from '../parts/Download'
import { ExampleView } from '../parts/ExampleView'
import { Kept } from '../parts/Kept'
import { percent, points } from '../parts/numbers'
import { OwnNoteView, useOwnNotes } from '../parts/OwnNote'
import { Failing, Loading } from '../parts/States'
import { ShapeStrips } from '../parts/ShapeStrip'
import { OneOf } from '../parts/OneOf'
import { partAt } from '../parts/parts'
import { OtherText } from '../parts/OtherText'
import { PartView } from '../parts/PartView'
import { Predictions } from '../parts/Predictions'
import { SideBySide } from '../parts/SideBySide'
import { useSaidInTitle } from '../parts/title'
import { Traced } from '../parts/Traced'
import { inOneSentence, Ticked, VerdictView } from '../parts/VerdictView'
import { useSettled } from '../parts/useSettled'
import { WaitingHere } from '../parts/WaitingHere'
import { Wanted } from '../parts/Wanted'
import { When } from '../parts/When'
import type { Attempt, Example, Exercise, Lines, Model, Place, Words } from '../types'

// The prompt's reader and the editor are large: the page stands, with the data to look at, before they have come.
const Editor = lazy(() => import('../editor/Editor').then((m) => ({ default: m.Editor })))
const Prompt = lazy(() => import('../parts/Prompt').then((m) => ({ default: m.Prompt })))

export function Workspace() {
  const me = useMe()
  const { course, exercise } = useParams({ from: '/inside/courses/$course/exercises/$exercise' })
  const q = useQuery({
    queryKey: ['exercise', course, exercise, 'open'],
    queryFn: async () => {
      const text = await getText(`/courses/${course}/exercises/${exercise}`)
      return { ...(JSON.parse(text) as Exercise), text }
    },
  })
  return (
    <CourseFrame course={course} trail={[{ text: q.data?.title ?? 'Exercise' }]} wide what="the exercise" of={q}>
      {q.data && <Work key={exercise} exercise={q.data} person={me.name} />}
    </CourseFrame>
  )
}

// Way is how one answers: with a program that is written here, or with arrays that were computed elsewhere.
type Way = 'program' | 'results'

// OpenExercise is an exercise with the text that the service sent, which the engine reads.
type OpenExercise = Exercise & { text: string }

function Work({ exercise: e, person }: { exercise: OpenExercise; person: string }) {
  const { text, change: keepText, other, take, dismiss, unkept } = useDraft(e, person, e.last?.program || e.starter)
  const written = useRef(text) // what is handed in is what was typed last, drawn or not
  useEffect(() => {
    written.current = text
  }, [text])
  const [shown, setShown] = useState<Attempt | null>(e.last)
  const editor = useRef<EditorHandle>(null)
  const heading = useRef<HTMLHeadingElement>(null)
  const client = useQueryClient()
  const words = useQuery({ queryKey: ['words'], queryFn: () => get<Words>('/words'), staleTime: Infinity })
  const change = (t: string) => {
    written.current = t
    keepText(t)
  }
  const goTo = (span: Place) => {
    setSegment('write')
    requestAnimationFrame(() => editor.current?.goTo(span))
  }
  const path = `/courses/${e.course}/exercises/${e.name}`
  const again = () => void client.invalidateQueries({ queryKey: ['exercise', e.course, e.name] })
  // A verdict on the page takes the focus, and Escape gives it back to the text.
  const [arrived, setArrived] = useState(0)
  useEffect(() => {
    if (arrived === 0) return
    heading.current?.focus({ preventScroll: true })
    heading.current?.scrollIntoView({ block: 'nearest' })
  }, [arrived])
  const send = useMutation({
    mutationFn: async (body: { program: string } | FormData) => {
      const key = newKey()
      for (let tries = 0; ; tries++) {
        try {
          let a = await call<Attempt>('POST', `${path}/attempts?wait=15`, body, { 'Idempotency-Key': key })
          while (a.state === 'waiting' || a.state === 'checking') {
            setShown(a)
            a = await get<Attempt>(`/attempts/${a.id}?wait=20`)
          }
          return a
        } catch (err) {
          // The key makes a second sending of the same attempt safe.
          const unanswered = err instanceof Failure && err.problem.status === 0
          if (unanswered && (tries >= 3 || !connection().on) && !(body instanceof FormData)) {
            const late = e.state === 'late'
            wait({ course: e.course, exercise: e.name, title: e.title, program: body.program, late }, key)
            return null
          }
          if (tries >= 3 || !(err instanceof Failure) || (!unanswered && err.problem.status < 500)) throw err
          await new Promise((r) => setTimeout(r, 500 * 2 ** tries))
        }
      }
    },
    onSuccess: (a) => {
      if (!a) {
        setSegment('verdict')
        return announce('No connection: the hand-in waits on this device.')
      }
      const more = moreThan(shown, a)
      setGained(more)
      setSegment('verdict')
      setShown(a)
      void client.invalidateQueries({ queryKey: ['course', e.course] })
      if (e.limit > 0) again()
      announce(a.verdict ? [inOneSentence(a.verdict), more].filter(Boolean).join('. ') : 'no verdict')
      setArrived((n) => n + 1)
    },
    onError: (err) => {
      if (err instanceof Failure && err.problem.questions) again()
    },
  })
  // A hand-in that waited on this device has arrived: its verdict is followed as if it had just been handed in.
  useEffect(
    () =>
      onSent((w, a) => {
        if (w.course !== e.course || w.exercise !== e.name) return
        setShown(a)
        void client.invalidateQueries({ queryKey: ['course', e.course] })
        void get<Attempt>(`/attempts/${a.id}?wait=20`).then(
          (now) => {
            setShown(now)
            if (now.verdict) announce(inOneSentence(now.verdict))
          },
          () => undefined,
        )
      }),
    [client, e.course, e.name],
  )
  const why = e.archived
    ? 'This course is archived.'
    : e.state === 'closed'
      ? 'This exercise is closed.'
      : e.state === 'soon'
        ? 'This exercise is not open yet.'
        : e.asks.length > 0
          ? 'Answer the questions above first.'
          : ''
  const handIn = () => {
    if (why) announce(why)
    else if (!send.isPending) send.mutate({ program: written.current })
  }
  const verdict = shown?.verdict ?? null
  const [way, setWay] = useState<Way>(() =>
    e.accepts.includes('program') && (e.last?.kind === 'program' || e.accepts.length === 1 || !e.last)
      ? 'program'
      : 'results',
  )
  const current = shown?.kind === 'results' || shown?.program === text
  const { ask, here } = useEngine(path, e.text)
  const settled = useSettled(text, here ? 0 : 250)
  const canRun = e.cases.length > 0 && e.asks.length === 0
  const shapes = useQuery({
    queryKey: ['shapes', path, settled],
    queryFn: () => ask<Lines>('shapes', { program: settled, case: '' }),
    gcTime: 60_000,
    enabled: canRun && settled.trim() !== '',
    placeholderData: (old) => old,
    retry: false,
  })
  // An example takes the place of the shown case's data until one goes back to those.
  const [own, setOwn] = useState<Example | null>(null)
  const trial = useMutation({
    mutationFn: async ({ program, on }: { program: string; on: Example | null }) => ({
      text: program,
      on,
      lines: await ask<Lines>('try', { program, case: '', inputs: on?.inputs }),
    }),
    onSuccess: ({ lines }) => {
      const stopped = lines.errors[0]
      announce(
        stopped
          ? `tried; stopped at line ${stopped.span.line}: ${stopped.message.replaceAll('`', '')}`
          : `tried: ${lines.lines.length} lines`,
      )
    },
  })
  const tried = trial.data?.text === text ? trial.data.lines : null
  const [point, setPoint] = useState<Point | null>(null)
  const [left, setLeft] = useState<string | null>(null) // what starting over took away
  const [segment, setSegment] = useState<Segment>(e.last || text !== e.starter ? 'write' : 'task')
  const only = (part: Segment) => (segment === part ? '' : 'max-lg:hidden')
  const narrow = useMemo(() => matchMedia('(max-width: 1023px)').matches, [])
  const [gained, setGained] = useState('')
  const news = useNotesHere(e.course, e.name).filter((n) => !n.seen).length
  useSaidInTitle(
    send.isPending ? 'checking …' : current && verdict ? `${marks[verdict.verdict]} ${verdict.verdict}` : '',
  )
  const part = useMemo(() => (tried ? partAt(tried.parts, point) : null), [tried, point])
  const attempt = (on = own) => {
    if (canRun && !trial.isPending) trial.mutate({ program: written.current, on })
  }
  const use = (x: Example | null) => {
    setOwn(x)
    setSegment('write')
    attempt(x)
  }
  const early =
    settled === text && !current
      ? (shapes.data?.errors ?? []).map((d) => ({
          span: d.span,
          message: d.message + '. Try: ' + d.hint,
          severe: true,
        }))
      : []
  const remarks = useMemo(() => (current ? remarksOf(verdict) : []), [current, verdict])
  return (
    <div className="grid gap-4 lg:grid-cols-2 lg:gap-6" data-engine={here ? 'here' : 'service'}>
      <div className="min-w-0 content-start gap-5 max-lg:contents lg:grid">
        <div>
          <h1 className="text-2xl font-semibold">{e.title}</h1>
          <p className="text-sm text-soft">
            {e.topics.join(' · ')} · positions count from {e.counting}
            {e.limit > 0 && ` · ${triesLeft(e)}`}
          </p>
          <Terms exercise={e} />
        </div>
        <Segments value={segment} change={setSegment} verdict={verdict?.verdict} news={news} />
        <div className={`grid min-w-0 gap-5 ${only('task')}`}>
          <Suspense fallback={<Loading what="the prompt" />}>
            <Prompt text={e.prompt} />
          </Suspense>
          {e.model && <Reference path={path} title={e.title} />}
          <Wanted exercise={e} lines={tried?.lines ?? shapes.data?.lines} />
        </div>
        <div className={`min-w-0 ${only('data')}`}>
          <Inputs exercise={e} />
        </div>
      </div>
      <div className="grid min-w-0 content-start gap-4 lg:sticky lg:top-3 lg:max-h-[calc(100dvh-1.5rem)] lg:self-start lg:overflow-y-auto">
        <div className={`group/write grid min-w-0 content-start gap-4 ${only('write')}`}>
          <Predictions exercise={e} done={again} />
          {e.accepts.length > 1 && (
            <OneOf
              label="how"
              value={way}
              change={(v) => setWay(v as Way)}
              options={[
                { value: 'program', text: 'write it here' },
                { value: 'results', text: 'bring results' },
              ]}
            />
          )}
          {way === 'results' && (
            <Bring exercise={e} why={why} pending={send.isPending} handIn={(body) => send.mutateAsync(body)} />
          )}
          <div className={way === 'program' ? 'contents' : 'hidden'}>
            <Suspense fallback={<pre className="sheet min-h-40 overflow-auto p-3">{text}</pre>}>
              <Editor
                ref={editor}
                text={text}
                change={change}
                handIn={handIn}
                remarks={[...remarks, ...early]}
                words={words.data}
                label="your program"
                at={tried || narrow ? setPoint : undefined}
                lit={part}
              />
            </Suspense>
            {unkept && (
              <p className="text-sm text-differs" data-unkept>
                This browser keeps nothing of what you write: its storage is full or forbidden. The service keeps it
                while there is a connection.
              </p>
            )}
            {other && <OtherText other={other} take={take} dismiss={dismiss} />}
            {tried && tried.parts.length > 0 && <PartView parts={tried.parts} part={part} program={text} />}
            {canRun && (
              <LineShapes
                lines={shapes.data}
                trace={trial.data?.text === text ? trial.data.lines : undefined}
                on={trial.data?.on ? 'the example' : 'the first shown case'}
              />
            )}
            {trial.data?.text === text && trial.data.lines.lines.length > 0 && (
              <Traced
                key={trial.submittedAt}
                path={path}
                ask={ask}
                here={here}
                program={text}
                inputs={trial.data.on?.inputs}
                names={Object.entries(trial.data.on?.inputs ?? e.cases[0]?.inputs ?? {})
                  .filter(([, a]) => !a.shape.includes(0))
                  .map(([n]) => n)}
                lines={trial.data.lines.lines}
              />
            )}
            {trial.isError && <Failing error={trial.error} again={() => attempt()} />}
            <div className="sticky bottom-0 z-20 flex flex-wrap items-center gap-3 border-t border-rule bg-paper py-2 lg:static lg:border-0">
              <Keys
                insert={(k) => editor.current?.insert(k)}
                line={shapes.data?.lines.find((l) => l.line === point?.line)}
              />
              <button
                className="button button-main min-h-11"
                onClick={handIn}
                aria-disabled={send.isPending || why !== ''}
              >
                {send.isPending ? 'Checking …' : 'Hand in'}
              </button>
              {e.cases.length > 0 && (
                <button
                  className="button min-h-11"
                  onClick={() => attempt()}
                  aria-disabled={!canRun || trial.isPending}
                >
                  {own ? 'Try on the example' : 'Try'}
                </button>
              )}
              {own && (
                <button className="button min-h-11" onClick={() => use(null)}>
                  Back to the shown case
                </button>
              )}
              {e.starter && text !== e.starter && (
                <button
                  className="button min-h-11"
                  onClick={() => {
                    setLeft(text)
                    change(e.starter)
                  }}
                >
                  Start over
                </button>
              )}
              {left !== null && text === e.starter && (
                <button
                  className="button min-h-11"
                  onClick={() => {
                    change(left)
                    setLeft(null)
                  }}
                >
                  Take it back
                </button>
              )}
              <span className="text-sm text-soft">
                {why || <span className="hidden sm:inline">Ctrl-Enter hands in</span>}
              </span>
            </div>
          </div>
        </div>
        <div
          className={`min-w-0 ${only('verdict')}`}
          onKeyDown={(event) => {
            if (event.key !== 'Escape') return
            setSegment('write')
            requestAnimationFrame(() => editor.current?.focus())
          }}
        >
          <WaitingHere course={e.course} exercise={e.name} />
          {send.isError && <Failing error={send.error} again={handIn} />}
          {!send.isError && shown && !verdict && (
            <p className="text-soft">
              {shown.state === 'stuck'
                ? 'Checking was tried three times and did not finish; the team can see it, and your attempt is kept.'
                : 'Stored. A verdict comes in a moment.'}
            </p>
          )}
          {verdict && (
            <div className={current || send.isPending ? '' : 'stale'}>
              {gained !== '' && current && <p className="mb-2">{gained}</p>}
              {!current && !send.isPending && (
                <p className="mb-2 text-sm text-soft">
                  This is the verdict on the attempt before; the text has changed since.
                </p>
              )}
              {shown?.written_at && (
                <p className="mb-2 text-sm text-soft">
                  Written <When at={shown.written_at} />, without a connection; it arrived <When at={shown.handed_in} />
                  , which counts.
                </p>
              )}
              <VerdictView
                verdict={verdict}
                goTo={current && shown?.kind === 'program' ? goTo : undefined}
                heading={heading}
              >
                {shown?.kept && <Kept kept={shown.kept} />}
                <NotesHere course={e.course} exercise={e.name} heading="h3" />
              </VerdictView>
              {shown?.kind === 'results' && (
                <div className="pt-4">
                  <SideBySide key={shown.id} attempt={shown} verdict={verdict} exercise={e} team={false} />
                </div>
              )}
              {verdict.example && (
                <div className="pt-4">
                  <ExampleView example={verdict.example} use={canRun ? () => use(verdict.example) : undefined} />
                </div>
              )}
            </div>
          )}
          {!verdict && <NotesHere course={e.course} exercise={e.name} heading="h2" />}
          {!shown && !send.isError && (
            <p className="border border-dashed border-edge p-4 text-soft">
              Say which shape you expect, then hand in. The verdict comes here: shapes first, then values, then where
              they differ.
            </p>
          )}
        </div>
      </div>
    </div>
  )
}

// Segment is a part of the page that a phone shows alone.
type Segment = 'task' | 'data' | 'write' | 'verdict'

const marks = { agrees: '●', differs: '◐', failed: '▲', refused: '■' }

// Segments lead between the parts of the page on a phone; a wide page shows them all.
function Segments({
  value,
  change,
  verdict,
  news,
}: {
  value: Segment
  change: (s: Segment) => void
  verdict?: keyof typeof marks
  news: number // notes of the team that have not been seen
}) {
  return (
    <div className="sticky top-0 z-20 bg-paper py-1 lg:hidden">
      <ToggleGroup.Root
        type="single"
        value={value}
        onValueChange={(v) => v && change(v as Segment)}
        aria-label="part of the page"
        className="grid grid-cols-4"
      >
        {(['task', 'data', 'write', 'verdict'] as const).map((s) => (
          <ToggleGroup.Item key={s} value={s} className="choice min-h-11 justify-center">
            {s === 'verdict' && verdict && <span aria-hidden="true">{marks[verdict]} </span>}
            {s[0]!.toUpperCase() + s.slice(1)}
            {s === 'verdict' && news > 0 && (
              <span className="ml-1 bg-accent px-1.5 text-sm text-on-accent">
                {news}
                <span className="sr-only"> new from your team</span>
              </span>
            )}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
    </div>
  )
}

// Keys are what a phone's keyboard has far away, and the shape of the line that one writes.
function Keys({ insert, line }: { insert: (text: string) => void; line?: Lines['lines'][number] }) {
  return (
    <div
      role="group"
      aria-label="keys"
      className="hidden w-full items-center gap-2 group-has-[.cm-focused]/write:max-lg:flex focus-within:max-lg:flex"
    >
      {['[', ']', ':', ' over '].map((k) => (
        <button
          key={k}
          type="button"
          className="button mono min-h-11 min-w-11 justify-center"
          onPointerDown={(event) => event.preventDefault()} // the text keeps the focus, and the keyboard stays
          onClick={() => insert(k)}
        >
          {k.trim()}
        </button>
      ))}
      {line?.known && (
        <span className="min-w-0 overflow-x-auto">
          <ShapeStrips rows={[{ shape: line.shape.shape, axes: line.shape.axes }]} />
        </span>
      )}
    </div>
  )
}

// triesLeft says how many attempts one has left.
function triesLeft(e: Exercise): string {
  const n = Math.max(e.limit - e.mine.attempts, 0)
  return `${n} of ${e.limit} attempts left`
}

// moreThan says how many points an attempt has more than the one before; nothing where it has no more.
function moreThan(before: Attempt | null, now: Attempt): string {
  const more = (now.verdict?.points.earned ?? 0) - (before?.verdict?.points.earned ?? 0)
  if (!before?.verdict || !now.verdict || before.id === now.id || more <= 0) return ''
  return `${points(more)} ${more === 1 ? 'point' : 'points'} more than before`
}

// useNotesHere are the team's notes to whoever works at an exercise.
function useNotesHere(course: string, exercise: string) {
  const me = useMe()
  const student = me.courses.some((c) => c.slug === course && c.role === 'student')
  const q = useOwnNotes(course, student)
  return q.data?.notes.filter((n) => n.exercise === exercise) ?? []
}

// NotesHere are the notes of the team to whoever works at the exercise, the newest first.
function NotesHere({ course, exercise, heading: Heading }: { course: string; exercise: string; heading: 'h2' | 'h3' }) {
  const list = useNotesHere(course, exercise)
  if (list.length === 0) return null
  return (
    <section aria-label="notes of your team" className="grid gap-4">
      <Heading className="font-semibold">From your team</Heading>
      {list.slice(0, 5).map((n) => (
        <OwnNoteView key={n.id} note={n} />
      ))}
    </section>
  )
}

// Terms are when an exercise closes for whoever looks, and what a late attempt keeps.
function Terms({ exercise: e }: { exercise: Exercise }) {
  if (!e.closes) return null
  return (
    <p className="text-sm">
      {e.state === 'open' || e.state === 'soon' ? 'closes' : 'closed'} <When at={e.closes} full />
      {e.until && e.state !== 'closed' && (
        <span className="block">
          Late attempts keep {percent(e.keeps)} of their points and end <When at={e.until} full />
        </span>
      )}
      {e.extended && <span className="block">You have an extension here: {e.reason}</span>}
    </p>
  )
}

// Reference is the model solution, where it may be seen, with what each of its lines gives.
function Reference({ path, title }: { path: string; title: string }) {
  const [open, setOpen] = useState(false)
  const q = useQuery({ queryKey: ['model', path], queryFn: () => get<Model>(path + '/model'), enabled: open })
  return (
    <details onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary className="min-h-8 cursor-pointer font-semibold">The reference of {title}</summary>
      {q.isPending && open && <Loading what="the reference" />}
      {q.isError && <Failing error={q.error} again={() => void q.refetch()} />}
      {q.data && (
        <div className="grid gap-3 pt-2">
          <pre className="sheet overflow-auto p-3" tabIndex={0} aria-label="the reference">
            {q.data.program}
          </pre>
          {q.data.lines && <LineShapes trace={q.data.lines} on={`the case ${q.data.case}`} />}
        </div>
      )}
    </details>
  )
}

// LineShapes shows kind and shape of every line: before any run while one types, and
// with a look at the values after a trial.
function LineShapes({ lines, trace, on }: { lines?: Lines; trace?: Lines; on: string }) {
  const shown = trace ?? lines
  if (!shown || (shown.lines.length === 0 && shown.errors.length === 0)) return null
  const columns = ['line', 'name', 'kind', 'shape', ...(trace ? ['values'] : [])]
  return (
    <section aria-label={trace ? 'trace' : 'shapes'} className="sheet grid gap-1 p-3 text-sm">
      <p className="text-soft">{trace ? `Tried on ${on}, line by line` : 'Shapes, before any run'}</p>
      {shown.lines.length > 0 && (
        <div className="overflow-x-auto" tabIndex={0} role="region" aria-label="lines">
          <table className="rows w-full">
            <thead className="max-sm:sr-only">
              <tr>
                {columns.map((c) => (
                  <th key={c} scope="col">
                    {c}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {shown.lines.slice(0, 60).map((l, i) => (
                <tr
                  key={i}
                  className="max-sm:grid max-sm:grid-cols-[auto_1fr_auto] max-sm:border-b max-sm:border-rule max-sm:[&>td]:border-0"
                >
                  <td className="text-soft">{l.line}</td>
                  <td className="mono break-words">{l.name}</td>
                  <td className="text-soft">{l.kind}</td>
                  <td className="max-sm:col-span-2 max-sm:col-start-2">
                    {l.known ? (
                      <ShapeStrips rows={[{ shape: l.shape.shape, axes: l.shape.axes }]} />
                    ) : (
                      <span className="text-soft">not known before a run</span>
                    )}
                  </td>
                  {trace && <td className="mono whitespace-nowrap max-sm:col-span-2 max-sm:col-start-2">{l.look}</td>}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {shown.errors.slice(0, 3).map((d, i) => (
        <p key={i}>
          <span className="text-failed">▲ line {d.span.line}: </span>
          <Ticked text={d.message} />.{' '}
          <span className="text-soft">
            Try: <Ticked text={d.hint} />
          </span>
        </p>
      ))}
      {trace?.notices.slice(0, 5).map((d, i) => (
        <p key={i}>
          <span className="text-soft">line {d.span.line}: </span>
          <Ticked text={d.message} />
        </p>
      ))}
    </section>
  )
}

// Inputs lets a student look at the data of every shown case.
function Inputs({ exercise: e }: { exercise: Exercise }) {
  const held =
    e.held === 0
      ? ''
      : ` ${e.held === 1 ? 'One more case is hidden' : `${e.held} more cases are hidden`}: the same axes, other lengths and values.`
  if (e.cases.length === 0) return <p className="text-soft">No case is shown.{held}</p>
  return (
    <CaseTabs cases={e.cases} exercise={e} label="shown cases">
      {held && <p className="pt-2 text-sm text-soft">{held.trim()}</p>}
      <details className="pt-2">
        <summary className="min-h-11 cursor-pointer py-2 text-sm">Take these data as files</summary>
        <Download of={`/courses/${e.course}/exercises/${e.name}/data`} axes={axesOf(e.cases)} />
      </details>
    </CaseTabs>
  )
}
