import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useNavigate } from '@tanstack/react-router'
import { useState } from 'react'
import { call, Failure, rememberToken } from '../api'
import { Passwords, usePasswords } from '../parts/Passwords'
import { Alone, Failing, Loading } from '../parts/States'
import type { LinkFor, Me } from '../types'

// LinkPage is where a link leads: its holder chooses a password, and is in. What stands behind the # of the
// address is sent to nobody by the browser itself.
export function LinkPage() {
  const [secret] = useState(() => window.location.hash.slice(1))
  const navigate = useNavigate()
  const client = useQueryClient()
  const whose = useQuery({
    queryKey: ['link', secret],
    queryFn: () => call<LinkFor>('POST', '/links/look', { secret }),
    retry: (n, err) => n < 3 && err instanceof Failure && err.problem.status === 0,
    gcTime: 0,
  })
  const fields = usePasswords()
  const open = useMutation({
    mutationFn: () => call<Me>('POST', '/links/open', { secret, password: fields.chosen() }),
    onSuccess: (me) => {
      rememberToken(me.csrf)
      client.clear()
      client.setQueryData(['me'], me)
      void navigate({ to: '/', replace: true })
    },
  })
  if (whose.isPending) return <Alone title="Nimbus Reach">{<Loading what="the link" />}</Alone>
  if (whose.isError)
    return (
      <Alone title="Nimbus Reach">
        <Failing error={whose.error} />
        <p>
          <a href="/sign-in" className="within">
            Sign in
          </a>
        </p>
      </Alone>
    )
  const { display, name, forgotten } = whose.data
  return (
    <Alone title={forgotten ? 'A new password' : 'Welcome'}>
      <p>
        {display}, you sign in as <strong className="mono">{name}</strong>. Choose a password that nobody else knows;
        the teaching team does not learn it.
        {forgotten && ' Wherever you are signed in now, you will be signed out.'}
      </p>
      <form
        className="grid max-w-sm gap-4"
        onSubmit={(e) => {
          e.preventDefault()
          if (!open.isPending) open.mutate()
        }}
      >
        <input type="hidden" name="username" value={name} autoComplete="username" />
        <Passwords fields={fields} />
        <button className="button button-main min-h-11 justify-center" aria-disabled={open.isPending}>
          {open.isPending ? 'Setting the password …' : 'Set the password and sign in'}
        </button>
        {open.isError && <Failing error={open.error} />}
      </form>
    </Alone>
  )
}
