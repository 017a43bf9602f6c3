import { Link, useNavigate } from '@tanstack/react-router'
import { isTeam, useMe } from '../me'
import { Page } from '../parts/Page'
import { Fold } from '../parts/Fold'
import { NewCourse } from '../parts/NewCourse'
import { Empty } from '../parts/States'

export function Courses() {
  const me = useMe()
  const navigate = useNavigate()
  const makes = me.operator || me.courses.some((c) => c.role === 'instructor')
  return (
    <Page me={me} ready crumbs={[{ text: 'Courses' }]}>
      <div className="mb-4 flex flex-wrap items-center gap-3">
        <h1 className="flex-1 text-2xl font-semibold">Your courses</h1>
        {me.operator && (
          <Link to="/service" className="button">
            Service
          </Link>
        )}
      </div>
      {me.courses.length === 0 && (
        <Empty>
          You are in no course yet. An instructor adds you by your name, <code>{me.name}</code>.
        </Empty>
      )}
      <ul className="border-t border-rule">
        {me.courses.map((c) => (
          <li key={c.slug} className="flex flex-wrap items-center gap-3 border-b border-rule py-3">
            <span className="min-w-0 flex-1">
              <Link
                to="/courses/$course"
                params={{ course: c.slug }}
                className="within text-lg font-semibold break-words"
              >
                {c.title}
              </Link>
              <span className="block text-sm text-soft">
                you are {c.role === 'student' ? 'a student' : `an ${c.role}`} here
                {c.archived && ' · archived'}
                {c.empty && ' · nothing is published yet'}
              </span>
            </span>
            {isTeam(c.role) && !c.empty && (
              <Link to="/courses/$course/desk" params={{ course: c.slug }} className="button">
                Desk
              </Link>
            )}
          </li>
        ))}
      </ul>
      {makes && (
        <Fold title="A new course" className="mt-6">
          <NewCourse done={(course) => void navigate({ to: '/courses/$course', params: { course } })} />
        </Fold>
      )}
    </Page>
  )
}
