import { isSeq, parseDocument } from 'yaml'
import type { Files } from '../types'

// What an author does with a course's exercises as a whole, on the files that are being written. The text of course.yaml
// is edited in place, comments and order with it.

const slugPattern = /^[a-z0-9]+(-[a-z0-9]+)*$/

// isName reports whether a text can be the name of an exercise's folder.
export const isName = (name: string) => slugPattern.test(name) && name.length <= 64

const dirOf = (name: string) => `exercises/${name}/`

// exerciseNames lists the exercises as course.yaml has them, then the folders that it does not list.
export function exerciseNames(files: Files): string[] {
  const folders = new Set(
    Object.keys(files)
      .map((f) => /^exercises\/([^/]+)\//.exec(f)?.[1])
      .filter((n) => n !== undefined),
  )
  const listed = listedIn(files).filter((n) => folders.has(n))
  return [...listed, ...[...folders].filter((n) => !listed.includes(n)).sort()]
}

// listedIn reads the names that course.yaml lists; none where it cannot be read.
export function listedIn(files: Files): string[] {
  const doc = parseDocument(files['course.yaml'] ?? '')
  const list = doc.get('exercises')
  if (!isSeq(list)) return []
  return list.items.map((i) => String((i as { value?: unknown }).value ?? ''))
}

// relisted writes another list of exercises into course.yaml; null where that cannot be read.
function relisted(text: string, change: (names: string[]) => string[]): string | null {
  const doc = parseDocument(text)
  if (doc.errors.length > 0) return null
  const list = doc.get('exercises')
  const names = isSeq(list) ? list.items.map((i) => String((i as { value?: unknown }).value ?? '')) : []
  const next = doc.createNode(change(names), { flow: !isSeq(list) || list.flow === true })
  doc.set('exercises', next)
  return doc.toString({ lineWidth: 0 })
}

const listed = (files: Files, change: (names: string[]) => string[]): Files | null => {
  const text = relisted(files['course.yaml'] ?? '', change)
  return text === null ? null : { ...files, 'course.yaml': text }
}

// addExercise adds a folder of files under a name, at the end of the list. null where course.yaml cannot be read.
export function addExercise(files: Files, name: string, own: Files): Files | null {
  const added = Object.fromEntries(Object.entries(own).map(([file, text]) => [dirOf(name) + file, text]))
  return listed({ ...files, ...added }, (names) => [...names, name])
}

// filesOf are an exercise's own files, by their paths within its folder.
export const filesOf = (files: Files, name: string): Files =>
  Object.fromEntries(
    Object.entries(files)
      .filter(([f]) => f.startsWith(dirOf(name)))
      .map(([f, text]) => [f.slice(dirOf(name).length), text]),
  )

const without = (files: Files, name: string): Files =>
  Object.fromEntries(Object.entries(files).filter(([f]) => !f.startsWith(dirOf(name))))

// renameExercise gives an exercise's folder another name. Attempts stay with the name before.
export function renameExercise(files: Files, from: string, to: string): Files | null {
  const own = filesOf(files, from)
  const moved = { ...without(files, from) }
  for (const [f, text] of Object.entries(own)) moved[dirOf(to) + f] = text
  return listed(moved, (names) => names.map((n) => (n === from ? to : n)))
}

// removeExercise takes an exercise out of the folder and the list.
export const removeExercise = (files: Files, name: string): Files | null =>
  listed(without(files, name), (names) => names.filter((n) => n !== name))

// moveExercise moves an exercise up or down the list by so many places.
export function moveExercise(files: Files, name: string, by: number): Files | null {
  return listed(files, (names) => {
    const at = names.indexOf(name)
    const to = at + by
    if (at < 0 || to < 0 || to >= names.length) return names
    const next = names.filter((n) => n !== name)
    next.splice(to, 0, name)
    return next
  })
}

// freeName is a name that no exercise has yet.
export function freeName(files: Files, wanted: string): string {
  const taken = new Set(exerciseNames(files))
  for (let i = 1; ; i++) {
    const name = i === 1 ? wanted : `${wanted}-${i}`
    if (!taken.has(name)) return name
  }
}

// dataEndings are the files of data that an exercise may hold.
export const dataEndings = ['.csv', '.json', '.mtx']

// gridAsCSV writes cells as a plain table; null where one is no number.
export function gridAsCSV(cells: string[][]): string | null {
  const rows = cells.filter((r) => r.some((c) => c.trim() !== ''))
  const width = Math.max(0, ...rows.map((r) => r.reduce((last, c, i) => (c.trim() === '' ? last : i + 1), 0)))
  if (width === 0) return null
  const out: string[] = []
  for (const r of rows) {
    const line = Array.from({ length: width }, (_, i) => (r[i] ?? '').trim())
    if (line.some((c) => c !== '' && (Number.isNaN(Number(c)) || /^[+-]?(0[xob]|inf)/i.test(c)))) return null
    out.push(line.join(','))
  }
  return out.join('\n') + '\n'
}
