import { useRef, useState } from 'react'
import type { Arrays, ArrayValue, Cell } from '../types'
import { ArrayViewer, type Overlay, type View } from './ArrayViewer'
import type { Pointed } from './Origins'
import { decimalsApart } from './numbers'
import { rangeOf } from './Picture'
import { Empty } from './States'

// Pair lays expected, got and difference under each other on one scale, with one set of
// decimals; layers, scrolling and the cell that is pointed at go together.
export function Pair({ arrays: a, overlay, pointing }: { arrays: Arrays; overlay: Overlay; pointing?: Pointed }) {
  const [view, change] = useState<View>({ look: overlay, layer: [] })
  const at = useRef<HTMLDivElement>(null)
  const both = a.actual ? [a.expected, a.actual] : [a.expected]
  const decimals = decimalsApart(
    both.flatMap((v) => v.data),
    pairsOf(a.expected, a.actual, a.agrees),
  )
  const shared = { view, change, decimals, range: rangeOf(both), counting: a.counting }
  const point = (e: React.PointerEvent) => {
    const k = e.target instanceof Element ? e.target.closest('td')?.dataset['k'] : undefined
    at.current?.querySelectorAll('[data-lit]').forEach((c) => c.removeAttribute('data-lit'))
    if (k !== undefined)
      at.current?.querySelectorAll(`td[data-k="${k}"]`).forEach((c) => c.setAttribute('data-lit', ''))
  }
  const scroll = (e: React.UIEvent) => {
    const from = e.target as HTMLElement
    at.current?.querySelectorAll<HTMLElement>('[data-elements]').forEach((c) => {
      if (c === from) return
      c.scrollLeft = from.scrollLeft
      c.scrollTop = from.scrollTop
    })
  }
  return (
    <div ref={at} className="grid min-w-0 gap-4" onPointerOver={point} onScrollCapture={scroll}>
      <ArrayViewer {...shared} title="expected" value={a.expected} pointing={pointing?.on('expected')} />
      {a.actual ? (
        <ArrayViewer {...shared} title="got" value={a.actual} agrees={a.agrees} pointing={pointing?.on('got')} />
      ) : (
        <Empty>
          <code>{a.output}</code> was not bound in this case, so there is nothing to compare with what was expected.
        </Empty>
      )}
      {a.difference && (
        <ArrayViewer
          title="got − expected"
          value={a.difference}
          counting={a.counting}
          overlay="signed"
          fixed
          view={view}
          change={change}
          decimals={decimals}
        />
      )}
    </div>
  )
}

// pairsOf are the elements that do not agree; numbers of them must not read alike.
function pairsOf(expected: ArrayValue, actual: ArrayValue | null, agrees: ArrayValue | null): [Cell, Cell][] {
  if (!actual || !agrees) return []
  const out: [Cell, Cell][] = []
  for (let k = 0; k < agrees.data.length && out.length < 2000; k++)
    if (agrees.data[k] === false) out.push([expected.data[k]!, actual.data[k]!])
  return out
}
