import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useParams } from '@tanstack/react-router'
import { Tabs } from 'radix-ui'
import { lazy, Suspense, useEffect, useMemo, useRef, useState } from 'react'
import { call, Failure, get, newKey } from '../api'
import { Editor, type EditorHandle } from '../editor/Editor'
import { remarksOf } from '../editor/remarks'
import { useMe } from '../me'
import { ArrayViewer } from '../parts/ArrayViewer'
import { Page } from '../parts/Page'
import { Failing, Loading } from '../parts/States'
import { ShapeStrips } from '../parts/ShapeStrip'
import { Ticked, VerdictView } from '../parts/VerdictView'
import type { Attempt, Exercise, Lines, Place, Predicted, Words } from '../types'

// The prompt's reader is large, and a student can look at data and write before it
// has come.
const Prompt = lazy(() => import('../parts/Prompt').then((m) => ({ default: m.Prompt })))

export function Workspace() {
  const me = useMe()
  const { course, exercise } = useParams({ from: '/inside/courses/$course/exercises/$exercise' })
  const q = useQuery({ queryKey: ['exercise', course, exercise], queryFn: () => get<Exercise>(`/courses/${course}/exercises/${exercise}`) })
  return (
    <Page me={me} wide crumbs={[{ text: me.courses.find((c) => c.slug === course)?.title ?? course, to: `/courses/${course}` }, { text: q.data?.title ?? exercise }]}>
      {q.isPending && <Loading what="the exercise" />}
      {q.isError && <Failing error={q.error} again={() => void q.refetch()} />}
      {q.data && <Work key={exercise} exercise={q.data} person={me.name} />}
    </Page>
  )
}

function Work({ exercise: e, person }: { exercise: Exercise; person: string }) {
  const draftKey = `draft:${person}:${e.course}:${e.name}`
  const [text, setText] = useState(() => localStorage.getItem(draftKey) ?? e.last?.program ?? e.starter)
  const [shown, setShown] = useState<Attempt | null>(e.last)
  const editor = useRef<EditorHandle>(null)
  const verdictAt = useRef<HTMLDivElement>(null)
  const client = useQueryClient()
  const words = useQuery({ queryKey: ['words'], queryFn: () => get<Words>('/words'), staleTime: Infinity })
  const change = (t: string) => {
    setText(t)
    localStorage.setItem(draftKey, t)
  }
  const goTo = (span: Place) => editor.current?.goTo(span)
  const send = useMutation({
    mutationFn: async (program: string) => {
      const key = newKey()
      for (let tries = 0; ; tries++) {
        try {
          let a = await call<Attempt>('POST', `/courses/${e.course}/exercises/${e.name}/attempts?wait=15`, { program }, { 'Idempotency-Key': key })
          while (a.state === 'waiting' || a.state === 'checking') {
            setShown(a)
            a = await get<Attempt>(`/attempts/${a.id}?wait=20`)
          }
          return a
        } catch (err) {
          // The key makes a second sending of the same attempt safe.
          if (tries >= 3 || !(err instanceof Failure) || (err.problem.status !== 0 && err.problem.status < 500)) throw err
          await new Promise((r) => setTimeout(r, 500 * 2 ** tries))
        }
      }
    },
    onSuccess: (a) => {
      setShown(a)
      void client.invalidateQueries({ queryKey: ['course', e.course] })
      const first = a.verdict?.findings.find((f) => f.span)
      if (first?.span && window.matchMedia('(min-width: 1024px)').matches) goTo(first.span)
      else verdictAt.current?.scrollIntoView({ block: 'start' })
    },
  })
  const handIn = () => { if (!send.isPending && e.state === 'open') send.mutate(text) }
  const verdict = shown?.verdict ?? null
  const current = shown?.program === text
  const [asks, setAsks] = useState(e.asks)
  const slow = useSlow(text, 250)
  const path = `/courses/${e.course}/exercises/${e.name}`
  const shapes = useQuery({ queryKey: ['shapes', path, slow], queryFn: () => call<Lines>('POST', path + '/shapes', { program: slow, case: '' }), enabled: e.cases.length > 0 && slow.trim() !== '', placeholderData: (old) => old, retry: false })
  const trial = useMutation({ mutationFn: async (program: string) => ({ text: program, lines: await call<Lines>('POST', path + '/try', { program, case: '' }) }) })
  const early = slow === text && !current ? (shapes.data?.errors ?? []).map((d) => ({ span: d.span, message: d.message + '. Try: ' + d.hint, severe: true })) : []
  const remarks = useMemo(() => (current ? remarksOf(verdict) : []), [current, verdict])
  return (
    <div className="grid gap-6 lg:grid-cols-2">
      <div className="grid min-w-0 content-start gap-5">
        <div>
          <h1 className="text-2xl font-semibold">{e.title}</h1>
          <p className="text-sm text-soft">{e.topics.join(' · ')} · positions count from {e.counting}{e.loops === 'refuse' && ' · no loops'}</p>
        </div>
        <Suspense fallback={<Loading what="the prompt" />}><Prompt text={e.prompt} /></Suspense>
        <Wanted exercise={e} />
        <Inputs exercise={e} />
      </div>
      <div className="grid min-w-0 content-start gap-4 lg:sticky lg:top-3 lg:max-h-[calc(100dvh-1.5rem)] lg:self-start lg:overflow-y-auto">
        {asks.length > 0 && <Predictions exercise={e} asks={asks} done={() => setAsks([])} />}
        <Editor ref={editor} text={text} change={change} handIn={handIn} remarks={[...remarks, ...early]} words={words.data} label="your program" />
        {e.cases.length > 0 && <LineShapes lines={shapes.data} trace={trial.data?.text === text ? trial.data.lines : undefined} />}
        <div className="sticky bottom-0 z-20 flex flex-wrap items-center gap-3 border-t border-rule bg-paper py-2 lg:static lg:border-0">
          <button className="button button-main min-h-11" onClick={handIn} disabled={send.isPending || e.state !== 'open' || asks.length > 0}>{send.isPending ? 'Checking …' : 'Hand in'}</button>
          {e.cases.length > 0 && <button className="button min-h-11" onClick={() => trial.mutate(text)} disabled={trial.isPending}>Try</button>}
          {e.starter && text !== e.starter && <button className="button min-h-11" onClick={() => change(e.starter)}>Start over</button>}
          <span className="text-sm text-soft">{e.state === 'closed' ? 'This exercise is closed.' : <span className="hidden sm:inline">Ctrl-Enter hands in</span>}</span>
        </div>
        <div ref={verdictAt} className="scroll-mt-4" aria-live="polite">
          {send.isError && <Failing error={send.error} again={handIn} />}
          {!send.isError && shown && !verdict && <p role="status" className="text-soft">{shown.state === 'stuck' ? 'Checking ran out of time three times; the team has been told, and your attempt is kept.' : 'Stored. A verdict comes in a moment.'}</p>}
          {verdict && (
            <div className={send.isPending ? 'opacity-50' : ''}>
              {!current && !send.isPending && <p className="mb-2 text-sm text-soft">This is the verdict on the attempt before; the text has changed since.</p>}
              <VerdictView verdict={verdict} goTo={current ? goTo : undefined} />
            </div>
          )}
          {!shown && !send.isError && <p className="border border-dashed border-rule p-4 text-soft">Say which shape you expect, then hand in. The verdict comes here: shapes first, then values, then where they differ.</p>}
        </div>
      </div>
    </div>
  )
}

// useSlow follows a text with a little patience, so that typing is not interrupted.
function useSlow(text: string, ms: number): string {
  const [slow, setSlow] = useState(text)
  useEffect(() => {
    const t = setTimeout(() => setSlow(text), ms)
    return () => clearTimeout(t)
  }, [text, ms])
  return slow
}

// LineShapes shows kind and shape of every line: before any run while one types, and
// with a look at the values after a trial.
function LineShapes({ lines, trace }: { lines?: Lines; trace?: Lines }) {
  const shown = trace ?? lines
  if (!shown || (shown.lines.length === 0 && shown.errors.length === 0)) return null
  return (
    <section aria-label={trace ? 'trace' : 'shapes'} className="sheet grid gap-1 p-3 text-sm">
      <p className="text-soft">{trace ? 'Tried on the first shown case, line by line' : 'Shapes, before any run'}</p>
      {shown.lines.length > 0 && (
        <div className="overflow-x-auto">
          <table className="rows w-full">
            <tbody>
              {shown.lines.slice(0, 60).map((l, i) => (
                <tr key={i} className="max-sm:grid max-sm:grid-cols-[auto_1fr_auto] max-sm:border-b max-sm:border-rule max-sm:[&>td]:border-0">
                  <td className="text-soft">{l.line}</td>
                  <td className="mono">{l.name}</td>
                  <td className="text-soft">{l.kind}</td>
                  <td className="max-sm:col-span-2 max-sm:col-start-2">{l.known ? <ShapeStrips rows={[{ shape: l.shape.shape, axes: l.shape.axes }]} /> : <span className="text-soft">not known before a run</span>}</td>
                  {trace && <td className="mono whitespace-nowrap max-sm:col-span-2 max-sm:col-start-2">{l.look}</td>}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {shown.errors.slice(0, 3).map((d, i) => <p key={i}><span className="text-failed">▲ line {d.span.line}: </span><Ticked text={d.message} />. <span className="text-soft">Try: <Ticked text={d.hint} /></span></p>)}
      {trace?.notices.slice(0, 5).map((d, i) => <p key={i}><span className="text-soft">line {d.span.line}: </span><Ticked text={d.message} /></p>)}
    </section>
  )
}

// Predictions asks before the first attempt; what was said stays.
function Predictions({ exercise: e, asks, done }: { exercise: Exercise; asks: Exercise['asks']; done: () => void }) {
  const [answers, setAnswers] = useState(() => asks.map(() => ''))
  const send = useMutation({ mutationFn: () => call<{ predictions: Predicted[] }>('POST', `/courses/${e.course}/exercises/${e.name}/predictions`, { answers }) })
  const hints = { shape: '[3, 4]', kind: 'bool, int, real or complex', value: 'a number, or a list', error: 'the code of an error, or none' }
  return (
    <form aria-label="predictions" className="sheet grid gap-3 p-3" onSubmit={(event) => { event.preventDefault(); send.mutate() }}>
      <p className="font-semibold">Say it before you run anything</p>
      {asks.map((q, i) => {
        const got = send.data?.predictions[i]
        return (
          <label key={i} className="grid gap-1">
            <span>{q.ask} <code>{q.of}</code></span>
            <input className="min-h-10 border border-rule bg-sheet px-2 mono" value={answers[i]} placeholder={hints[q.what]} disabled={send.isSuccess} onChange={(event) => setAnswers(answers.map((a, k) => (k === i ? event.target.value : a)))} />
            {got && <span className={got.right ? 'text-agrees' : 'text-differs'}>{got.right ? '● right' : '◐ not so'}: <code>{got.expected}</code></span>}
          </label>
        )
      })}
      {send.isError && <Failing error={send.error} />}
      {send.isSuccess ? <button type="button" className="button button-main justify-self-start" onClick={done}>Go on</button> : <button className="button button-main justify-self-start" disabled={send.isPending}>Answer</button>}
    </form>
  )
}

// Wanted lists what the program must bind.
function Wanted({ exercise: e }: { exercise: Exercise }) {
  return (
    <section aria-label="what to bind">
      <table className="rows w-full">
        <thead><tr><th scope="col">bind</th><th scope="col">axes</th><th scope="col">unit</th><th scope="col" className="text-right!">points</th></tr></thead>
        <tbody>
          {e.outputs.map((o) => (
            <tr key={o.name}>
              <td className="mono">{o.name}</td>
              <td className="mono text-sm">{o.axes === null ? 'any' : o.axes.length === 0 ? 'scalar' : `[${o.axes.map((a) => a ?? '·').join(', ')}]`}</td>
              <td>{o.unit || '–'}</td>
              <td className="text-right">{o.points}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  )
}

// Inputs lets a student look at the data of every shown case.
function Inputs({ exercise: e }: { exercise: Exercise }) {
  const held = e.held === 0 ? '' : ` ${e.held === 1 ? 'One more case is' : `${e.held} more cases are`} held back; same axes, other lengths and values.`
  if (e.cases.length === 0) return <p className="text-soft">No case is shown.{held}</p>
  return (
    <Tabs.Root defaultValue={e.cases[0]?.name}>
      <Tabs.List aria-label="shown cases" className="flex flex-wrap border-b border-rule">
        {e.cases.map((c) => <Tabs.Trigger key={c.name} value={c.name} className="min-h-10 cursor-pointer border-b-2 border-transparent px-3 text-soft data-[state=active]:border-accent data-[state=active]:text-ink">{c.name}</Tabs.Trigger>)}
      </Tabs.List>
      {e.cases.map((c) => (
        <Tabs.Content key={c.name} value={c.name} className="grid gap-3 pt-3">
          {e.inputs.map((input) => {
            const value = c.inputs[input.name]
            return value && <ArrayViewer key={input.name} value={value} title={input.name} about={input.about} unit={input.unit} counting={e.counting} />
          })}
        </Tabs.Content>
      ))}
      {held && <p className="pt-2 text-sm text-soft">{held.trim()}</p>}
    </Tabs.Root>
  )
}
