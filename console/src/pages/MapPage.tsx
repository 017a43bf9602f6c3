import { useInfiniteQuery, useQuery } from '@tanstack/react-query'
import { Link, useNavigate, useParams, useSearch } from '@tanstack/react-router'
import { useVirtualizer } from '@tanstack/react-virtual'
import { ToggleGroup } from 'radix-ui'
import { type KeyboardEvent, memo, useEffect, useMemo, useRef, useState } from 'react'
import { get } from '../api'
import { useMe } from '../me'
import { Choice } from '../parts/Choice'
import { Field } from '../parts/Field'
import { heat, useScales } from '../parts/heat'
import { Live } from '../parts/Live'
import { Mark } from '../parts/Mark'
import { points } from '../parts/numbers'
import { Page } from '../parts/Page'
import { Panel } from '../parts/Panel'
import { Empty, Failing, Loading } from '../parts/States'
import { TeamPages } from '../parts/Team'
import { useLive } from '../parts/useLive'
import { useSettled } from '../parts/useSettled'
import { When } from '../parts/When'
import type { Attempts, CauseMap, ClassMap, MapCell, MapRow } from '../types'

type Exercises = ClassMap['exercises']

export function MapPage() {
  const me = useMe()
  const { course } = useParams({ from: '/inside/courses/$course/map' })
  const by = useSearch({ from: '/inside/courses/$course/map' })
  const navigate = useNavigate({ from: '/courses/$course/map' })
  const line = useLive(course, ['map', 'causes'])
  const set = (change: Partial<typeof by>) => void navigate({ search: (old) => ({ ...old, ...change }), replace: true })
  const causes = by.show === 'causes'
  return (
    <Page
      me={me}
      wide
      ready
      crumbs={[
        { text: me.courses.find((c) => c.slug === course)?.title ?? course, to: `/courses/${course}` },
        { text: 'Class map' },
      ]}
    >
      <div className="mb-3 flex flex-wrap items-baseline gap-x-5 gap-y-2">
        <h1 className="flex-1 text-2xl font-semibold">Class map</h1>
        <TeamPages course={course} at="map" />
        <Live line={line} />
      </div>
      <ToggleGroup.Root
        type="single"
        value={causes ? 'causes' : 'students'}
        onValueChange={(v) => v && set({ show: v === 'causes' ? 'causes' : undefined })}
        aria-label="sheet"
        className="mb-3 flex"
      >
        <ToggleGroup.Item value="students" className="choice">
          Students × exercises
        </ToggleGroup.Item>
        <ToggleGroup.Item value="causes" className="choice">
          Causes × exercises
        </ToggleGroup.Item>
      </ToggleGroup.Root>
      {causes ? (
        <Causes course={course} group={by.group} choose={(group) => set({ group })} />
      ) : (
        <Students course={course} group={by.group} search={by.search ?? ''} set={set} />
      )}
    </Page>
  )
}

const orders = [
  ['', 'by name'],
  ['group', 'by group'],
  ['agreed', 'fewest agree'],
  ['tries', 'most tries'],
  ['last', 'longest silent'],
] as const

// inOrder sorts rows that come by name.
function inOrder(rows: MapRow[], by: string): MapRow[] {
  const last = (r: MapRow) => (r.last ? Date.parse(r.last) : 0)
  if (by === 'group') return [...rows].sort((a, b) => a.group.localeCompare(b.group))
  if (by === 'agreed') return [...rows].sort((a, b) => a.agreed - b.agreed)
  if (by === 'tries') return [...rows].sort((a, b) => b.tries - a.tries)
  if (by === 'last') return [...rows].sort((a, b) => last(a) - last(b))
  return rows
}

function Students({
  course,
  group,
  search,
  set,
}: {
  course: string
  group?: string
  search: string
  set: (change: { group?: string; search?: string }) => void
}) {
  const [order, setOrder] = useState('')
  const [typed, setTyped] = useState(search)
  const settled = useSettled(typed, 250)
  useEffect(() => {
    if (settled !== search) set({ search: settled || undefined })
    // eslint-disable-next-line react-hooks/exhaustive-deps -- what is typed leads
  }, [settled])
  const q = useInfiniteQuery({
    queryKey: ['map', course, group, search],
    initialPageParam: '',
    queryFn: ({ pageParam }) => {
      const query = new URLSearchParams({ limit: '500' })
      for (const [key, value] of [
        ['group', group],
        ['search', search],
        ['after', pageParam],
      ] as const)
        if (value) query.set(key, value)
      return get<ClassMap>(`/courses/${course}/map?${query}`)
    },
    getNextPageParam: (last) => last.next,
    placeholderData: (old) => old,
  })
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = q
  useEffect(() => {
    if (hasNextPage && !isFetchingNextPage) void fetchNextPage()
  }, [hasNextPage, isFetchingNextPage, fetchNextPage])
  const first = q.data?.pages[0]
  const rows = useMemo(() => inOrder(q.data?.pages.flatMap((p) => p.rows) ?? [], order), [q.data, order])
  const [opened, setOpened] = useState<{ row: MapRow; column: number } | null>(null)
  if (q.isPending) return <Loading what="the class" />
  if (q.isError) return <Failing error={q.error} again={() => void q.refetch()} />
  if (!first) return null
  return (
    <>
      <div className="mb-3 flex flex-wrap items-end gap-3">
        <Field label="name or number" value={typed} change={setTyped} type="search" required={false} />
        {first.groups.length > 1 && (
          <Choice
            label="group"
            value={group ?? ''}
            change={(v) => set({ group: v || undefined })}
            of={[['', 'all'], ...first.groups.map((g) => [g, g] as const)]}
          />
        )}
        <Choice label="order" value={order} change={setOrder} of={orders} />
        <span className="text-sm text-soft">
          {first.total} students{rows.length < first.total && `, ${rows.length} read`}
        </span>
      </div>
      {rows.length === 0 ? (
        <Empty>{search || group ? 'No student is like this.' : 'No student is in the course yet.'}</Empty>
      ) : (
        <>
          <div className="max-sm:hidden">
            <Grid rows={rows} exercises={first.exercises} open={(row, column) => setOpened({ row, column })} />
          </div>
          <div className="sm:hidden">
            <OneStudent course={course} rows={rows} exercises={first.exercises} />
          </div>
        </>
      )}
      {opened && (
        <CellPanel
          course={course}
          row={opened.row}
          exercise={first.exercises[opened.column]!}
          cell={opened.row.cells[opened.column] ?? null}
          close={() => setOpened(null)}
        />
      )}
    </>
  )
}

const nameWidth = 200
const cellWidth = 28
const cellHeight = 24

// inWords is a cell as it is read.
const inWords = (cell: MapCell | null | undefined) =>
  cell ? `${cell.state}, ${cell.tries} ${cell.tries === 1 ? 'try' : 'tries'}` : 'not tried'

// Grid is students by exercises. One cell takes the focus; arrows, Home and End move it, Enter opens it.
function Grid({
  rows,
  exercises,
  open,
}: {
  rows: MapRow[]
  exercises: Exercises
  open: (row: MapRow, column: number) => void
}) {
  const frame = useRef<HTMLDivElement>(null)
  const [at, setAt] = useState({ row: 0, column: 0 })
  const [over, setOver] = useState<number | null>(null)
  // eslint-disable-next-line react-hooks/incompatible-library -- its rows are read again at each change
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => frame.current,
    estimateSize: () => cellHeight,
    overscan: 20,
  })
  const go = (row: number, column: number) => {
    const to = {
      row: Math.max(0, Math.min(rows.length - 1, row)),
      column: Math.max(0, Math.min(exercises.length - 1, column)),
    }
    setAt(to)
    virtual.scrollToIndex(to.row)
    requestAnimationFrame(() =>
      frame.current?.querySelector<HTMLElement>(`[data-at="${to.row} ${to.column}"]`)?.focus({ preventScroll: true }),
    )
  }
  const press = (e: KeyboardEvent) => {
    const page = Math.floor((frame.current?.clientHeight ?? 600) / cellHeight) - 2
    const step: Record<string, [number, number]> = {
      ArrowDown: [at.row + 1, at.column],
      ArrowUp: [at.row - 1, at.column],
      ArrowRight: [at.row, at.column + 1],
      ArrowLeft: [at.row, at.column - 1],
      PageDown: [at.row + page, at.column],
      PageUp: [at.row - page, at.column],
      Home: [e.ctrlKey ? 0 : at.row, 0],
      End: [e.ctrlKey ? rows.length - 1 : at.row, exercises.length - 1],
    }
    const to = step[e.key]
    const row = rows[at.row]
    if (to) {
      e.preventDefault()
      go(...to)
    } else if (e.key === 'Enter' && row) {
      e.preventDefault()
      open(row, at.column)
    }
  }
  const column = over ?? at.column
  const width = nameWidth + exercises.length * cellWidth + 96
  const point = (e: React.SyntheticEvent) => {
    const c = e.target instanceof Element ? e.target.closest<HTMLElement>('[data-c]')?.dataset.c : undefined
    setOver(c === undefined ? null : Number(c))
  }
  return (
    <div
      ref={frame}
      role="grid"
      aria-label="students by exercises"
      aria-rowcount={rows.length + 1}
      aria-colcount={exercises.length + 2}
      className="map relative overflow-auto border-y border-rule"
      style={{ maxHeight: 'min(72dvh, 46rem)' }}
      onKeyDown={press}
      onPointerOver={point}
      onPointerLeave={() => setOver(null)}
    >
      <div className="sticky top-0 z-20 bg-paper" style={{ width }} role="rowgroup">
        <p className="sticky left-0 flex h-8 w-max items-center px-2 text-sm" aria-hidden="true">
          {exercises[column] && (
            <>
              <span className="mono text-soft">{column + 1}</span>&nbsp; {exercises[column].title}
            </>
          )}
        </p>
        <div role="row" aria-rowindex={1} className="flex border-b border-rule text-sm text-soft">
          <div role="columnheader" className="sticky left-0 z-10 bg-paper px-2" style={{ width: nameWidth }}>
            student
          </div>
          {exercises.map((e, i) => (
            <div
              key={e.name}
              role="columnheader"
              aria-label={e.title}
              data-c={i}
              title={e.title}
              className={`mono text-center text-xs leading-6 ${i === column ? 'text-ink' : ''}`}
              style={{ width: cellWidth }}
            >
              {i + 1}
            </div>
          ))}
          <div role="columnheader" className="px-2 text-right" style={{ width: 96 }}>
            agree
          </div>
        </div>
      </div>
      <div role="rowgroup" className="relative" style={{ height: virtual.getTotalSize(), width }}>
        <div
          aria-hidden="true"
          className="map-column pointer-events-none absolute inset-y-0"
          style={{ left: nameWidth + column * cellWidth, width: cellWidth }}
        />
        {virtual.getVirtualItems().map((v) => {
          const row = rows[v.index]
          return (
            row && (
              <Row
                key={row.name}
                row={row}
                index={v.index}
                start={v.start}
                exercises={exercises}
                focused={at.row === v.index ? at.column : -1}
                setAt={setAt}
                open={open}
              />
            )
          )
        })}
      </div>
    </div>
  )
}

const Row = memo(function Row({
  row,
  index,
  start,
  exercises,
  focused,
  setAt,
  open,
}: {
  row: MapRow
  index: number
  start: number
  exercises: Exercises
  focused: number // the column of the cell that takes the focus; -1 for none
  setAt: (at: { row: number; column: number }) => void
  open: (row: MapRow, column: number) => void
}) {
  return (
    <div
      role="row"
      aria-rowindex={index + 2}
      className="map-row absolute inset-x-0 flex"
      style={{ height: cellHeight, transform: `translateY(${start}px)` }}
      data-student={row.name}
    >
      <div
        role="rowheader"
        className="sticky left-0 z-10 truncate bg-paper px-2 text-sm leading-6"
        style={{ width: nameWidth }}
        title={row.group ? `${row.display}, ${row.group}` : row.display}
      >
        {row.display}
      </div>
      {exercises.map((e, i) => {
        const cell = row.cells[i]
        return (
          <div
            key={e.name}
            role="gridcell"
            data-c={i}
            data-at={`${index} ${i}`}
            tabIndex={focused === i ? 0 : -1}
            aria-label={`${e.title}: ${inWords(cell)}`}
            onFocus={() => setAt({ row: index, column: i })}
            onClick={() => open(row, i)}
            className="map-cell"
            style={{ width: cellWidth, height: cellHeight }}
          >
            {cell ? (
              <>
                <Mark word={cell.state} bare />
                <span aria-hidden="true" className="map-ticks" style={{ width: Math.min(cell.tries, 8) * 3 }} />
              </>
            ) : (
              <span aria-hidden="true" className="text-soft">
                ·
              </span>
            )}
          </div>
        )
      })}
      <div role="gridcell" className="px-2 text-right text-sm leading-6" style={{ width: 96 }}>
        {row.agreed} of {exercises.length}
      </div>
    </div>
  )
})

// CellPanel is one student at one exercise: how they stand, and all their attempts.
function CellPanel({
  course,
  row,
  exercise,
  cell,
  close,
}: {
  course: string
  row: MapRow
  exercise: Exercises[number]
  cell: MapCell | null
  close: () => void
}) {
  const q = useQuery({
    queryKey: ['tries', course, row.name, exercise.name],
    enabled: cell !== null,
    queryFn: () =>
      get<Attempts>(
        `/courses/${course}/attempts?person=${encodeURIComponent(row.name)}&exercise=${encodeURIComponent(exercise.name)}&limit=100`,
      ),
  })
  return (
    <Panel title={row.display} close={close}>
      <p className="text-soft">
        {exercise.title}
        {row.group && ` · ${row.group}`}
      </p>
      {!cell && <p>They have not tried it.</p>}
      {cell && (
        <>
          <p>
            <Mark word={cell.state} /> · {cell.tries} {cell.tries === 1 ? 'try' : 'tries'} · best {points(cell.best)} of{' '}
            {points(exercise.possible)} points
          </p>
          {cell.code && (
            <Link
              to="/courses/$course/knots/$exercise/$code/$output"
              params={{ course, exercise: exercise.name, code: cell.code, output: cell.output || '-' }}
              search={{ group: undefined }}
              className="button justify-self-start"
            >
              Who else is stuck like this
            </Link>
          )}
          {q.isPending && <Loading what="the attempts" />}
          {q.isError && <Failing error={q.error} again={() => void q.refetch()} />}
          <ol className="border-t border-rule" aria-label="attempts, the newest first">
            {q.data?.attempts.map((a) => (
              <li key={a.id} className="border-b border-rule">
                <Link
                  to="/courses/$course/attempts/$attempt"
                  params={{ course, attempt: String(a.id) }}
                  className="grid grid-cols-[6rem_1fr] gap-x-3 py-1.5 text-ink no-underline hover:bg-sheet"
                >
                  <Mark word={a.verdict ?? 'waiting'} />
                  <span className="min-w-0 break-words">{a.lead_says}</span>
                  <span className="col-span-2 text-sm text-soft">
                    <When at={a.handed_in} />
                    {a.late && ' · late'}
                  </span>
                </Link>
              </li>
            ))}
          </ol>
        </>
      )}
    </Panel>
  )
}

// OneStudent is the map on a phone: one student, exercise by exercise.
function OneStudent({ course, rows, exercises }: { course: string; rows: MapRow[]; exercises: Exercises }) {
  const [name, setName] = useState(rows[0]?.name ?? '')
  const row = rows.find((r) => r.name === name) ?? rows[0]
  if (!row) return null
  return (
    <>
      <Choice label="student" value={row.name} change={setName} of={rows.map((r) => [r.name, r.display] as const)} />
      <ul className="mt-3 border-t border-rule">
        {exercises.map((e, i) => {
          const cell = row.cells[i]
          return (
            <li key={e.name} className="border-b border-rule">
              {cell ? (
                <Link
                  to="/courses/$course/attempts/$attempt"
                  params={{ course, attempt: String(cell.attempt) }}
                  className="flex min-h-11 flex-wrap items-center gap-x-3 text-ink no-underline"
                >
                  <Mark word={cell.state} bare />
                  <span className="min-w-0 flex-1 break-words">{e.title}</span>
                  <span className="text-soft">
                    {cell.tries} {cell.tries === 1 ? 'try' : 'tries'} · {points(cell.best)}
                  </span>
                </Link>
              ) : (
                <span className="flex min-h-11 items-center gap-x-3 text-soft">· {e.title}</span>
              )}
            </li>
          )
        })}
      </ul>
    </>
  )
}

// Causes is which ideas are missing: how many people ever had a cause in an exercise.
function Causes({ course, group, choose }: { course: string; group?: string; choose: (group?: string) => void }) {
  const scales = useScales()
  const q = useQuery({
    queryKey: ['causes', course, group],
    queryFn: () => get<CauseMap>(`/courses/${course}/map/causes${group ? `?group=${encodeURIComponent(group)}` : ''}`),
    placeholderData: (old) => old,
  })
  if (q.isPending) return <Loading what="the causes" />
  if (q.isError) return <Failing error={q.error} again={() => void q.refetch()} />
  const m = q.data
  const most = Math.max(1, ...m.rows.flatMap((r) => r.cells.map((c) => c.ever)))
  return (
    <>
      <div className="mb-3 flex flex-wrap items-end gap-3">
        {m.groups.length > 1 && (
          <Choice
            label="group"
            value={group ?? ''}
            change={(v) => choose(v || undefined)}
            of={[['', 'all'], ...m.groups.map((g) => [g, g] as const)]}
          />
        )}
        <p className="text-sm text-soft">
          How many of {m.students} students ever had an attempt led by it; stronger is more. A number opens who is stuck
          on it now.
        </p>
      </div>
      {m.rows.length === 0 && <Empty>No attempt differs yet.</Empty>}
      <div className="overflow-auto border-y border-rule" tabIndex={0} role="region" aria-label="causes by exercises">
        <table className="text-sm">
          <thead>
            <tr className="text-soft">
              <th scope="col" className="sticky left-0 z-10 min-w-40 bg-paper px-2 text-left font-normal sm:min-w-80">
                led by
              </th>
              {m.exercises.map((e, i) => (
                <th key={e.name} scope="col" title={e.title} className="mono min-w-9 text-xs font-normal">
                  <span aria-hidden="true">{i + 1}</span>
                  <span className="sr-only">{e.title}</span>
                </th>
              ))}
              <th scope="col" className="px-2 font-normal">
                all
              </th>
            </tr>
          </thead>
          <tbody>
            {m.rows.slice(0, 60).map((r) => (
              <tr key={r.code} data-cause={r.code}>
                <th scope="row" className="sticky left-0 z-10 bg-paper px-2 text-left font-normal">
                  {r.says || r.code} <span className="mono text-xs text-soft">{r.code}</span>
                </th>
                {r.cells.map((c, i) => (
                  <td
                    key={i}
                    className="heat h-7 border border-paper text-center"
                    style={c.ever > 0 ? heat(scales, c.ever / most) : undefined}
                    title={c.ever > 0 ? `${m.exercises[i]?.title}: ${c.ever} ever, ${c.now} now` : undefined}
                  >
                    {c.ever > 0 ? (
                      c.now > 0 ? (
                        <Link
                          to="/courses/$course/desk"
                          params={{ course }}
                          search={{ exercise: m.exercises[i]?.name, group }}
                          className="inline-flex min-h-6 min-w-6 items-center justify-center text-inherit"
                          aria-label={`${m.exercises[i]?.title}: ${c.ever} ever, ${c.now} now`}
                        >
                          {c.ever}
                        </Link>
                      ) : (
                        c.ever
                      )
                    ) : (
                      <span className="text-soft">·</span>
                    )}
                  </td>
                ))}
                <td className="px-2 text-right">{r.total}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <ol className="mt-3 columns-2 text-sm text-soft sm:columns-3">
        {m.exercises.map((e, i) => (
          <li key={e.name}>
            <span className="mono">{i + 1}</span> {e.title}
          </li>
        ))}
      </ol>
    </>
  )
}
