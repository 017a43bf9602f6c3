import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { call } from '../api'
import type { AccountLink, Group, Member } from '../types'
import { announce } from './announce'
import { Choice } from './Choice'
import { ExtensionForm } from './Extensions'
import { Fold } from './Fold'
import { Field } from './Field'
import { Panel } from './Panel'
import { Failing } from './States'
import { When } from './When'

// MemberPanel is one person of a course, and what can be done about them.
export function MemberPanel({
  course,
  member: m,
  groups,
  teaches,
  close,
  changed,
}: {
  course: string
  member: Member
  groups: Group[]
  teaches: boolean
  close: () => void
  changed: () => void
}) {
  const place = useMutation({
    mutationFn: (to: Partial<Pick<Member, 'role' | 'group' | 'state' | 'groups'>>) =>
      call<Member>('PATCH', `/courses/${course}/people/${m.name}`, to),
    onSuccess: (now) => {
      announce(`${now.display} is changed.`)
      changed()
    },
  })
  return (
    <Panel title={m.display} close={close}>
      <p className="text-soft">
        signs in as <span className="mono">{m.name}</span>
        {m.seen ? (
          <>
            , seen <When at={m.seen} />
          </>
        ) : (
          ', not seen yet'
        )}
      </p>
      {place.isError && <Failing error={place.error} />}
      <Choice
        label="Role"
        value={m.role}
        change={(role) => place.mutate({ role: role as Member['role'] })}
        of={[
          ['student', 'student'],
          ['assistant', 'assistant'],
          ['instructor', 'instructor'],
        ]}
      />
      <GroupField
        key={m.group}
        label="Group"
        value={m.group}
        groups={groups}
        save={(group) => place.mutate({ group })}
      />
      {m.role === 'assistant' && <Limits member={m} groups={groups} save={(list) => place.mutate({ groups: list })} />}
      {m.manages && <AccountFields member={m} changed={changed} />}
      {m.manages && m.state === 'active' && <NewLink member={m} />}
      {teaches && m.role === 'student' && m.state === 'active' && (
        <Fold title="Give an extension" className="border-t border-rule pt-3">
          <ExtensionForm course={course} person={m.name} done={changed} />
        </Fold>
      )}
      <div className="border-t border-rule pt-3">
        <button
          className="button min-h-11"
          onClick={() => place.mutate({ state: m.state === 'left' ? 'active' : 'left' })}
        >
          {m.state === 'left' ? 'Let them come back' : 'Let them leave the course'}
        </button>
        <p className="mt-1 text-sm text-soft">Attempts and grades remain.</p>
      </div>
    </Panel>
  )
}

function GroupField({
  label,
  value,
  groups,
  save,
}: {
  label: string
  value: string
  groups: Group[]
  save: (group: string) => void
}) {
  const [text, setText] = useState(value)
  return (
    <form
      className="flex items-end gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        save(text.trim())
      }}
    >
      <div className="flex-1">
        <Field label={label} value={text} change={setText} list="groups" required={false} className="w-full" />
        <datalist id="groups">
          {groups.map((g) => (
            <option key={g.name} value={g.name} />
          ))}
        </datalist>
      </div>
      <button className="button min-h-11" aria-disabled={text.trim() === value}>
        Move
      </button>
    </form>
  )
}

function Limits({ member: m, groups, save }: { member: Member; groups: Group[]; save: (groups: string[]) => void }) {
  if (groups.length === 0) return null
  return (
    <fieldset>
      <legend className="label">Sees {m.groups.length === 0 ? 'all groups' : 'these groups alone'}</legend>
      {groups.map((g) => (
        <label key={g.name} className="flex min-h-8 items-center gap-2">
          <input
            type="checkbox"
            className="size-5"
            checked={m.groups.includes(g.name)}
            onChange={(e) =>
              save(e.target.checked ? [...m.groups, g.name] : m.groups.filter((name) => name !== g.name))
            }
          />
          {g.name}
        </label>
      ))}
    </fieldset>
  )
}

function AccountFields({ member: m, changed }: { member: Member; changed: () => void }) {
  const [display, setDisplay] = useState(m.display)
  const [email, setEmail] = useState(m.email ?? '')
  const [number, setNumber] = useState(m.number ?? '')
  const save = useMutation({
    mutationFn: () => call('PATCH', `/people/${m.name}`, { display, email, number }),
    onSuccess: () => {
      announce('The account is changed.')
      changed()
    },
  })
  const same = display === m.display && email === (m.email ?? '') && number === (m.number ?? '')
  return (
    <form
      className="grid gap-3 border-t border-rule pt-3"
      onSubmit={(e) => {
        e.preventDefault()
        if (!same && !save.isPending) save.mutate()
      }}
    >
      <Field label="Name that others see" value={display} change={setDisplay} maxLength={120} />
      <Field label="E-mail address" type="email" value={email} change={setEmail} required={false} />
      <Field label="Campus number" value={number} change={setNumber} required={false} maxLength={64} />
      <button className="button min-h-11 justify-self-start" aria-disabled={same || save.isPending}>
        Save the account
      </button>
      {save.isError && <Failing error={save.error} />}
    </form>
  )
}

function NewLink({ member: m }: { member: Member }) {
  const make = useMutation({
    mutationFn: (show: boolean) => call<AccountLink>('POST', `/people/${m.name}/link`, { forgotten: !m.pending, show }),
  })
  const link = make.data
  return (
    <div className="grid gap-2 border-t border-rule pt-3">
      <p className="text-sm text-soft">
        {m.pending
          ? 'They have not chosen a password yet. A new link voids the one before.'
          : 'For a forgotten password: when the link is used, they are signed out everywhere else.'}
      </p>
      <div className="flex flex-wrap gap-2">
        <button className="button min-h-11" onClick={() => make.mutate(false)} aria-disabled={make.isPending}>
          {m.email ? 'Send a new link' : 'Make a new link'}
        </button>
        {m.email && (
          <button className="button min-h-11" onClick={() => make.mutate(true)} aria-disabled={make.isPending}>
            Show one instead
          </button>
        )}
      </div>
      {make.isError && <Failing error={make.error} />}
      {link && (
        <p role="status">
          {link.mailed ? `It goes to ${link.mailed}.` : 'It is shown this once: '}
          {link.address && <code className="break-all">{link.address}</code>} It ends <When at={link.expires} />.
        </p>
      )}
    </div>
  )
}
