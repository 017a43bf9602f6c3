import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import type { ColumnDef } from '@tanstack/react-table'
import { Tabs } from 'radix-ui'
import { type ReactNode, useMemo, useState } from 'react'
import { call, get } from '../api'
import { useMe } from '../me'
import { announce } from '../parts/announce'
import { Fold } from '../parts/Fold'
import { Field } from '../parts/Field'
import { Ledger } from '../parts/Ledger'
import { NewCourse } from '../parts/NewCourse'
import { Page } from '../parts/Page'
import { Panel } from '../parts/Panel'
import { Empty, Failing, Loading } from '../parts/States'
import { useSettled } from '../parts/useSettled'
import { When } from '../parts/When'
import type {
  AccountLink,
  AuditLine,
  AuditTrail,
  CourseLine,
  CourseLines,
  Letter,
  Outbox,
  People,
  Person,
  Service,
} from '../types'

// ServicePage is the operator's: how the service is, who is in it, its courses, its mail, and what was done.
export function ServicePage() {
  const me = useMe()
  return (
    <Page me={me} ready wide crumbs={[{ text: 'Service' }]}>
      <h1 className="mb-2 text-2xl font-semibold">Service</h1>
      {!me.operator ? (
        <Empty>This page is for those who run the service.</Empty>
      ) : (
        <Tabs.Root defaultValue="health">
          <Tabs.List aria-label="service" className="mb-4 flex flex-wrap border-b border-rule">
            {['Health', 'People', 'Courses', 'Mail', 'Audit trail'].map((t) => (
              <Tabs.Trigger key={t} value={t.split(' ')[0]?.toLowerCase() ?? t} className="tab">
                {t}
              </Tabs.Trigger>
            ))}
          </Tabs.List>
          <Tabs.Content value="health">
            <Health />
          </Tabs.Content>
          <Tabs.Content value="people">
            <Everybody />
          </Tabs.Content>
          <Tabs.Content value="courses">
            <AllCourses />
          </Tabs.Content>
          <Tabs.Content value="mail">
            <Mail />
          </Tabs.Content>
          <Tabs.Content value="audit">
            <Trail />
          </Tabs.Content>
        </Tabs.Root>
      )}
    </Page>
  )
}

function Health() {
  const q = useQuery({ queryKey: ['service'], queryFn: () => get<Service>('/service'), refetchInterval: 5_000 })
  if (q.isPending) return <Loading what="how the service is" />
  if (q.isError) return <Failing error={q.error} again={() => void q.refetch()} />
  const s = q.data
  const lines: [string, ReactNode][] = [
    ['Database', `${s.database}, migration ${s.schema}`],
    [
      s.nodes.length === 1 ? 'Node' : 'Nodes',
      <ul key="nodes">
        {s.nodes.map((n) => (
          <li key={n.address}>
            <span className={n.serves ? 'text-agrees' : 'text-failed'}>
              {n.serves ? '● serves' : '▲ does not serve'}
            </span>{' '}
            <span className="mono">{n.address}</span>
            {n.current && ' · in use'}
          </li>
        ))}
      </ul>,
    ],
    [
      'Checking',
      <>
        {s.queue === 1 ? '1 attempt waits' : `${s.queue} attempts wait`} at {s.workers}{' '}
        {s.workers === 1 ? 'process' : 'processes'}
        {s.stuck > 0 && <span className="text-failed"> · ▲ {s.stuck} stuck</span>}
      </>,
    ],
    [
      'Mail',
      s.mail.configured ? (
        <>
          by <span className="mono">{s.mail.server}</span>: {s.mail.waiting} wait
          {s.mail.oldest && (
            <>
              , the oldest since <When at={s.mail.oldest} />
            </>
          )}
          , {s.mail.sent} sent
          {s.mail.failed > 0 && <span className="text-failed"> · ▲ {s.mail.failed} given up</span>}
        </>
      ) : (
        'none is sent; links are shown instead'
      ),
    ],
    ['Holds', `${s.people} people, ${s.courses} courses`],
    [
      'This process',
      <>
        version {s.version}, {s.go}, running since <When at={s.started_at} />
      </>,
    ],
  ]
  return (
    <dl className="border-t border-rule">
      {lines.map(([name, value]) => (
        <div key={name} className="grid gap-x-4 border-b border-rule py-2 sm:grid-cols-[9rem_1fr]">
          <dt className="text-soft">{name}</dt>
          <dd>{value}</dd>
        </div>
      ))}
    </dl>
  )
}

const people: ColumnDef<Person>[] = [
  {
    header: 'Name',
    accessorKey: 'display',
    meta: { width: 'minmax(9rem, 2fr)' },
    cell: ({ row: { original: p } }) => (
      <>
        <span className={p.state === 'left' ? 'text-soft line-through' : ''}>{p.display}</span>{' '}
        <span className="text-sm text-soft">{p.name}</span>
      </>
    ),
  },
  { header: 'Number', accessorKey: 'number', meta: { width: '8rem', wide: true } },
  { header: 'Address', accessorKey: 'email', meta: { width: 'minmax(8rem, 2fr)', wide: true } },
  {
    header: 'Last seen',
    accessorKey: 'seen',
    meta: { width: '8rem' },
    cell: ({ row: { original: p } }) => p.seen && <When at={p.seen} />,
  },
  {
    header: 'State',
    id: 'state',
    meta: { width: '9rem', wide: true },
    accessorFn: (p) => (p.state === 'left' ? '○ left' : p.pending ? '○ no password yet' : p.operator ? 'operator' : ''),
  },
]

function Everybody() {
  const [text, setText] = useState('')
  const [open, setOpen] = useState<string>()
  const search = useSettled(text, 200)
  const q = useInfiniteQuery({
    queryKey: ['people', search],
    queryFn: ({ pageParam }) =>
      get<People>(`/people?${new URLSearchParams({ search, after: pageParam, limit: '500' }).toString()}`),
    initialPageParam: '',
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: (old) => old,
  })
  const rows = useMemo(() => q.data?.pages.flatMap((p) => p.people) ?? [], [q.data])
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = q
  const chosen = rows.find((p) => p.name === open)
  return (
    <div className="grid gap-4">
      <NewPerson />
      <label className="grid max-w-md gap-1">
        <span className="label">Search by the beginning of a name, address or number</span>
        <input type="search" className="field min-h-11" value={text} onChange={(e) => setText(e.target.value)} />
      </label>
      {q.isPending && <Loading what="who is here" />}
      {q.isError && <Failing error={q.error} again={() => void q.refetch()} />}
      {q.data && (
        <Ledger
          label="people"
          rows={rows}
          columns={people}
          id={(p) => p.name}
          open={(p) => setOpen(p.name)}
          opened={open}
          more={hasNextPage && !isFetchingNextPage ? () => void fetchNextPage() : undefined}
          empty={<Empty>Nobody fits what is searched for.</Empty>}
        />
      )}
      {chosen && <PersonPanel key={chosen.name} person={chosen} close={() => setOpen(undefined)} />}
    </div>
  )
}

function PersonPanel({ person: p, close }: { person: Person; close: () => void }) {
  const client = useQueryClient()
  const again = () => void client.invalidateQueries({ queryKey: ['people'] })
  const state = useMutation({
    mutationFn: () => call('PUT', `/people/${p.name}/state`, { state: p.state === 'left' ? 'active' : 'left' }),
    onSuccess: () => announce(`${p.display} is changed.`),
    onSettled: again,
  })
  const link = useMutation({
    mutationFn: () => call<AccountLink>('POST', `/people/${p.name}/link`, { forgotten: !p.pending }),
  })
  return (
    <Panel title={p.display} close={close}>
      <p className="text-soft">
        signs in as <span className="mono">{p.name}</span>
        {p.operator && ', operator'}
      </p>
      {p.email && <p>{p.email}</p>}
      {p.state === 'active' && (
        <div className="grid gap-2">
          <button className="button min-h-11 justify-self-start" onClick={() => link.mutate()}>
            {p.email ? 'Send a new link' : 'Make a new link'}
          </button>
          {link.isError && <Failing error={link.error} />}
          {link.data && <LinkMade link={link.data} />}
        </div>
      )}
      <div className="border-t border-rule pt-3">
        <button className="button min-h-11" onClick={() => state.mutate()}>
          {p.state === 'left' ? 'Let them come back' : 'Let them leave the service'}
        </button>
        <p className="mt-1 text-sm text-soft">
          Who left cannot sign in, and is signed out everywhere; attempts, grades and the audit trail remain.
        </p>
        {state.isError && <Failing error={state.error} />}
      </div>
    </Panel>
  )
}

function LinkMade({ link }: { link: AccountLink }) {
  return (
    <p role="status">
      {link.mailed ? `The link goes to ${link.mailed}.` : 'The link is shown this once: '}
      {link.address && <code className="break-all">{link.address}</code>}
    </p>
  )
}

function NewPerson() {
  const client = useQueryClient()
  const [name, setName] = useState('')
  const [display, setDisplay] = useState('')
  const [email, setEmail] = useState('')
  const add = useMutation({
    mutationFn: () => call<Person>('POST', '/people', { name, display, email }),
    onSuccess: (p) => {
      announce(`${p.display} has an account.`)
      setName('')
      setDisplay('')
      setEmail('')
      void client.invalidateQueries({ queryKey: ['people'] })
    },
  })
  return (
    <Fold title="A new account">
      <form
        className="flex flex-wrap items-end gap-3 pt-2"
        onSubmit={(e) => {
          e.preventDefault()
          if (!add.isPending) add.mutate()
        }}
      >
        <Field label="Name to sign in with" value={name} change={setName} autoComplete="off" />
        <Field label="Name that others see" value={display} change={setDisplay} required={false} autoComplete="off" />
        <Field
          label="E-mail address"
          type="email"
          value={email}
          change={setEmail}
          required={false}
          autoComplete="off"
        />
        <button className="button min-h-11" aria-disabled={add.isPending}>
          Make the account
        </button>
      </form>
      {add.isError && <Failing error={add.error} />}
      {add.data?.link && <LinkMade link={add.data.link} />}
    </Fold>
  )
}

const courses: ColumnDef<CourseLine>[] = [
  {
    header: 'Course',
    accessorKey: 'title',
    meta: { width: 'minmax(9rem, 2fr)' },
    cell: ({ row: { original: c } }) => (
      <Link to="/courses/$course/people" params={{ course: c.slug }} className="within">
        {c.title}
      </Link>
    ),
  },
  { header: 'In addresses', accessorKey: 'slug', meta: { width: 'minmax(8rem, 1fr)', wide: true } },
  { header: 'Students', accessorKey: 'students', meta: { width: '6rem', end: true } },
  { header: 'Team', accessorKey: 'team', meta: { width: '4rem', end: true, wide: true } },
  { header: 'Revision', accessorKey: 'revision', meta: { width: '6rem', end: true, wide: true } },
  {
    header: 'State',
    id: 'state',
    meta: { width: '8rem', wide: true },
    accessorFn: (c) => (c.archived ? '○ archived' : c.revision === 0 ? '○ empty' : ''),
  },
]

function AllCourses() {
  const client = useQueryClient()
  const q = useInfiniteQuery({
    queryKey: ['all-courses'],
    queryFn: ({ pageParam }) => get<CourseLines>(`/service/courses?after=${encodeURIComponent(pageParam)}`),
    initialPageParam: '',
    getNextPageParam: (last) => last.next ?? undefined,
  })
  const rows = useMemo(() => q.data?.pages.flatMap((p) => p.courses) ?? [], [q.data])
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = q
  return (
    <div className="grid gap-4">
      <Fold title="A new course">
        <NewCourse instructor done={() => void client.invalidateQueries({ queryKey: ['all-courses'] })} />
      </Fold>
      {q.isPending && <Loading what="the courses" />}
      {q.isError && <Failing error={q.error} again={() => void q.refetch()} />}
      {q.data && (
        <Ledger
          label="courses"
          rows={rows}
          columns={courses}
          id={(c) => c.slug}
          more={hasNextPage && !isFetchingNextPage ? () => void fetchNextPage() : undefined}
          empty={<Empty>No course yet.</Empty>}
        />
      )}
    </div>
  )
}

const letters: ColumnDef<Letter>[] = [
  { header: 'To', accessorKey: 'recipient', meta: { width: 'minmax(8rem, 1.5fr)' } },
  { header: 'Subject', accessorKey: 'subject', meta: { width: 'minmax(8rem, 2fr)', wide: true } },
  {
    header: 'State',
    accessorKey: 'state',
    meta: { width: '7rem' },
    cell: ({ row: { original: l } }) => (
      <span className={l.state === 'failed' ? 'text-failed' : l.state === 'sent' ? 'text-agrees' : 'text-waiting'}>
        {{ failed: '▲ given up', sent: '● sent', waiting: '○ waits', sending: '○ on its way' }[l.state]}
      </span>
    ),
  },
  { header: 'Tries', accessorKey: 'tries', meta: { width: '4rem', end: true, wide: true } },
  {
    header: 'Made',
    accessorKey: 'created',
    meta: { width: '8rem', wide: true },
    cell: ({ row: { original: l } }) => <When at={l.created} />,
  },
  { header: 'What the server said', accessorKey: 'error', meta: { width: 'minmax(6rem, 2fr)', wide: true } },
]

function Mail() {
  const q = useInfiniteQuery({
    queryKey: ['outbox'],
    queryFn: ({ pageParam }) => get<Outbox>(`/service/outbox${pageParam ? `?before=${pageParam}` : ''}`),
    initialPageParam: 0,
    getNextPageParam: (last) => last.next ?? undefined,
    refetchInterval: 5_000,
  })
  const rows = useMemo(() => q.data?.pages.flatMap((p) => p.letters) ?? [], [q.data])
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = q
  if (q.isPending) return <Loading what="the mail" />
  if (q.isError) return <Failing error={q.error} again={() => void q.refetch()} />
  return (
    <Ledger
      label="mail"
      rows={rows}
      columns={letters}
      id={(l) => String(l.id)}
      more={hasNextPage && !isFetchingNextPage ? () => void fetchNextPage() : undefined}
      empty={<Empty>No mail yet. Links and notes that go out by mail are listed here, without their text.</Empty>}
    />
  )
}

const trail: ColumnDef<AuditLine>[] = [
  {
    header: 'When',
    accessorKey: 'at',
    meta: { width: '8rem', wide: true },
    cell: ({ row: { original: l } }) => <When at={l.at} />,
  },
  { header: 'Who', accessorKey: 'by', meta: { width: '7rem', wide: true } },
  { header: 'What', accessorKey: 'action', meta: { width: '9rem' } },
  { header: 'To', accessorKey: 'subject', meta: { width: 'minmax(8rem, 1fr)' } },
  {
    header: 'Detail',
    accessorKey: 'detail',
    meta: { width: 'minmax(8rem, 2fr)', wide: true },
    cell: ({ row: { original: l } }) => <span title={l.detail}>{l.detail}</span>,
  },
]

function Trail() {
  const [subject, setSubject] = useState('')
  const [by, setBy] = useState('')
  const search = useSettled({ subject, by }, 250)
  const q = useInfiniteQuery({
    queryKey: ['trail', search],
    queryFn: ({ pageParam }) => {
      const query = new URLSearchParams(search)
      if (pageParam) query.set('before', String(pageParam))
      return get<AuditTrail>(`/service/audit?${query.toString()}`)
    },
    initialPageParam: 0,
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: (old) => old,
  })
  const rows = useMemo(() => q.data?.pages.flatMap((p) => p.lines) ?? [], [q.data])
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = q
  return (
    <div className="grid gap-4">
      <div className="flex flex-wrap gap-3">
        <Field label="To whom or what it begins with" value={subject} change={setSubject} required={false} />
        <Field label="Who did it" value={by} change={setBy} required={false} />
      </div>
      {q.isPending && <Loading what="the audit trail" />}
      {q.isError && <Failing error={q.error} again={() => void q.refetch()} />}
      {q.data && (
        <Ledger
          label="audit trail"
          rows={rows}
          columns={trail}
          id={(l) => String(l.id)}
          more={hasNextPage && !isFetchingNextPage ? () => void fetchNextPage() : undefined}
          empty={<Empty>Nothing fits what is searched for.</Empty>}
        />
      )}
    </div>
  )
}
