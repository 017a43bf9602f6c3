import { useMutation } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { call } from '../api'
import type { Exercise, Form, Ticket } from '../types'
import { announce } from './announce'
import { formOf, sizeOf, taken, timeLeft, type Brought } from './brought'
import { CaseTabs } from './CaseTabs'
import { Download, axesOf } from './Download'
import { ShapeStrips, unfit } from './ShapeStrip'
import { Failing } from './States'

// Bring is the way for those who compute elsewhere: take data, drop files, see whether their form is as wanted, hand in.
export function Bring({
  exercise: e,
  why,
  pending,
  handIn,
}: {
  exercise: Exercise
  why: string // nothing can be handed in; "" where it can
  pending: boolean
  handIn: (body: FormData) => Promise<unknown>
}) {
  const path = `/courses/${e.course}/exercises/${e.name}`
  const [ticket, setTicket] = useState<Ticket | null>(null)
  const [files, setFiles] = useState<Brought[]>([])
  const [source, setSource] = useState('')
  const take = useMutation({
    mutationFn: () => call<Ticket>('POST', `${path}/tickets`),
    onSuccess: (t) => {
      setTicket(t)
      announce(`ticket ${t.id}: ${t.cases.length} cases of data`)
    },
  })
  const number = ticket?.id ?? null
  const check = useMutation({
    mutationFn: (list: Brought[]) => call<Form>('POST', `${path}/attempts?check=form`, formOf(list, number, '')),
    onSuccess: (f) => {
      const wrong = f.arrays.filter((l) => l.problem).length
      announce(f.ok ? 'the form is as wanted' : `${wrong} of ${f.arrays.length} arrays are not as wanted`)
    },
  })
  const add = (list: File[]) => {
    const next = taken(files, list)
    setFiles(next)
    if (next.length === 0) announce('none of these files holds arrays')
    else check.mutate(next)
  }
  const remove = (name: string) => {
    const next = files.filter((b) => b.name !== name)
    setFiles(next)
    if (next.length > 0) check.mutate(next)
    else check.reset()
  }
  const needsTicket = e.own !== null && ticket === null
  const form = check.data ?? null
  const wait =
    why ||
    (needsTicket
      ? 'Take data first.'
      : files.length === 0
        ? 'Choose the files with your results.'
        : check.isPending
          ? 'Looking at the files …'
          : form && !form.ok
            ? 'The form is not as wanted yet.'
            : '')
  const send = async () => {
    if (wait) {
      announce(wait)
      return
    }
    await handIn(formOf(files, number, source))
    setTicket(null)
    setFiles([])
    check.reset()
  }
  return (
    <section aria-label="bring results" className="grid gap-6">
      <Step n={1} title={e.own ? 'Take data of your own' : 'Take the data'}>
        {e.own ? (
          <TakeTicket exercise={e} ticket={ticket} take={() => take.mutate()} pending={take.isPending} why={why} />
        ) : (
          <>
            <p className="text-sm text-soft">
              This exercise draws no data of one's own: results are judged on the shown cases alone.
            </p>
            <Download of={`${path}/data`} axes={axesOf(e.cases)} />
          </>
        )}
        {take.isError && <Failing error={take.error} again={() => take.mutate()} />}
      </Step>
      <Step n={2} title="Bring the results">
        <Drop add={add} cases={(ticket?.cases ?? e.cases).map((c) => c.name)} output={e.outputs[0]?.name ?? ''} />
        {files.length > 0 && (
          <ul aria-label="files" className="grid">
            {files.map((b) => (
              <li key={b.name} className="flex min-h-11 items-center gap-3 border-b border-rule text-sm">
                <span className="mono min-w-0 flex-1 break-all">{b.name}</span>
                <span className="text-soft">{sizeOf(b.file.size)}</span>
                <button className="button" onClick={() => remove(b.name)}>
                  take out<span className="sr-only"> {b.name}</span>
                </button>
              </li>
            ))}
          </ul>
        )}
        {check.isError && <Failing error={check.error} />}
        {form && !check.isPending && <FormTable form={form} />}
      </Step>
      <Step n={3} title="Hand in">
        <details>
          <summary className="min-h-11 cursor-pointer py-2">
            Attach the text of your program{source !== '' && ' (attached)'}
          </summary>
          <label className="grid gap-1">
            <span className="text-sm text-soft">Your team reads it beside the arrays; it is never run.</span>
            <textarea
              className="field mono min-h-32"
              value={source}
              maxLength={256_000}
              spellCheck={false}
              onChange={(event) => setSource(event.target.value)}
            />
          </label>
        </details>
        <div className="flex flex-wrap items-center gap-3">
          <button
            className="button button-main min-h-11"
            aria-disabled={pending || wait !== ''}
            onClick={() => {
              if (!pending) void send().catch(() => undefined) // told below
            }}
          >
            {pending ? 'Checking …' : 'Hand in'}
          </button>
          <span className="text-sm text-soft">{wait || 'A ticket is good for one hand-in.'}</span>
        </div>
      </Step>
    </section>
  )
}

function Step({ n, title, children }: { n: number; title: string; children: React.ReactNode }) {
  return (
    <section aria-labelledby={`step-${n}`} className="grid gap-3 border-t border-rule pt-3">
      <h2 id={`step-${n}`} className="font-semibold">
        <span className="mono text-soft">{n} </span>
        {title}
      </h2>
      {children}
    </section>
  )
}

// TakeTicket gives data of one's own, shows what is in them, and how long they can be used.
function TakeTicket({
  exercise: e,
  ticket,
  take,
  pending,
  why,
}: {
  exercise: Exercise
  ticket: Ticket | null
  take: () => void
  pending: boolean
  why: string
}) {
  const left = useTimeLeft(ticket)
  if (!ticket) {
    return (
      <>
        <p className="text-sm text-soft">
          {e.own?.cases} cases that nobody has seen, for you alone. They can be used once, within{' '}
          {Math.round((e.own?.within ?? 0) / 60)} minutes.
        </p>
        <button
          className="button min-h-11 justify-self-start"
          aria-disabled={pending || why !== ''}
          onClick={() => (why ? announce(why) : !pending && take())}
        >
          {pending ? 'Drawing …' : 'Take data'}
        </button>
      </>
    )
  }
  return (
    <>
      <p>
        Ticket <span className="mono">{ticket.id}</span>: <span data-left>{left}</span>
      </p>
      {left === 'its time is over' && (
        <button className="button min-h-11 justify-self-start" onClick={take}>
          Take new data
        </button>
      )}
      <Download of={`/tickets/${ticket.id}/data`} axes={axesOf(ticket.cases)} />
      <details>
        <summary className="min-h-11 cursor-pointer py-2">What is in the files</summary>
        <CaseTabs cases={ticket.cases} exercise={e} label="cases of the ticket" />
      </details>
    </>
  )
}

// useTimeLeft is how long a ticket can be used, by the service's own count of seconds.
function useTimeLeft(ticket: Ticket | null): string {
  const until = useRef(0)
  const [text, setText] = useState('')
  useEffect(() => {
    if (!ticket) return
    until.current = Date.now() + ticket.within * 1000
    const look = () => setText(timeLeft(until.current, Date.now()))
    look()
    const tick = setInterval(look, 10_000)
    return () => clearInterval(tick)
  }, [ticket])
  return text
}

// Drop takes files: dropped, or chosen.
function Drop({ add, cases, output }: { add: (files: File[]) => void; cases: string[]; output: string }) {
  const [over, setOver] = useState(false)
  const chosen = (list: FileList | null) => list && list.length > 0 && add([...list])
  return (
    <div
      className={`grid gap-2 border border-dashed p-4 ${over ? 'border-accent bg-accent/10' : 'border-edge'}`}
      onDragOver={(event) => {
        event.preventDefault()
        setOver(true)
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault()
        setOver(false)
        chosen(event.dataTransfer.files)
      }}
    >
      <div className="flex flex-wrap gap-3">
        <label className="button min-h-11 cursor-pointer focus-within:outline-2">
          Choose files
          <input
            type="file"
            multiple
            className="sr-only"
            accept=".csv,.json,.mtx,.nc,.cdf,.zip"
            onChange={(event) => {
              chosen(event.target.files)
              event.target.value = ''
            }}
          />
        </label>
        <label className="button min-h-11 cursor-pointer focus-within:outline-2">
          Choose a folder
          <input
            type="file"
            className="sr-only"
            ref={(input) => input?.setAttribute('webkitdirectory', '')}
            onChange={(event) => {
              chosen(event.target.files)
              event.target.value = ''
            }}
          />
        </label>
      </div>
      <p className="text-sm text-soft">
        Or drop them here: CSV, JSON, Matrix Market, netCDF, or a zip of them. Call each{' '}
        <code className="whitespace-nowrap">{cases.length > 1 ? `${cases[0]}.${output}.csv` : `${output}.csv`}</code>
        {cases.length > 1 && (
          <>
            , or <code>{`${output}.csv`}</code> in a folder <code>{cases[0]}</code>
          </>
        )}
        .
      </p>
    </div>
  )
}

// FormTable is what was found against what is wanted, array by array.
function FormTable({ form }: { form: Form }) {
  return (
    <div className="grid gap-2">
      <h3 className="font-semibold">{form.ok ? '✓ The form is as wanted' : '✗ The form is not as wanted'}</h3>
      <ul aria-label="form" className="grid">
        {form.arrays.map((l) => {
          const [wanted, found] =
            l.wanted && l.found ? unfit(l.wanted.shape, l.found.shape, false) : [undefined, undefined]
          const shown = [
            ...(l.wanted ? [{ name: 'wanted', shape: l.wanted.shape, axes: l.wanted.axes, mark: wanted }] : []),
            ...(l.found ? [{ name: 'found', shape: l.found.shape, axes: l.found.axes, mark: found }] : []),
          ]
          return (
            <li
              key={`${l.case}/${l.output}`}
              className="grid gap-x-4 gap-y-1 border-b border-rule py-2 sm:grid-cols-[minmax(8rem,1fr)_2fr]"
              data-form={l.problem ? 'not' : l.found ? 'as wanted' : 'left out'}
            >
              <span>
                <span aria-hidden="true">{l.problem ? '✗' : l.found ? '✓' : '·'} </span>
                <span className="mono break-all">{l.output}</span>{' '}
                <span className="text-sm text-soft">
                  in {l.case}
                  {l.found && `, ${l.found.kind}`}
                </span>
              </span>
              <span className="grid min-w-0 gap-1">
                {shown.length > 0 && <ShapeStrips rows={shown} />}
                {l.problem && (
                  <span className="text-sm">
                    {l.problem.replaceAll('`', '')}.{' '}
                    <span className="text-soft">Try: {l.hint.replaceAll('`', '')}</span>
                  </span>
                )}
                {!l.problem && !l.found && <span className="text-sm text-soft">left out: worth points of its own</span>}
                {l.remark && <span className="text-sm text-soft">{l.remark}</span>}
              </span>
            </li>
          )
        })}
      </ul>
    </div>
  )
}
