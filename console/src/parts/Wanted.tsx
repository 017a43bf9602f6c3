import type { Counts, Exercise, Lines } from '../types'
import { points } from './numbers'
import { ShapeStrips, type StripShape } from './ShapeStrip'
import { Ticked } from './VerdictView'

// lengths are those of the labelled axes in the first shown case.
function lengthsOf(e: Exercise): Map<string, number> {
  const out = new Map<string, number>()
  for (const a of Object.values(e.cases[0]?.inputs ?? {}))
    a.axes?.forEach((label, i) => {
      if (label !== null && !out.has(label)) out.set(label, a.shape[i]!)
    })
  return out
}

// stripsOf lays the shape that is wanted of an output over the one that the text makes, if it makes one.
export function stripsOf(o: Exercise['outputs'][number], lengths: Map<string, number>, made?: Lines['lines'][number]) {
  const is: StripShape | null = made?.known ? { name: 'made', shape: made.shape.shape, axes: made.shape.axes } : null
  if (o.axes === null) return is ? [is] : []
  const axes = o.axes
  const want: StripShape = {
    name: 'wanted',
    shape: axes.map((label) => (label === null ? null : (lengths.get(label) ?? null))),
    axes,
  }
  if (!is) return [want]
  const off = axes.length - is.shape.length
  const misfits = (i: number) => {
    const k = i - off
    if (i < 0 || k < 0) return true
    const [label, own] = [axes[i] ?? null, is.axes?.[k] ?? null]
    const [length, mine] = [want.shape[i] ?? null, is.shape[k] ?? null]
    return (label !== null && own !== null && label !== own) || (length !== null && mine !== null && length !== mine)
  }
  want.mark = axes.map((_, i) => misfits(i))
  is.mark = is.shape.map((_, k) => misfits(k + off))
  return [want, is]
}

// Wanted lists what the program must bind, with the shape that it makes so far, and all else that counts: it adds up to
// the exercise's points.
export function Wanted({ exercise: e, lines = [] }: { exercise: Exercise; lines?: Lines['lines'] }) {
  const lengths = lengthsOf(e)
  const c = e.counts
  return (
    <section aria-label="what counts" className="grid gap-2">
      <table className="rows w-full max-sm:[&_td]:px-1.5 max-sm:[&_th]:px-1.5">
        <thead className="max-sm:sr-only">
          <tr>
            <th scope="col">bind</th>
            <th scope="col">shape</th>
            <th scope="col">unit</th>
            <th scope="col" className="text-right!">
              points
            </th>
          </tr>
        </thead>
        <tbody>
          {e.outputs.map((o) => (
            <tr key={o.name} className={narrowRow}>
              <td className="mono break-words">{o.name}</td>
              <td data-made={o.name} className="max-sm:col-span-3 max-sm:row-start-2">
                <ShapesOf rows={stripsOf(o, lengths, lines.filter((l) => l.name === o.name).at(-1))} />
              </td>
              <td>{o.unit || '–'}</td>
              <td className="text-right">{points(o.points)}</td>
            </tr>
          ))}
          {c.steps.map((s) => (
            <Other key={s.name} points={s.points}>
              on the way, <code>{s.name}</code>
            </Other>
          ))}
          {c.functions.map((f) => (
            <Other key={f.name} points={f.points}>
              the function <code>{f.name}</code>
              {f.calls.length > 0 && (
                <>
                  , called as{' '}
                  {f.calls.slice(0, 3).map((call, i) => (
                    <span key={i}>
                      {i > 0 && ', '}
                      <code>{call}</code>
                    </span>
                  ))}
                </>
              )}
            </Other>
          ))}
          {c.properties.map((p, i) => (
            <Other key={i} points={p.points}>
              <Ticked text={p.says} />
            </Other>
          ))}
          {c.predictions.map((p, i) => (
            <Other key={i} points={p.points}>
              a prediction: {p.ask} <code>{p.of}</code>
            </Other>
          ))}
        </tbody>
        <tfoot>
          <tr className={narrowRow}>
            <td colSpan={3} className="max-sm:col-span-2">
              in all
            </td>
            <td className="text-right font-semibold" data-total>
              {points(e.points)}
            </td>
          </tr>
        </tfoot>
      </table>
      {rulesOf(c).length > 0 && (
        <p className="text-sm">
          <span className="text-soft">Rules: </span>
          {rulesOf(c).map((r, i) => (
            <span key={i}>
              {i > 0 && '; '}
              <Ticked text={r} />
            </span>
          ))}
          .
        </p>
      )}
    </section>
  )
}

function ShapesOf({ rows }: { rows: StripShape[] }) {
  return rows.length > 0 ? <ShapeStrips rows={rows} /> : <span className="text-soft">any</span>
}

// On a phone a row is a line, with its shapes below.
const narrowRow =
  'max-sm:grid max-sm:grid-cols-[1fr_auto_auto] max-sm:border-b max-sm:border-rule max-sm:[&>td]:border-0'

function Other({ points: p, children }: { points: number; children: React.ReactNode }) {
  return (
    <tr className={narrowRow}>
      <td colSpan={3} className="break-words max-sm:col-span-2">
        {children}
      </td>
      <td className="text-right">{points(p)}</td>
    </tr>
  )
}

function rulesOf({ rules: r }: Counts): string[] {
  const ticked = (names: string[]) => names.map((n) => `\`${n}\``).join(', ')
  return [
    r.loops === 'refuse' ? 'no loops' : r.loops === 'warn' ? 'better without loops' : '',
    r.require.length > 0 ? `with ${ticked(r.require)}` : '',
    r.refuse.length > 0 ? `without ${ticked(r.refuse)}` : '',
    r.inputs_unchanged ? 'the inputs stay as they are' : '',
    r.cost_cells > 0 ? `at most ${points(r.cost_cells)} times the cells of the reference` : '',
    r.cost_statements > 0 ? `at most ${points(r.cost_statements)} times the statements of the reference` : '',
  ].filter(Boolean)
}
