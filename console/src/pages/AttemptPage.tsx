import { useQuery } from '@tanstack/react-query'
import { useParams } from '@tanstack/react-router'
import { ToggleGroup } from 'radix-ui'
import { useMemo, useRef, useState } from 'react'
import { get } from '../api'
import { Editor, type EditorHandle } from '../editor/Editor'
import { remarksOf } from '../editor/remarks'
import { isTeam, useMe } from '../me'
import { ArrayViewer, lookOf } from '../parts/ArrayViewer'
import { Mark } from '../parts/Mark'
import { Page } from '../parts/Page'
import { Empty, Failing, Loading } from '../parts/States'
import { VerdictView } from '../parts/VerdictView'
import type { Arrays, Attempt, Exercise } from '../types'

const none: never[] = []

export function AttemptPage() {
  const me = useMe()
  const { course, attempt } = useParams({ from: '/inside/courses/$course/attempts/$attempt' })
  const q = useQuery({ queryKey: ['attempt', attempt], queryFn: () => get<Attempt>(`/attempts/${attempt}?wait=10`) })
  const role = me.courses.find((c) => c.slug === course)
  const crumbs = [{ text: role?.title ?? course, to: `/courses/${course}` }, ...(isTeam(role?.role) ? [{ text: 'Desk', to: `/courses/${course}/desk` }] : []), { text: `Attempt ${attempt}` }]
  return (
    <Page me={me} wide crumbs={crumbs}>
      {q.isPending && <Loading what="the attempt" />}
      {q.isError && <Failing error={q.error} again={() => void q.refetch()} />}
      {q.data && <Shown attempt={q.data} />}
    </Page>
  )
}

function Shown({ attempt: a }: { attempt: Attempt }) {
  const editor = useRef<EditorHandle>(null)
  const remarks = useMemo(() => remarksOf(a.verdict), [a.verdict])
  return (
    <div className="grid gap-5 xl:grid-cols-2">
      <div className="xl:col-span-2">
        <h1 className="text-2xl font-semibold">{a.display}, {a.exercise}</h1>
        <p className="text-sm text-soft">handed in {new Date(a.handed_in).toLocaleString()}{a.seconds !== null && `, checked in ${a.seconds < 1e-4 ? 'less than 0.1' : (a.seconds * 1000).toFixed(1)} ms`}</p>
      </div>
      <div className="grid min-w-0 content-start gap-4">
        <Editor ref={editor} text={a.program} remarks={remarks} label="the program handed in" readOnly />
        {a.verdict ? <VerdictView verdict={a.verdict} goTo={(span) => editor.current?.goTo(span)} /> : <p role="status" className="text-soft">{a.state === 'stuck' ? 'Checking ran out of seconds three times; there is no verdict.' : 'Waiting for its verdict.'}</p>}
      </div>
      {a.verdict && a.verdict.cases.length > 0 && <SideBySide attempt={a} />}
    </div>
  )
}

// SideBySide lays expected, got and difference of one output in one case beside
// each other; it opens at the first finding.
function SideBySide({ attempt: a }: { attempt: Attempt }) {
  const e = useQuery({ queryKey: ['exercise', a.course, a.exercise], queryFn: () => get<Exercise>(`/courses/${a.course}/exercises/${a.exercise}`) })
  const outputs = e.data?.outputs.map((o) => o.name) ?? none
  // A finding may be of a function or a property: those have no array to lay beside another.
  const first = a.verdict?.findings.find((f) => f.case && f.output && outputs.includes(f.output))
  const [pickedCase, setCase] = useState<string | null>(null)
  const [pickedOutput, setOutput] = useState<string | null>(null)
  const caseName = pickedCase ?? first?.case ?? a.verdict?.cases[0]?.name ?? ''
  const output = pickedOutput ?? first?.output ?? outputs[0]
  const q = useQuery({
    queryKey: ['arrays', a.id, caseName, output],
    enabled: output !== undefined,
    queryFn: () => get<Arrays>(`/attempts/${a.id}/arrays?case=${encodeURIComponent(caseName)}&output=${encodeURIComponent(output ?? '')}`),
  })
  return (
    <section aria-label="expected, got and difference" className="grid min-w-0 content-start gap-4">
      <div className="flex flex-wrap gap-x-5 gap-y-2">
        <Choice label="case" value={caseName} change={setCase} options={a.verdict?.cases.map((c) => ({ value: c.name, text: <Mark word={c.verdict}>{c.name}</Mark> })) ?? none} />
        <Choice label="output" value={output ?? ''} change={setOutput} options={outputs.map((o) => ({ value: o, text: <span className="mono">{o}</span> }))} />
      </div>
      {q.isPending && <Loading what="the arrays" />}
      {q.isError && <Failing error={q.error} />}
      {q.data && (
        <>
          <ArrayViewer key={`e${caseName}${output}`} title="expected" overlay={lookOf(e.data?.outputs.find((o) => o.name === output)?.present ?? '')} value={q.data.expected} counting={q.data.counting} />
          {q.data.actual
            ? <ArrayViewer key={`a${caseName}${output}`} title="got" value={q.data.actual} counting={q.data.counting} agrees={q.data.agrees} />
            : <Empty>The program did not bind <code>{output}</code> in this case.</Empty>}
          {q.data.difference && <ArrayViewer key={`d${caseName}${output}`} title="got − expected" value={q.data.difference} counting={q.data.counting} overlay="signed" fixed />}
        </>
      )}
    </section>
  )
}

function Choice({ label, value, change, options }: { label: string; value: string; change: (v: string) => void; options: { value: string; text: React.ReactNode }[] }) {
  return (
    <div className="flex flex-wrap items-center gap-2">
      <span className="label">{label}</span>
      <ToggleGroup.Root type="single" value={value} onValueChange={(v) => v && change(v)} aria-label={label} className="flex flex-wrap">
        {options.map((o) => <ToggleGroup.Item key={o.value} value={o.value} className="-ml-px min-h-9 cursor-pointer border border-rule bg-sheet px-3 text-sm data-[state=on]:border-accent data-[state=on]:shadow-[inset_0_-2px_0_var(--accent)]">{o.text}</ToggleGroup.Item>)}
      </ToggleGroup.Root>
    </div>
  )
}
