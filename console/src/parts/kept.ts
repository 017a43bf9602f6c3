import { call } from '../api'
import { stored } from '../offline/device'
import type { Files, KeptSlip } from '../types'

const key = (course: string) => `kept ${course}`

// draftKey is where an instructor's draft of a course is kept in this browser.
export const draftKey = (person: string, course: string) => `folder:${person}:${course}`

// draftOf are the files of a draft that is kept here; none where there is none.
function draftOf(person: string, course: string): Files {
  try {
    const kept = JSON.parse(stored(draftKey(person, course)) ?? 'null') as { files?: Files } | null
    return kept?.files ?? {}
  } catch {
    return {}
  }
}

// keepNote turns a note into a slip of the exercise as the draft has it, and lays it down for the author's page.
export async function keepNote(person: string, course: string, note: number): Promise<KeptSlip> {
  const path = `/courses/${course}/notes/${note}/keep`
  let slip = await call<KeptSlip>('POST', path, {})
  const draft = draftOf(person, course)[slip.file]
  if (draft !== undefined) slip = await call<KeptSlip>('POST', path, { yaml: draft })
  sessionStorage.setItem(key(course), JSON.stringify(slip))
  return slip
}

// takeKept adds what was laid down to a folder, once; null where nothing was.
export function takeKept(course: string, files: Files): { files: Files; exercise: string } | null {
  const text = sessionStorage.getItem(key(course))
  sessionStorage.removeItem(key(course))
  if (!text) return null
  const slip = JSON.parse(text) as KeptSlip
  return { files: { ...files, [slip.file]: slip.yaml, [slip.slip]: slip.program }, exercise: slip.exercise }
}
