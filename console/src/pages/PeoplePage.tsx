import { useInfiniteQuery, useQuery, useQueryClient } from '@tanstack/react-query'
import { useParams } from '@tanstack/react-router'
import type { ColumnDef } from '@tanstack/react-table'
import { Tabs } from 'radix-ui'
import { useMemo, useState } from 'react'
import { get } from '../api'
import { useMe } from '../me'
import { AddPerson } from '../parts/AddPerson'
import { Fold } from '../parts/Fold'
import { Ledger } from '../parts/Ledger'
import { Page } from '../parts/Page'
import { Choice } from '../parts/Choice'
import { ExtensionForm, ExtensionList } from '../parts/Extensions'
import { MemberPanel } from '../parts/MemberPanel'
import { Roster } from '../parts/Roster'
import { Empty, Failing, Loading } from '../parts/States'
import { useSettled } from '../parts/useSettled'
import { When } from '../parts/When'
import type { Group, Member, Members } from '../types'

// PeoplePage is who is in a course: found, moved, sent links and given time, one by one, or as a roster.
export function PeoplePage() {
  const me = useMe()
  const { course } = useParams({ from: '/inside/courses/$course/people' })
  const mine = me.courses.find((c) => c.slug === course)
  const manages = mine ? mine.role === 'instructor' : me.operator
  const [tab, setTab] = useState('list')
  const client = useQueryClient()
  const again = () => {
    for (const key of ['members', 'groups', 'extensions']) void client.invalidateQueries({ queryKey: [key, course] })
  }
  return (
    <Page
      me={me}
      ready
      wide
      crumbs={[{ text: mine?.title ?? course, to: mine ? `/courses/${course}` : '/service' }, { text: 'People' }]}
    >
      <h1 className="mb-2 text-2xl font-semibold">People</h1>
      <Tabs.Root value={tab} onValueChange={setTab}>
        <Tabs.List aria-label="people" className="mb-4 flex flex-wrap border-b border-rule">
          <Tabs.Trigger value="list" className="tab">
            Everybody
          </Tabs.Trigger>
          {manages && (
            <Tabs.Trigger value="roster" className="tab">
              Import a roster
            </Tabs.Trigger>
          )}
          {mine && (
            <Tabs.Trigger value="extensions" className="tab">
              Extensions
            </Tabs.Trigger>
          )}
        </Tabs.List>
        <Tabs.Content value="list">
          <Everybody course={course} manages={manages} teaches={mine?.role === 'instructor'} changed={again} />
        </Tabs.Content>
        <Tabs.Content value="roster">
          <Roster course={course} done={again} />
        </Tabs.Content>
        <Tabs.Content value="extensions" className="grid gap-6">
          {mine?.role === 'instructor' && <ExtensionForm course={course} done={again} />}
          <ExtensionList course={course} withdraws={mine?.role === 'instructor'} />
        </Tabs.Content>
      </Tabs.Root>
    </Page>
  )
}

const roles = ['student', 'assistant', 'instructor']

const query = (of: Record<string, string>) =>
  new URLSearchParams(Object.entries(of).filter(([, v]) => v !== '')).toString()

function Everybody({
  course,
  manages,
  teaches,
  changed,
}: {
  course: string
  manages: boolean
  teaches: boolean
  changed: () => void
}) {
  const [text, setText] = useState('')
  const [role, setRole] = useState('')
  const [group, setGroup] = useState('')
  const [state, setState] = useState('active')
  const [open, setOpen] = useState<string>()
  const search = useSettled(text, 200)
  const groups = useQuery({ queryKey: ['groups', course], queryFn: () => get<Group[]>(`/courses/${course}/groups`) })
  const q = useInfiniteQuery({
    queryKey: ['members', course, search, role, group, state],
    queryFn: ({ pageParam: after }) =>
      get<Members>(`/courses/${course}/people?${query({ search, role, group, state, after, limit: '200' })}`),
    initialPageParam: '',
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: (old) => old,
  })
  const people = useMemo(() => q.data?.pages.flatMap((p) => p.people) ?? [], [q.data])
  const total = q.data?.pages[0]?.total ?? people.length
  const columns = useMemo(() => columnsOf(manages), [manages])
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = q
  const chosen = people.find((m) => m.name === open)
  return (
    <>
      {manages && (
        <Fold title="Add one person" className="mb-2">
          <AddPerson course={course} groups={groups.data ?? []} done={changed} />
        </Fold>
      )}
      <div className="mb-4 flex flex-wrap items-end gap-3">
        <label className="grid min-w-48 flex-1 basis-full gap-1 sm:basis-48">
          <span className="label">Search{manages ? ' by name, address or number' : ' by name'}</span>
          <input type="search" className="field min-h-11" value={text} onChange={(e) => setText(e.target.value)} />
        </label>
        <Choice
          label="Role"
          value={role}
          change={setRole}
          of={[['', 'any role'], ...roles.map((r) => [r, r] as const)]}
        />
        <Choice
          label="Group"
          value={group}
          change={setGroup}
          of={[['', 'any group'], ...(groups.data ?? []).map((g) => [g.name, `${g.name} (${g.people})`] as const)]}
        />
        <Choice
          label="State"
          value={state}
          change={setState}
          of={[
            ['active', 'in the course'],
            ['left', 'left'],
            ['', 'all'],
          ]}
        />
      </div>
      {q.isPending && <Loading what="who is here" />}
      {q.isError && <Failing error={q.error} again={() => void q.refetch()} />}
      {q.data && (
        <>
          <p className="mb-2 text-sm text-soft" role="status">
            {total.toLocaleString('en')} {total === 1 ? 'person' : 'people'}
          </p>
          <Ledger
            label="people"
            rows={people}
            columns={columns}
            id={(m) => m.name}
            open={manages ? (m) => setOpen(m.name) : undefined}
            opened={open}
            more={hasNextPage && !isFetchingNextPage ? () => void fetchNextPage() : undefined}
            empty={
              <Empty>
                {search || role || group
                  ? 'Nobody fits what is searched for.'
                  : 'Nobody is here yet. Import a roster, or add people one by one.'}
              </Empty>
            }
          />
        </>
      )}
      {chosen && (
        <MemberPanel
          key={chosen.name}
          course={course}
          member={chosen}
          groups={groups.data ?? []}
          teaches={teaches}
          close={() => setOpen(undefined)}
          changed={changed}
        />
      )}
    </>
  )
}

function stateOf(m: Member) {
  if (m.state === 'left') return '○ left'
  if (m.pending) return '○ no password yet'
  return ''
}

function columnsOf(manages: boolean): ColumnDef<Member>[] {
  const out: ColumnDef<Member>[] = [
    {
      header: 'Name',
      accessorKey: 'display',
      meta: { width: 'minmax(9rem, 2fr)' },
      cell: ({ row: { original: m } }) => (
        <>
          <span className={m.state === 'left' ? 'text-soft line-through' : ''}>{m.display}</span>{' '}
          <span className="text-sm text-soft">{m.name}</span>
        </>
      ),
    },
    { header: 'Role', accessorKey: 'role', meta: { width: '6.5rem', wide: true } },
    {
      header: 'Group',
      accessorKey: 'group',
      meta: { width: 'minmax(4rem, 1fr)' },
      cell: ({ row: { original: m } }) => (m.groups.length > 0 ? `sees ${m.groups.join(', ')}` : m.group),
    },
  ]
  if (!manages) return out
  return [
    ...out,
    { header: 'Number', accessorKey: 'number', meta: { width: '7rem', wide: true } },
    { header: 'Address', accessorKey: 'email', meta: { width: 'minmax(8rem, 1.5fr)', wide: true } },
    {
      header: 'Last seen',
      accessorKey: 'seen',
      meta: { width: '8rem', wide: true },
      cell: ({ row: { original: m } }) => m.seen && <When at={m.seen} />,
    },
    {
      header: 'State',
      id: 'state',
      accessorFn: stateOf,
      meta: { width: '9rem', wide: true },
      cell: ({ row: { original: m } }) => <span className="text-soft">{stateOf(m)}</span>,
    },
  ]
}
