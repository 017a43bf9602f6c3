import type { Point } from '../editor/Editor'
import type { Part, Place } from '../types'
import type { StripShape } from './ShapeStrip'

// before reports whether a place in the text lies before another.
const before = (a: Point, b: Point) => a.line < b.line || (a.line === b.line && a.column < b.column)

const end = (p: Place): Point => ({ line: p.end_line, column: p.end_column })

// holds reports whether a part reaches over a place; its end is not in it.
const holds = (p: Place, at: Point) => !before(at, p) && before(at, end(p))

const within = (inner: Place, outer: Place) => !before(inner, outer) && !before(end(outer), end(inner))

const same = (a: Place, b: Place) =>
  a.line === b.line && a.column === b.column && a.end_line === b.end_line && a.end_column === b.end_column

// partAt is the innermost part at a place in the text, or the one that ends there.
export function partAt(parts: Part[], at: Point | null): Part | null {
  if (!at) return null
  const innermost = (some: Part[]) => some.reduce<Part | null>((best, p) => (!best || within(p, best) ? p : best), null)
  return (
    innermost(parts.filter((p) => holds(p, at))) ??
    innermost(parts.filter((p) => p.end_line === at.line && p.end_column === at.column))
  )
}

// operandsOf are the largest parts inside a part.
export function operandsOf(parts: Part[], part: Part): Part[] {
  const inside = parts.filter((p) => within(p, part) && !same(p, part))
  return inside.filter((p) => !inside.some((q) => !same(p, q) && within(p, q))).sort((a, b) => (before(a, b) ? -1 : 1))
}

// textOf is the text of a part, in one line.
export function textOf(program: string, p: Place): string {
  const lines = program.split(/\r?\n/).slice(p.line - 1, p.end_line)
  const cut = lines.map((l, i) => {
    const c = Array.from(l)
    return c.slice(i === 0 ? p.column - 1 : 0, i === lines.length - 1 ? p.end_column - 1 : c.length).join('')
  })
  return cut.join(' ').replace(/\s+/g, ' ').trim()
}

// stripsOf lays what a part was made of above what it made. An operand that is stretched has the axes that it lacks drawn
// as ghosts; an axis that a call folds away is marked so.
export function stripsOf(parts: Part[], part: Part, program: string): StripShape[] {
  const short = (p: Part) => {
    const t = Array.from(textOf(program, p))
    return t.length > 24 ? t.slice(0, 23).join('') + '…' : t.join('')
  }
  const made = part.shape
  const rows: StripShape[] = operandsOf(parts, part).map((o) => {
    const row: StripShape = { name: short(o), shape: o.shape.shape, axes: o.shape.axes }
    const text = textOf(program, part)
    if (part.form === 'operator' && !/\bdot\b/.test(text)) return stretched(row, made.shape, made.axes)
    if (part.form === 'call' && made.shape.length < o.shape.shape.length)
      return { ...row, folds: o.shape.axes?.map((a) => a !== null && !made.axes?.includes(a)) }
    return row
  })
  return [...rows, { name: rows.length > 0 ? 'makes' : 'shape', shape: made.shape, axes: made.axes }]
}

// stretched draws an operand as it is laid on a result: with the axes that it lacks, and those of length 1 at full length.
function stretched(row: StripShape, shape: (number | null)[], axes: (string | null)[] | null): StripShape {
  const missing = shape.length - row.shape.length
  if (missing < 0) return row
  const own = row.shape
  return {
    ...row,
    shape: shape.map((d, i) => (i < missing ? d : own[i - missing]!)),
    axes: shape.map((_, i) => (i < missing ? (axes?.[i] ?? null) : (row.axes?.[i - missing] ?? null))),
    ghost: shape.map((d, i) => i < missing || (own[i - missing] === 1 && d !== 1)),
    times: shape,
  }
}
