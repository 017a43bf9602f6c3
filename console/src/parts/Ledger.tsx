import {
  type ColumnDef,
  flexRender,
  getCoreRowModel,
  getSortedRowModel,
  type RowData,
  type SortingState,
  useReactTable,
} from '@tanstack/react-table'
import { useVirtualizer } from '@tanstack/react-virtual'
import { type KeyboardEvent, type ReactNode, useEffect, useRef, useState } from 'react'

declare module '@tanstack/react-table' {
  interface ColumnMeta<TData extends RowData, TValue> {
    width?: string // of the grid's track; 1fr unless set
    end?: boolean // aligned at the end, as numbers are
    wide?: boolean // left out on narrow screens
    stick?: boolean // stays at the left when the frame is scrolled sideways
    _?: [TData, TValue]
  }
}

const rowHeight = 36

// Ledger is a table of any length: its head stays, it sorts, and rows beyond the frame are not drawn. One row takes
// the focus; arrows move it, Enter opens it. What it cannot show at 360 px it leaves out.
export function Ledger<T>({
  label,
  rows,
  columns,
  id,
  open,
  opened,
  more,
  empty,
  height = 'min(70dvh, 44rem)',
}: {
  label: string
  rows: T[]
  columns: ColumnDef<T>[]
  id: (row: T) => string
  open?: (row: T) => void
  opened?: string // the row that is open
  more?: () => void // asks for the rows that follow
  empty: ReactNode
  height?: string
}) {
  const [sorting, setSorting] = useState<SortingState>([])
  const [at, setAt] = useState(0)
  const frame = useRef<HTMLDivElement>(null)
  // eslint-disable-next-line react-hooks/incompatible-library -- its rows are read again at each change
  const table = useReactTable({
    data: rows,
    columns,
    state: { sorting },
    onSortingChange: setSorting,
    getCoreRowModel: getCoreRowModel(),
    getSortedRowModel: getSortedRowModel(),
    getRowId: id,
  })
  const list = table.getRowModel().rows
  const virtual = useVirtualizer({
    count: list.length,
    getScrollElement: () => frame.current,
    estimateSize: () => rowHeight,
    overscan: 12,
  })
  const items = virtual.getVirtualItems()
  const last = items.at(-1)?.index ?? 0
  useEffect(() => {
    if (more && last >= list.length - 30) more()
  }, [more, last, list.length])
  const tracks = { gridTemplateColumns: columns.map((c) => c.meta?.width ?? 'minmax(0, 1fr)').join(' ') }
  const go = (to: number) => {
    const next = Math.max(0, Math.min(list.length - 1, to))
    setAt(next)
    virtual.scrollToIndex(next)
    const focus = () => {
      const row = frame.current?.querySelector<HTMLElement>(`[data-row="${next}"]`)
      row?.focus({ preventScroll: true })
      return row
    }
    if (!focus()) requestAnimationFrame(focus) // it is drawn once the frame has moved
  }
  const press = (e: KeyboardEvent) => {
    if (!(e.target instanceof HTMLElement) || e.target.dataset.row === undefined) return
    const at = Number(e.target.dataset.row)
    const page = Math.floor((frame.current?.clientHeight ?? 600) / rowHeight) - 2
    const step: Record<string, number> = {
      ArrowDown: at + 1,
      ArrowUp: at - 1,
      PageDown: at + page,
      PageUp: at - page,
      Home: 0,
      End: list.length - 1,
    }
    const row = list[at]
    if (e.key in step) {
      e.preventDefault()
      go(step[e.key] ?? 0)
    } else if (e.key === 'Enter' && open && row) {
      e.preventDefault() // else it presses what the focus goes to
      open(row.original)
    }
  }
  if (rows.length === 0) return <>{empty}</>
  return (
    <div
      ref={frame}
      role="grid"
      aria-label={label}
      aria-rowcount={list.length + 1}
      className="ledger overflow-auto border-y border-rule"
      style={{ maxHeight: height }}
      onKeyDown={press}
    >
      <div role="rowgroup" className="sticky top-0 z-20 min-w-max bg-paper">
        {table.getHeaderGroups().map((g) => (
          <div key={g.id} role="row" aria-rowindex={1} className="ledger-row border-b border-rule" style={tracks}>
            {g.headers.map((h) => {
              const way = h.column.getIsSorted()
              const meta = h.column.columnDef.meta
              return (
                <div
                  key={h.id}
                  role="columnheader"
                  aria-sort={way ? (way === 'asc' ? 'ascending' : 'descending') : 'none'}
                  className={`${meta?.end ? 'text-right' : ''} ${meta?.wide ? 'ledger-wide' : ''} ${meta?.stick ? 'ledger-stick' : ''}`}
                >
                  {h.column.getCanSort() ? (
                    <button className="ledger-head" onClick={h.column.getToggleSortingHandler()}>
                      {flexRender(h.column.columnDef.header, h.getContext())}
                      <span aria-hidden="true">{way ? (way === 'asc' ? ' ↑' : ' ↓') : ''}</span>
                    </button>
                  ) : (
                    <span className="ledger-head">{flexRender(h.column.columnDef.header, h.getContext())}</span>
                  )}
                </div>
              )
            })}
          </div>
        ))}
      </div>
      <div role="rowgroup" className="relative min-w-max" style={{ height: virtual.getTotalSize() }}>
        {/* As wide as the head, which is in the flow. */}
        <div aria-hidden="true" className="ledger-row invisible h-0 overflow-hidden" style={tracks} />
        {items.map((v) => {
          const row = list[v.index]
          if (!row) return null
          return (
            <div
              key={row.id}
              role="row"
              aria-rowindex={v.index + 2}
              data-row={v.index}
              data-open={row.id === opened || undefined}
              tabIndex={v.index === Math.min(at, list.length - 1) ? 0 : -1}
              onFocus={() => setAt(v.index)}
              onClick={open && (() => open(row.original))}
              className={`ledger-row ledger-body absolute inset-x-0 ${open ? 'cursor-pointer' : ''}`}
              style={{ ...tracks, height: v.size, transform: `translateY(${v.start}px)` }}
            >
              {row.getVisibleCells().map((cell) => {
                const meta = cell.column.columnDef.meta
                return (
                  <div
                    key={cell.id}
                    role="gridcell"
                    className={`truncate ${meta?.end ? 'text-right' : ''} ${meta?.wide ? 'ledger-wide' : ''} ${meta?.stick ? 'ledger-stick' : ''}`}
                  >
                    {flexRender(cell.column.columnDef.cell, cell.getContext())}
                  </div>
                )
              })}
            </div>
          )
        })}
      </div>
    </div>
  )
}
