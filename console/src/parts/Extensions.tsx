import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { call, get } from '../api'
import type { Course, Extension, Extensions, Group, Members } from '../types'
import { announce } from './announce'
import { Choice } from './Choice'
import { Field } from './Field'
import { Empty, Failing, Loading } from './States'
import { When, zone } from './When'

// ExtensionForm gives a person, or a group, more time or attempts.
export function ExtensionForm({ course, person, done }: { course: string; person?: string; done: () => void }) {
  const [who, setWho] = useState(person ? 'person' : 'group')
  const [name, setName] = useState(person ?? '')
  const [group, setGroup] = useState('')
  const [exercise, setExercise] = useState('')
  const [closes, setCloses] = useState('')
  const [attempts, setAttempts] = useState('')
  const [reason, setReason] = useState('')
  const exercises = useQuery({ queryKey: ['course', course], queryFn: () => get<Course>(`/courses/${course}`) })
  const groups = useQuery({ queryKey: ['groups', course], queryFn: () => get<Group[]>(`/courses/${course}/groups`) })
  const people = useQuery({
    queryKey: ['members', course, 'students'],
    queryFn: () => get<Members>(`/courses/${course}/people?role=student&state=active&limit=2000`),
    enabled: !person,
  })
  const give = useMutation({
    mutationFn: () =>
      call<Extension>('POST', `/courses/${course}/extensions`, {
        ...(who === 'person' ? { person: name } : { group: group || groups.data?.[0]?.name }),
        exercise: exercise || undefined,
        closes: closes ? new Date(closes).toISOString() : undefined,
        attempts: attempts ? Number(attempts) : undefined,
        reason,
      }),
    onSuccess: () => {
      announce('The extension is given.')
      setReason('')
      done()
    },
  })
  return (
    <form
      className="grid max-w-3xl gap-3 pt-2 sm:grid-cols-2"
      aria-label="a new extension"
      onSubmit={(e) => {
        e.preventDefault()
        if (!give.isPending) give.mutate()
      }}
    >
      {!person && (
        <Choice
          label="For"
          value={who}
          change={setWho}
          of={[
            ['group', 'a group'],
            ['person', 'one person'],
          ]}
        />
      )}
      {!person && who === 'person' && (
        <div>
          <Field label="Name" value={name} change={setName} list="students" className="w-full" />
          <datalist id="students">
            {people.data?.people.map((m) => (
              <option key={m.name} value={m.name}>
                {m.display}
              </option>
            ))}
          </datalist>
        </div>
      )}
      {who === 'group' && (
        <Choice
          label="Group"
          value={group}
          change={setGroup}
          of={(groups.data ?? []).map((g) => [g.name, `${g.name} (${g.people})`])}
        />
      )}
      <Choice
        label="Exercise"
        value={exercise}
        change={setExercise}
        of={[['', 'all exercises'], ...(exercises.data?.exercises ?? []).map((e) => [e.name, e.title] as const)]}
      />
      <Field
        label={`Closes then (${zone()})`}
        type="datetime-local"
        value={closes}
        change={setCloses}
        required={attempts === ''}
      />
      <Field
        label="Attempts, all told"
        inputMode="numeric"
        value={attempts}
        change={setAttempts}
        required={closes === ''}
        pattern="[0-9]+"
      />
      <Field label="Reason, which the student sees" value={reason} change={setReason} maxLength={500} />
      <button className="button button-main min-h-11 self-end justify-self-start" aria-disabled={give.isPending}>
        Give the extension
      </button>
      {give.isError && (
        <div className="sm:col-span-2">
          <Failing error={give.error} />
        </div>
      )}
    </form>
  )
}

// ExtensionList is what was given, newest first.
export function ExtensionList({ course, withdraws }: { course: string; withdraws: boolean }) {
  const client = useQueryClient()
  const q = useInfiniteQuery({
    queryKey: ['extensions', course],
    queryFn: ({ pageParam: before }) =>
      get<Extensions>(`/courses/${course}/extensions${before ? `?before=${before}` : ''}`),
    initialPageParam: 0,
    getNextPageParam: (last) => last.next ?? undefined,
  })
  const exercises = useQuery({ queryKey: ['course', course], queryFn: () => get<Course>(`/courses/${course}`) })
  const withdraw = useMutation({
    mutationFn: (id: number) => call('DELETE', `/courses/${course}/extensions/${id}`),
    onSuccess: () => announce('The extension is withdrawn.'),
    onSettled: () => void client.invalidateQueries({ queryKey: ['extensions', course] }),
  })
  const title = (name: string) =>
    name === '' ? 'all exercises' : (exercises.data?.exercises.find((e) => e.name === name)?.title ?? name)
  if (q.isPending) return <Loading what="the extensions" />
  if (q.isError) return <Failing error={q.error} again={() => void q.refetch()} />
  const list = q.data.pages.flatMap((p) => p.extensions)
  if (list.length === 0)
    return <Empty>No extensions yet. One gives a person or a group another closing time, or more attempts.</Empty>
  return (
    <section aria-label="extensions">
      {withdraw.isError && <Failing error={withdraw.error} />}
      <ul className="border-t border-rule">
        {list.map((x) => (
          <li key={x.id} className="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-rule py-2">
            <span className={`min-w-0 flex-1 ${x.withdrawn ? 'text-soft line-through' : ''}`}>
              <strong>{x.group ? `group ${x.group}` : x.display}</strong>, {title(x.exercise)}
              {x.closes && (
                <>
                  , closes <When at={x.closes} />
                </>
              )}
              {x.attempts !== null && `, ${x.attempts} attempts`}: {x.reason}
              <span className="block text-sm text-soft">
                by {x.by}, <When at={x.created} />
              </span>
            </span>
            {x.withdrawn ? (
              <span className="text-soft">
                withdrawn <When at={x.withdrawn} />
              </span>
            ) : (
              withdraws && (
                <button className="button" onClick={() => withdraw.mutate(x.id)}>
                  Withdraw
                </button>
              )
            )}
          </li>
        ))}
      </ul>
      {q.hasNextPage && (
        <button className="button mt-3" onClick={() => void q.fetchNextPage()}>
          Older ones
        </button>
      )}
    </section>
  )
}
