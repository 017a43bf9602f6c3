import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { call, get } from '../api'
import { useMe } from '../me'
import { announce } from '../parts/announce'
import { Field } from '../parts/Field'
import { Page } from '../parts/Page'
import { Passwords, usePasswords } from '../parts/Passwords'
import { Failing, Loading } from '../parts/States'
import { When } from '../parts/When'
import type { MailChoices, SignInLine, SignIns } from '../types'

// AccountPage is one's own: the password, and where one is signed in.
export function AccountPage() {
  const me = useMe()
  const q = useQuery({ queryKey: ['sign-ins'], queryFn: () => get<SignIns>('/account/sign-ins') })
  return (
    <Page me={me} ready crumbs={[{ text: 'Account' }]}>
      <div className="grid gap-8">
        <div>
          <h1 className="text-2xl font-semibold">{me.display}</h1>
          <p className="text-soft">
            signs in as <span className="mono">{me.name}</span>
            {me.operator && ' · operator of the service'}
          </p>
        </div>
        <Password />
        {q.isPending && <Loading what="where you are signed in" />}
        {q.isError && <Failing error={q.error} again={() => void q.refetch()} />}
        {q.data && <Places title="Browsers" kind="sessions" list={q.data.sessions} />}
        {q.data && <Places title="Tokens" kind="tokens" list={q.data.tokens} />}
        <NewToken />
        <Mail />
        <Calendar />
      </div>
    </Page>
  )
}

function Password() {
  const client = useQueryClient()
  const [before, setBefore] = useState('')
  const fields = usePasswords()
  const change = useMutation({
    mutationFn: () => call<undefined>('PUT', '/account/password', { before, password: fields.chosen() }),
    onSuccess: () => {
      setBefore('')
      fields.clear()
      announce('Your password is changed.')
      void client.invalidateQueries({ queryKey: ['sign-ins'] })
    },
  })
  return (
    <section aria-label="password">
      <h2 className="mb-2 text-xl font-semibold">Password</h2>
      <form
        className="grid max-w-sm gap-4"
        onSubmit={(e) => {
          e.preventDefault()
          if (!change.isPending) change.mutate()
        }}
      >
        <Field
          label="Password that you have"
          name="before"
          type="password"
          value={before}
          change={setBefore}
          autoComplete="current-password"
        />
        <Passwords fields={fields} />
        <button className="button button-main min-h-11 justify-self-start" aria-disabled={change.isPending}>
          {change.isPending ? 'Changing …' : 'Change the password'}
        </button>
        {change.isError && <Failing error={change.error} />}
        {change.isSuccess && <p>Your password is changed; your other browsers are signed out.</p>}
      </form>
    </section>
  )
}

function Places({ title, kind, list }: { title: string; kind: 'sessions' | 'tokens'; list: SignInLine[] }) {
  const client = useQueryClient()
  const end = useMutation({
    mutationFn: (id: number) => call<undefined>('DELETE', `/account/${kind}/${id}`),
    onSettled: () => void client.invalidateQueries({ queryKey: ['sign-ins'] }),
  })
  return (
    <section aria-label={title.toLowerCase()}>
      <h2 className="mb-2 text-xl font-semibold">{title}</h2>
      {list.length === 0 && <p className="text-soft">None.</p>}
      {end.isError && <Failing error={end.error} />}
      <ul className="grid gap-2">
        {list.map((x) => (
          <li key={x.id} className="sheet flex flex-wrap items-center gap-x-4 gap-y-1 p-3">
            <span className="min-w-0 flex-1">
              {x.label && <strong className="block break-words">{x.label}</strong>}
              {x.current && <strong className="block">this one</strong>}
              <span className="text-soft">
                {x.used ? (
                  <>
                    used <When at={x.used} /> from {x.address || 'somewhere'}
                  </>
                ) : (
                  <>
                    begun <When at={x.created} /> {x.address && `from ${x.address}`}, not used since
                  </>
                )}{' '}
                · ends <When at={x.expires} />
              </span>
            </span>
            {!x.current && (
              <button
                className="button min-h-11"
                onClick={() => end.mutate(x.id)}
                aria-label={`End ${x.label || x.id}`}
              >
                End
              </button>
            )}
          </li>
        ))}
      </ul>
    </section>
  )
}

function NewToken() {
  const client = useQueryClient()
  const [label, setLabel] = useState('')
  const [days, setDays] = useState('90')
  const make = useMutation({
    mutationFn: () => call<{ token: string }>('POST', '/account/tokens', { label, days: Number(days) }),
    onSuccess: () => {
      setLabel('')
      void client.invalidateQueries({ queryKey: ['sign-ins'] })
    },
  })
  return (
    <section aria-label="new token">
      <form
        className="flex flex-wrap items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault()
          if (!make.isPending) make.mutate()
        }}
      >
        <Field label="A token for" name="label" value={label} change={setLabel} maxLength={120} />
        <Field label="Days" name="days" value={days} change={setDays} inputMode="numeric" className="w-24" />
        <button className="button min-h-11" aria-disabled={make.isPending}>
          Make a token
        </button>
      </form>
      {make.isError && <Failing error={make.error} />}
      {make.data && (
        <p className="mt-3">
          It is shown this once: <code className="break-all">{make.data.token}</code>
        </p>
      )}
    </section>
  )
}

function Mail() {
  const client = useQueryClient()
  const q = useQuery({ queryKey: ['mail'], queryFn: () => get<MailChoices>('/account/mail') })
  const set = useMutation({
    mutationFn: (change: Partial<MailChoices>) =>
      call<MailChoices>('PUT', '/account/mail', { notes: q.data?.notes ?? false, ...change }),
    onSuccess: (now) => {
      client.setQueryData(['mail'], now)
      announce('Your choice is kept.')
    },
  })
  const choices = [
    ['notes', 'what the teaching team writes to me comes by mail too'],
    ...(q.data?.team
      ? ([
          ['digest', 'the digests of courses that I teach come by mail'],
          ['knots', 'so does word of knots that grow fast in them'],
        ] as const)
      : []),
  ] as const
  return (
    <section aria-label="mail">
      <h2 className="mb-2 text-xl font-semibold">Mail</h2>
      {q.isPending && <Loading what="your choices" />}
      {q.isError && <Failing error={q.error} again={() => void q.refetch()} />}
      {q.data && (
        <>
          <p className="text-soft">
            {q.data.email
              ? `Mail reaches you at ${q.data.email}. Your teaching team can change the address.`
              : 'No address of yours is known. Your teaching team can enter one.'}
          </p>
          {choices.map(([what, says]) => (
            <label key={what} className="flex min-h-11 items-center gap-2">
              <input
                type="checkbox"
                className="size-5"
                checked={q.data[what]}
                onChange={(e) => set.mutate({ [what]: e.target.checked })}
              />
              {says}
            </label>
          ))}
          {set.isError && <Failing error={set.error} />}
        </>
      )}
    </section>
  )
}

function Calendar() {
  const renew = useMutation({ mutationFn: () => call<{ address: string }>('POST', '/account/calendar') })
  const end = useMutation({
    mutationFn: () => call<undefined>('DELETE', '/account/calendar'),
    onSuccess: () => {
      renew.reset()
      announce('The address of your calendar is void.')
    },
  })
  return (
    <section aria-label="calendar">
      <h2 className="mb-2 text-xl font-semibold">Calendar</h2>
      <p className="text-soft">
        An address for your calendar program: when exercises open and close, your extensions with them. Whoever knows it
        can read it; a new one makes the one before void.
      </p>
      <div className="mt-2 flex flex-wrap gap-2">
        <button className="button min-h-11" onClick={() => renew.mutate()} aria-disabled={renew.isPending}>
          Make a new address
        </button>
        <button className="button min-h-11" onClick={() => end.mutate()} aria-disabled={end.isPending}>
          Make it void
        </button>
      </div>
      {renew.isError && <Failing error={renew.error} />}
      {end.isError && <Failing error={end.error} />}
      {renew.data && (
        <p className="mt-3" role="status">
          It is shown this once: <code className="break-all">{renew.data.address}</code>
        </p>
      )}
    </section>
  )
}
