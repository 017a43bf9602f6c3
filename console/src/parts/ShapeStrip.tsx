// A length is null where it is not known before a run.
export interface StripShape { name?: string; shape: (number | null)[]; axes: (string | null)[] | null; mark?: boolean[] }

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
// aligned at the last axis. Axes that do not fit carry a mark beside their colour.
export function ShapeStrips({ rows }: { rows: StripShape[] }) {
  const rank = Math.max(1, ...rows.map((r) => r.shape.length))
  const named = rows.some((r) => r.name)
  return (
    <div className="mono grid w-max max-w-full gap-y-1 overflow-x-auto text-sm" style={{ gridTemplateColumns: `${named ? 'auto ' : ''}repeat(${rank}, auto)` }} role="list" aria-label="shapes">
      {rows.map((r, k) => (
        <div key={k} className="contents" role="listitem" aria-label={`${r.name ?? 'shape'}: ${say(r)}`}>
          {named && <span className="pr-3 text-soft">{r.name}</span>}
          {r.shape.length === 0 ? (
            <span className="border border-dashed border-rule px-2 text-soft" style={{ gridColumn: `${rank + (named ? 1 : 0)}` }}>scalar</span>
          ) : (
            r.shape.map((d, i) => {
              const wrong = r.mark?.[i] ?? false
              return (
                <span key={i} aria-hidden="true" className={`${i > 0 ? '-ml-px ' : ''}border px-2 text-center whitespace-nowrap ${wrong ? 'z-10 border-differs bg-differs/10 text-differs' : 'border-rule bg-sheet'}`} style={{ gridColumn: rank - r.shape.length + i + (named ? 2 : 1), gridRow: k + 1 }}>
                  {r.axes?.[i] && <span className={wrong ? '' : 'text-soft'}>{r.axes[i]} </span>}
                  {d === null ? <span className="text-soft">{r.axes?.[i] ? '' : '?'}</span> : <span className="font-semibold">{d}</span>}
                  {wrong && ' ≠'}
                </span>
              )
            })
          )}
        </div>
      ))}
    </div>
  )
}

function say(r: StripShape): string {
  if (r.shape.length === 0) return 'a scalar'
  return r.shape.map((d, i) => `${r.axes?.[i] ?? 'axis'} ${d ?? 'of any length'}${r.mark?.[i] ? ', does not fit' : ''}`).join(', ')
}
