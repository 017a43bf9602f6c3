import { useQuery } from '@tanstack/react-query'
import { Link, useParams } from '@tanstack/react-router'
import { get } from '../api'
import { isTeam, useMe } from '../me'
import { Mark } from '../parts/Mark'
import { points } from '../parts/numbers'
import { Page } from '../parts/Page'
import { Failing, Loading } from '../parts/States'
import { When, zone } from '../parts/When'
import type { Course, ExerciseLine } from '../types'

export function CoursePage() {
  const me = useMe()
  const { course } = useParams({ from: '/inside/courses/$course' })
  const q = useQuery({ queryKey: ['course', course], queryFn: () => get<Course>(`/courses/${course}`) })
  const c = q.data
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
                positions count from {c.counting} · revision {c.revision} · times in {zone()}
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
            {isTeam(c.role) && (
              <Link to="/courses/$course/desk" params={{ course }} className="button">
                Desk
              </Link>
            )}
          </div>
          <ol className="border-t border-rule">
            {c.exercises.map((e, i) => (
              <Line key={e.name} course={course} exercise={e} number={i + 1} />
            ))}
          </ol>
        </>
      )}
    </Page>
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
      · {e.state === 'closed' ? 'closed' : 'closes'} <When at={e.closes} />
    </span>
  )
}

function Mine({ exercise: e }: { exercise: ExerciseLine }) {
  const m = e.mine
  if (m.attempts === 0) return <span className="text-soft">not begun</span>
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
      </span>
    </>
  )
}
