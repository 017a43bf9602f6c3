import type { Place, Verdict } from '../types'
import type { Remark } from './Editor'

// remarksOf marks what a verdict says at its places in the text.
export function remarksOf(v: Verdict | null): Remark[] {
  if (!v) return []
  return [
    ...v.findings
      .filter((f) => f.span)
      .map((f) => ({ span: f.span as Place, message: f.message, severe: f.output === null })),
    ...v.rules.filter((r) => r.span).map((r) => ({ span: r.span as Place, message: r.message, severe: false })),
  ]
}
