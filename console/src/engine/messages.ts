// What the page and the engine's worker send each other.
export type Question = 'shapes' | 'try' | 'trace'

export type Asked =
  | { kind: 'start'; url: string }
  | { kind: 'exercise'; exercise: string } // as the service sent it, in whose text no number is rounded
  | { kind: 'ask'; id: number; question: Question; request: string }

export type Told = { kind: 'ready' } | { kind: 'gone'; why?: string } | { kind: 'answer'; id: number; text: string }
