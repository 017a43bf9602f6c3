import { Link } from '@tanstack/react-router'
import { isTeam, useMe } from '../me'
import { Page } from '../parts/Page'
import { Empty } from '../parts/States'

export function Courses() {
  const me = useMe()
  return (
    <Page me={me} ready crumbs={[{ text: 'Courses' }]}>
      <h1 className="mb-4 text-2xl font-semibold">Your courses</h1>
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
              </span>
            </span>
            {isTeam(c.role) && (
              <Link to="/courses/$course/desk" params={{ course: c.slug }} className="button">
                Desk
              </Link>
            )}
          </li>
        ))}
      </ul>
    </Page>
  )
}
