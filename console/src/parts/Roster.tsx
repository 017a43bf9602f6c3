import { useMutation } from '@tanstack/react-query'
import { type DragEvent, useState } from 'react'
import { call, Failure, save } from '../api'
import type { RosterPlan, RosterRefusal } from '../types'
import { announce } from './announce'
import { Choice } from './Choice'
import { Failing } from './States'

interface Asked {
  file: File
  role: string
  leave: boolean
}

const address = (course: string, a: Asked, more: Record<string, string>) =>
  `/courses/${course}/roster?` +
  new URLSearchParams({ role: a.role, missing: a.leave ? 'leave' : 'keep', ...more }).toString()

// Roster imports a file of people: it is dropped or chosen, what would change is shown line by line, and nothing changes
// before one says so.
export function Roster({ course, done }: { course: string; done: () => void }) {
  const [file, setFile] = useState<File>()
  const [role, setRole] = useState('student')
  const [leave, setLeave] = useState(false)
  const [over, setOver] = useState(false)
  const look = useMutation({
    mutationFn: (a: Asked) => call<RosterPlan>('POST', address(course, a, { dry_run: 'true' }), a.file),
  })
  const write = useMutation({
    mutationFn: (a: Asked) => call<RosterPlan>('POST', address(course, a, { skip_refused: 'true' }), a.file),
    onSuccess: (plan) => {
      announce(`Imported: ${plan.added.length} added, ${plan.changed.length} changed.`)
      look.reset()
      setFile(undefined)
      done()
    },
  })
  const take = (next: Partial<Asked>) => {
    const asked = { file: next.file ?? file, role: next.role ?? role, leave: next.leave ?? leave }
    write.reset()
    if (asked.file) look.mutate({ ...asked, file: asked.file })
  }
  const drop = (e: DragEvent) => {
    e.preventDefault()
    setOver(false)
    const dropped = e.dataTransfer.files[0]
    if (!dropped) return
    setFile(dropped)
    take({ file: dropped })
  }
  const plan = look.data
  return (
    <div className="grid gap-4">
      <label
        className={`grid min-h-28 cursor-pointer place-items-center border border-dashed p-4 text-center ${over ? 'border-accent bg-accent/10' : 'border-edge'}`}
        onDragOver={(e) => {
          e.preventDefault()
          setOver(true)
        }}
        onDragLeave={() => setOver(false)}
        onDrop={drop}
      >
        <span>
          <strong>{file ? file.name : 'Drop a roster here, or choose one'}</strong>
          <span className="block text-sm text-soft">
            CSV with a header line, as a spreadsheet or the campus office writes it, or a OneRoster archive
          </span>
        </span>
        <input
          type="file"
          className="sr-only"
          accept=".csv,.txt,.tsv,.zip,text/csv"
          onChange={(e) => {
            const chosen = e.target.files?.[0]
            e.target.value = ''
            if (!chosen) return
            setFile(chosen)
            take({ file: chosen })
          }}
        />
      </label>
      <div className="flex flex-wrap items-end gap-4">
        <Choice
          label="Who is new is"
          value={role}
          change={(r) => {
            setRole(r)
            take({ role: r })
          }}
          of={[
            ['student', 'a student'],
            ['assistant', 'an assistant'],
            ['instructor', 'an instructor'],
          ]}
        />
        <label className="flex min-h-11 items-center gap-2">
          <input
            type="checkbox"
            className="size-5"
            checked={leave}
            onChange={(e) => {
              setLeave(e.target.checked)
              take({ leave: e.target.checked })
            }}
          />
          who is not in the file leaves the course
        </label>
      </div>
      {look.isPending && <p className="text-soft">Reading {file?.name} …</p>}
      {look.isError && <Failing error={look.error} />}
      {plan && (
        <>
          <Plan plan={plan} />
          <Confirm
            plan={plan}
            pending={write.isPending}
            go={() => file && !write.isPending && write.mutate({ file, role, leave })}
          />
        </>
      )}
      {write.isError && <Failing error={write.error} />}
      {write.error instanceof Failure && <Refused list={write.error.problem.refused ?? []} />}
      {write.data && <Done plan={write.data} course={course} />}
    </div>
  )
}

const nothing = (p: RosterPlan) => p.added.length + p.changed.length + p.missing.filter((x) => x.leaves).length === 0

function Confirm({ plan: p, pending, go }: { plan: RosterPlan; pending: boolean; go: () => void }) {
  const parts = [
    p.added.length > 0 && `add ${p.added.length}`,
    p.changed.length > 0 && `change ${p.changed.length}`,
    p.missing.some((x) => x.leaves) && `let ${p.missing.filter((x) => x.leaves).length} leave`,
  ].filter((x) => x !== false)
  if (nothing(p)) return <p className="font-semibold">Importing it changes nothing.</p>
  const text = parts.join(', ')
  return (
    <button className="button button-main min-h-11 justify-self-start" aria-disabled={pending} onClick={go}>
      {pending ? 'Importing …' : text.charAt(0).toUpperCase() + text.slice(1)}
      {p.refused.length > 0 && `, without the ${p.refused.length} refused`}
    </button>
  )
}

function Plan({ plan: p }: { plan: RosterPlan }) {
  return (
    <div className="grid gap-4">
      <p className="text-sm text-soft">
        Read as {p.source.format} in {p.source.encoding}:{' '}
        {p.source.columns.map((c) => `${c.field} from “${c.header}”`).join(', ')}.
        {p.source.ignored.length > 0 && ` Not read: ${p.source.ignored.join(', ')}.`}
      </p>
      <p role="status">
        {p.rows} {p.rows === 1 ? 'row' : 'rows'}: <strong>{p.added.length} added</strong>,{' '}
        <strong>{p.changed.length} changed</strong>, {p.unchanged} unchanged, {p.refused.length} refused;{' '}
        {p.missing.length} in the course and not in the file.
      </p>
      <Refused list={p.refused} />
      <Listed title="Changed" count={p.changed.length}>
        {p.changed.slice(0, shown).map((x) => (
          <li key={x.row} className="border-b border-rule py-1">
            {x.display}{' '}
            {x.fields.map((f) => (
              <span key={f.field} className="text-soft">
                · {f.field}: {f.before && <del>{f.before}</del>} {f.before && '→ '}
                <ins className="text-ink no-underline">{f.after}</ins>{' '}
              </span>
            ))}
          </li>
        ))}
      </Listed>
      <Listed title="Added" count={p.added.length}>
        {p.added.slice(0, shown).map((x) => (
          <li key={x.row} className="border-b border-rule py-1">
            {x.display} <span className="mono text-soft">{x.name}</span>{' '}
            <span className="text-soft">
              {x.role}
              {x.group && `, ${x.group}`}
              {!x.account && ', has an account'}
            </span>
          </li>
        ))}
      </Listed>
      <Listed title="In the course and not in the file" count={p.missing.length}>
        {p.missing.slice(0, shown).map((x) => (
          <li key={x.name} className="border-b border-rule py-1">
            {x.display} <span className="mono text-soft">{x.name}</span>{' '}
            <span className="text-soft">{x.leaves ? 'leaves' : 'stays'}</span>
          </li>
        ))}
      </Listed>
    </div>
  )
}

const shown = 200

function Listed({ title, count, children }: { title: string; count: number; children: React.ReactNode }) {
  if (count === 0) return null
  return (
    <details open={count <= 12}>
      <summary className="min-h-8 cursor-pointer font-semibold">
        {title} ({count})
      </summary>
      <ul className="max-h-80 overflow-auto border-t border-rule">{children}</ul>
      {count > shown && <p className="text-sm text-soft">… and {count - shown} more</p>}
    </details>
  )
}

function Refused({ list }: { list: RosterRefusal[] }) {
  if (list.length === 0) return null
  return (
    <section aria-label="refused rows" className="border-l-4 border-l-failed pl-3">
      <p className="font-semibold">▲ Refused ({list.length})</p>
      <ul>
        {list.slice(0, shown).map((x) => (
          <li key={x.row} className="py-1">
            line {x.row}
            {x.column && (
              <>
                , {x.column} <code className="break-words">{x.value}</code>
              </>
            )}
            : {x.message}. <span className="text-soft">Try: {x.hint}.</span>
          </li>
        ))}
      </ul>
    </section>
  )
}

function Done({ plan: p, course }: { plan: RosterPlan; course: string }) {
  const slips = () => {
    const cell = (s: string) => `"${(/^[=+\-@\t\r]/.test(s) ? "'" + s : s).replaceAll('"', '""')}"`
    const rows = [['name', 'display', 'group', 'link', 'until']]
    for (const l of p.links) rows.push([l.name, l.display, l.group, l.address, l.expires.slice(0, 10)])
    const text = rows.map((r) => r.map(cell).join(',')).join('\r\n')
    save(new Blob(['\ufeff' + text + '\r\n'], { type: 'text/csv' }), `links-${course}.csv`)
  }
  return (
    <section aria-label="imported" className="grid gap-3 border-l-4 border-l-accent pl-3">
      <p className="font-semibold">
        Imported: {p.added.length} added, {p.changed.length} changed.
      </p>
      {p.mailed > 0 && <p>{p.mailed} links go out by mail.</p>}
      {p.links.length > 0 && (
        <>
          <p>
            {p.links.length} people have no address that mail reaches. Their links are shown this once: print them, or
            save them now.
          </p>
          <div className="flex flex-wrap gap-2">
            <button className="button" onClick={slips}>
              Save as CSV
            </button>
            <button className="button" onClick={() => window.print()}>
              Print the links
            </button>
          </div>
          <ul className="slips border-t border-rule">
            {p.links.map((l) => (
              <li key={l.name} className="break-inside-avoid border-b border-rule py-3">
                <strong>{l.display}</strong> {l.group && <span className="text-soft">{l.group}</span>}
                <span className="block">
                  signs in as <span className="mono">{l.name}</span>, after opening
                </span>
                <code className="break-all">{l.address}</code>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  )
}
