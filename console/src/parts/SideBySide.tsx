import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { get } from '../api'
import type { Arrays, Attempt, Exercise, Verdict } from '../types'
import { lookOf, type Overlay } from './ArrayViewer'
import { Download } from './Download'
import { Mark } from './Mark'
import { OneOf } from './OneOf'
import { Origins, usePointing } from './Origins'
import { Pair } from './Pair'
import { Failing, Loading } from './States'

// SideBySide lays expected, got and difference of one output in one case beside each
// other; it opens at the first finding. A student compares the shown cases, and those of a
// ticket.
export function SideBySide({
  attempt: a,
  verdict,
  exercise: e,
  team,
}: {
  attempt: Attempt
  verdict: Verdict
  exercise: Exercise
  team: boolean
}) {
  const outputs = e.outputs.map((o) => o.name)
  const cases = verdict.cases.filter((c) => team || verdict.on === 'own' || e.cases.some((x) => x.name === c.name))
  // A finding may be of a function or a property: those have no array to lay beside another.
  const first = verdict.findings.find(
    (f) => f.output && outputs.includes(f.output) && cases.some((c) => c.name === f.case),
  )
  const [pickedCase, setCase] = useState<string | null>(null)
  const [pickedOutput, setOutput] = useState<string | null>(null)
  const caseName = pickedCase ?? first?.case ?? cases[0]?.name
  const output = pickedOutput ?? first?.output ?? outputs[0]
  const path = `/attempts/${a.id}/arrays?case=${encodeURIComponent(caseName ?? '')}&output=${encodeURIComponent(output ?? '')}`
  const q = useQuery({
    queryKey: ['arrays', a.id, caseName, output],
    enabled: output !== undefined && caseName !== undefined,
    queryFn: () => get<Arrays>(path),
  })
  if (output === undefined || caseName === undefined) return null
  return (
    <section aria-labelledby="beside" className="grid min-w-0 content-start gap-4">
      <h2 id="beside" className="font-semibold">
        Expected, got and difference
      </h2>
      <div className="flex flex-wrap gap-x-5 gap-y-2">
        <OneOf
          label="case"
          value={caseName}
          change={setCase}
          options={cases.map((c) => ({ value: c.name, text: <Mark word={c.verdict}>{c.name}</Mark> }))}
        />
        <OneOf
          label="output"
          value={output}
          change={setOutput}
          options={outputs.map((o) => ({ value: o, text: <span className="mono">{o}</span> }))}
        />
      </div>
      {q.isPending && <Loading what="the arrays" />}
      {q.isError && <Failing error={q.error} />}
      {q.data && (
        <Compared
          key={`${caseName} ${output}`}
          arrays={q.data}
          path={path}
          output={output}
          overlay={lookOf(e.outputs.find((o) => o.name === output)?.present ?? '')}
        />
      )}
    </section>
  )
}

// Compared is both sides of an output, where their cells came from, and both as files.
function Compared({
  arrays,
  path,
  output,
  overlay,
}: {
  arrays: Arrays
  path: string
  output: string
  overlay: Overlay
}) {
  const pointing = usePointing()
  return (
    <>
      <Pair arrays={arrays} overlay={overlay} pointing={pointing} />
      <Origins of={path.replace('/arrays?', '/lineage?')} name={output} pointing={pointing} />
      <div className="border-t border-rule pt-3">
        <Download of={path} axes={Math.max(arrays.expected.shape.length, arrays.actual?.shape.length ?? 0)} />
      </div>
    </>
  )
}
