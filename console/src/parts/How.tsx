import type { Knot } from '../types'
import { diffLines } from './diff'

// How is how one knows a cause: the statement of an attempt and what it becomes, or the change of the reference that
// gives the same.
export function How({ evidence: e, className = '' }: { evidence: NonNullable<Knot['evidence']>; className?: string }) {
  if (!e.diff) return e.change ? <p className="mono text-sm break-words text-soft">{e.change}</p> : null
  return (
    <div className={`mono py-1 text-sm break-words ${className}`}>
      {diffLines(e.diff.before.trimEnd(), e.diff.after.trimEnd())
        .filter((l) => l.sign.trim() !== '')
        .slice(0, 6)
        .map((l, i) => (
          <p key={i} className={l.sign === '+' ? 'text-agrees' : 'text-differs'}>
            {l.sign} {l.text}
          </p>
        ))}
    </div>
  )
}
