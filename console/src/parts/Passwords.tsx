import { useState } from 'react'
import { Failure } from '../api'
import { Field } from './Field'

// usePasswords is a new password, written twice.
export function usePasswords() {
  const [password, setPassword] = useState('')
  const [again, setAgain] = useState('')
  return {
    password,
    setPassword,
    again,
    setAgain,
    clear: () => {
      setPassword('')
      setAgain('')
    },
    // chosen gives the password, or refuses two that are not the same.
    chosen: () => {
      if (password === again) return password
      throw new Failure({
        type: 'again',
        title: 'This cannot be taken',
        status: 0,
        detail: 'The two passwords are not the same.',
        hint: 'write it once more',
      })
    },
  }
}

export function Passwords({ fields: f }: { fields: ReturnType<typeof usePasswords> }) {
  const kind = { type: 'password', autoComplete: 'new-password' }
  return (
    <>
      <Field
        label="New password, ten characters or more"
        name="password"
        value={f.password}
        change={f.setPassword}
        {...kind}
      />
      <Field label="Once more" name="again" value={f.again} change={f.setAgain} {...kind} />
    </>
  )
}
