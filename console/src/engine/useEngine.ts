import { useCallback, useEffect, useSyncExternalStore } from 'react'
import { call } from '../api'
import { useMe } from '../me'
import { useConnection } from '../offline/connection'
import { Elsewhere, Engine } from './engine'
import type { Question } from './messages'
import { engineUrl, fits } from './version'

const engine = new Engine(() => new Worker(new URL('./worker.ts', import.meta.url), { type: 'module' }), engineUrl)

const possible = typeof WebAssembly === 'object' && typeof Worker === 'function'

// Ask answers what the workspace asks of an exercise.
export type Ask = <T>(question: Question, body: unknown) => Promise<T>

// useEngine asks the engine on this device, and the service where that cannot answer. The engine is loaded once the page
// stands.
export function useEngine(path: string, exercise: string): { ask: Ask; here: boolean } {
  const served = useMe().engine
  const { on } = useConnection()
  const use = possible && served !== '' && (fits(served) || !on) // where the service is newer, it is asked
  useEffect(() => {
    if (!use) return
    const later = setTimeout(() => engine.start(), 200)
    return () => clearTimeout(later)
  }, [use])
  const here = useSyncExternalStore(engine.listen, engine.isReady) && use
  const ask = useCallback(
    async <T>(question: Question, body: unknown) => {
      if (here) {
        try {
          return await engine.ask<T>(exercise, question, body)
        } catch (err) {
          if (!(err instanceof Elsewhere)) throw err
        }
      }
      return call<T>('POST', `${path}/${question}`, body)
    },
    [here, path, exercise],
  )
  return { ask, here }
}
