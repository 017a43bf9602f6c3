import { createContext, use } from 'react'
import type { Me } from './types'

export const MeContext = createContext<Me | null>(null)

// useMe is who is signed in; pages stand behind the door, so there is somebody.
export function useMe(): Me {
  const me = use(MeContext)
  if (!me) throw new Error('this page stands outside the door')
  return me
}

// isTeam reports whether a role watches the desk.
export const isTeam = (role: string | undefined) => role === 'instructor' || role === 'assistant'
