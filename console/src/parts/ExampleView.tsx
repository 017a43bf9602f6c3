import type { Example } from '../types'
import { asNotation } from './numbers'
import { ShapeStrips } from './ShapeStrip'
import { MadeFromWords, Ticked } from './VerdictView'

// ExampleView shows the smallest data on which an attempt differs, with both results, as
// they can be written in a program.
export function ExampleView({ example: x, use }: { example: Example; use?: () => void }) {
  const rows = [
    ...Object.entries(x.inputs).map(([name, value]) => ({ what: 'with', name, value })),
    ...Object.entries(x.expected).flatMap(([name, value]) => {
      const got = x.actual[name]
      return [{ what: 'expected', name, value }, ...(got ? [{ what: 'got', name, value: got }] : [])]
    }),
  ]
  return (
    <section aria-label="the smallest example" className="sheet grid gap-2 border-l-4 border-l-accent p-3">
      <h3 className="font-semibold">The smallest example</h3>
      <div className="overflow-x-auto" tabIndex={0} role="region" aria-label="the example">
        <table className="w-full">
          <tbody>
            {rows.map((r, i) => (
              <tr key={i} className="align-baseline">
                <th scope="row" className="pr-3 text-left text-sm font-normal whitespace-nowrap text-soft">
                  {r.what}
                </th>
                <td>
                  <div className="flex flex-wrap items-baseline justify-between gap-x-3">
                    <span className="mono whitespace-nowrap">
                      {r.name} = {r.value.data.length === 0 ? 'no elements' : asNotation(r.value)}
                    </span>
                    <ShapeStrips rows={[{ shape: r.value.shape, axes: r.value.axes }]} />
                  </div>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {x.made_from && x.output && <MadeFromWords of={x.made_from} output={x.output} />}
      {x.error && (
        <p>
          The program stops there: <Ticked text={x.error.message} />.
        </p>
      )}
      {use && (
        <button className="button justify-self-start" onClick={use}>
          Use this example
        </button>
      )}
    </section>
  )
}
