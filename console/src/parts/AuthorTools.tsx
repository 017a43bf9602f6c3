import { useQuery } from '@tanstack/react-query'
import { useNavigate } from '@tanstack/react-router'
import { DropdownMenu } from 'radix-ui'
import { type DragEvent, useRef, useState } from 'react'
import { get } from '../api'
import type { Files, Skeleton } from '../types'
import { announce } from './announce'
import { Choice } from './Choice'
import {
  addExercise,
  dataEndings,
  exerciseNames,
  filesOf,
  freeName,
  gridAsCSV,
  isName,
  moveExercise,
  removeExercise,
  renameExercise,
} from './courseFiles'
import { Fold } from './Fold'
import { Field } from './Field'
import { Failing } from './States'

type Set = (files: Files) => void

const unreadable = 'course.yaml cannot be read as it is; correct it first.'

// NewExercise begins an exercise from one that is there: a skeleton of a topic.
export function NewExercise({ course, files, set }: { course: string; files: Files; set: Set }) {
  const navigate = useNavigate()
  const [topic, setTopic] = useState('')
  const [name, setName] = useState('')
  const [told, setTold] = useState('')
  const q = useQuery({ queryKey: ['skeletons'], queryFn: () => get<Skeleton[]>('/skeletons'), staleTime: Infinity })
  const chosen = q.data?.find((s) => s.topic === topic) ?? q.data?.[0]
  const add = () => {
    if (!chosen) return
    const to = name.trim() || freeName(files, chosen.topic)
    if (!isName(to)) return setTold('A folder is named in small letters, digits and single hyphens: rope-means.')
    if (exerciseNames(files).includes(to)) return setTold(`There is an exercise ${to} already.`)
    const next = addExercise(files, to, chosen.files)
    if (!next) return setTold(unreadable)
    set(next)
    setTold('')
    setName('')
    announce(`${to} is added.`)
    void navigate({ to: '/courses/$course/author', params: { course }, search: { exercise: to } })
  }
  return (
    <Fold title="A new exercise" className="text-sm">
      {q.isError && <Failing error={q.error} again={() => void q.refetch()} />}
      <form
        className="grid gap-3 pt-2"
        onSubmit={(e) => {
          e.preventDefault()
          add()
        }}
      >
        <Choice
          label="Begin from"
          value={chosen?.topic ?? ''}
          change={setTopic}
          of={(q.data ?? []).map((s) => [s.topic, `${s.topic}: ${s.title}`])}
        />
        <Field
          label="Folder"
          value={name}
          change={setName}
          required={false}
          placeholder={freeName(files, chosen?.topic ?? 'exercise')}
        />
        <button className="button justify-self-start">Add the exercise</button>
        {told && <p role="alert">▲ {told}</p>}
      </form>
    </Fold>
  )
}

// ExerciseMenu does what concerns an exercise as a whole: copy, rename, move, remove. Nothing is published by it.
export function ExerciseMenu({ course, name, files, set }: { course: string; name: string; files: Files; set: Set }) {
  const navigate = useNavigate()
  const [renaming, setRenaming] = useState(false)
  const [to, setTo] = useState(name)
  const [told, setTold] = useState('')
  const go = (exercise: string | undefined) =>
    void navigate({ to: '/courses/$course/author', params: { course }, search: { exercise } })
  const take = (next: Files | null, said: string, then?: string) => {
    if (!next) return setTold(unreadable)
    setTold('')
    set(next)
    announce(said)
    if (then !== name) go(then)
  }
  const copy = () => {
    const free = freeName(files, name)
    take(addExercise(files, free, filesOf(files, name)), `${free} is a copy of ${name}.`, free)
  }
  const rename = () => {
    if (to === name) return setRenaming(false)
    if (!isName(to)) return setTold('A folder is named in small letters, digits and single hyphens: rope-means.')
    if (exerciseNames(files).includes(to)) return setTold(`There is an exercise ${to} already.`)
    take(renameExercise(files, name, to), `${name} is ${to} now.`, to)
  }
  return (
    <>
      <DropdownMenu.Root modal={false}>
        <DropdownMenu.Trigger className="button">Exercise ▾</DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="end" sideOffset={4} className="sheet z-50 min-w-40 py-1 shadow-lg">
            <DropdownMenu.Item className="menu-item" onSelect={copy}>
              Copy
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" onSelect={() => setRenaming(true)}>
              Rename the folder …
            </DropdownMenu.Item>
            <DropdownMenu.Item
              className="menu-item"
              onSelect={() => take(moveExercise(files, name, -1), `${name} moved up.`, name)}
            >
              Move up
            </DropdownMenu.Item>
            <DropdownMenu.Item
              className="menu-item"
              onSelect={() => take(moveExercise(files, name, 1), `${name} moved down.`, name)}
            >
              Move down
            </DropdownMenu.Item>
            <DropdownMenu.Item
              className="menu-item"
              onSelect={() =>
                take(removeExercise(files, name), `${name} is removed; Undo all brings it back.`, undefined)
              }
            >
              Remove
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {renaming && (
        <form
          className="flex w-full flex-wrap items-end gap-2"
          aria-label="rename"
          onSubmit={(e) => {
            e.preventDefault()
            rename()
          }}
        >
          <Field label="Folder" value={to} change={setTo} />
          <button className="button min-h-11">Rename</button>
          <button type="button" className="button min-h-11" onClick={() => setRenaming(false)}>
            Leave it
          </button>
          <p className="w-full text-sm text-soft">Attempts that were handed in stay with the name before.</p>
        </form>
      )}
      {told && (
        <p role="alert" className="w-full">
          ▲ {told}
        </p>
      )}
    </>
  )
}

const mostDropped = 8 << 20

// DataFiles adds files of data to an exercise: dropped, chosen, or typed as a grid; and removes files.
export function DataFiles({
  dir,
  own,
  file,
  files,
  set,
  show,
}: {
  dir: string
  own: string[]
  file: string
  files: Files
  set: Set
  show: (file: string) => void
}) {
  const [told, setTold] = useState('')
  const [over, setOver] = useState(false)
  const [typing, setTyping] = useState(false)
  const add = (name: string, text: string) => {
    const to = `${dir}data/${name}`
    set({ ...files, [to]: text })
    show(to)
    setTold('')
    announce(`data/${name} is added; name it in exercise.yaml.`)
  }
  const take = async (list: FileList | null) => {
    for (const f of list ?? []) {
      const name = f.name.toLowerCase().replace(/[^a-z0-9._-]+/g, '-')
      if (!dataEndings.some((e) => name.endsWith(e)))
        return setTold(`${f.name} is no file of data; take ${dataEndings.join(', ')}.`)
      if (f.size > mostDropped) return setTold(`${f.name} has more than 8 MB; publish it from the command line.`)
      const text = await f.text()
      if (text.includes('\ufffd') || text.includes('\0')) return setTold(`${f.name} is no text in UTF-8.`)
      add(name, text)
    }
  }
  const removable =
    own.includes(file) && !['exercise.yaml', 'prompt.md', 'reference.nra'].includes(file.slice(dir.length))
  return (
    <div className="grid gap-2 text-sm">
      <div className="flex flex-wrap items-center gap-2">
        <label
          className={`flex min-h-10 cursor-pointer items-center border border-dashed px-3 ${over ? 'border-accent bg-accent/10' : 'border-edge'}`}
          onDragOver={(e) => {
            e.preventDefault()
            setOver(true)
          }}
          onDragLeave={() => setOver(false)}
          onDrop={(e: DragEvent) => {
            e.preventDefault()
            setOver(false)
            void take(e.dataTransfer.files)
          }}
        >
          Drop data here, or choose a file
          <input
            type="file"
            multiple
            className="sr-only"
            accept={dataEndings.join(',')}
            onChange={(e) => {
              void take(e.target.files)
              e.target.value = ''
            }}
          />
        </label>
        <button className="button" aria-expanded={typing} onClick={() => setTyping(!typing)}>
          Type a grid
        </button>
        {removable && (
          <button
            className="button"
            onClick={() => {
              set(Object.fromEntries(Object.entries(files).filter(([f]) => f !== file)))
              show(dir + 'exercise.yaml')
              announce(`${file.slice(dir.length)} is removed.`)
            }}
          >
            Remove {file.slice(dir.length)}
          </button>
        )}
      </div>
      {told && <p role="alert">▲ {told}</p>}
      {typing && (
        <Grid
          add={(name, text) => {
            add(name, text)
            setTyping(false)
          }}
        />
      )}
    </div>
  )
}

// Grid is a small table to type numbers into; it grows with what is typed, and takes what a spreadsheet copies.
function Grid({ add }: { add: (name: string, text: string) => void }) {
  const [cells, setCells] = useState<string[][]>(() => Array.from({ length: 4 }, () => ['', '', '', '']))
  const [name, setName] = useState('grid.csv')
  const [told, setTold] = useState('')
  const table = useRef<HTMLTableElement>(null)
  const put = (row: number, column: number, rows: string[][]) =>
    setCells((old) => {
      const height = Math.min(200, Math.max(old.length, row + rows.length + 1))
      const width = Math.min(60, Math.max(old[0]?.length ?? 0, column + Math.max(...rows.map((r) => r.length)) + 1))
      return Array.from({ length: height }, (_, i) =>
        Array.from({ length: width }, (_, j) => rows[i - row]?.[j - column] ?? old[i]?.[j] ?? ''),
      )
    })
  return (
    <form
      className="grid gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        const text = gridAsCSV(cells)
        if (text === null) return setTold('Each cell is a number, 2.5 or -1e3 say, and one at least is filled in.')
        if (!/^[a-z0-9][a-z0-9._-]*\.csv$/.test(name)) return setTold('Name the file in small letters: bay.csv.')
        add(name, text)
      }}
    >
      <div className="max-h-72 overflow-auto" tabIndex={0} role="region" aria-label="grid">
        <table ref={table} className="mono border-collapse">
          <tbody>
            {cells.map((row, i) => (
              <tr key={i}>
                {row.map((c, j) => (
                  <td key={j} className="border border-rule p-0">
                    <input
                      className="min-h-8 w-20 bg-sheet px-2 text-right"
                      aria-label={`row ${i + 1}, column ${j + 1}`}
                      inputMode="decimal"
                      value={c}
                      onChange={(e) => put(i, j, [[e.target.value]])}
                      onPaste={(e) => {
                        const text = e.clipboardData.getData('text')
                        if (!/[\t\n]/.test(text.trim())) return
                        e.preventDefault()
                        put(
                          i,
                          j,
                          text
                            .trim()
                            .split(/\r?\n/)
                            .map((line) => line.split('\t')),
                        )
                      }}
                    />
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <div className="flex flex-wrap items-end gap-2">
        <Field label="File" value={name} change={setName} />
        <button className="button min-h-11">Add it to the data</button>
      </div>
      {told && <p role="alert">▲ {told}</p>}
    </form>
  )
}
