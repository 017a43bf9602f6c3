import { Link } from '@tanstack/react-router'

const pages = [
  ['desk', 'Desk'],
  ['map', 'Class map'],
  ['notes', 'Notes'],
  ['digest', 'Digest'],
  ['gradebook', 'Gradebook'],
  ['people', 'People'],
] as const

// TeamPages leads from each page of a team's to the others of the course.
export function TeamPages({ course, at }: { course: string; at?: (typeof pages)[number][0] }) {
  return (
    <nav aria-label="pages of the team" className="flex flex-wrap gap-x-4">
      {pages.map(([page, title]) => (
        <Link
          key={page}
          to={`/courses/$course/${page}`}
          params={{ course }}
          className={page === at ? 'within text-ink! no-underline!' : 'within'}
          aria-current={page === at ? 'page' : undefined}
        >
          {title}
        </Link>
      ))}
    </nav>
  )
}
