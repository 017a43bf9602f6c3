import { QueryClient, useQuery } from '@tanstack/react-query'
import {
  createRootRoute,
  createRoute,
  createRouter,
  lazyRouteComponent,
  Outlet,
  type RouterHistory,
  useLocation,
  useNavigate,
} from '@tanstack/react-router'
import { useEffect, useState } from 'react'
import { Failure, get, rememberToken } from './api'
import { MeContext } from './me'
import { openQueue } from './offline/queue'
import { Courses } from './pages/Courses'
import { SignIn } from './pages/SignIn'
import { Announcements } from './parts/announce'
import { Alone, Broken, Failing, Loading } from './parts/States'
import type { Me } from './types'

// newQueries keeps what the service answered for a while.
export const newQueries = () =>
  new QueryClient({
    // Without a connection a request fails at once and says so; nothing waits unseen.
    defaultOptions: {
      mutations: { networkMode: 'always' },
      queries: {
        networkMode: 'always',
        staleTime: 5_000,
        retry: (count, error) =>
          count < 3 && error instanceof Failure && (error.problem.status === 0 || error.problem.status >= 500),
      },
    },
  })

// SignedIn lets only people who are signed in through, and sends others to the
// door and back.
function SignedIn() {
  const me = useQuery({
    queryKey: ['me'],
    staleTime: 60_000,
    queryFn: async () => {
      const answer = await get<Me>('/session')
      rememberToken(answer.csrf)
      return answer
    },
  })
  const name = me.data?.name
  useEffect(() => (name === undefined ? undefined : openQueue(name)), [name])
  if (me.isPending)
    return (
      <Alone title="Nimbus Reach">
        <Loading what="who you are" />
      </Alone>
    )
  if (me.isError) {
    if (me.error instanceof Failure && me.error.problem.status === 401) return <ToTheDoor />
    return (
      <Alone title="Nimbus Reach">
        <Failing error={me.error} again={() => void me.refetch()} />
      </Alone>
    )
  }
  return (
    <MeContext value={me.data}>
      <Outlet />
    </MeContext>
  )
}

function ToTheDoor() {
  const navigate = useNavigate()
  const here = useLocation({ select: (l) => l.pathname })
  const [from] = useState(here)
  useEffect(() => {
    void navigate({ to: '/sign-in', search: { to: from === '/' ? undefined : from }, replace: true })
  }, [navigate, from])
  return null
}

// texts are the parts of an address's search that a page knows, as texts.
function texts<K extends string>(search: Record<string, unknown>, keys: readonly K[]): { [key in K]?: string } {
  const out: { [key in K]?: string } = {}
  for (const key of keys) {
    const value = search[key]
    if (typeof value === 'string' && value !== '') out[key] = value
    else if (typeof value === 'number') out[key] = String(value)
  }
  return out
}

const root = createRootRoute({
  component: () => (
    <>
      <Outlet />
      <Announcements />
    </>
  ),
  notFoundComponent: () => (
    <Alone title="There is no such page">
      <p>
        <a href="/" className="within">
          Your courses
        </a>
      </p>
    </Alone>
  ),
})
const signIn = createRoute({
  getParentRoute: () => root,
  path: '/sign-in',
  component: SignIn,
  validateSearch: (s: Record<string, unknown>) => ({
    to: typeof s.to === 'string' && /^\/[^/\\]/.test(s.to) ? s.to : undefined,
  }),
})
const link = createRoute({
  getParentRoute: () => root,
  path: '/link',
  component: lazyRouteComponent(() => import('./pages/LinkPage'), 'LinkPage'),
})
const inside = createRoute({ getParentRoute: () => root, id: 'inside', component: SignedIn })
const courses = createRoute({ getParentRoute: () => inside, path: '/', component: Courses })
const course = createRoute({
  getParentRoute: () => inside,
  path: '/courses/$course',
  component: lazyRouteComponent(() => import('./pages/CoursePage'), 'CoursePage'),
})
const workspace = createRoute({
  getParentRoute: () => inside,
  path: '/courses/$course/exercises/$exercise',
  component: lazyRouteComponent(() => import('./pages/Workspace'), 'Workspace'),
})
const account = createRoute({
  getParentRoute: () => inside,
  path: '/account',
  component: lazyRouteComponent(() => import('./pages/AccountPage'), 'AccountPage'),
})
const desk = createRoute({
  getParentRoute: () => inside,
  path: '/courses/$course/desk',
  component: lazyRouteComponent(() => import('./pages/DeskPage'), 'DeskPage'),
  validateSearch: (s: Record<string, unknown>) => texts(s, ['group', 'exercise', 'topic', 'code', 'sort']),
})
const knot = createRoute({
  getParentRoute: () => inside,
  path: '/courses/$course/knots/$exercise/$code/$output',
  component: lazyRouteComponent(() => import('./pages/KnotPage'), 'KnotPage'),
  validateSearch: (s: Record<string, unknown>) => texts(s, ['group']),
})
const map = createRoute({
  getParentRoute: () => inside,
  path: '/courses/$course/map',
  component: lazyRouteComponent(() => import('./pages/MapPage'), 'MapPage'),
  validateSearch: (s: Record<string, unknown>) => texts(s, ['group', 'search', 'show']),
})
const notes = createRoute({
  getParentRoute: () => inside,
  path: '/courses/$course/notes',
  component: lazyRouteComponent(() => import('./pages/NotesPage'), 'NotesPage'),
})
const digest = createRoute({
  getParentRoute: () => inside,
  path: '/courses/$course/digest',
  component: lazyRouteComponent(() => import('./pages/DigestPage'), 'DigestPage'),
})
const ownNotes = createRoute({
  getParentRoute: () => inside,
  path: '/notes',
  component: lazyRouteComponent(() => import('./pages/OwnNotesPage'), 'OwnNotesPage'),
})
const author = createRoute({
  getParentRoute: () => inside,
  path: '/courses/$course/author',
  component: lazyRouteComponent(() => import('./pages/AuthorPage'), 'AuthorPage'),
  validateSearch: (s: Record<string, unknown>) => ({
    exercise: typeof s.exercise === 'string' ? s.exercise : undefined,
  }),
})
const people = createRoute({
  getParentRoute: () => inside,
  path: '/courses/$course/people',
  component: lazyRouteComponent(() => import('./pages/PeoplePage'), 'PeoplePage'),
})
const gradebook = createRoute({
  getParentRoute: () => inside,
  path: '/courses/$course/gradebook',
  component: lazyRouteComponent(() => import('./pages/GradebookPage'), 'GradebookPage'),
})
const service = createRoute({
  getParentRoute: () => inside,
  path: '/service',
  component: lazyRouteComponent(() => import('./pages/ServicePage'), 'ServicePage'),
})
const attempt = createRoute({
  getParentRoute: () => inside,
  path: '/courses/$course/attempts/$attempt',
  component: lazyRouteComponent(() => import('./pages/AttemptPage'), 'AttemptPage'),
})

const routeTree = root.addChildren([
  signIn,
  link,
  inside.addChildren([
    courses,
    course,
    workspace,
    desk,
    knot,
    map,
    notes,
    digest,
    ownNotes,
    people,
    gradebook,
    author,
    attempt,
    account,
    service,
  ]),
])

// newRouter follows the browser's address, or that of another history.
export const newRouter = (history?: RouterHistory) =>
  createRouter({
    routeTree,
    history,
    defaultPendingComponent: () => (
      <Alone title="Nimbus Reach">
        <Loading what="the page" />
      </Alone>
    ),
    defaultErrorComponent: ({ error, reset }) => <Broken error={error} reset={reset} />,
    scrollRestoration: true,
  })

declare module '@tanstack/react-router' {
  interface Register {
    router: ReturnType<typeof newRouter>
  }
}
