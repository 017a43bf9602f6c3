import { useQuery } from '@tanstack/react-query'
import { useParams } from '@tanstack/react-router'
import { useState } from 'react'
import { get } from '../api'
import { CourseFrame } from '../parts/CourseFrame'
import { Choice } from '../parts/Choice'
import { Live } from '../parts/Live'
import { NoteForm } from '../parts/NoteForm'
import { Empty } from '../parts/States'
import { TeamPages } from '../parts/Team'
import { AboutNote, NoteList } from '../parts/TeamNotes'
import { useLive } from '../parts/useLive'
import type { Course, TeamNotes } from '../types'

// NotesPage lists what the team has written, with what it has come to and what students answered.
export function NotesPage() {
  const { course } = useParams({ from: '/inside/courses/$course/notes' })
  const line = useLive(course, ['notes', 'note'])
  const [show, setShow] = useState('standing')
  const [writing, setWriting] = useState<string | null>(null)
  const c = useQuery({ queryKey: ['course', course], queryFn: () => get<Course>(`/courses/${course}`) })
  const q = useQuery({
    queryKey: ['notes', course, show === 'all'],
    queryFn: () => get<TeamNotes>(`/courses/${course}/notes?limit=300${show === 'all' ? '&withdrawn=true' : ''}`),
  })
  const titleOf = (name: string) => c.data?.exercises.find((e) => e.name === name)?.title ?? name
  const list = (q.data?.notes ?? []).filter((n) => show !== 'answered' || n.effect.unread > 0)
  return (
    <CourseFrame course={course} title={c.data?.title} trail={[{ text: 'Notes' }]} what="the notes" of={q}>
      {q.data && (
        <>
          <div className="mb-3 flex flex-wrap items-baseline gap-x-5 gap-y-2">
            <h1 className="flex-1 text-2xl font-semibold">Notes</h1>
            <TeamPages course={course} at="notes" />
            <Live line={line} />
          </div>
          <div className="mb-4 flex flex-wrap items-end gap-3">
            <Choice
              label="show"
              value={show}
              change={setShow}
              of={[
                ['standing', 'those that stand'],
                ['answered', 'with new answers'],
                ['all', 'withdrawn ones too'],
              ]}
            />
            <button className="button min-h-11" onClick={() => setWriting('')}>
              Write to the course
            </button>
            <Choice
              label="or about an exercise"
              value=""
              change={(v) => v && setWriting(v)}
              of={[['', 'choose one'], ...(c.data?.exercises ?? []).map((e) => [e.name, e.title] as const)]}
            />
          </div>
          {list.length === 0 ? (
            <Empty>
              {show === 'answered'
                ? 'No answer is new.'
                : 'No note yet. Open a knot on the desk to write to everybody who is in it.'}
            </Empty>
          ) : (
            <NoteList
              course={course}
              notes={list}
              where={(n) => <AboutNote course={course} note={n} title={titleOf(n.exercise)} />}
            />
          )}
          {writing !== null && (
            <NoteForm
              course={course}
              to={writing === '' ? {} : { exercise: writing }}
              about={writing === '' ? 'To the whole course.' : `To everybody, about ${titleOf(writing)}.`}
              reaches="everybody in the course, and whoever joins"
              close={() => setWriting(null)}
            />
          )}
        </>
      )}
    </CourseFrame>
  )
}
