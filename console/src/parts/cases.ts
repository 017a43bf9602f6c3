import { isMap, isSeq, parseDocument } from 'yaml'

// countingOf is what a course.yaml calls the first position: 1, or 0 where it does not say.
export const countingOf = (text: string): number => (parseDocument(text).getIn(['counting', 'from']) === 1 ? 1 : 0)

// addCase writes a case, a line of YAML as `- {name: …}`, at the end of an exercise.yaml's
// list of cases, under a name that is free. All else stays as it was written, comments
// too; null where the text has no list of cases to add to.
export function addCase(text: string, item: string): string | null {
  const doc = parseDocument(text)
  const cases = doc.get('cases', true)
  if (doc.errors.length > 0 || !isSeq(cases) || !cases.range) return null
  const names = new Set(cases.items.map((c) => (isMap(c) ? String(c.get('name')) : '')))
  let number = 1
  while (names.has(`extra-${number}`)) number++
  const written = item.replace(/extra-\d+/, `extra-${number}`)
  if (cases.flow) {
    const close = cases.range[1] - 1
    return text.slice(0, close) + (cases.items.length > 0 ? ', ' : '') + written.replace(/^- /, '') + text.slice(close)
  }
  const [start, end] = cases.range
  const indent = ' '.repeat(start - text.lastIndexOf('\n', start - 1) - 1)
  const last = text.slice(0, end).trimEnd().length
  // A comment on the last line belongs to the last case.
  const line = text.indexOf('\n', last)
  const at = line < 0 ? text.length : line
  return text.slice(0, at) + '\n' + indent + written + text.slice(at)
}
