import { Link } from '@tanstack/react-router'
import { useMe } from '../me'
import { OwnNoteView, useOwnNotes } from '../parts/OwnNote'
import { Page } from '../parts/Page'
import { Empty, Failing, Loading } from '../parts/States'
import type { OwnNote } from '../types'

// OwnNotesPage lists what one's teaching teams have written to one.
export function OwnNotesPage() {
  const me = useMe()
  const q = useOwnNotes()
  return (
    <Page me={me} ready={q.isSuccess} crumbs={[{ text: 'Notes to you' }]}>
      {q.isPending && <Loading what="your notes" />}
      {q.isError && <Failing error={q.error} again={() => void q.refetch()} />}
      {q.data && (
        <div className="grid gap-6">
          <h1 className="text-2xl font-semibold">Notes to you</h1>
          {q.data.notes.length === 0 && (
            <Empty>
              Nobody has written to you yet. What your teaching team writes stands here, and beside your verdict.
            </Empty>
          )}
          {q.data.notes.map((n) => (
            <OwnNoteView key={n.id} note={n}>
              <About note={n} />
            </OwnNoteView>
          ))}
        </div>
      )}
    </Page>
  )
}

function About({ note: n }: { note: OwnNote }) {
  return (
    <p className="text-sm text-soft">
      {n.exercise === '' ? (
        <Link to="/courses/$course" params={{ course: n.course }} className="within">
          {n.title}
        </Link>
      ) : (
        <>
          in{' '}
          <Link
            to="/courses/$course/exercises/$exercise"
            params={{ course: n.course, exercise: n.exercise }}
            className="within"
          >
            {n.exercise_title}
          </Link>
          {n.attempt && (
            <>
              , about{' '}
              <Link
                to="/courses/$course/attempts/$attempt"
                params={{ course: n.course, attempt: String(n.attempt) }}
                className="within"
              >
                your attempt
              </Link>
            </>
          )}
        </>
      )}
    </p>
  )
}
