// What is handed in as files: the name of each below a folder, with its content.
export interface Brought {
  name: string
  file: File
}

const kinds = /\.(csv|json|mtx|nc|cdf|zip)$/i

// Whether a file is one of arrays, or an archive of them, by its name.
export const isOfArrays = (name: string) => kinds.test(name)

// inFolder is where a file lies: below its case's folder, where it was chosen with folders, else by its own name.
export function inFolder(file: File): string {
  const path = file.webkitRelativePath || file.name
  return path.split('/').slice(-2).join('/')
}

// taken adds files to those that are there; one of the same name takes the place of the one before.
export function taken(before: Brought[], files: File[]): Brought[] {
  const all = new Map(before.map((b) => [b.name, b]))
  for (const file of files) {
    const name = inFolder(file)
    if (isOfArrays(file.name) && !file.name.startsWith('.')) all.set(name, { name, file })
  }
  return [...all.values()]
}

// formOf is what is sent.
export function formOf(files: Brought[], ticket: number | null, source: string): FormData {
  const form = new FormData()
  if (ticket !== null) form.append('ticket', String(ticket))
  if (source !== '') form.append('source', source)
  for (const b of files) form.append('files', b.file, b.name)
  return form
}

// timeLeft says how long a ticket can still be used.
export function timeLeft(until: number, now: number): string {
  const minutes = Math.ceil((until - now) / 60_000)
  if (minutes <= 0) return 'its time is over'
  if (minutes === 1) return 'less than a minute left'
  if (minutes < 120) return `${minutes} minutes left`
  return minutes < 48 * 60 ? `${Math.floor(minutes / 60)} hours left` : `${Math.floor(minutes / 1440)} days left`
}

// sizeOf is a file's size as people say it.
export function sizeOf(bytes: number): string {
  if (bytes < 1000) return `${bytes} bytes`
  return bytes < 1e6 ? `${(bytes / 1000).toPrecision(2)} kB` : `${(bytes / 1e6).toPrecision(2)} MB`
}
