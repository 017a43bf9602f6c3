import type { ArrayValue, Cell } from '../types'

// partsOf are the finite numbers of some cells, those of complex cells one by one.
function partsOf(cells: Cell[]): number[] {
  return cells
    .flatMap((c) => (Array.isArray(c) ? c : [c]))
    .filter((c): c is number => typeof c === 'number' && Number.isFinite(c))
}

const mostDecimals = 15

// decimalsOf is how many decimals show a list of numbers, so that a column aligns at
// the point: six significant digits and four decimals at most.
export function decimalsOf(cells: Cell[]): number {
  let most = 0
  for (const c of partsOf(cells)) {
    const text = String(Number(c.toPrecision(6)))
    const point = text.indexOf('.')
    if (point >= 0 && !text.includes('e')) most = Math.max(most, text.length - point - 1)
  }
  return Math.min(most, 4)
}

// decimalsApart is how many decimals one comparison needs: those of its numbers, and
// more where two that differ would read alike.
export function decimalsApart(cells: Cell[], pairs: [Cell, Cell][]): number {
  let decimals = decimalsOf(cells)
  const numbers = pairs.flatMap(([a, b]) =>
    typeof a === 'number' && typeof b === 'number' && a !== b ? [[a, b] as const] : [],
  )
  while (decimals < mostDecimals && numbers.some(([a, b]) => show(a, 'real', decimals) === show(b, 'real', decimals)))
    decimals++
  return decimals
}

const minus = (text: string) => text.replaceAll('-', '−')

// show is how every number of the console is written.
export function show(c: Cell | undefined, kind: string, decimals: number): string {
  if (c === undefined) return ''
  if (Array.isArray(c))
    return `${show(c[0], 'real', decimals)} ${String(c[1]).startsWith('-') || Object.is(c[1], -0) ? '−' : '+'} ${show(typeof c[1] === 'number' ? Math.abs(c[1]) : c[1].replace('-', ''), 'real', decimals)}i`
  if (typeof c === 'boolean') return c ? 'true' : 'false'
  if (typeof c === 'string') return minus(c)
  if (kind === 'int') return minus(String(c))
  if (c !== 0 && (Math.abs(c) >= 1e9 || Math.abs(c) < 0.5 * 10 ** -Math.max(decimals, 4)))
    return minus(c.toExponential(Math.min(Math.max(decimals, 3), mostDecimals)))
  return minus(c.toFixed(kind === 'real' ? Math.max(decimals, 1) : decimals))
}

// points writes points, costs and shares: two decimals at most.
export const points = (v: number) => String(Math.round(v * 100) / 100)

const exact = (c: Cell, kind: string): string => {
  if (Array.isArray(c)) return `${exact(c[0], 'real')} + ${exact(c[1], 'real')} * 1i`
  const text = String(c)
  return kind === 'real' && typeof c === 'number' && !/[.e]/.test(text) ? text + '.0' : text
}

// percent writes a share without decimals that say nothing.
export const percent = (share: number) => `${Number((100 * share).toFixed(1))} %`

// asNotation writes an array as a literal of the notation.
export function asNotation(a: ArrayValue): string {
  const part = (axis: number, from: number, size: number): string => {
    if (axis === a.shape.length) return exact(a.data[from] ?? 0, a.kind)
    const n = a.shape[axis] ?? 0
    const inner = n === 0 ? 0 : size / n
    return '[' + Array.from({ length: n }, (_, i) => part(axis + 1, from + i * inner, inner)).join(', ') + ']'
  }
  return part(0, 0, a.data.length)
}

// asCSV writes the last two axes as a plain table, layers one after the other.
export function asCSV(a: ArrayValue): string {
  const columns = a.shape.at(-1) ?? 1
  const rows: string[] = []
  for (let i = 0; i < a.data.length; i += Math.max(columns, 1))
    rows.push(
      a.data
        .slice(i, i + columns)
        .map((c) => exact(c, 'int'))
        .join(','),
    )
  return rows.join('\n') + '\n'
}

// cellName is a cell as the notation writes it.
export const cellName = (name: string, cell: number[]) => (cell.length > 0 ? `${name}[${cell.join(', ')}]` : name)
