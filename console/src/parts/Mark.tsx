import type { VerdictWord } from '../types'

const signs = { agrees: '●', differs: '◐', failed: '▲', refused: '■', waiting: '○' } as const
const colours = {
  agrees: 'text-agrees',
  differs: 'text-differs',
  failed: 'text-failed',
  refused: 'text-refused',
  waiting: 'text-waiting',
} as const

export type MarkWord = VerdictWord | 'waiting'

// Mark is a verdict's sign and word. The sign says the same as the colour.
export function Mark({ word, children, bare }: { word: MarkWord; children?: React.ReactNode; bare?: boolean }) {
  return (
    <span className={`${colours[word]} whitespace-nowrap`}>
      <span aria-hidden="true">{signs[word]}</span>
      {bare ? <span className="sr-only">{word}</span> : <> {children ?? word}</>}
    </span>
  )
}
