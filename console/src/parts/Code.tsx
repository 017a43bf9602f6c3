import type { Place } from '../types'

const words = new Set(
  'each in repeat until if else function return view to before by from first last all except reversed paired new rest over along and or xor not div mod dot true false'.split(
    ' ',
  ),
)
const token = /(#[^\n]*)|(\d[\d_]*(?:\.\d+)?(?:[eE][+-]?\d+)?i?)|([\p{L}_][\p{L}\p{Nd}_]*)(?=(\s*:)?(\()?)|([\s\S])/gu

interface Piece {
  text: string
  kind: string
}

// piecesOf colours a program as the editor does: words by what they are, all else as it is.
export function piecesOf(text: string): Piece[] {
  const out: Piece[] = []
  const add = (piece: string, kind: string) => {
    const last = out.at(-1)
    if (last && last.kind === kind && kind === '') last.text += piece
    else out.push({ text: piece, kind })
  }
  for (const [, comment, number, word, label, call, rest] of text.matchAll(token)) {
    if (comment !== undefined) add(comment, 'code-comment')
    else if (number !== undefined) add(number, 'code-number')
    else if (word !== undefined)
      add(word, words.has(word) ? 'code-word' : call ? 'code-call' : label ? 'code-label' : '')
    else add(rest ?? '', '')
  }
  return out
}

// placed cuts a text at a place, counted in lines and characters from 1.
export function placed(text: string, at: Place): [before: string, within: string, after: string] {
  const lines = text.split('\n')
  const offset = (line: number, column: number) => {
    const whole = lines.slice(0, line - 1).reduce((n, l) => n + l.length + 1, 0)
    return (
      whole +
      Array.from(lines[line - 1] ?? '')
        .slice(0, column - 1)
        .join('').length
    )
  }
  const from = Math.min(offset(at.line, at.column), text.length)
  const to = Math.max(from, Math.min(offset(at.end_line, at.end_column), text.length))
  return [text.slice(0, from), text.slice(from, to), text.slice(to)]
}

const Pieces = ({ text }: { text: string }) =>
  piecesOf(text).map((p, i) =>
    p.kind ? (
      <span key={i} className={p.kind}>
        {p.text}
      </span>
    ) : (
      p.text
    ),
  )

// Code is a program to read, with a place in it marked.
export function Code({ text, at, label }: { text: string; at?: Place | null; label?: string }) {
  const trimmed = text.replace(/\s+$/, '')
  const [before, within, after] = at ? placed(trimmed, at) : [trimmed, '', '']
  return (
    <pre className="code sheet overflow-auto p-2" tabIndex={0} aria-label={label}>
      <code>
        <Pieces text={before} />
        {within && (
          <mark>
            <Pieces text={within} />
          </mark>
        )}
        <Pieces text={after} />
      </code>
    </pre>
  )
}
