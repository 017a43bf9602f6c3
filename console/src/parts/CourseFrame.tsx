import type { UseQueryResult } from '@tanstack/react-query'
import { useMe } from '../me'
import { type Crumb, Page } from './Page'
import { Failing, Loading } from './States'

// CourseFrame is the frame of a page below a course: with what the page is made of being read, not to be had, or there.
export function CourseFrame({
  course,
  title,
  trail,
  wide,
  what,
  of: q,
  children,
}: {
  course: string
  title?: string // of the course, where the page knows it
  trail: Crumb[]
  wide?: boolean
  what: string // in words
  of: Pick<UseQueryResult, 'isSuccess' | 'isPending' | 'isError' | 'error' | 'refetch'>
  children: React.ReactNode
}) {
  const me = useMe()
  const above = title ?? me.courses.find((c) => c.slug === course)?.title ?? course
  return (
    <Page me={me} wide={wide} ready={q.isSuccess} crumbs={[{ text: above, to: `/courses/${course}` }, ...trail]}>
      {q.isPending && <Loading what={what} />}
      {q.isError && <Failing error={q.error} again={() => void q.refetch()} />}
      {children}
    </Page>
  )
}
