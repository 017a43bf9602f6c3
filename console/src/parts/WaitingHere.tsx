import { useState } from 'react'
import { isSafe, send, take, useWaiting, type Waiting } from '../offline/queue'
import { announce } from './announce'
import { exactly } from './When'

// WaitingHere are the hand-ins of an exercise that wait on this device, with why one is not sent by itself.
export function WaitingHere({ course, exercise }: { course: string; exercise: string }) {
  const list = useWaiting().filter((w) => w.course === course && w.exercise === exercise)
  return list.map((w) => <One key={w.key} waiting={w} />)
}

function One({ waiting: w }: { waiting: Waiting }) {
  const [sending, setSending] = useState(false)
  const again = async () => {
    if (sending) return
    setSending(true)
    try {
      await send(w)
    } catch (err) {
      announce(err instanceof Error ? err.message : 'It was not sent.')
    } finally {
      setSending(false)
    }
  }
  const late = w.held?.why === 'late'
  return (
    <section
      aria-label="waiting to be sent"
      data-waiting={w.held?.why ?? 'connection'}
      className="mb-5 grid gap-2 border-l-4 border-l-waiting py-1 pl-3"
    >
      <p>
        <span className="text-waiting">○</span>{' '}
        {w.held ? (
          <>
            <strong>Not sent.</strong> {w.held.says}
          </>
        ) : (
          <>
            <strong>Waits for a connection.</strong> It is sent by itself.
          </>
        )}
      </p>
      <p className="text-sm text-soft">
        Written at {exactly(w.writtenAt)}, which the team will see; the time it arrives is the one that counts.
        {!isSafe() && ' This browser keeps nothing: leave this page open until it is sent.'}
      </p>
      <p className="flex flex-wrap gap-3">
        {w.held && w.held.why !== 'closed' && (
          <button className="button min-h-11" aria-disabled={sending} onClick={() => void again()}>
            {sending ? 'Sending …' : late ? 'Send it, late' : 'Send it again'}
          </button>
        )}
        <button className="button min-h-11" onClick={() => take(w.key)}>
          Take it back
        </button>
      </p>
    </section>
  )
}
