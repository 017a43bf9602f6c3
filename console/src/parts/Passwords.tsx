import { useState } from 'react'
import { Failure } from '../api'

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
  return (
    <>
      <label className="grid gap-1">
        <span className="label">New password, ten characters or more</span>
        <input
          className="field min-h-11"
          name="password"
          type="password"
          value={f.password}
          onChange={(e) => f.setPassword(e.target.value)}
          autoComplete="new-password"
          required
        />
      </label>
      <label className="grid gap-1">
        <span className="label">Once more</span>
        <input
          className="field min-h-11"
          name="again"
          type="password"
          value={f.again}
          onChange={(e) => f.setAgain(e.target.value)}
          autoComplete="new-password"
          required
        />
      </label>
    </>
  )
}
