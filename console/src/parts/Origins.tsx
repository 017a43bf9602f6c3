import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useEffect, useMemo, useState } from 'react'
import { get } from '../api'
import type { Lineage, Origin } from '../types'
import { announce } from './announce'
import { ArrayViewer, type From, type Pointing } from './ArrayViewer'
import { cellName } from './numbers'
import { Failing } from './States'
import { useSettled } from './useSettled'

// Side is one of two arrays that are compared.
export type Side = 'expected' | 'got'

export interface Pointed {
  at: number | null
  side: Side
  pinned: boolean
  on: (side: Side) => Pointing
}

// usePointing keeps the cell that is pointed at. What is pinned stays until it is released, or another is.
export function usePointing(): Pointed {
  const [{ at, side, pinned }, set] = useState<{ at: number | null; side: Side; pinned: boolean }>({
    at: null,
    side: 'expected',
    pinned: false,
  })
  return useMemo(
    () => ({
      at,
      side,
      pinned,
      on: (own) => ({
        at: own === side ? at : null,
        pinned,
        point: (k) => set((was) => (was.pinned ? was : { at: k, side: own, pinned: false })),
        pin: (k) => set((was) => ({ at: k, side: own, pinned: !(was.pinned && was.at === k && was.side === own) })),
        release: () => set({ at: null, side: own, pinned: false }),
      }),
    }),
    [at, side, pinned],
  )
}

// Origins shows from which cells of the inputs the cell was made that is pointed at, in the attempt and in the reference.
export function Origins({ of, name, pointing }: { of: string; name: string; pointing: Pointed }) {
  const cell = useSettled(pointing.at === null ? '' : `&side=${pointing.side}&cell=${pointing.at}`, 120)
  const q = useQuery({
    queryKey: ['lineage', of, cell],
    enabled: cell !== '',
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    queryFn: () => get<Lineage>(of + cell),
  })
  return (
    <section aria-labelledby="origins" className="grid min-w-0 gap-3 border-t border-rule pt-3">
      <h2 id="origins" className="font-semibold">
        Where it came from
      </h2>
      {cell === '' ? (
        <p className="text-soft">Point at a cell to see where it came from.</p>
      ) : q.isError ? (
        <Failing error={q.error} />
      ) : (
        q.data && <Both lineage={q.data} name={name} pinned={pointing.pinned} />
      )}
    </section>
  )
}

// sentenceOf says both sides in words.
export function sentenceOf(l: Lineage, name: string): string {
  const cell = cellName(name, l.cell)
  const sides = [l.yours && `got: ${l.yours.words}`, l.expected && `expected: ${l.expected.words}`].filter(Boolean)
  return `${cell}. ${sides.join('. ')}`
}

function Both({ lineage: l, name, pinned }: { lineage: Lineage; name: string; pinned: boolean }) {
  const words = useSettled(sentenceOf(l, name), 400)
  useEffect(() => announce(words), [words])
  const same = l.yours && l.expected && sameCells(l.yours, l.expected)
  return (
    <div className="grid min-w-0 gap-4" data-lineage>
      <p>
        <code>{cellName(name, l.cell)}</code>
        <span className="text-sm text-soft">
          {' '}
          · a tint is a value, a hatch a choice · {pinned ? 'pinned, Esc releases' : 'a click or Enter pins'}
        </span>
      </p>
      {same && l.yours ? (
        <Made title="got and expected, from the same cells" origin={l.yours} lineage={l} />
      ) : (
        <>
          {l.yours && <Made title="got" origin={l.yours} lineage={l} />}
          {l.expected && <Made title="expected" origin={l.expected} lineage={l} />}
        </>
      )}
      {!l.yours && !l.expected && <p className="text-soft">Neither side can be traced to this cell.</p>}
    </div>
  )
}

function Made({ title, origin, lineage: l }: { title: string; origin: Origin; lineage: Lineage }) {
  const inputs = Object.keys(l.inputs)
    .filter((n) => origin.value[n] || origin.choice[n])
    .sort()
  return (
    <div className="grid min-w-0 gap-2" role="group" aria-label={title}>
      <p>
        <span className="label">{title}: </span>
        {origin.words}
      </p>
      {inputs.map((n) => (
        <ArrayViewer
          key={n}
          title={n}
          part={title}
          value={l.inputs[n]!}
          counting={l.counting}
          fixed
          from={fromIn(origin, n)}
        />
      ))}
    </div>
  )
}

// fromIn are the cells of one input that an origin names.
export const fromIn = (o: Origin, input: string): From => ({
  value: placesIn(o.value[input]),
  choice: placesIn(o.choice[input]),
})

// placesIn are the cells of runs: where each begins, and how many cells it has.
export function placesIn(runs: number[] = []): Set<number> {
  const out = new Set<number>()
  for (let i = 0; i + 1 < runs.length; i += 2) for (let k = 0; k < runs[i + 1]!; k++) out.add(runs[i]! + k)
  return out
}

// sameCells reports whether two sides come from the same cells in the same ways.
export function sameCells(a: Origin, b: Origin): boolean {
  const text = (o: Origin) =>
    JSON.stringify([o.value, o.choice].map((m) => Object.entries(m).sort(([x], [y]) => x.localeCompare(y))))
  return text(a) === text(b)
}
