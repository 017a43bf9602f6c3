import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useEffect, useId, useRef, useState } from 'react'
import type { Ask } from '../engine/useEngine'
import type { ArrayValue, Lineage, Lines, Origin } from '../types'
import { announce } from './announce'
import { ArrayViewer } from './ArrayViewer'
import { Choice } from './Choice'
import { cellName } from './numbers'
import { fromIn, placesIn, usePointing } from './Origins'
import { Failing, Loading } from './States'
import { useSettled } from './useSettled'

// Traced shows what one line of a tried program made; a cell of it that is pointed at lights the cells of the inputs that
// it came from, and those in lines between; one of an input lights all that it went into.
export function Traced({
  path,
  ask,
  here,
  program,
  inputs,
  names,
  lines,
}: {
  path: string
  ask: Ask
  here: boolean // what is asked is answered on this device
  program: string
  inputs?: Record<string, ArrayValue>
  names: string[] // of the inputs
  lines: Lines['lines']
}) {
  const some = lines.map((l, i) => ({ ...l, step: i })).filter((l) => !l.shape.shape.includes(0))
  const [picked, setPicked] = useState<number | string | null>(null)
  const last = some.at(-1)?.step
  const step = typeof picked === 'number' ? picked : last
  const input = typeof picked === 'string' ? picked : undefined
  const pointing = usePointing()
  const cell = useSettled(pointing.at, here ? 0 : 120)
  const id = useId()
  // What has come of this run: it is not sent again with every cell.
  const came = useRef<Came>({ inputs: {}, steps: new Map() })
  const q = useQuery({
    queryKey: ['trace', path, program, inputs, input ?? step, cell ?? 0],
    enabled: step !== undefined,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
    queryFn: async () => {
      const have = [...came.current.steps.keys()]
      const body = { program, case: '', inputs, step, input, cell: cell ?? 0, have }
      return whole(came.current, input === undefined ? step! : null, await ask<Lineage>('trace', body))
    },
  })
  const l = q.data
  const verb = input === undefined ? 'is made from' : 'went into'
  const words = useSettled(cell !== null && l?.yours ? `${cellName(l.name, l.cell)} ${verb} ${l.yours.words}` : '', 400)
  const value = input === undefined ? l?.value : l?.inputs[input]
  useEffect(() => {
    if (words) announce(words)
  }, [words])
  if (step === undefined) return null
  return (
    <section aria-labelledby={`${id}h`} className="grid min-w-0 gap-3">
      <div className="flex flex-wrap items-end gap-x-4 gap-y-1">
        <h2 id={`${id}h`} className="font-semibold">
          {input === undefined ? 'Where it came from' : 'What it went into'}
        </h2>
        <div className="w-48">
          <Choice
            label="line or input"
            value={input === undefined ? String(step) : `input ${input}`}
            change={(v) => {
              setPicked(v.startsWith('input ') ? v.slice(6) : Number(v))
              pointing.on('got').release()
            }}
            of={[
              ...some.map((s) => [String(s.step), `${s.line}: ${s.name}`] as const),
              ...names.map((n) => [`input ${n}`, `input ${n}`] as const),
            ]}
          />
        </div>
      </div>
      {q.isPending && <Loading what="the value" />}
      {q.isError && <Failing error={q.error} />}
      {l && value && (
        <ArrayViewer
          title={l.name}
          part="line"
          value={value}
          counting={l.counting}
          fixed
          pointing={pointing.on('got')}
        />
      )}
      {l && cell === null && (
        <p className="text-soft">
          Point at a cell to see {input === undefined ? 'where it came from' : 'what it went into'}.
        </p>
      )}
      {l?.yours && cell !== null && (
        <Way
          lineage={l}
          origin={l.yours}
          verb={verb}
          step={input === undefined ? step : null}
          pinned={pointing.pinned}
        />
      )}
    </section>
  )
}

// Came is what earlier answers on a run gave: the inputs, and what each step made.
type Came = { inputs: Lineage['inputs']; steps: Map<number, ArrayValue> }

// whole is an answer with what was left out because it had come.
function whole(came: Came, step: number | null, l: Lineage): Lineage {
  if (Object.keys(l.inputs).length > 0) came.inputs = l.inputs
  if (l.value && step !== null) came.steps.set(step, l.value)
  for (const x of l.yours?.lines ?? []) if (x.array) came.steps.set(x.step, x.array)
  return {
    ...l,
    inputs: came.inputs,
    value: step === null ? undefined : came.steps.get(step),
    yours: l.yours && { ...l.yours, lines: l.yours.lines.map((x) => ({ ...x, array: came.steps.get(x.step) })) },
  }
}

function Way({
  lineage: l,
  origin,
  verb,
  step,
  pinned,
}: {
  lineage: Lineage
  origin: Origin
  verb: string
  step: number | null
  pinned: boolean
}) {
  const between = origin.lines.filter((x) => x.step !== step && x.array)
  const inputs = Object.keys(l.inputs)
    .filter((n) => origin.value[n] || origin.choice[n])
    .sort()
  return (
    <div className="grid min-w-0 gap-3" data-lineage>
      <p>
        <code>{cellName(l.name, l.cell)}</code> {verb} {origin.words}.
        <span className="text-sm text-soft">
          {' '}
          A tint is a value, a hatch a choice; {pinned ? 'pinned, Esc releases' : 'a click or Enter pins'}.
        </span>
      </p>
      {inputs.map((n) => (
        <ArrayViewer
          key={n}
          title={n}
          part="the way"
          value={l.inputs[n]!}
          counting={l.counting}
          fixed
          from={fromIn(origin, n)}
        />
      ))}
      {between.map((x) => (
        <ArrayViewer
          key={x.step}
          part="the way"
          title={`line ${x.line}: ${x.name}`}
          value={x.array!}
          counting={l.counting}
          fixed
          from={{ value: placesIn(x.value), choice: placesIn(x.choice) }}
        />
      ))}
    </div>
  )
}
