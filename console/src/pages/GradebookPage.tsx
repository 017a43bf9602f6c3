import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Link, useParams } from '@tanstack/react-router'
import type { ColumnDef } from '@tanstack/react-table'
import { useMemo, useState } from 'react'
import { call, get } from '../api'
import { isTeam, useMe } from '../me'
import { CourseFrame } from '../parts/CourseFrame'
import { announce } from '../parts/announce'
import { Choice } from '../parts/Choice'
import { Field } from '../parts/Field'
import { Ledger } from '../parts/Ledger'
import { points } from '../parts/numbers'
import { Panel } from '../parts/Panel'
import { Empty, Failing } from '../parts/States'
import { useSettled } from '../parts/useSettled'
import { When, zone } from '../parts/When'
import type { Grade, Gradebook, GradeRow, Group, PastAdjustment } from '../types'

// GradebookPage is what the students of a course have earned, exercise by exercise, now or as it was.
export function GradebookPage() {
  const me = useMe()
  const { course } = useParams({ from: '/inside/courses/$course/gradebook' })
  const mine = me.courses.find((c) => c.slug === course)
  const [text, setText] = useState('')
  const [group, setGroup] = useState('')
  const [at, setAt] = useState('')
  const [review, setReview] = useState(false)
  const [open, setOpen] = useState<string>()
  const search = useSettled(text, 200)
  const groups = useQuery({ queryKey: ['groups', course], queryFn: () => get<Group[]>(`/courses/${course}/groups`) })
  const query = (more: Record<string, string>) => {
    const all = { search, group, at: at ? new Date(at).toISOString() : '', ...more }
    return new URLSearchParams(Object.entries(all).filter(([, v]) => v !== '')).toString()
  }
  const q = useInfiniteQuery({
    queryKey: ['gradebook', course, search, group, at],
    queryFn: ({ pageParam: after }) => get<Gradebook>(`/courses/${course}/gradebook?${query({ after, limit: '500' })}`),
    initialPageParam: '',
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: (old) => old,
  })
  const first = q.data?.pages[0]
  const rows = useMemo(() => {
    const all = q.data?.pages.flatMap((p) => p.rows) ?? []
    return review ? all.filter((r) => r.grades.some((g) => g.review)) : all
  }, [q.data, review])
  const columns = useMemo(() => columnsOf(first), [first])
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = q
  const chosen = rows.find((r) => r.name === open)
  return (
    <CourseFrame course={course} trail={[{ text: 'Gradebook' }]} wide what="the gradebook" of={q}>
      {first && (
        <>
          <div className="mb-4 flex flex-wrap items-end gap-x-4 gap-y-2">
            <div className="flex-1">
              <h1 className="text-2xl font-semibold">Gradebook</h1>
              <p className="text-sm text-soft">
                the {first.takes} attempt counts
                {at !== '' && (
                  <>
                    {' '}
                    · as it was <When at={first.at} />
                  </>
                )}
              </p>
            </div>
            {(['csv', 'xlsx', 'oneroster'] as const).map((format) => (
              <a
                key={format}
                className="button"
                href={`/api/v1/courses/${course}/gradebook?${query({ format, search: '' })}`}
                download
              >
                {{ csv: 'CSV', xlsx: 'Workbook', oneroster: 'OneRoster' }[format]}
              </a>
            ))}
          </div>
          <div className="mb-3 flex flex-wrap items-end gap-3">
            <label className="grid min-w-40 flex-1 basis-full gap-1 sm:basis-40">
              <span className="label">Search</span>
              <input type="search" className="field min-h-11" value={text} onChange={(e) => setText(e.target.value)} />
            </label>
            <Choice
              label="Group"
              value={group}
              change={setGroup}
              of={[['', 'any group'], ...(groups.data ?? []).map((g) => [g.name, g.name] as const)]}
            />
            <Field
              label={`As it was at (${zone()})`}
              type="datetime-local"
              value={at}
              change={setAt}
              required={false}
            />
            {first.review > 0 && (
              <label className="flex min-h-11 items-center gap-2 text-differs">
                <input
                  type="checkbox"
                  className="size-5"
                  checked={review}
                  onChange={(e) => setReview(e.target.checked)}
                />
                ◐ {first.review} to be reviewed
              </label>
            )}
          </div>
          <Ledger
            label="grades"
            rows={rows}
            columns={columns}
            id={(r) => r.name}
            open={(r) => setOpen(r.name)}
            opened={open}
            more={hasNextPage && !isFetchingNextPage ? () => void fetchNextPage() : undefined}
            empty={<Empty>No students here yet. Once they hand in, their points are here.</Empty>}
          />
          <p className="mt-2 text-sm text-soft">
            dotted: changed by hand · ◐ the verdict under it has changed since · ~ late · — excused · an empty place:
            not tried. {first.exercises.some((e) => !e.opened) && 'Exercises that have not opened count in no total.'}
          </p>
          <Medians book={first} />
        </>
      )}
      {chosen && first && (
        <RowPanel
          key={chosen.name}
          course={course}
          row={chosen}
          book={first}
          edits={isTeam(mine?.role) && at === ''}
          close={() => setOpen(undefined)}
        />
      )}
    </CourseFrame>
  )
}

function columnsOf(book: Gradebook | undefined): ColumnDef<GradeRow>[] {
  const out: ColumnDef<GradeRow>[] = [
    {
      header: 'Name',
      accessorKey: 'display',
      meta: { width: '12rem', stick: true },
      cell: ({ row: { original: r } }) => (
        <span className={r.state === 'left' ? 'text-soft line-through' : ''}>{r.display}</span>
      ),
    },
    {
      header: 'Points',
      accessorKey: 'points',
      meta: { width: '7rem', end: true },
      cell: ({ row: { original: r } }) => (
        <>
          <strong>{points(r.points)}</strong> <span className="text-sm text-soft">of {points(r.possible)}</span>
        </>
      ),
    },
    {
      header: '%',
      id: 'percent',
      accessorFn: (r) => r.percent ?? -1,
      meta: { width: '4.5rem', end: true, wide: true },
      cell: ({ row: { original: r } }) => (r.percent === null ? '—' : r.percent.toFixed(1)),
    },
  ]
  book?.exercises.forEach((e, i) =>
    out.push({
      header: () => (
        <span title={`${e.title}, ${points(e.possible)} points`}>
          {i + 1}
          <span className="sr-only"> {e.title}</span>
        </span>
      ),
      id: e.name,
      accessorFn: (r) => r.grades[i]?.points ?? 0,
      meta: { width: '2.75rem', end: true, wide: true },
      cell: ({ row: { original: r } }) => <Cell grade={r.grades[i]} />,
    }),
  )
  return out
}

function Cell({ grade: g }: { grade?: Grade }) {
  if (!g) return null
  if (g.excused) return <span title="excused">—</span>
  if (g.attempt === null && !g.adjusted) return <span className="sr-only">not tried</span>
  return (
    <span
      className={g.adjusted ? 'underline decoration-dotted underline-offset-4' : ''}
      title={g.adjusted ? `changed by hand: ${g.adjusted.reason}` : undefined}
    >
      {g.review && <span className="text-differs">◐ </span>}
      {points(g.points)}
      {g.late && '~'}
    </span>
  )
}

function Medians({ book }: { book: Gradebook }) {
  return (
    <details className="mt-4">
      <summary className="min-h-8 cursor-pointer font-semibold">Exercises and their medians</summary>
      <ol className="border-t border-rule">
        {book.exercises.map((e, i) => (
          <li key={e.name} className="flex gap-3 border-b border-rule py-1">
            <span className="mono w-8 text-right text-soft">{i + 1}</span>
            <span className="min-w-0 flex-1">
              {e.title} {!e.opened && <span className="text-soft">· not open yet</span>}
            </span>
            <span className="text-soft">
              {e.median === null ? 'nobody tried' : `median ${points(e.median)}`} of {points(e.possible)}
            </span>
          </li>
        ))}
      </ol>
    </details>
  )
}

function RowPanel({
  course,
  row,
  book,
  edits,
  close,
}: {
  course: string
  row: GradeRow
  book: Gradebook
  edits: boolean
  close: () => void
}) {
  const [exercise, setExercise] = useState<string>()
  return (
    <Panel title={row.display} close={close}>
      <p className="text-soft">
        {[row.number, row.group].filter((x) => x !== '').join(' · ')} {points(row.points)} of {points(row.possible)}{' '}
        points
      </p>
      <ul className="border-t border-rule">
        {book.exercises.map((e, i) => {
          const g = row.grades[i]
          if (!g) return null
          return (
            <li key={e.name} className="border-b border-rule py-2">
              <div className="flex items-baseline gap-3">
                <span className="min-w-0 flex-1 break-words">
                  {g.attempt ? (
                    <Link
                      to="/courses/$course/attempts/$attempt"
                      params={{ course, attempt: String(g.attempt) }}
                      className="within"
                    >
                      {e.title}
                    </Link>
                  ) : (
                    e.title
                  )}
                </span>
                <span>
                  {g.excused ? 'excused' : g.attempt === null && !g.adjusted ? 'not tried' : points(g.points)}
                  <span className="text-soft"> of {points(e.possible)}</span>
                </span>
                {edits && (
                  <button
                    className="within text-sm"
                    aria-expanded={exercise === e.name}
                    aria-label={`change the grade in ${e.title}`}
                    onClick={() => setExercise(exercise === e.name ? undefined : e.name)}
                  >
                    change
                  </button>
                )}
              </div>
              {g.late && <p className="text-sm text-soft">the attempt that counts came late</p>}
              {g.adjusted && (
                <p className="text-sm">
                  {g.review && <span className="text-differs">◐ the verdict under it has changed: look again. </span>}
                  {points(g.adjusted.earned)} by the attempt; {wordsOf(g.adjusted)} by {g.adjusted.by},{' '}
                  <When at={g.adjusted.at} />: {g.adjusted.reason}
                </p>
              )}
              {exercise === e.name && (
                <Change course={course} row={row} exercise={e.name} title={e.title} grade={g} possible={e.possible} />
              )}
            </li>
          )
        })}
      </ul>
    </Panel>
  )
}

const wordsOf = (x: { kind: string; points: string }) =>
  x.kind === 'excused' ? 'excused' : x.kind === 'set' ? `set to ${x.points}` : `${x.points} added`

function Change({
  course,
  row,
  exercise,
  title,
  grade,
  possible,
}: {
  course: string
  row: GradeRow
  exercise: string
  title: string
  grade: Grade
  possible: number
}) {
  const client = useQueryClient()
  const [kind, setKind] = useState('set')
  const [by, setBy] = useState(String(grade.points))
  const [beyond, setBeyond] = useState(false)
  const [reason, setReason] = useState('')
  const path = `/courses/${course}/people/${row.name}/grades/${exercise}`
  const history = useQuery({ queryKey: ['adjustments', path], queryFn: () => get<PastAdjustment[]>(path) })
  const again = () => {
    void client.invalidateQueries({ queryKey: ['gradebook', course] })
    void client.invalidateQueries({ queryKey: ['adjustments', path] })
  }
  const save = useMutation({
    mutationFn: () => call<Grade>('PUT', path, { kind, points: kind === 'excused' ? undefined : by, beyond, reason }),
    onSuccess: (g) => {
      announce(`${row.display} has ${points(g.points)} points in ${title}.`)
      setReason('')
    },
    onSettled: again,
  })
  const back = useMutation({
    mutationFn: () => call<Grade>('DELETE', path),
    onSuccess: () => announce('What was changed is taken back.'),
    onSettled: again,
  })
  const earned = grade.adjusted?.earned ?? grade.points
  const value = Number(by)
  const wanted = kind === 'excused' ? null : kind === 'set' ? value : earned + value
  const after = wanted === null || beyond ? wanted : Math.max(0, Math.min(possible, wanted))
  return (
    <form
      className="mt-2 grid gap-3 border-l-2 border-l-accent pl-3"
      aria-label={`change ${title}`}
      onSubmit={(e) => {
        e.preventDefault()
        if (!save.isPending) save.mutate()
      }}
    >
      <div className="flex flex-wrap items-end gap-3">
        <Choice
          label="What"
          value={kind}
          change={(k) => {
            setKind(k)
            setBy(k === 'add' ? '0.5' : String(grade.points))
          }}
          of={[
            ['set', 'set points'],
            ['add', 'add points'],
            ['excused', 'excuse'],
          ]}
        />
        {kind !== 'excused' && (
          <Field label="Points" value={by} change={setBy} pattern="[+-]?[0-9.]+" inputMode="decimal" className="w-24" />
        )}
      </div>
      {kind !== 'excused' && (
        <label className="flex min-h-8 items-center gap-2 text-sm">
          <input type="checkbox" className="size-5" checked={beyond} onChange={(e) => setBeyond(e.target.checked)} />
          beyond 0 and {points(possible)}, if need be
        </label>
      )}
      <Field label="Reason, which the student sees" value={reason} change={setReason} maxLength={500} />
      <p className="text-sm">
        {points(grade.points)} → <strong>{after === null ? 'excused' : points(after)}</strong>
        {after !== null && Number.isFinite(after) && (
          <>
            ; in all {points(row.points)} → <strong>{points(row.points - grade.points + after)}</strong>
          </>
        )}
      </p>
      <div className="flex flex-wrap gap-2">
        <button className="button button-main" aria-disabled={save.isPending}>
          Change the grade
        </button>
        {grade.adjusted && (
          <button type="button" className="button" onClick={() => back.mutate()}>
            Take the change back
          </button>
        )}
      </div>
      {save.isError && <Failing error={save.error} />}
      {back.isError && <Failing error={back.error} />}
      {history.data && history.data.length > 0 && (
        <ul className="text-sm text-soft" aria-label="what was changed before">
          {history.data.map((x) => (
            <li key={x.at}>
              {wordsOf(x)} by {x.by}, <When at={x.at} />: {x.reason}
              {x.withdrawn && ' (taken back, or replaced)'}
            </li>
          ))}
        </ul>
      )}
    </form>
  )
}
