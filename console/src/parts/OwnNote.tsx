import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { ToggleGroup } from 'radix-ui'
import { lazy, Suspense, useEffect } from 'react'
import { call, get } from '../api'
import type { OwnNote, OwnNotes } from '../types'
import { announce } from './announce'
import { Failing } from './States'
import { Answer, Messages } from './TeamNotes'
import { When } from './When'

const NoteText = lazy(() => import('./NoteText').then((m) => ({ default: m.NoteText })))

// useOwnNotes reads the notes that one has got, in a course or in all.
export const useOwnNotes = (course?: string, enabled = true) =>
  useQuery({
    enabled,
    queryKey: ['own-notes', course ?? ''],
    queryFn: () => get<OwnNotes>('/notes' + (course ? `?course=${course}` : '')),
    refetchInterval: 60_000,
  })

// OwnNoteView is a note as its student reads it, with what they say of it. Once it is on the screen it is seen.
export function OwnNoteView({ note: n, children }: { note: OwnNote; children?: React.ReactNode }) {
  const client = useQueryClient()
  const changed = () => {
    for (const k of ['own-notes', 'unseen']) void client.invalidateQueries({ queryKey: [k] })
  }
  const seen = useMutation({ mutationFn: () => call('POST', '/notes/seen', { notes: [n.id] }) })
  const see = seen.mutate
  useEffect(() => {
    if (!n.seen) see(undefined, { onSuccess: () => void client.invalidateQueries({ queryKey: ['unseen'] }) })
  }, [n.seen, n.id, see, client])
  const feel = useMutation({
    mutationFn: (feeling: string) => call('PUT', `/notes/${n.id}/feeling`, { feeling }),
    onSuccess: (_, feeling) => announce(feeling === '' ? 'Taken back.' : 'Your team can see it.'),
    onSettled: changed,
  })
  const said = feel.isPending ? feel.variables : n.feeling
  return (
    <article
      aria-label={`a note of ${n.author || 'your team'}`}
      data-note={n.id}
      className="grid gap-2 border-l-4 border-l-accent pl-3"
    >
      <p className="text-sm text-soft">
        {!n.seen && <strong className="text-ink">new · </strong>}
        {n.author || 'your teaching team'} wrote <When at={n.at} />
        {n.edited && (
          <>
            , changed <When at={n.edited} />
          </>
        )}
      </p>
      {children}
      <Suspense fallback={<p className="whitespace-pre-wrap">{n.text}</p>}>
        <NoteText text={n.text} />
      </Suspense>
      {n.exercise !== '' && (
        <ToggleGroup.Root
          type="single"
          value={said}
          onValueChange={(v) => feel.mutate(v)}
          aria-label="what you say of it"
          className="flex flex-wrap"
        >
          <ToggleGroup.Item value="helped" className="choice min-h-11">
            This helped
          </ToggleGroup.Item>
          <ToggleGroup.Item value="stuck" className="choice min-h-11">
            Still stuck
          </ToggleGroup.Item>
        </ToggleGroup.Root>
      )}
      {feel.isError && <Failing error={feel.error} />}
      {n.thread.length > 0 && <Messages lines={n.thread} />}
      <details>
        <summary className="min-h-8 cursor-pointer text-accent">Answer</summary>
        <Answer label="your answer, which your team reads" path={`/notes/${n.id}/messages`} done={changed} />
      </details>
    </article>
  )
}
