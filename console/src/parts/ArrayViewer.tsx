import { DropdownMenu, Slider, ToggleGroup } from 'radix-ui'
import { useId, useState } from 'react'
import type { ArrayValue, Cell } from '../types'
import { asCSV, asNotation, decimalsOf, show } from './numbers'
import { Picture, type PictureKind } from './Picture'
import { ShapeStrips } from './ShapeStrip'

export type Overlay = 'plain' | 'heat' | 'signed' | PictureKind

interface Props {
  value: ArrayValue
  title: string
  about?: string
  unit?: string
  counting: number
  overlay?: Overlay
  agrees?: ArrayValue | null // a mask of the same shape: false cells are marked
  fixed?: boolean // no choice of overlay
}

const mostRows = 60
const mostColumns = 30

// ArrayViewer shows an array: kind, shape and labels, a grid with positions, a
// slider for each axis beyond two, overlays, and copies of it.
export function ArrayViewer({ value, title, about, unit, counting, overlay = 'plain', agrees, fixed }: Props) {
  const [look, setLook] = useState<Overlay>(overlay)
  const rank = value.shape.length
  const lead = value.shape.slice(0, Math.max(rank - 2, 0))
  const [layer, setLayer] = useState<number[]>(lead.map(() => 0))
  const at = lead.map((n, i) => Math.min(layer[i] ?? 0, Math.max(n - 1, 0)))
  const numeric = value.kind === 'int' || value.kind === 'real'
  return (
    <figure className="sheet min-w-0">
      <figcaption className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-rule px-3 py-2">
        <span className="mono font-semibold">{title}</span>
        <span className="text-sm text-soft">{value.kind}{unit ? `, ${unit}` : ''}</span>
        <ShapeStrips rows={[{ shape: value.shape, axes: value.axes }]} />
        <span className="ml-auto flex items-center gap-2">
          {numeric && !fixed && value.data.length > 1 && (
            <ToggleGroup.Root type="single" value={look} onValueChange={(v) => v && setLook(v as Overlay)} aria-label={`how ${title} is shown`} className="flex flex-wrap">
              {(rank === 0 ? [] : rank === 1 ? ([['plain', 'grid'], ['heat', 'heat'], ['line', 'line'], ['histogram', 'histogram']] as const) : ([['plain', 'grid'], ['heat', 'heat'], ['line', 'line'], ['box', 'box'], ['histogram', 'histogram']] as const)).map(([o, word]) => (
                <ToggleGroup.Item key={o} value={o} className="-ml-px min-h-8 cursor-pointer border border-rule px-2 text-sm data-[state=on]:border-accent data-[state=on]:text-accent">{word}</ToggleGroup.Item>
              ))}
            </ToggleGroup.Root>
          )}
          <CopyMenu value={value} title={title} />
        </span>
        {about && <span className="w-full text-sm text-soft">{about}</span>}
      </figcaption>
      {lead.map((n, i) => (
        <LayerSlider key={i} label={value.axes?.[i] ?? `axis ${i + counting}`} length={n} at={at[i] ?? 0} counting={counting} change={(v) => setLayer(at.map((x, k) => (k === i ? v : x)))} />
      ))}
      {pictured(look) ? <Picture value={value} at={at} kind={look} counting={counting} title={title} /> : <Grid value={value} at={at} counting={counting} look={look} agrees={agrees} title={title} />}
    </figure>
  )
}

const pictured = (look: Overlay): look is PictureKind => look === 'line' || look === 'scatter' || look === 'box' || look === 'histogram'

// lookOf is how an exercise asks for a result to be presented.
export function lookOf(present: string): Overlay {
  return present === 'heat' || present === 'line' || present === 'scatter' || present === 'box' || present === 'histogram' ? present : 'plain'
}

function LayerSlider({ label, length, at, counting, change }: { label: string; length: number; at: number; counting: number; change: (v: number) => void }) {
  const id = useId()
  if (length < 2) return <p className="mono px-3 pt-2 text-sm text-soft">{label} {at + counting}</p>
  return (
    <div className="flex items-center gap-3 px-3 pt-2 text-sm">
      <span id={id} className="mono min-w-20 text-soft">{label} <span className="font-semibold text-ink">{at + counting}</span></span>
      <Slider.Root className="relative flex h-8 w-full max-w-60 touch-none items-center" min={0} max={length - 1} step={1} value={[at]} onValueChange={([v]) => change(v ?? 0)}>
        <Slider.Track className="h-px flex-1 bg-soft"><Slider.Range className="absolute h-px" /></Slider.Track>
        <Slider.Thumb aria-labelledby={id} className="block size-4 cursor-pointer border-2 border-accent bg-sheet" />
      </Slider.Root>
      <span className="whitespace-nowrap text-soft">of {length}</span>
    </div>
  )
}

function Grid({ value, at, counting, look, agrees, title }: { value: ArrayValue; at: number[]; counting: number; look: Overlay; agrees?: ArrayValue | null; title: string }) {
  const rank = value.shape.length
  if (rank === 0) return <p className="mono px-3 py-3 text-lg">{show(value.data[0], value.kind, decimalsOf(value.data))}</p>
  if (value.data.length === 0) return <p className="px-3 py-3 text-soft">no elements</p>
  const columns = value.shape[rank - 1] ?? 0
  const rows = rank > 1 ? (value.shape[rank - 2] ?? 0) : 1
  let start = 0
  at.forEach((p, i) => { start = start * (value.shape[i] ?? 1) + p })
  start *= rows * columns
  const decimals = decimalsOf(value.data)
  const scale = scaleOf(value.data, look)
  const shownRows = Math.min(rows, mostRows)
  const shownColumns = Math.min(columns, mostColumns)
  const columnLabel = value.axes?.[rank - 1]
  const rowLabel = rank > 1 ? value.axes?.[rank - 2] : null
  return (
    <div className="max-h-96 overflow-auto p-3" tabIndex={0} role="region" aria-label={`elements of ${title}`}>
      <table className="mono border-separate border-spacing-0 text-sm">
        <thead>
          <tr>
            <th className="sticky top-0 left-0 z-20 bg-sheet px-2 py-1 text-left font-normal text-soft">{rowLabel ?? ''}{rowLabel && columnLabel ? ' ╲ ' : ''}{columnLabel ?? ''}</th>
            {Array.from({ length: shownColumns }, (_, j) => <th key={j} scope="col" className="sticky top-0 z-10 border-b border-rule bg-sheet px-2 py-1 text-right font-normal text-soft">{j + counting}</th>)}
          </tr>
        </thead>
        <tbody>
          {Array.from({ length: shownRows }, (_, i) => (
            <tr key={i}>
              <th scope="row" className="sticky left-0 z-10 border-r border-rule bg-sheet px-2 py-1 text-right font-normal text-soft">{rank > 1 ? i + counting : ''}</th>
              {Array.from({ length: shownColumns }, (_, j) => {
                const k = start + i * columns + j
                const wrong = agrees != null && agrees.data[k] === false
                return (
                  <td key={j} className={`px-2 py-1 text-right whitespace-nowrap ${wrong ? 'font-semibold text-differs outline outline-1 -outline-offset-2 outline-differs' : ''}`} style={shade(value.data[k], scale, look)}>
                    {wrong && <span aria-label="differs: ">◐ </span>}
                    {show(value.data[k], value.kind, decimals)}
                  </td>
                )
              })}
            </tr>
          ))}
        </tbody>
      </table>
      {(rows > shownRows || columns > shownColumns) && <p className="pt-2 text-sm text-soft">The first {shownRows} by {shownColumns} of {rows} by {columns} are shown.</p>}
    </div>
  )
}

function scaleOf(data: Cell[], look: Overlay): [number, number] {
  if (look !== 'heat' && look !== 'signed') return [0, 0]
  const numbers = data.filter((c): c is number => typeof c === 'number')
  const low = Math.min(...numbers)
  const high = Math.max(...numbers)
  if (look === 'signed') {
    const most = Math.max(Math.abs(low), Math.abs(high))
    return [-most, most]
  }
  return [low, high]
}

// shade colours a cell: one even scale for heat, a two-sided one with a neutral
// middle for differences.
function shade(c: Cell | undefined, [low, high]: [number, number], look: Overlay): React.CSSProperties {
  if ((look !== 'heat' && look !== 'signed') || typeof c !== 'number' || high === low) return {}
  const t = (c - low) / (high - low)
  if (look === 'heat') return { background: `color-mix(in oklab, var(--heat-high) ${Math.round(t * 100)}%, var(--heat-low))`, color: t > 0.55 ? 'var(--sheet)' : 'var(--ink)' }
  const side = t >= 0.5 ? '--above' : '--below'
  return { background: `color-mix(in oklab, var(${side}) ${Math.round(Math.abs(t - 0.5) * 110)}%, var(--middle))` }
}

function CopyMenu({ value, title }: { value: ArrayValue; title: string }) {
  const [said, setSaid] = useState('')
  const copy = (text: string, form: string) => {
    navigator.clipboard?.writeText(text).then(() => setSaid(`copied as ${form}`), () => setSaid('the browser did not allow copying'))
  }
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="min-h-8 cursor-pointer border border-rule px-2 text-sm" aria-label={`copy ${title}`}>copy</DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="end" sideOffset={4} className="sheet z-50 py-1 shadow-lg">
            {([['notation', () => asNotation(value)], ['CSV', () => asCSV(value)], ['JSON', () => JSON.stringify(value)]] as const).map(([form, text]) => (
              <DropdownMenu.Item key={form} className="cursor-pointer px-4 py-1.5 outline-none data-[highlighted]:bg-accent data-[highlighted]:text-on-accent" onSelect={() => copy(text(), form)}>as {form}</DropdownMenu.Item>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <span role="status" className="sr-only">{said}</span>
    </>
  )
}
