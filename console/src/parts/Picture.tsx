import type { ArrayValue } from '../types'
import { show } from './numbers'

export type PictureKind = 'line' | 'scatter' | 'histogram' | 'box'

const width = 560
const height = 220
const pad = { left: 56, right: 12, top: 12, bottom: 28 }
export type Range = [number, number]

// layerStart is the offset of the layer that is looked at.
export function layerStart(shape: number[], at: number[]): number {
  const rank = shape.length
  let start = 0
  at.forEach((p, i) => {
    start = start * (shape[i] ?? 1) + p
  })
  return start * (shape[rank - 1] ?? 1) * (rank > 1 ? (shape[rank - 2] ?? 1) : 1)
}

// rangeOf is the least and the greatest finite number of some arrays.
export function rangeOf(values: ArrayValue[]): Range {
  let low = Infinity
  let high = -Infinity
  for (const v of values) {
    for (const c of v.data) {
      if (typeof c !== 'number') continue
      if (c < low) low = c
      if (c > high) high = c
    }
  }
  return low > high ? [0, 0] : [low, high]
}

const dashes = ['', '6 3', '2 3', '8 3 2 3', '1 4']

// Picture draws the layer of an array that is looked at: each row a line, a box or
// a run of points along its last axis; or all of it as a histogram.
export function Picture({
  value,
  at,
  kind,
  counting,
  title,
  range,
}: {
  value: ArrayValue
  at: number[]
  kind: PictureKind
  counting: number
  title: string
  range: Range
}) {
  const rank = value.shape.length
  const columns = rank > 0 ? (value.shape[rank - 1] ?? 0) : 1
  const rows = rank > 1 ? (value.shape[rank - 2] ?? 0) : 1
  const start = layerStart(value.shape, at)
  const series = Array.from({ length: Math.min(rows, 24) }, (_, i) =>
    value.data.slice(start + i * columns, start + (i + 1) * columns).map((c) => (typeof c === 'number' ? c : NaN)),
  )
  const numbers = series.flat().filter(Number.isFinite)
  if (numbers.length === 0) return <p className="px-3 py-3 text-soft">There are no finite numbers to draw.</p>
  const axis = value.axes?.[rank - 1] ?? 'position'
  const rowName = rank > 1 ? (value.axes?.[rank - 2] ?? 'row') : ''
  const what = { line: 'lines', scatter: 'points', histogram: 'a histogram', box: 'boxes' }[kind]
  return (
    <div className="overflow-x-auto p-3">
      <svg
        viewBox={`0 0 ${width} ${height}`}
        className="mono w-full min-w-72 max-w-2xl text-[11px]"
        role="img"
        aria-label={`${title} as ${what} over ${kind === 'box' ? rowName : axis}, from ${plain(Math.min(...numbers))} to ${plain(Math.max(...numbers))}`}
      >
        {kind === 'histogram' ? (
          <Histogram numbers={numbers} range={range} />
        ) : kind === 'box' ? (
          <Boxes series={series} counting={counting} name={rowName} range={range} />
        ) : (
          <Lines
            series={series}
            counting={counting}
            axis={axis}
            points={kind === 'scatter'}
            name={rowName}
            range={range}
          />
        )}
      </svg>
      {rows > 24 && <p className="text-sm text-soft">The first 24 of {rows} rows are drawn.</p>}
    </div>
  )
}

const plain = (v: number) => show(Number(v.toPrecision(4)), Number.isInteger(v) ? 'int' : 'real', 4)

// ticks are at most five round numbers that span a range.
function ticks(low: number, high: number): number[] {
  const rough = (high - low) / 4 || 1
  const unit = 10 ** Math.floor(Math.log10(rough))
  const step = [1, 2, 5, 10].map((m) => m * unit).find((s) => s >= rough) ?? rough
  const out: number[] = []
  for (let v = Math.ceil(low / step) * step; v <= high + step * 1e-9; v += step)
    out.push(Math.abs(v) < step * 1e-9 ? 0 : v)
  return out
}

function Frame({ low, high, y, foot }: { low: number; high: number; y: (v: number) => number; foot: string }) {
  return (
    <>
      {ticks(low, high).map((v) => (
        <g key={v}>
          <line x1={pad.left} x2={width - pad.right} y1={y(v)} y2={y(v)} stroke="var(--rule)" />
          <text x={pad.left - 6} y={y(v) + 4} textAnchor="end" fill="var(--soft)">
            {show(Number(v.toPrecision(6)), Number.isInteger(v) ? 'int' : 'real', 2)}
          </text>
        </g>
      ))}
      <text x={(pad.left + width - pad.right) / 2} y={height - 4} textAnchor="middle" fill="var(--soft)">
        {foot}
      </text>
    </>
  )
}

function scaleY([low, high]: Range) {
  if (low === high) {
    low -= 1
    high += 1
  }
  return { low, high, y: (v: number) => pad.top + ((high - v) / (high - low)) * (height - pad.top - pad.bottom) }
}

function Lines({
  series,
  counting,
  axis,
  points,
  name,
  range,
}: {
  series: number[][]
  counting: number
  axis: string
  points: boolean
  name: string
  range: Range
}) {
  const { low, high, y } = scaleY(range)
  const n = Math.max(...series.map((s) => s.length))
  const x = (i: number) => pad.left + ((i + 0.5) / n) * (width - pad.left - pad.right)
  const every = Math.ceil(n / 12)
  return (
    <>
      <Frame low={low} high={high} y={y} foot={axis} />
      {Array.from(
        { length: n },
        (_, i) =>
          i % every === 0 && (
            <text key={i} x={x(i)} y={height - pad.bottom + 12} textAnchor="middle" fill="var(--soft)">
              {i + counting}
            </text>
          ),
      )}
      {series.map((s, k) => (
        <g key={k}>
          <title>{name && `${name} ${k + counting}`}</title>
          {!points && (
            <polyline
              fill="none"
              stroke="var(--accent)"
              strokeWidth="1.5"
              strokeDasharray={dashes[k % dashes.length]}
              points={s
                .map((v, i) => (Number.isFinite(v) ? `${x(i)},${y(v)}` : ''))
                .filter(Boolean)
                .join(' ')}
            />
          )}
          {s.map(
            (v, i) =>
              Number.isFinite(v) &&
              (points || n < 40) && <circle key={i} cx={x(i)} cy={y(v)} r={points ? 3 : 2} fill="var(--accent)" />,
          )}
          {series.length > 1 && series.length < 9 && Number.isFinite(s.at(-1)) && (
            <text x={x(n - 1) + 6} y={y(s.at(-1) ?? 0) + 3} fill="var(--soft)">
              {k + counting}
            </text>
          )}
        </g>
      ))}
    </>
  )
}

function Boxes({
  series,
  counting,
  name,
  range,
}: {
  series: number[][]
  counting: number
  name: string
  range: Range
}) {
  const { low, high, y } = scaleY(range)
  const step = (width - pad.left - pad.right) / series.length
  const half = Math.min(step * 0.3, 28)
  const at = (s: number[], p: number) => {
    const h = (s.length - 1) * p
    const i = Math.floor(h)
    return (s[i] ?? 0) + (h - i) * ((s[i + 1] ?? s[i] ?? 0) - (s[i] ?? 0))
  }
  return (
    <>
      <Frame low={low} high={high} y={y} foot={name} />
      {series.map((all, k) => {
        const s = all.filter(Number.isFinite).sort((a, b) => a - b)
        if (s.length === 0) return null
        const x = pad.left + (k + 0.5) * step
        const [a, q1, m, q3, b] = [0, 0.25, 0.5, 0.75, 1].map((p) => y(at(s, p))) as [
          number,
          number,
          number,
          number,
          number,
        ]
        return (
          <g key={k} stroke="var(--accent)" fill="none" strokeWidth="1.5">
            <line x1={x} x2={x} y1={a} y2={q1} />
            <line x1={x} x2={x} y1={q3} y2={b} />
            <rect x={x - half} width={2 * half} y={q3} height={Math.max(q1 - q3, 1)} fill="var(--sheet)" />
            <line x1={x - half} x2={x + half} y1={m} y2={m} strokeWidth="3" />
            <line x1={x - half / 2} x2={x + half / 2} y1={a} y2={a} />
            <line x1={x - half / 2} x2={x + half / 2} y1={b} y2={b} />
            {series.length > 1 && (
              <text x={x} y={height - pad.bottom + 12} textAnchor="middle" fill="var(--soft)" stroke="none">
                {k + counting}
              </text>
            )}
          </g>
        )
      })}
    </>
  )
}

function Histogram({ numbers, range: [low, high] }: { numbers: number[]; range: Range }) {
  const bins = Math.max(1, Math.min(24, Math.ceil(Math.sqrt(numbers.length) * 1.5)))
  const counts = new Array<number>(bins).fill(0)
  for (const v of numbers) {
    const k = high === low ? 0 : Math.min(bins - 1, Math.floor(((v - low) / (high - low)) * bins))
    counts[k] = (counts[k] ?? 0) + 1
  }
  const { low: bottom, high: top, y } = scaleY([0, Math.max(...counts)])
  const step = (width - pad.left - pad.right) / bins
  return (
    <>
      <Frame low={bottom} high={top} y={y} foot={`how many, from ${plain(low)} to ${plain(high)}`} />
      {counts.map((c, k) => (
        <rect
          key={k}
          x={pad.left + k * step + 1}
          width={Math.max(step - 2, 1)}
          y={y(c)}
          height={y(0) - y(c)}
          fill="var(--accent)"
        />
      ))}
    </>
  )
}
