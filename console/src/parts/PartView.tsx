import { useEffect } from 'react'
import type { Part } from '../types'
import { announce } from './announce'
import { stripsOf, textOf } from './parts'
import { ShapeStrips } from './ShapeStrip'
import { useSettled } from './useSettled'

// PartView says what the part of a program made that the cursor is in or that is pointed at: kind, shape, first values,
// and what it was made of.
export function PartView({ parts, part, program }: { parts: Part[]; part: Part | null; program: string }) {
  const sentence = part ? `${textOf(program, part)}: ${part.kind}, ${said(part)}` : ''
  const rows = part ? stripsOf(parts, part, program) : []
  const rest = useSettled(sentence, 600)
  useEffect(() => {
    if (rest) announce(rest)
  }, [rest])
  return (
    <section aria-label="part of a line" className="sheet grid gap-2 p-3 text-sm" data-part>
      {part ? (
        <>
          <p className="break-words">
            <code>{textOf(program, part)}</code> <span className="text-soft">{part.kind}</span>
          </p>
          <ShapeStrips rows={rows} />
          <p className="mono overflow-x-auto whitespace-nowrap" tabIndex={0} role="region" aria-label="first values">
            {part.look}
          </p>
          {rows.some((r) => r.ghost?.some(Boolean)) && <p className="text-soft">Dashed: stretched to fit.</p>}
        </>
      ) : (
        <p className="text-soft">
          Point at an operator, a call or a selection, or move the cursor there, to see what it made.
        </p>
      )}
    </section>
  )
}

const said = (p: Part) =>
  p.shape.shape.length === 0
    ? `a scalar, ${p.look}`
    : p.shape.shape.map((n, i) => `${p.shape.axes?.[i] ?? 'axis'} ${n}`).join(', ')
