import { DropdownMenu, Slider, ToggleGroup } from 'radix-ui'
import { useId, useState } from 'react'
import type { ArrayValue, Cell } from '../types'
import { announce } from './announce'
import { heat, signed, useScales } from './heat'
import { asCSV, asNotation, decimalsOf, show } from './numbers'
import { layerStart, Picture, type PictureKind, type Range, rangeOf } from './Picture'
import { ShapeStrips } from './ShapeStrip'

export type Overlay = 'plain' | 'heat' | 'signed' | PictureKind

// View is how an array is looked at; arrays that are compared share one.
export interface View {
  look: Overlay
  layer: number[]
}

interface Props {
  value: ArrayValue
  title: string
  part?: string // of which picture it is a part, where its title alone would not tell it from others
  about?: string
  unit?: string
  counting: number
  overlay?: Overlay
  agrees?: ArrayValue | null // a mask of the same shape: false cells are marked
  fixed?: boolean // no choice of overlay
  view?: View // shared with others, with its change
  change?: (v: View) => void
  decimals?: number // of all that it is compared with
  range?: Range // likewise
  from?: From // cells to be lit
  pointing?: Pointing // its cells can be pointed at
}

// From are cells that another was made from, by their place in the data.
export interface From {
  value: ReadonlySet<number>
  choice: ReadonlySet<number>
}

// Pointing is the one cell that is pointed at, by pointer or by keyboard; pinned, it stays.
export interface Pointing {
  at: number | null
  pinned: boolean
  point: (k: number) => void
  pin: (k: number) => void
  release: () => void
}

const mostRows = 60
const mostColumns = 30

// ArrayViewer shows an array: kind, shape and labels, a grid with positions, a
// slider for each axis beyond two, overlays, and copies of it.
export function ArrayViewer({
  value,
  title,
  part,
  about,
  unit,
  counting,
  overlay = 'plain',
  agrees,
  fixed,
  view,
  change,
  decimals,
  range,
  from,
  pointing,
}: Props) {
  const [own, setOwn] = useState<View>({ look: overlay, layer: [] })
  const { look: chosen, layer } = view ?? own
  const set = change ?? setOwn
  const look = fixed ? overlay : chosen
  const rank = value.shape.length
  const lead = value.shape.slice(0, Math.max(rank - 2, 0))
  const at = lead.map((n, i) => Math.min(layer[i] ?? layersOf(from, value.shape, i)[0] ?? 0, Math.max(n - 1, 0)))
  const numeric = value.kind === 'int' || value.kind === 'real'
  const scale = range ?? rangeOf([value])
  return (
    <figure className="sheet min-w-0">
      <figcaption className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-rule px-3 py-2">
        <span className="mono min-w-0 font-semibold break-words">{title}</span>
        <span className="text-sm text-soft">
          {value.kind}
          {unit ? `, ${unit}` : ''}
        </span>
        <ShapeStrips rows={[{ shape: value.shape, axes: value.axes }]} />
        <span className="ml-auto flex flex-wrap items-center gap-2">
          {numeric && !fixed && rank > 0 && value.data.length > 1 && (
            <ToggleGroup.Root
              type="single"
              value={look}
              onValueChange={(v) => v && set({ look: v as Overlay, layer })}
              aria-label={`how ${title} is shown`}
              className="flex flex-wrap"
            >
              {(
                [
                  ['plain', 'grid'],
                  ['heat', 'heat'],
                  ['line', 'line'],
                  ['box', 'box'],
                  ['histogram', 'histogram'],
                ] as const
              ).map(
                ([o, word]) =>
                  (o !== 'box' || rank > 1) && (
                    <ToggleGroup.Item key={o} value={o} className="choice px-2!">
                      {word}
                    </ToggleGroup.Item>
                  ),
              )}
            </ToggleGroup.Root>
          )}
          <CopyMenu value={value} title={title} />
        </span>
        {about && <span className="w-full text-sm text-soft">{about}</span>}
      </figcaption>
      {lead.map((n, i) => (
        <LayerSlider
          key={i}
          label={value.axes?.[i] ?? `axis ${i + counting}`}
          length={n}
          at={at[i] ?? 0}
          counting={counting}
          ticks={layersOf(from, value.shape, i)}
          change={(v) => set({ look: chosen, layer: at.map((x, k) => (k === i ? v : x)) })}
        />
      ))}
      {pictured(look) ? (
        <Picture value={value} at={at} kind={look} counting={counting} title={title} range={scale} />
      ) : (
        <Grid
          value={value}
          at={at}
          counting={counting}
          look={look}
          agrees={agrees}
          title={part ? `${part}, ${title}` : title}
          decimals={decimals ?? decimalsOf(value.data)}
          range={scale}
          from={from}
          pointing={pointing}
        />
      )}
    </figure>
  )
}

// layersOf are the positions on a leading axis that hold lit cells.
function layersOf(from: From | undefined, shape: number[], axis: number): number[] {
  if (!from) return []
  const below = shape.slice(axis + 1).reduce((a, n) => a * n, 1)
  const length = shape[axis] ?? 1
  const out = new Set<number>()
  for (const cells of [from.value, from.choice]) for (const k of cells) out.add(Math.floor(k / below) % length)
  return [...out].sort((a, b) => a - b)
}

const pictured = (look: Overlay): look is PictureKind =>
  look === 'line' || look === 'scatter' || look === 'box' || look === 'histogram'

// lookOf is how an exercise asks for a result to be presented.
export function lookOf(present: string): Overlay {
  return present === 'heat' ||
    present === 'line' ||
    present === 'scatter' ||
    present === 'box' ||
    present === 'histogram'
    ? present
    : 'plain'
}

function LayerSlider({
  label,
  length,
  at,
  counting,
  ticks,
  change,
}: {
  label: string
  length: number
  at: number
  counting: number
  ticks: number[]
  change: (v: number) => void
}) {
  const id = useId()
  if (length < 2)
    return (
      <p className="mono px-3 pt-2 text-sm text-soft">
        {label} {at + counting}
      </p>
    )
  return (
    <div className="flex items-center gap-3 px-3 pt-2 text-sm">
      <span id={id} className="mono min-w-20 text-soft">
        {label} <span className="font-semibold text-ink">{at + counting}</span>
      </span>
      <Slider.Root
        className="relative flex h-8 w-full max-w-60 touch-none items-center"
        min={0}
        max={length - 1}
        step={1}
        value={[at]}
        onValueChange={([v]) => change(v ?? 0)}
      >
        <Slider.Track className="h-px flex-1 bg-soft">
          <Slider.Range className="absolute h-px" />
        </Slider.Track>
        {ticks.map((t) => (
          <span
            key={t}
            data-tick={t}
            aria-hidden="true"
            className="absolute bottom-0 h-2 w-0.5 -translate-x-1/2 bg-accent"
            style={{ left: `calc(0.75rem + ${t / (length - 1)} * (100% - 1.5rem))` }}
          />
        ))}
        <Slider.Thumb
          aria-labelledby={id}
          aria-valuetext={`${label} ${at + counting} of ${length}${ticks.length > 0 ? `; lit: ${ticks.map((t) => t + counting).join(', ')}` : ''}`}
          className="block size-6 cursor-pointer border-2 border-accent bg-sheet"
        />
      </Slider.Root>
      <span className="whitespace-nowrap text-soft">of {length}</span>
    </div>
  )
}

interface GridProps {
  value: ArrayValue
  at: number[]
  counting: number
  look: Overlay
  agrees?: ArrayValue | null
  title: string
  decimals: number
  range: Range
  from?: From
  pointing?: Pointing
}

function Grid({ value, at, counting, look, agrees, title, decimals, range, from, pointing }: GridProps) {
  const scales = useScales()
  const rank = value.shape.length
  if (rank === 0) return <p className="mono px-3 py-3 text-lg">{show(value.data[0], value.kind, decimals)}</p>
  if (value.data.length === 0) return <p className="px-3 py-3 text-soft">no elements</p>
  const columns = value.shape[rank - 1] ?? 0
  const rows = rank > 1 ? (value.shape[rank - 2] ?? 0) : 1
  const start = layerStart(value.shape, at)
  const shownRows = Math.min(rows, mostRows)
  const shownColumns = Math.min(columns, mostColumns)
  const columnLabel = value.axes?.[rank - 1] ?? (rank > 1 ? 'column' : 'position')
  const rowLabel = rank > 1 ? (value.axes?.[rank - 2] ?? 'row') : null
  const here = pointing?.at != null && pointing.at >= start && pointing.at < start + rows * columns ? pointing.at : null
  const keys = (e: React.KeyboardEvent<HTMLTableElement>) => {
    const cell = e.target instanceof Element ? e.target.closest<HTMLElement>('td[data-k]') : null
    if (!pointing || !cell) return
    const k = Number(cell.dataset['k'])
    const [i, j] = [Math.floor((k - start) / columns), (k - start) % columns]
    const to: Record<string, [number, number]> = {
      ArrowLeft: [i, j - 1],
      ArrowRight: [i, j + 1],
      ArrowUp: [i - 1, j],
      ArrowDown: [i + 1, j],
      Home: [i, 0],
      End: [i, shownColumns - 1],
    }
    const next = to[e.key]
    if (e.key === 'Enter') pointing.pin(k)
    else if (e.key === 'Escape') pointing.release()
    else if (!next) return
    else {
      const [r, c] = next
      if (r >= 0 && r < shownRows && c >= 0 && c < shownColumns)
        e.currentTarget.querySelector<HTMLElement>(`td[data-k="${start + r * columns + c}"]`)?.focus()
    }
    e.preventDefault()
  }
  return (
    <div
      className="max-h-96 overflow-auto p-3"
      tabIndex={pointing ? undefined : 0}
      role="region"
      aria-label={`elements of ${title}`}
      data-elements
    >
      <table
        className="mono border-separate border-spacing-0 text-sm"
        role={pointing ? 'grid' : undefined}
        onKeyDown={keys}
        aria-label={`${title}, ${rowLabel ? `rows ${rowLabel}, columns ${columnLabel}` : columnLabel}`}
      >
        <thead>
          <tr>
            <th scope="col" className="sticky top-0 left-0 z-20 bg-sheet px-2 py-1 text-left font-normal text-soft">
              {rowLabel && `${rowLabel} ╲ `}
              {columnLabel}
            </th>
            {Array.from({ length: shownColumns }, (_, j) => (
              <th
                key={j}
                scope="col"
                className="sticky top-0 z-10 border-b border-rule bg-sheet px-2 py-1 text-right font-normal text-soft"
              >
                {j + counting}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {Array.from({ length: shownRows }, (_, i) => (
            <tr key={i}>
              <th
                scope="row"
                className="sticky left-0 z-10 border-r border-rule bg-sheet px-2 py-1 text-right font-normal text-soft"
              >
                {rank > 1 ? i + counting : 'value'}
              </th>
              {Array.from({ length: shownColumns }, (_, j) => {
                const k = start + i * columns + j
                const wrong = agrees != null && agrees.data[k] === false
                const ground = shade(value.data[k], range, look, scales)
                return (
                  <td
                    key={j}
                    data-k={k}
                    className={`px-2 py-1 text-right whitespace-nowrap ${ground ? 'heat' : ''} ${wrong ? `marked font-semibold ${ground ? '' : 'text-differs'}` : ''}`}
                    style={ground}
                    data-from={fromOf(from, k)}
                    {...(pointing && {
                      role: 'gridcell',
                      tabIndex: k === (here ?? start) ? 0 : -1,
                      'data-here': k === here ? '' : undefined,
                      'data-pinned': pointing.pinned && k === here ? '' : undefined,
                      onFocus: () => pointing.point(k),
                      onPointerEnter: () => pointing.point(k),
                      onClick: () => pointing.pin(k),
                    })}
                  >
                    {fromOf(from, k) && <span className="sr-only">{fromOf(from, k)}: </span>}
                    {wrong && (
                      <>
                        <span aria-hidden="true">◐ </span>
                        <span className="sr-only">differs: </span>
                      </>
                    )}
                    {show(value.data[k], value.kind, decimals)}
                  </td>
                )
              })}
            </tr>
          ))}
        </tbody>
      </table>
      {(rows > shownRows || columns > shownColumns) && (
        <p className="pt-2 text-sm text-soft">
          The first {shownRows} by {shownColumns} of {rows} by {columns} are shown.
        </p>
      )}
    </div>
  )
}

// fromOf is how a cell takes part in the one that is pointed at.
function fromOf(from: From | undefined, k: number): string | undefined {
  const words = [from?.value.has(k) && 'value', from?.choice.has(k) && 'choice'].filter(Boolean)
  return words.length > 0 ? words.join(' ') : undefined
}

// shade colours a cell: one even scale for heat, a two-sided one with a neutral
// middle for differences.
function shade(
  c: Cell | undefined,
  [low, high]: Range,
  look: Overlay,
  scales: ReturnType<typeof useScales>,
): React.CSSProperties | undefined {
  if (typeof c !== 'number' || high === low) return undefined
  if (look === 'heat') return heat(scales, (c - low) / (high - low))
  if (look === 'signed') return signed(scales, c / Math.max(Math.abs(low), Math.abs(high)))
  return undefined
}

function CopyMenu({ value, title }: { value: ArrayValue; title: string }) {
  const [said, setSaid] = useState('copy')
  const tell = (word: string, sentence: string) => {
    setSaid(word)
    announce(sentence)
    setTimeout(() => setSaid('copy'), 2000)
  }
  const copy = (text: string, form: string) => {
    navigator.clipboard.writeText(text).then(
      () => tell('copied', `${title} copied as ${form}`),
      () => tell('not allowed', 'the browser did not allow copying'),
    )
  }
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        className="min-h-9 cursor-pointer border border-edge px-2 text-sm"
        aria-label={`${said} ${title}`}
      >
        {said}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" sideOffset={4} className="sheet z-50 py-1 shadow-lg">
          {(
            [
              ['notation', () => asNotation(value)],
              ['CSV', () => asCSV(value)],
              ['JSON', () => JSON.stringify(value)],
            ] as const
          ).map(([form, text]) => (
            <DropdownMenu.Item key={form} className="menu-item" onSelect={() => copy(text(), form)}>
              as {form}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}
