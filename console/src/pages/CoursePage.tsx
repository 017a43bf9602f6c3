import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Link, useNavigate, useParams } from '@tanstack/react-router'
import { useEffect, useState } from 'react'
import { call, get } from '../api'
import { isTeam, useMe } from '../me'
import { readAll } from '../offline/course'
import { announce } from '../parts/announce'
import { Mark } from '../parts/Mark'
import { Fold } from '../parts/Fold'
import { NewCourse } from '../parts/NewCourse'
import { percent, points } from '../parts/numbers'
import { Page } from '../parts/Page'
import { Empty, Failing, Loading } from '../parts/States'
import { TeamPages } from '../parts/Team'
import { OwnNoteView, useOwnNotes } from '../parts/OwnNote'
import { When, zone } from '../parts/When'
import type { Course, ExerciseLine } from '../types'

export function CoursePage() {
  const me = useMe()
  const { course } = useParams({ from: '/inside/courses/$course' })
  const q = useQuery({ queryKey: ['course', course], queryFn: () => get<Course>(`/courses/${course}`) })
  const c = q.data
  useEffect(() => {
    if (c?.role === 'student') void readAll(c)
  }, [c])
  return (
    <Page
      me={me}
      ready={q.isSuccess}
      crumbs={[{ text: c?.title ?? me.courses.find((x) => x.slug === course)?.title ?? 'Course' }]}
    >
      {q.isPending && <Loading what="the course" />}
      {q.isError && <Failing error={q.error} again={() => void q.refetch()} />}
      {c && (
        <>
          <div className="mb-4 flex flex-wrap items-end gap-3">
            <div className="min-w-0 flex-1">
              <h1 className="text-2xl font-semibold">{c.title}</h1>
              <p className="text-sm text-soft">
                {c.revision > 0 && `positions count from ${c.counting} · revision ${c.revision} · `}times in {zone()}
                {c.takes === 'last' && ' · the last attempt counts'}
              </p>
            </div>
            {c.role === 'instructor' && (
              <Link
                to="/courses/$course/author"
                params={{ course }}
                search={{ exercise: undefined }}
                className="button"
              >
                Author
              </Link>
            )}
            {isTeam(c.role) && <TeamPages course={course} />}
          </div>
          {c.archived && (
            <p className="mb-4 border-l-4 border-l-waiting py-1 pl-3">
              ○ This course is archived: it can be read, and nothing is handed in.
            </p>
          )}
          {c.exercises.length === 0 && (
            <Empty>
              {c.role === 'instructor'
                ? 'Nothing is published yet. Begin under Author from an exercise that is there, or publish a folder from the command line.'
                : 'Nothing is published yet.'}
            </Empty>
          )}
          {c.role === 'student' && <ToTheCourse course={course} />}
          <Total course={c} />
          <ol className={c.exercises.length > 0 ? 'border-t border-rule' : ''}>
            {c.exercises.map((e, i) => (
              <Line key={e.name} course={course} exercise={e} number={i + 1} />
            ))}
          </ol>
          {c.role === 'instructor' && <Manage course={c} />}
        </>
      )}
    </Page>
  )
}

// ToTheCourse are the notes to the whole course that one has not seen yet; all others are on the page of notes.
function ToTheCourse({ course }: { course: string }) {
  const q = useOwnNotes(course)
  const [fresh, setFresh] = useState<number[] | null>(null) // when they were first read: seeing them takes none away
  const list = q.data?.notes.filter((n) => n.exercise === '')
  if (list && fresh === null) setFresh(list.filter((n) => !n.seen).map((n) => n.id))
  const shown = list?.filter((n) => fresh?.includes(n.id)) ?? []
  return shown.map((n) => (
    <div key={n.id} className="mb-4">
      <OwnNoteView note={n} />
    </div>
  ))
}

// Total is what a student has so far, of the exercises that have opened.
function Total({ course: c }: { course: Course }) {
  const open = c.exercises.filter((e) => e.state !== 'soon' && e.grade && !e.grade.excused)
  if (open.length === 0) return null
  const sum = (of: (e: ExerciseLine) => number) => open.reduce((n, e) => n + of(e), 0)
  return (
    <p className="mb-3">
      <strong>{points(sum((e) => e.grade?.points ?? 0))}</strong> of {points(sum((e) => e.points))} points so far
    </p>
  )
}

// Manage is what an instructor does with a course as a whole: copy it for the next term, archive it.
function Manage({ course: c }: { course: Course }) {
  const client = useQueryClient()
  const navigate = useNavigate()
  const archive = useMutation({
    mutationFn: () => call('PUT', `/courses/${c.slug}/archived`, { archived: !c.archived }),
    onSuccess: () => announce(c.archived ? 'The course is open again.' : 'The course is archived.'),
    onSettled: () => {
      for (const key of [['course', c.slug], ['me']]) void client.invalidateQueries({ queryKey: key })
    },
  })
  return (
    <Fold title="Copy or archive this course" className="mt-6">
      {c.revision > 0 && (
        <>
          <p className="pt-2 text-soft">
            A copy has the newest revision with all opening and closing times shifted; no people, attempts or notes.
          </p>
          <NewCourse
            copyOf={{ slug: c.slug, title: c.title, role: c.role, archived: false, empty: false }}
            done={(course) => void navigate({ to: '/courses/$course', params: { course } })}
          />
        </>
      )}
      <div className="flex flex-wrap items-center gap-3 pt-4">
        <button className="button min-h-11" onClick={() => archive.mutate()} aria-disabled={archive.isPending}>
          {c.archived ? 'Take it back from the archive' : 'Archive the course'}
        </button>
        <span className="text-soft">Students of an archived course read, and hand nothing in.</span>
      </div>
      {archive.isError && <Failing error={archive.error} />}
    </Fold>
  )
}

function Line({ course, exercise: e, number }: { course: string; exercise: ExerciseLine; number: number }) {
  return (
    <li className="grid min-h-11 grid-cols-[2rem_1fr] items-baseline gap-x-3 gap-y-1 border-b border-rule py-2 sm:grid-cols-[2rem_1fr_auto]">
      <span className="mono text-right text-soft">{number}</span>
      <div className="min-w-0">
        {e.state === 'soon' ? (
          <span className="font-semibold text-soft">{e.title}</span>
        ) : (
          <Link
            to="/courses/$course/exercises/$exercise"
            params={{ course, exercise: e.name }}
            className="within font-semibold break-words"
          >
            {e.title}
          </Link>
        )}
        <p className="text-sm text-soft">
          {e.topics.join(' · ')}
          {e.topics.length > 0 && ' · '}
          {points(e.points)} points
          <Times exercise={e} />
        </p>
      </div>
      <p className="col-start-2 sm:col-start-3 sm:text-right">
        <Mine exercise={e} />
      </p>
    </li>
  )
}

function Times({ exercise: e }: { exercise: ExerciseLine }) {
  if (e.state === 'soon' && e.opens)
    return (
      <span className="text-ink">
        {' '}
        · opens <When at={e.opens} />
      </span>
    )
  if (!e.closes) return null
  return (
    <span className="text-ink">
      {' '}
      · {e.state === 'open' || e.state === 'soon' ? 'closes' : 'closed'} <When at={e.closes} />
      {e.state === 'late' && e.until && (
        <>
          , late attempts keep {percent(e.keeps)} and end <When at={e.until} />
        </>
      )}
      {e.extended && <span title={e.reason}> · with an extension: {e.reason}</span>}
    </span>
  )
}

function Mine({ exercise: e }: { exercise: ExerciseLine }) {
  const m = e.mine
  const changed = e.grade?.adjusted && (
    <span className="block text-sm">
      {e.grade.excused ? 'excused' : `${points(e.grade.points)} points by hand`}: {e.grade.adjusted.reason}
    </span>
  )
  if (m.attempts === 0)
    return (
      <>
        <span className="text-soft">not begun</span>
        {changed}
      </>
    )
  return (
    <>
      {m.agrees ? (
        <Mark word="agrees" />
      ) : m.verdict ? (
        <Mark word={m.verdict} />
      ) : (
        <Mark word="waiting">being checked</Mark>
      )}
      <span className="block text-sm text-soft">
        {m.best !== null && `best ${points(m.best)} of ${points(e.points)}, `}
        {m.attempts === 1 ? '1 attempt' : `${m.attempts} attempts`}
        {e.grade && m.best !== null && e.grade.points !== m.best && !e.grade.adjusted && (
          <> · counts {points(e.grade.points)}</>
        )}
      </span>
      {changed}
    </>
  )
}
