export interface DiffLine {
  sign: ' ' | '+' | '-'
  text: string
}

// diffLines lays two texts beside each other line by line, by their longest common
// part; very long texts are reported as replaced whole.
export function diffLines(before: string, after: string): DiffLine[] {
  const a = before.split('\n')
  const b = after.split('\n')
  if (a.length * b.length > 4_000_000)
    return [...a.map((text) => ({ sign: '-' as const, text })), ...b.map((text) => ({ sign: '+' as const, text }))]
  const common: number[][] = Array.from({ length: a.length + 1 }, () => new Array<number>(b.length + 1).fill(0))
  for (let i = a.length - 1; i >= 0; i--) {
    for (let k = b.length - 1; k >= 0; k--)
      common[i]![k] = a[i] === b[k] ? common[i + 1]![k + 1]! + 1 : Math.max(common[i + 1]![k]!, common[i]![k + 1]!)
  }
  const out: DiffLine[] = []
  let i = 0
  let k = 0
  while (i < a.length || k < b.length) {
    if (i < a.length && k < b.length && a[i] === b[k]) {
      out.push({ sign: ' ', text: a[i]! })
      i++
      k++
    } else if (i < a.length && (k === b.length || common[i + 1]![k]! >= common[i]![k + 1]!)) {
      out.push({ sign: '-', text: a[i++]! })
    } else {
      out.push({ sign: '+', text: b[k++]! })
    }
  }
  return out
}

// differing lists the files of two folders that are not the same.
export function differing(a: Record<string, string>, b: Record<string, string>): string[] {
  return Object.keys({ ...a, ...b }).filter((f) => a[f] !== b[f])
}

// together brings two edits of one folder together, file by file: theirs where one
// changed nothing, one's own where one did; both names the files that both changed,
// each in another way.
export function together(
  base: Record<string, string>,
  mine: Record<string, string>,
  theirs: Record<string, string>,
): { files: Record<string, string>; both: string[] } {
  const touched = new Set(differing(base, mine))
  const files: Record<string, string> = {}
  for (const f of Object.keys({ ...mine, ...theirs })) {
    const text = touched.has(f) ? mine[f] : theirs[f]
    if (text !== undefined) files[f] = text
  }
  return { files, both: differing(base, theirs).filter((f) => touched.has(f) && mine[f] !== theirs[f]) }
}
