import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { call, Failure } from '../api'
import type { Group, RosterPlan } from '../types'
import { announce } from './announce'
import { Choice } from './Choice'
import { Field } from './Field'
import { Failing } from './States'

const cell = (text: string) => `"${text.replaceAll('"', '""')}"`

// AddPerson adds one person to a course: a roster of one row.
export function AddPerson({ course, groups, done }: { course: string; groups: Group[]; done: () => void }) {
  const [display, setDisplay] = useState('')
  const [email, setEmail] = useState('')
  const [number, setNumber] = useState('')
  const [group, setGroup] = useState('')
  const [role, setRole] = useState('student')
  const add = useMutation({
    mutationFn: () => {
      const row = [display, email, number, group, role].map(cell).join(',')
      return call<RosterPlan>(
        'POST',
        `/courses/${course}/roster`,
        new Blob([`display,email,number,group,role\n${row}\n`], { type: 'text/csv' }),
      )
    },
    onSuccess: () => {
      announce(`${display} is in the course.`)
      setDisplay('')
      setEmail('')
      setNumber('')
      done()
    },
  })
  const refused = add.error instanceof Failure ? add.error.problem.refused?.[0] : undefined
  const link = add.data?.links[0]
  return (
    <form
      className="mb-4 flex flex-wrap items-end gap-3 pt-2"
      aria-label="one person"
      onSubmit={(e) => {
        e.preventDefault()
        if (!add.isPending) add.mutate()
      }}
    >
      <Field label="Name that others see" value={display} change={setDisplay} autoComplete="off" />
      <Field
        label="E-mail address"
        type="email"
        value={email}
        change={setEmail}
        required={number === ''}
        autoComplete="off"
      />
      <Field label="or campus number" value={number} change={setNumber} required={email === ''} autoComplete="off" />
      <Field label="Group" value={group} change={setGroup} required={false} list="all-groups" />
      <datalist id="all-groups">
        {groups.map((g) => (
          <option key={g.name} value={g.name} />
        ))}
      </datalist>
      <Choice
        label="Role"
        value={role}
        change={setRole}
        of={[
          ['student', 'student'],
          ['assistant', 'assistant'],
          ['instructor', 'instructor'],
        ]}
      />
      <button className="button min-h-11" aria-disabled={add.isPending}>
        Add them
      </button>
      {refused ? (
        <p role="alert" className="w-full">
          ▲ {refused.message}. <span className="text-soft">Try: {refused.hint}.</span>
        </p>
      ) : (
        add.isError && (
          <div className="w-full">
            <Failing error={add.error} />
          </div>
        )
      )}
      {link && (
        <p role="status" className="w-full">
          Their link is shown this once: <code className="break-all">{link.address}</code>
        </p>
      )}
      {add.data && add.data.mailed > 0 && (
        <p role="status" className="w-full">
          Their link goes out by mail.
        </p>
      )}
    </form>
  )
}
