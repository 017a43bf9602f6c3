import { useEffect, useState } from 'react'

// useSettled follows a value once it has stayed the same for some milliseconds, so that
// typing is not interrupted by what follows from it.
export function useSettled<T>(value: T, ms: number): T {
  const [settled, setSettled] = useState(value)
  useEffect(() => {
    const t = setTimeout(() => setSettled(value), ms)
    return () => clearTimeout(t)
  }, [value, ms])
  return settled
}
