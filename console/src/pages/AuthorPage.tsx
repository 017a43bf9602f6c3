import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Link, useParams, useSearch } from '@tanstack/react-router'
import { Tabs, ToggleGroup } from 'radix-ui'
import { lazy, Suspense, useEffect, useMemo, useState } from 'react'
import { call, download, Failure, get } from '../api'
import { drop, store, stored } from '../offline/device'
import { FileEditor, offersOf, wordOffers } from '../editor/FileEditor'
import { begin } from '../jobs'
import { useMe } from '../me'
import { CourseFrame } from '../parts/CourseFrame'
import { ArrayViewer, lookOf } from '../parts/ArrayViewer'
import { addCase, countingOf } from '../parts/cases'
import { differing, diffLines, together } from '../parts/diff'
import { announce } from '../parts/announce'
import { DataFiles, ExerciseMenu, NewExercise } from '../parts/AuthorTools'
import { exerciseNames } from '../parts/courseFiles'
import { FollowedJob, JobBar } from '../parts/JobBar'
import { draftKey, takeKept } from '../parts/kept'
import { points } from '../parts/numbers'
import { Empty, Failing, Loading } from '../parts/States'
import { Ticked } from '../parts/VerdictView'
import { When } from '../parts/When'
import { useSettled } from '../parts/useSettled'
import type {
  Advice,
  Draft,
  DraftExercise,
  Files,
  Folder,
  FolderProblem,
  Job,
  Published,
  Revisions,
  Survivor,
  Words,
} from '../types'

const Prompt = lazy(() => import('../parts/Prompt').then((m) => ({ default: m.Prompt })))

// AuthorPage is where an instructor edits a course in the browser: its list with the
// health of each exercise, and one exercise opened. Nothing is published before they
// say so.
export function AuthorPage() {
  const me = useMe()
  const { course } = useParams({ from: '/inside/courses/$course/author' })
  const { exercise } = useSearch({ from: '/inside/courses/$course/author' })
  const q = useQuery({
    queryKey: ['folder', course],
    queryFn: () => get<Folder>(`/courses/${course}/folder`),
    staleTime: 30_000,
  })
  return (
    <CourseFrame course={course} trail={[{ text: 'Author' }]} wide what="the course folder" of={q}>
      {q.data && <Author key={course} course={course} published={q.data} chosen={exercise} person={me.name} />}
    </CourseFrame>
  )
}

// Kept is what an instructor is writing: the revision it began from, with its files,
// and the files as they are now.
interface Kept {
  base: Folder
  files: Files
}

function isKept(v: unknown): v is Kept {
  const k = v as Partial<Kept> | null
  return typeof k?.files === 'object' && typeof k.base?.revision === 'number' && typeof k.base.files === 'object'
}

// useKept holds what one is writing in this browser until it is as published.
function useKept(key: string, published: Folder): [Kept, (change: (old: Kept) => Kept) => void] {
  const [kept, setKept] = useState<Kept>(() => {
    try {
      const old: unknown = JSON.parse(stored(key) ?? 'null')
      if (isKept(old)) return old
    } catch {
      // Not ours, or cut short: what is published stands.
    }
    return { base: published, files: published.files }
  })
  useEffect(() => {
    if (differing(kept.base.files, kept.files).length === 0) drop(key)
    else store(key, JSON.stringify(kept))
  }, [kept, key])
  return [kept, setKept]
}

// revisionOf is the revision that a folder is of, 0 where it is of none.
const revisionOf = (folder: Folder) => folder.revision ?? 0

function Author({
  course,
  published,
  chosen,
  person,
}: {
  course: string
  published: Folder
  chosen?: string
  person: string
}) {
  const [kept, setKept] = useKept(draftKey(person, course), published)
  const { base, files } = kept
  const changed = useMemo(() => differing(base.files, files), [files, base])
  const change = (name: string, text: string) => setKept((old) => ({ ...old, files: { ...old.files, [name]: text } }))
  // A note that is kept for next time comes from another page.
  useEffect(() => {
    const taken = takeKept(course, kept.files)
    if (!taken) return
    setKept((old) => ({ ...old, files: taken.files }))
    announce('The note is a slip of the exercise now; publish it when you have looked at it.')
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once, when the page opens
  }, [])
  // What is published is the ground of one's work until somebody else publishes; an
  // untouched course follows by itself.
  const newer = revisionOf(published) > revisionOf(base)
  if (newer && changed.length === 0) setKept(() => ({ base: published, files: published.files }))
  // Looked at as one types, once that settles.
  const settled = useSettled(files, 400)
  const draft = useQuery({
    queryKey: ['draft', course, settled],
    queryFn: () => call<Draft>('POST', `/courses/${course}/draft`, { files: settled }),
    placeholderData: (old) => old,
    retry: false,
    gcTime: 0,
  })
  // What takes longer than one looks for is a job.
  const client = useQueryClient()
  const [probing, setProbing] = useState<Job>()
  const probe = useMutation({
    mutationFn: async () => {
      const looked = settled
      const { draft } = await begin(`/courses/${course}/probe`, { files: looked }, setProbing)
      return { looked, draft }
    },
    onSuccess: ({ looked, draft }) => client.setQueryData(['draft', course, looked], draft),
  })
  const names = useMemo(() => exerciseNames(files), [files])
  const open = chosen && names.includes(chosen) ? chosen : undefined
  const set = (files: Files) => setKept((old) => ({ ...old, files }))
  const back = (folder: Folder) => {
    set(folder.files)
    announce(`The text is that of revision ${revisionOf(folder)} now; nothing is published yet.`)
  }
  return (
    <div className="grid gap-5 lg:grid-cols-[19rem_minmax(0,1fr)]">
      <div className="grid min-w-0 content-start gap-4">
        <h1 className="text-2xl font-semibold">Author</h1>
        <Publishing
          course={course}
          files={files}
          from={revisionOf(base)}
          changed={changed}
          undo={() => setKept((old) => ({ ...old, files: old.base.files }))}
          published={(revision) => setKept((old) => ({ base: { files, revision }, files: old.files }))}
        />
        {newer && changed.length > 0 && (
          <Newer
            course={course}
            kept={kept}
            published={published}
            take={(files) => setKept(() => ({ base: published, files }))}
          />
        )}
        <Health course={course} names={names} draft={draft.data} open={open} changed={changed} />
        <NewExercise course={course} files={files} set={set} />
        <RevisionList course={course} back={back} />
      </div>
      <div className="grid min-w-0 content-start gap-4 max-lg:order-first">
        {probe.isPending && probing && <JobBar job={probing} />}
        {probe.isError && <Failing error={probe.error} />}
        {draft.isError && <Failing error={draft.error} again={() => void draft.refetch()} />}
        {draft.data?.stopped && (
          <p className="border-l-4 border-l-differs py-1 pl-3">
            ◐ Looking took too long and was stopped; exercises without a share were not looked at.{' '}
            <button
              className="button"
              aria-disabled={probe.isPending}
              onClick={() => !probe.isPending && probe.mutate()}
            >
              Probe the whole course
            </button>
          </p>
        )}
        {open ? (
          <Opened
            key={open}
            course={course}
            name={open}
            files={files}
            published={base.files}
            change={change}
            set={set}
            draft={draft.data}
            busy={draft.isFetching || settled !== files}
          />
        ) : (
          <CourseFile
            files={files}
            change={change}
            problems={draft.data?.errors ?? []}
            advice={draft.data?.advice.filter((a) => a.place === 'course.yaml') ?? []}
          />
        )}
      </div>
    </div>
  )
}

// Newer says that a colleague published meanwhile, and brings both together file by
// file: theirs where one changed nothing, one's own where one did.
function Newer({
  course,
  kept,
  published,
  take,
}: {
  course: string
  kept: Kept
  published: Folder
  take: (files: Files) => void
}) {
  const revisions = useQuery({
    queryKey: ['revisions', course],
    queryFn: () => get<Revisions>(`/courses/${course}/revisions`),
  })
  const line = revisions.data?.revisions.find((r) => r.number === published.revision)
  const { files, both } = together(kept.base.files, kept.files, published.files)
  return (
    <section aria-label="published meanwhile" className="grid gap-2 border-l-4 border-l-differs py-1 pl-3 text-sm">
      <p>
        Revision {published.revision}
        {line && (
          <>
            {' '}
            by {line.by}, <When at={line.at} />,
          </>
        )}{' '}
        was published since you began from revision {kept.base.revision}. Yours is kept here, and overwrites nothing.
      </p>
      {both.length > 0 && (
        <p>
          You both changed{' '}
          {both.map((f, i) => (
            <span key={f}>
              {i > 0 && ', '}
              <code className="break-words">{f}</code>
            </span>
          ))}
          : yours is kept, and <em>Changes</em> then shows it against theirs.
        </p>
      )}
      <button className="button justify-self-start" onClick={() => take(files)}>
        Bring theirs in
      </button>
    </section>
  )
}

// Health lists the exercises with advice and the share of slips that are caught.
function Health({
  course,
  names,
  draft,
  open,
  changed,
}: {
  course: string
  names: string[]
  draft?: Draft
  open?: string
  changed: string[]
}) {
  return (
    <nav aria-label="exercises">
      <table className="rows w-full text-sm">
        <thead>
          <tr>
            <th scope="col">exercise</th>
            <th scope="col" className="text-right!">
              caught
            </th>
            <th scope="col" className="text-right!">
              advice
            </th>
          </tr>
        </thead>
        <tbody>
          <tr className={open ? '' : 'bg-rule/30'}>
            <td colSpan={3}>
              <Link
                to="/courses/$course/author"
                params={{ course }}
                search={{ exercise: undefined }}
                className="within"
              >
                course.yaml
              </Link>
              {changed.includes('course.yaml') && <span className="text-soft"> edited</span>}
            </td>
          </tr>
          {names.map((n) => {
            const e = draft?.exercises.find((x) => x.name === n)
            const errors = draft?.errors.filter((p) => p.file.startsWith(`exercises/${n}/`)).length ?? 0
            const advice = draft?.advice.filter((a) => a.exercise === n).length ?? 0
            return (
              <tr key={n} className={open === n ? 'bg-rule/30' : ''} data-health={n}>
                <td>
                  <Link
                    to="/courses/$course/author"
                    params={{ course }}
                    search={{ exercise: n }}
                    className="within break-words"
                    aria-current={open === n ? 'page' : undefined}
                  >
                    {e?.title ?? n}
                  </Link>
                  {changed.some((f) => f.startsWith(`exercises/${n}/`)) && <span className="text-soft"> edited</span>}
                </td>
                <td className="text-right whitespace-nowrap">
                  {errors > 0 ? <span className="text-failed">▲ {errors}</span> : e ? <Share exercise={e} /> : '…'}
                </td>
                <td className={`text-right whitespace-nowrap ${advice > 0 ? 'text-differs' : 'text-soft'}`}>
                  {advice > 0 ? `◐ ${advice}` : '0'}
                </td>
              </tr>
            )
          })}
        </tbody>
      </table>
    </nav>
  )
}

function Share({ exercise: e }: { exercise: DraftExercise }) {
  const all = e.slips - e.equivalent
  const share = all === 0 ? 1 : e.caught / all
  return (
    <span title={`${e.caught} of ${all} slips caught`} className={share < 0.95 ? 'text-differs' : 'text-agrees'}>
      {share < 0.95 ? '◐' : '●'} {Math.floor(100 * share)} %
    </span>
  )
}

function CourseFile({
  files,
  change,
  problems,
  advice,
}: {
  files: Files
  change: (name: string, text: string) => void
  problems: FolderProblem[]
  advice: Advice[]
}) {
  const schema = useSchema('course')
  return (
    <>
      <Problems problems={problems} />
      {advice.map((a, i) => (
        <Piece key={i} code={a.code} place={a.exercise || a.place} message={a.message} hint={a.try} />
      ))}
      <FileEditor
        name="course.yaml"
        text={files['course.yaml'] ?? ''}
        change={(t) => change('course.yaml', t)}
        offers={offersOf(schema)}
      />
    </>
  )
}

function useSchema(name: string) {
  return useQuery({
    queryKey: ['schema', name],
    staleTime: Infinity,
    queryFn: async () => (await (await fetch(`/schema/${name}.json`)).json()) as Parameters<typeof offersOf>[0],
  }).data
}

function Opened({
  course,
  name,
  files,
  published,
  change,
  set,
  draft,
  busy,
}: {
  course: string
  name: string
  files: Files
  published: Files
  change: (name: string, text: string) => void
  set: (files: Files) => void
  draft?: Draft
  busy: boolean
}) {
  const dir = `exercises/${name}/`
  const own = Object.keys(files)
    .filter((f) => f.startsWith(dir))
    .sort()
  const e = draft?.exercises.find((x) => x.name === name)
  const problems = draft?.errors.filter((p) => p.file.startsWith(dir) || p.file === 'course.yaml') ?? []
  const advice = draft?.advice.filter((a) => a.exercise === name) ?? []
  const yaml = dir + 'exercise.yaml'
  const use = (item: string) => {
    const next = addCase(files[yaml] ?? '', item)
    setTold(
      next
        ? 'The case is now at the end of exercise.yaml.'
        : 'exercise.yaml has no list of cases that this could go to; write it in by hand.',
    )
    if (next) change(yaml, next)
  }
  const [told, setTold] = useState('')
  const edited = own.filter((f) => files[f] !== published[f])
  return (
    <Tabs.Root defaultValue="edit">
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h2 className="text-xl font-semibold">{e?.title ?? name}</h2>
        <span className="text-sm text-soft">{e?.topics.join(' · ')}</span>
        <span className="ml-auto text-sm text-soft">
          {busy ? '○ looking …' : problems.length > 0 ? '▲ cannot be published' : '● looked at'}
        </span>
        <ExerciseMenu course={course} name={name} files={files} set={set} />
      </div>
      <Tabs.List aria-label="the exercise" className="mb-3 flex flex-wrap border-b border-rule">
        <Tabs.Trigger value="edit" className="tab">
          Edit
        </Tabs.Trigger>
        <Tabs.Trigger value="look" className="tab">
          Look
        </Tabs.Trigger>
        <Tabs.Trigger value="inspect" className="tab">
          Inspect and probe
          {advice.length + (e?.survivors.length ?? 0) > 0 && ` (${advice.length + (e?.survivors.length ?? 0)})`}
        </Tabs.Trigger>
        <Tabs.Trigger value="diff" className="tab">
          Changes{edited.length > 0 && ` (${edited.length})`}
        </Tabs.Trigger>
      </Tabs.List>
      <Problems problems={problems} />
      <Tabs.Content value="edit">
        <Edit own={own} dir={dir} files={files} change={change} set={set} />
      </Tabs.Content>
      <Tabs.Content value="look">
        <Look exercise={e} prompt={files[dir + 'prompt.md'] ?? ''} counting={countingOf(files['course.yaml'] ?? '')} />
      </Tabs.Content>
      <Tabs.Content value="inspect">
        {told && (
          <p role="alert" className="mb-3 border-l-4 border-l-accent py-1 pl-3">
            {told}
          </p>
        )}
        <Inspect exercise={e} advice={advice} use={use} />
      </Tabs.Content>
      <Tabs.Content value="diff">
        {edited.length === 0 && <Empty>Nothing differs from the published revision.</Empty>}
        {edited.map((f) => (
          <Changes key={f} file={f} before={published[f] ?? ''} after={files[f] ?? ''} />
        ))}
      </Tabs.Content>
    </Tabs.Root>
  )
}

function Edit({
  own,
  dir,
  files,
  change,
  set,
}: {
  own: string[]
  dir: string
  files: Files
  change: (name: string, text: string) => void
  set: (files: Files) => void
}) {
  const [file, setFile] = useState(dir + 'exercise.yaml')
  const schema = useSchema('exercise')
  const words = useQuery({ queryKey: ['words'], queryFn: () => get<Words>('/words'), staleTime: Infinity })
  const offers = file.endsWith('.nra') ? wordOffers(words.data) : file.endsWith('.yaml') ? offersOf(schema) : []
  return (
    <div className="grid gap-2">
      <ToggleGroup.Root
        type="single"
        value={file}
        onValueChange={(f) => f && setFile(f)}
        aria-label="files"
        className="flex flex-wrap"
      >
        {own.map((f) => (
          <ToggleGroup.Item key={f} value={f} className="choice mono">
            {f.slice(dir.length)}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
      {file.endsWith('.nc') ? (
        <p className="sheet p-4 text-soft">
          netCDF data are no text: change them with the tool that wrote them, and publish the folder from the command
          line.
        </p>
      ) : (
        <FileEditor key={file} name={file} text={files[file] ?? ''} change={(t) => change(file, t)} offers={offers} />
      )}
      <DataFiles dir={dir} own={own} file={file} files={files} set={set} show={setFile} />
    </div>
  )
}

function Look({ exercise: e, prompt, counting }: { exercise?: DraftExercise; prompt: string; counting: number }) {
  if (!e) return <Empty>There is nothing to look at before the errors are fixed.</Empty>
  return (
    <div className="grid gap-4 xl:grid-cols-2">
      <Suspense fallback={<Loading what="the prompt" />}>
        <Prompt text={prompt} />
      </Suspense>
      <Tabs.Root defaultValue={e.cases[0]?.name} className="min-w-0">
        <Tabs.List aria-label="cases" className="flex flex-wrap border-b border-rule">
          {e.cases.map((c) => (
            <Tabs.Trigger key={c.name} value={c.name} className="tab">
              {c.name}
              {c.shown ? '' : ' · held'}
            </Tabs.Trigger>
          ))}
        </Tabs.List>
        {e.cases.map((c) => (
          <Tabs.Content key={c.name} value={c.name} className="grid gap-3 pt-3">
            {Object.entries(c.inputs).map(([n, v]) => (
              <ArrayViewer key={n} value={v} title={n} about="input" unit="" counting={counting} />
            ))}
            {c.expects ? (
              <p>
                The right outcome here is the error <code>{c.expects}</code>.
              </p>
            ) : (
              Object.entries(c.outputs).map(([n, v]) => (
                <ArrayViewer
                  key={n}
                  value={v}
                  title={n}
                  overlay={lookOf(e.present[n] ?? '')}
                  about="what the reference gives"
                  unit=""
                  counting={counting}
                />
              ))
            )}
          </Tabs.Content>
        ))}
      </Tabs.Root>
    </div>
  )
}

function Inspect({
  exercise: e,
  advice,
  use,
}: {
  exercise?: DraftExercise
  advice: Advice[]
  use: (item: string) => void
}) {
  if (!e) return <Empty>Inspecting and probing wait until the errors are fixed.</Empty>
  return (
    <div className="grid gap-4">
      <p>
        {e.slips} slips, {e.caught} caught, {e.equivalent} that change nothing: <Share exercise={e} />
      </p>
      {advice.length === 0 && e.survivors.length === 0 && (
        <Empty>No advice, and no survivors: every plausible mistake that was tried is caught.</Empty>
      )}
      {advice.map((a, i) => (
        <Piece key={i} code={a.code} place={a.place} message={a.message} hint={a.try} yaml={a.yaml} use={use} />
      ))}
      {e.survivors.map((s: Survivor, i) => (
        <Piece
          key={i}
          code={s.cause}
          place={`line ${s.line}`}
          message={`would be marked right: \`${s.changed}\` (${s.change})`}
          hint={s.try}
          yaml={s.yaml}
          use={use}
        />
      ))}
    </div>
  )
}

function Piece({
  code,
  place,
  message,
  hint,
  yaml,
  use,
}: {
  code: string
  place: string
  message: string
  hint: string
  yaml?: string
  use?: (item: string) => void
}) {
  return (
    <article className="sheet grid gap-1 border-l-4 border-l-differs p-3">
      <p className="flex flex-wrap gap-x-3 text-sm">
        <span className="mono text-soft">{code}</span>
        <span className="text-soft">{place}</span>
      </p>
      <p>
        <Ticked text={message} />
      </p>
      <p>
        <span className="text-soft">Try: </span>
        <Ticked text={hint} />
      </p>
      {yaml && use && (
        <div className="flex flex-wrap items-center gap-3">
          <code className="min-w-0 flex-1 text-sm break-words">{yaml}</code>
          <button className="button" onClick={() => use(yaml)}>
            Use this data
          </button>
        </div>
      )}
    </article>
  )
}

function Problems({ problems }: { problems: FolderProblem[] }) {
  if (problems.length === 0) return null
  return (
    <ul role="alert" aria-label="errors" className="sheet mb-3 grid gap-2 border-l-4 border-l-failed p-3">
      {problems.map((p, i) => (
        <li key={i}>
          <span className="mono text-sm text-soft">
            {p.file}:{p.line}:{p.column}
          </span>
          <br />
          <Ticked text={p.message} />.{' '}
          <span className="text-soft">
            Try: <Ticked text={p.hint} />
          </span>
        </li>
      ))}
    </ul>
  )
}

function Changes({ file, before, after }: { file: string; before: string; after: string }) {
  return (
    <figure className="sheet mb-3 overflow-x-auto p-3" tabIndex={0}>
      <figcaption className="mono text-sm text-soft">{file}</figcaption>
      <pre className="text-sm">
        {diffLines(before, after).map((l, i) => (
          <div
            key={i}
            className={l.sign === '+' ? 'bg-agrees/10 text-agrees' : l.sign === '-' ? 'bg-differs/10 text-differs' : ''}
          >
            {l.sign} {l.text}
          </div>
        ))}
      </pre>
    </figure>
  )
}

// publishedBy is what came of a job that publishes or says what publishing would change.
async function publishedBy(ended: Promise<Job>): Promise<Published> {
  const { published, state } = await ended
  if (!published) throw new Error(`The job is ${state}; nothing was published.`)
  return published
}

// Publishing shows what would change, and publishes on a second word.
function Publishing({
  course,
  files,
  from,
  changed,
  undo,
  published,
}: {
  course: string
  files: Files
  from: number
  changed: string[]
  undo: () => void
  published: (revision: number) => void
}) {
  const client = useQueryClient()
  const [recheck, setRecheck] = useState(true)
  const [keep, setKeep] = useState(false)
  const path = `/courses/${course}/revisions`
  const [job, setJob] = useState<Job>()
  const preview = useMutation({
    mutationFn: () => publishedBy(begin(`/courses/${course}/preview`, { files }, setJob)),
  })
  const publish = useMutation({
    mutationFn: () =>
      publishedBy(
        begin(
          path + (recheck ? `?recheck=true${keep ? '&keep_better=true' : ''}` : ''),
          { files },
          setJob,
          from > 0 ? { 'If-Match': `"${from}"` } : {},
        ),
      ),
    onSuccess: (p) => {
      preview.reset()
      published(p.revision)
      announce(`Published as revision ${p.revision}.`)
    },
    onError: (err) => {
      if (err instanceof Failure && err.problem.current) preview.reset()
    },
    // A colleague's revision is read as well: the page brings the two together.
    onSettled: () => {
      for (const key of ['folder', 'revisions', 'course']) void client.invalidateQueries({ queryKey: [key, course] })
    },
  })
  const save = useMutation({
    mutationFn: () => download(`/courses/${course}/draft/archive`, { files }, `${course}.zip`),
  })
  const look = () => {
    if (changed.length > 0 && !preview.isPending) preview.mutate()
  }
  const p = preview.data
  const first = publish.error instanceof Failure ? publish.error.problem.current : undefined
  return (
    <section aria-label="publishing" className="grid gap-2 text-sm">
      <p>
        {from === 0
          ? 'Nothing is published yet.'
          : changed.length === 0
            ? `As published in revision ${from}.`
            : `${changed.length} ${changed.length === 1 ? 'file differs' : 'files differ'} from revision ${from}.`}
      </p>
      <div className="flex flex-wrap gap-2">
        <button className="button button-main" aria-disabled={changed.length === 0 || preview.isPending} onClick={look}>
          {preview.isPending ? 'Looking …' : 'What would change?'}
        </button>
        <button className="button" onClick={() => save.mutate()}>
          Download
        </button>
        {changed.length > 0 && (
          <button className="button" onClick={undo}>
            Undo all
          </button>
        )}
      </div>
      {(preview.isPending || publish.isPending) && job && !job.ended && <JobBar job={job} />}
      {preview.isError && <Failing error={preview.error} />}
      {save.isError && <Failing error={save.error} />}
      {p && (
        <div className="grid gap-2 border-t border-rule pt-2">
          <p>
            {p.advice.length} pieces of advice, {p.survivors} of {p.slips} slips survive. {p.checked} attempts checked:{' '}
            <strong>
              {p.changes.length} verdicts and {p.grades.length} grades change
            </strong>
            .{p.unchecked && ' Older attempts were left out when the time was over.'}
          </p>
          <WouldChange preview={p} course={course} kept={recheck && keep} />
          <label className="flex min-h-6 items-center gap-2">
            <input
              type="checkbox"
              className="size-6"
              checked={recheck}
              onChange={(e) => setRecheck(e.target.checked)}
            />
            check every attempt again
          </label>
          {recheck && (
            <label className="flex min-h-6 items-center gap-2">
              <input type="checkbox" className="size-6" checked={keep} onChange={(e) => setKeep(e.target.checked)} />
              where points fall, the better verdict counts for the grade
            </label>
          )}
          <button
            className="button button-main justify-self-start"
            aria-disabled={publish.isPending}
            onClick={() => {
              if (!publish.isPending) publish.mutate()
            }}
          >
            {publish.isPending ? 'Publishing …' : 'Publish'}
          </button>
        </div>
      )}
      {publish.isError &&
        (first ? (
          <p role="alert">
            ▲ Nothing was published: revision {first.number} by {first.by} came first.
          </p>
        ) : (
          <Failing error={publish.error} />
        ))}
      {publish.data && (
        <p>
          Published as revision {publish.data.revision}
          {publish.data.rechecked > 0 && `; ${publish.data.rechecked} attempts are checked again`}.
        </p>
      )}
      {publish.data?.recheck && <FollowedJob key={publish.data.recheck} id={publish.data.recheck} />}
    </section>
  )
}

// WouldChange lists what a new revision would change: verdicts and grades, those that fall first.
function WouldChange({ preview: p, course, kept }: { preview: Published; course: string; kept: boolean }) {
  const grades = p.grades.map((g) => ({ ...g, after: kept ? g.kept : g.after })).filter((g) => g.after !== g.before)
  const falls = (before: number, after: number) => (after < before ? 'text-differs' : 'text-agrees')
  return (
    <>
      {p.changes.length > 0 && (
        <details open={p.changes.length <= 8}>
          <summary className="min-h-8 cursor-pointer">verdicts, those that fall first</summary>
          <ul>
            {p.changes.slice(0, 100).map((c) => (
              <li key={c.attempt} className="text-soft">
                <Link
                  to="/courses/$course/attempts/$attempt"
                  params={{ course, attempt: String(c.attempt) }}
                  className="text-ink decoration-edge"
                >
                  {c.display}
                </Link>
                , {c.exercise}: {c.before} → {c.after},{' '}
                <span className={falls(c.earned, c.now)}>
                  {c.now < c.earned ? '↓' : '↑'} {points(c.earned)} → {points(c.now)}
                </span>
              </li>
            ))}
          </ul>
          {p.changes.length > 100 && <p className="text-soft">and {p.changes.length - 100} more</p>}
        </details>
      )}
      {grades.length > 0 && (
        <details open={grades.length <= 8}>
          <summary className="min-h-8 cursor-pointer">grades, once attempts are checked again</summary>
          <ul>
            {grades.slice(0, 100).map((g) => (
              <li key={g.name + g.exercise} className="text-soft">
                <span className="text-ink">{g.display}</span>, {g.exercise}:{' '}
                <span className={falls(g.before, g.after)}>
                  {g.after < g.before ? '↓' : '↑'} {points(g.before)} → {points(g.after)}
                </span>{' '}
                of {points(g.possible)}
              </li>
            ))}
          </ul>
        </details>
      )}
      {kept && p.grades.length > 0 && grades.length === 0 && <p>No grade falls, and none rises.</p>}
    </>
  )
}

// RevisionList leads back to an earlier revision: its text takes the place of what one writes, and is published like it.
function RevisionList({ course, back }: { course: string; back: (folder: Folder) => void }) {
  const fetched = useMutation({
    mutationFn: (number: number) => get<Folder>(`/courses/${course}/folder?revision=${number}`),
    onSuccess: back,
  })
  const q = useQuery({ queryKey: ['revisions', course], queryFn: () => get<Revisions>(`/courses/${course}/revisions`) })
  if (!q.data) return null
  return (
    <section aria-label="revisions" className="text-sm">
      <table className="rows w-full">
        <thead>
          <tr>
            <th scope="col">revision</th>
            <th scope="col">by</th>
            <th scope="col">at</th>
          </tr>
        </thead>
        <tbody>
          {q.data.revisions.slice(0, 12).map((r) => (
            <tr key={r.number}>
              <td>
                <a
                  href={`/api/v1/courses/${course}/revisions/${r.number}`}
                  className="within"
                  download
                  aria-label={`revision ${r.number}${r.current ? ', current' : ''}`}
                >
                  {r.number}
                </a>
                {r.current ? (
                  ' ●'
                ) : (
                  <button
                    className="within ml-2"
                    onClick={() => fetched.mutate(r.number)}
                    aria-label={`back to revision ${r.number}`}
                  >
                    back
                  </button>
                )}
              </td>
              <td className="break-words">{r.by}</td>
              <td className="text-soft">
                <When at={r.at} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {fetched.isError && <Failing error={fetched.error} />}
    </section>
  )
}
