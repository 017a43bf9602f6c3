import { useMutation } from '@tanstack/react-query'
import { useEffect, useId, useRef, useState } from 'react'
import { flushSync } from 'react-dom'
import { call } from '../api'
import type { Exercise, Predicted } from '../types'
import { announce } from './announce'
import { Failing } from './States'
import { Mark } from './Mark'

const hints = {
  kind: 'bool, int, real or complex',
  value: 'a number, or a list',
  error: 'the code of an error, or none',
}

// Predictions asks before anything runs; what was said stays beside what came.
export function Predictions({ exercise: e, done }: { exercise: Exercise; done: () => void }) {
  const [answers, setAnswers] = useState(() => e.asks.map(() => ''))
  const heading = useRef<HTMLHeadingElement>(null)
  const send = useMutation({
    mutationFn: () =>
      call<{ predictions: Predicted[] }>('POST', `/courses/${e.course}/exercises/${e.name}/predictions`, { answers }),
    onSuccess: ({ predictions }) => {
      announce(`${predictions.filter((p) => p.right).length} of ${predictions.length} predictions are right`)
      done()
    },
  })
  const said = e.counts.predictions.filter((p) => p.said !== null && p.came)
  const answered = send.isSuccess && said.length > 0
  useEffect(() => {
    if (answered) heading.current?.focus()
  }, [answered])
  if (e.asks.length === 0) {
    if (said.length === 0) return null
    return (
      <section aria-label="predicted" className="sheet grid gap-2 p-3">
        <h2 ref={heading} tabIndex={-1} className="font-semibold">
          What you predicted
        </h2>
        {said.map((p, i) => (
          <div key={i} data-predicted={p.came?.right}>
            <p>
              {p.ask} <code>{p.of}</code>
            </p>
            <dl className="grid grid-cols-[3rem_1fr] text-sm">
              <dt className="text-soft">said</dt>
              <dd>
                <code>{p.said}</code>{' '}
                {p.came?.right ? <Mark word="agrees">right</Mark> : <Mark word="differs">not so</Mark>}
              </dd>
              <dt className="text-soft">is</dt>
              <dd>
                <code>{p.came?.expected}</code>
              </dd>
            </dl>
          </div>
        ))}
      </section>
    )
  }
  return (
    <form
      aria-label="predictions"
      className="sheet grid gap-3 p-3"
      onSubmit={(event) => {
        event.preventDefault()
        if (!send.isPending) send.mutate()
      }}
    >
      <h2 className="font-semibold">Predict before you run anything</h2>
      {e.asks.map((q, i) => {
        const set = (v: string) => setAnswers(e.asks.map((_, k) => (k === i ? v : (answers[k] ?? ''))))
        const ask = (
          <>
            {q.ask} <code>{q.of}</code>
          </>
        )
        if (q.what === 'shape') return <ShapeCells key={i} ask={ask} change={set} />
        return (
          <label key={i} className="grid gap-1">
            <span>{ask}</span>
            <input
              className="field mono min-h-11"
              value={answers[i] ?? ''}
              placeholder={hints[q.what]}
              required
              onChange={(event) => set(event.target.value)}
            />
          </label>
        )
      })}
      {send.isError && <Failing error={send.error} />}
      <button className="button button-main min-h-11 justify-self-start" aria-disabled={send.isPending}>
        Answer
      </button>
    </form>
  )
}

// ShapeCells takes a shape as the cells of a strip, one for each axis; lengths with commas between fill several.
function ShapeCells({ ask, change }: { ask: React.ReactNode; change: (answer: string) => void }) {
  const [cells, setCells] = useState([''])
  const id = useId()
  const row = useRef<HTMLSpanElement>(null)
  const set = (next: string[]) => {
    setCells(next)
    change(`[${next.map((c) => c.trim()).join(', ')}]`)
  }
  const typed = (i: number, text: string) => {
    const parts = text.replace(/[[\]]/g, '').split(',')
    // The next cell is there before the next key.
    flushSync(() => set([...cells.slice(0, i), ...parts.map((p) => p.trim()), ...cells.slice(i + 1)]))
    if (parts.length > 1) row.current?.querySelectorAll('input')[i + parts.length - 1]?.focus()
  }
  return (
    <div role="group" aria-labelledby={id} className="grid gap-1">
      <span id={id}>{ask}</span>
      <span ref={row} className="flex flex-wrap items-center gap-y-2">
        {cells.map((c, i) => (
          <input
            key={i}
            className="field mono -ml-px min-h-11 w-20 text-center first:ml-0"
            aria-label={`length of axis ${i + 1}`}
            placeholder={`axis ${i + 1}`}
            value={c}
            required
            autoCapitalize="none"
            onChange={(event) => typed(i, event.target.value)}
          />
        ))}
        {cells.length === 0 && (
          <span className="mono border border-dashed border-edge px-3 py-2 text-soft">scalar</span>
        )}
        <span className="flex gap-2 pl-3">
          <button
            type="button"
            className="button min-h-11"
            aria-label="One more axis"
            onClick={() => set([...cells, ''])}
          >
            One more
          </button>
          <button
            type="button"
            className="button min-h-11"
            aria-label="One less axis"
            aria-disabled={cells.length === 0}
            onClick={() => cells.length > 0 && set(cells.slice(0, -1))}
          >
            One less
          </button>
        </span>
      </span>
    </div>
  )
}
