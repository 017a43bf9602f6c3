import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useNavigate, useSearch } from '@tanstack/react-router'
import { useState } from 'react'
import { call, rememberToken } from '../api'
import { forgetAnswers } from '../offline/course'
import { Field } from '../parts/Field'
import { Failing } from '../parts/States'
import { ShapeStrips } from '../parts/ShapeStrip'
import type { Me } from '../types'

export function SignIn() {
  const { to } = useSearch({ from: '/sign-in' })
  const navigate = useNavigate()
  const client = useQueryClient()
  const [name, setName] = useState('')
  const [password, setPassword] = useState('')
  const go = useMutation({
    mutationFn: () => call<Me>('POST', '/session', { name: name.trim().toLowerCase(), password }),
    onSuccess: (me) => {
      rememberToken(me.csrf)
      void forgetAnswers() // whoever was here before
      client.clear()
      client.setQueryData(['me'], me)
      void navigate({ to: to ?? '/' })
    },
  })
  return (
    <main className="mx-auto grid min-h-dvh max-w-sm content-center gap-6 p-6">
      <div className="grid gap-4">
        <ShapeStrips
          rows={[
            { shape: [5, 3, 4], axes: ['week', 'rope', 'depth'] },
            { shape: [3, 1], axes: ['rope', null] },
          ]}
        />
        <div>
          <h1 className="text-3xl font-semibold">Nimbus Reach</h1>
          <p className="text-soft">Array exercises that say what differs, where and why.</p>
        </div>
      </div>
      <form
        className="grid gap-4"
        onSubmit={(e) => {
          e.preventDefault()
          if (!go.isPending) go.mutate()
        }}
      >
        <Field
          label="Name"
          name="name"
          value={name}
          change={setName}
          autoComplete="username"
          autoCapitalize="none"
          autoFocus
        />
        <Field
          label="Password"
          name="password"
          type="password"
          value={password}
          change={setPassword}
          autoComplete="current-password"
        />
        <button className="button button-main min-h-11 justify-center" aria-disabled={go.isPending}>
          {go.isPending ? 'Signing in …' : 'Sign in'}
        </button>
        {go.isError && <Failing error={go.error} />}
      </form>
    </main>
  )
}
