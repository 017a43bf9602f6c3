// A length is null where it is not known before a run.
export interface StripShape {
  name?: string
  shape: (number | null)[]
  axes: (string | null)[] | null
  mark?: boolean[]
  ghost?: boolean[] // axes along which it is stretched
  times?: (number | null)[] // to these lengths
  folds?: boolean[] // axes that collapse
}

// unfit marks the axes of two shapes, aligned at the last, whose lengths differ.
// With broadcast a length of 1 fits any.
export function unfit(a: (number | null)[], b: (number | null)[], broadcast: boolean): [boolean[], boolean[]] {
  const mark = (x: (number | null)[], y: (number | null)[]) =>
    x.map((d, i) => {
      const other = y[y.length - x.length + i]
      if (other === undefined) return !broadcast
      return d !== null && other !== null && d !== other && !(broadcast && (d === 1 || other === 1))
    })
  return [mark(a, b), mark(b, a)]
}

// ShapeStrips lays shapes under each other as rows of cells, one cell an axis,
// aligned at the last axis. Axes that do not fit carry a mark beside their colour. Who
// cannot see it hears each shape, and which axes do not fit.
export function ShapeStrips({ rows }: { rows: StripShape[] }) {
  const rank = Math.max(1, ...rows.map((r) => r.shape.length))
  const named = rows.some((r) => r.name)
  const against = doNotFit(rows)
  return (
    <span
      className="mono inline-grid w-max max-w-full gap-y-1 overflow-x-auto text-sm"
      style={{ gridTemplateColumns: `${named ? 'auto ' : ''}repeat(${rank}, auto)` }}
      data-strips
    >
      {rows.map((r, k) => (
        <span key={k} className="contents">
          <span className="sr-only" data-said>{`${r.name ?? 'shape'}: ${sayShape(r)}. `}</span>
          {named && (
            <span aria-hidden="true" className="pr-3 text-soft">
              {r.name}
            </span>
          )}
          {r.shape.length === 0 ? (
            <span
              aria-hidden="true"
              className="border border-dashed border-edge px-2 text-soft"
              style={{ gridColumn: `${rank + (named ? 1 : 0)}` }}
            >
              scalar
            </span>
          ) : (
            r.shape.map((d, i) => {
              const wrong = r.mark?.[i] ?? false
              const ghost = r.ghost?.[i] ?? false
              const folds = r.folds?.[i] ?? false
              const above = rows[k - 1]
              const joined = wrong && (above?.mark?.[i + above.shape.length - r.shape.length] ?? false)
              return (
                <span
                  key={i}
                  aria-hidden="true"
                  data-axis={r.axes?.[i] ?? undefined}
                  data-joined={joined || undefined}
                  className={`${i > 0 ? '-ml-px ' : ''}${joined ? 'strip-joined ' : ''}border px-2 text-center whitespace-nowrap ${wrong ? 'z-10 border-differs bg-differs/10 text-differs' : ghost ? 'border-dashed border-edge text-soft' : folds ? 'strip-folds border-edge bg-sheet' : 'border-edge bg-sheet'}`}
                  style={{ gridColumn: rank - r.shape.length + i + (named ? 2 : 1), gridRow: k + 1 }}
                >
                  {r.axes?.[i] && <span className={wrong ? '' : 'text-soft'}>{r.axes[i]} </span>}
                  {d === null ? (
                    <span className="text-soft">{r.axes?.[i] ? '' : '?'}</span>
                  ) : (
                    <span className="font-semibold">{d}</span>
                  )}
                  {wrong && ' ≠'}
                  {ghost && r.shape[i] === 1 && ` → ${r.times?.[i]}`}
                  {folds && ' ⤳'}
                </span>
              )
            })
          )}
        </span>
      ))}
      {against && (
        <span className="sr-only" data-said>
          {against}
        </span>
      )}
    </span>
  )
}

const sayAxis = (r: StripShape, i: number) => `${r.axes?.[i] ?? 'axis'} ${r.shape[i] ?? 'of any length'}`

// sayShape is a shape in words.
function sayShape(r: StripShape): string {
  if (r.shape.length === 0) return 'a scalar'
  const how = (i: number) =>
    r.ghost?.[i] ? `stretched along ${sayAxis(r, i)}` : r.folds?.[i] ? `${sayAxis(r, i)} folds` : sayAxis(r, i)
  return r.shape.map((_, i) => how(i)).join(', ')
}

// doNotFit says of two shapes which of their axes do not fit, the last first.
function doNotFit([a, b]: StripShape[]): string {
  if (!a?.mark || !b?.mark) return ''
  const out: string[] = []
  for (let back = 1; back <= Math.max(a.shape.length, b.shape.length); back++) {
    const i = a.shape.length - back
    const k = b.shape.length - back
    if (!a.mark[i] && !b.mark[k]) continue
    if (i < 0) out.push(`${sayAxis(b, k)} has no counterpart`)
    else if (k < 0) out.push(`${sayAxis(a, i)} has no counterpart`)
    else out.push(`${sayAxis(a, i)} against ${sayAxis(b, k)} do not fit`)
  }
  return out.join('; ')
}
