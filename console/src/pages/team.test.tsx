import { act, fireEvent, screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { EditorView } from '@codemirror/view'
import { beforeEach, describe, expect, it } from 'vitest'
import { desk, draft, folder, instructor, line } from '../testing/kelp'
import { open, refusal, serviceOf, Stream, textOf, type Asked } from '../testing/service'
import type { Desk, Folder } from '../types'

const announced = () => textOf(screen.getByRole('status'))

describe('the desk', () => {
  beforeEach(() => {
    Stream.open = []
  })
  const shown = async (now: () => Desk) => {
    const asked = serviceOf({
      'GET /session': instructor,
      'GET /courses/kelp/desk': now,
      'GET /courses/kelp/groups': [
        { name: 'Lab 1', students: 4, limited: [] },
        { name: 'Lab 2', students: 6, limited: [] },
      ],
      'GET /courses/kelp/quiet': (a: Asked) => ({
        days: Number(a.path.split('=')[1]),
        open: 3,
        students: Array.from({ length: a.path.endsWith('=7') ? 14 : 0 }, (_, i) => ({
          name: `s${i}`,
          display: `Student ${i}`,
          group: 'Lab 1',
          last: i === 0 ? null : '2026-11-01T08:00:00Z',
          tried: 1,
          agreed: 1,
        })),
        more: false,
      }),
    })
    await open('/courses/kelp/desk')
    await screen.findByRole('heading', { level: 1, name: 'Desk' })
    await screen.findByText(/10 students/)
    return asked
  }
  const tell = (...kinds: string[]) =>
    act(() => kinds.forEach((kind) => Stream.open[0]?.dispatchEvent(new Event(kind))))
  const section = (name: string | RegExp) => screen.getByRole('heading', { level: 2, name }).closest('section')!

  it('says where the class is stuck, and how many people', async () => {
    await shown(() => desk)
    const knot = within(section(/^Knots/)).getByRole('listitem')
    expect(textOf(knot)).toContain('3 peoplemeans: a reduction along another axis in Means of the ropes')
    expect(textOf(knot)).toContain('of 8 who tried')
    expect(textOf(knot)).toContain('+1 in the last hour')
    expect(textOf(knot)).toContain('1 note')
    expect(within(knot).getByRole('img').getAttribute('aria-label')).toBe(
      '3 came within the last day, 1 in the last hour',
    )
    expect(within(knot).getByRole('link').getAttribute('href')).toBe('/courses/kelp/knots/rope-means/axis.wrong/means')
  })
  it('marks a knot that grows, and puts first what is asked for', async () => {
    const k = desk.knots[0]!
    const other = {
      ...k,
      code: 'shape.differs',
      says: 'another shape',
      people: 2,
      hour_ago: 2,
      since: '2026-11-20T04:00:00Z',
    }
    await shown(() => ({ ...desk, knots: [{ ...k, growing: true, people: 8, hour_ago: 2 }, other] }))
    expect(textOf(document.querySelector('[data-growing]'))).toBe('↑ +6 in the last hour: growing')
    const first = () => textOf(within(section(/^Knots/)).getAllByRole('listitem')[0])
    expect(first()).toContain('another axis')
    await userEvent.selectOptions(screen.getByLabelText('first'), 'oldest')
    await waitFor(() => expect(first()).toContain('another shape'))
    await userEvent.selectOptions(screen.getByLabelText('kind'), 'axis')
    await waitFor(() => expect(within(section(/^Knots/)).getAllByRole('listitem')).toHaveLength(1))
  })
  it('folds the knots of one person into one line', async () => {
    const k = desk.knots[0]!
    const alone = ['a', 'b', 'c', 'd', 'e'].map((code) => ({ ...k, code, says: `mistake ${code}`, people: 1 }))
    await shown(() => ({ ...desk, knots: [k, ...alone] }))
    expect(screen.queryByText(/mistake a/)).toBeNull()
    await userEvent.click(screen.getByRole('button', { name: '5 knots of one person' }))
    expect(screen.getByRole('link', { name: /mistake b/ })).toBeTruthy()
  })
  it('asks for one group, which stands in the address', async () => {
    const asked = await shown(() => desk)
    await userEvent.selectOptions(await screen.findByLabelText('group'), 'Lab 2')
    await waitFor(() => expect(asked.map((a) => a.path)).toContain('/courses/kelp/desk?group=Lab%202'))
  })
  it('shows how one knows a knot’s cause', async () => {
    const evidence = {
      attempt: 11,
      evidence: 'repair' as const,
      confidence: 'certain',
      change: 'over week → over rope',
    }
    const knot = desk.knots[0]!
    const diff = {
      before: 'a = 1\nmeans = mean(growth over week)\n',
      after: 'a = 1\nmeans = mean(growth over rope)\n',
    }
    await shown(() => ({
      ...desk,
      knots: [
        { ...knot, evidence: { ...evidence, diff } },
        { ...knot, code: 'x', evidence: { ...evidence, change: '1 → 0' } },
      ],
    }))
    const [first, second] = within(section(/^Knots/)).getAllByRole('listitem')
    expect(textOf(first)).toContain('- means = mean(growth over week)+ means = mean(growth over rope)')
    expect(textOf(first)).not.toContain('a = 1')
    expect(textOf(second)).toContain('1 → 0')
  })
  it('says who has gone quiet', async () => {
    await shown(() => desk)
    const quiet = section(/Gone quiet/)
    await waitFor(() => expect(textOf(quiet)).toContain('14 without an attempt'))
    expect(within(quiet).getAllByRole('listitem')).toHaveLength(12)
    expect(textOf(quiet)).toContain('never tried · agrees in 1 of 3')
    await userEvent.click(within(quiet).getByRole('button', { name: 'All 14' }))
    expect(within(quiet).getAllByRole('listitem')).toHaveLength(14)
    await userEvent.selectOptions(within(quiet).getByLabelText('for'), '3')
    expect(await within(quiet).findByText('Everybody has handed something in.')).toBeTruthy()
  })
  it('says what a knot is', async () => {
    await shown(() => desk)
    expect(textOf(section(/^Knots/))).toContain(
      'people whose newest attempt differs in the same way for the same reason',
    )
  })
  it('says that there are no knots', async () => {
    await shown(() => ({ ...desk, knots: [] }))
    expect(screen.getByText(/No knots: every newest attempt agrees/)).toBeTruthy()
  })
  it('shows ten knots, and all on request', async () => {
    const knots = Array.from({ length: 12 }, (_, i) => ({ ...desk.knots[0]!, code: `code-${i}` }))
    await shown(() => ({ ...desk, knots }))
    const count = () => within(section(/^Knots/)).getAllByRole('listitem').length
    expect(count()).toBe(11) // the last opens the others
    await userEvent.click(screen.getByRole('button', { name: 'all 12 knots' }))
    expect(count()).toBe(13)
  })
  it('counts every student once for each exercise', async () => {
    await shown(() => desk)
    const row = within(section(/^Exercises/)).getAllByRole('row')[1]!
    const counts = [...row.querySelectorAll('[data-count]')].map((c) => Number(textOf(c)))
    expect(counts).toEqual([4, 3, 1, 0, 0])
    expect(textOf(row)).toContain('agrees 4 · differs 3 · failed 1 · none 2')
    const bar = [...row.querySelectorAll<HTMLElement>('.share > span')].map((s) => s.style.width)
    expect(bar).toEqual(['40%', '30%', '10%'])
  })
  it('warns of attempts without a verdict', async () => {
    await shown(() => ({ ...desk, stuck: 2 }))
    expect(textOf(screen.getByRole('alert'))).toContain('2 attempts have no verdict')
  })
  it('follows its stream, and says when that is lost', async () => {
    let now = desk
    await shown(() => now)
    const [stream] = Stream.open
    expect(stream?.url).toBe('/api/v1/courses/kelp/desk/events')
    act(() => stream?.onopen?.())
    expect(screen.getByText('● live')).toBeTruthy()
    now = { ...desk, recent: [{ ...line, id: 13, display: 'Imke Shoal' }, line] }
    tell('verdict')
    expect(await screen.findByText(/Imke Shoal/)).toBeTruthy()
    expect(announced()).toBe('1 attempt has come in')
    act(() => stream?.onerror?.())
    expect(screen.getByText(/connection lost/)).toBeTruthy()
  })
  it('asks once for many changes at once', async () => {
    const asked = await shown(() => desk)
    const before = asked.length
    tell('attempt', 'verdict', 'verdict', 'refresh')
    await waitFor(() => expect(asked.length).toBe(before + 1))
    await new Promise((r) => setTimeout(r, 300))
    expect(asked.length).toBe(before + 1)
  })
  it('keeps rows still under a focus, and counts what waits', async () => {
    let now = desk
    await shown(() => now)
    const recent = section('Coming in')
    act(() => within(recent).getByRole('link').focus())
    now = {
      ...desk,
      recent: [
        { ...line, id: 13 },
        { ...line, verdict: 'agrees' as const },
      ],
    }
    tell('attempt')
    const waiting = await within(recent).findByRole('button', { name: '1 new' })
    expect(within(recent).getAllByRole('listitem')).toHaveLength(1)
    expect(textOf(within(recent).getByRole('listitem'))).toContain('agrees')
    await userEvent.click(waiting)
    expect(within(recent).getAllByRole('listitem')).toHaveLength(2)
    expect(document.activeElement?.tagName).toBe('H2')
  })
  it('keeps rows still under a pointer that moves, not under one at rest', async () => {
    let now = desk
    await shown(() => now)
    const recent = section('Coming in')
    const more = (id: number) => {
      now = { ...desk, recent: [{ ...line, id }, ...now.recent] }
      tell('attempt')
    }
    const move = (x: number) => {
      const event = new MouseEvent('pointermove', { bubbles: true })
      Object.defineProperty(event, 'movementX', { value: x })
      Object.defineProperty(event, 'movementY', { value: 0 })
      fireEvent(recent, event)
    }
    move(0)
    more(13)
    await waitFor(() => expect(within(recent).getAllByRole('listitem')).toHaveLength(2))
    move(3)
    more(14)
    await within(recent).findByRole('button', { name: '1 new' })
    expect(within(recent).getAllByRole('listitem')).toHaveLength(2)
  })
})

describe('the author page', () => {
  const answers = {
    'GET /session': instructor,
    'GET /words': { functions: [], reserved: [] },
    'GET /courses/kelp/folder': folder,
    'POST /courses/kelp/draft': draft,
    'GET /courses/kelp/revisions': {
      next: null,
      revisions: [{ number: 3, by: 'Ottoline Marsh', at: '2026-11-20T10:00:00Z', current: true }],
    },
  }
  const published = {
    course: 'kelp',
    title: 'The kelp farm',
    exercises: ['rope-means'],
    revision: 4,
    preview: false,
    unchanged: false,
    unchecked: false,
    advice: [],
    slips: 9,
    survivors: 1,
    checked: 6,
    rechecked: 6,
    changes: [
      {
        attempt: 12,
        exercise: 'rope-means',
        display: 'Tamsin Reed',
        before: 'agrees',
        after: 'differs',
        earned: 4,
        now: 1,
      },
    ],
    grades: [
      {
        name: 'tamsin',
        display: 'Tamsin Reed',
        exercise: 'rope-means',
        before: 4,
        after: 1,
        kept: 4,
        possible: 4,
      },
    ],
  }
  // The service takes a job up, tells once how far it is, and then what came of it.
  const taken = (id: number, ended: object) => {
    const job = { id, kind: 'publish', course: 'kelp', state: 'waiting', stage: '', done: 0, total: 0, ended: null }
    let asked = 0
    return {
      begun: job,
      [`GET /jobs/${id}`]: () =>
        asked++ === 0
          ? { ...job, state: 'running', stage: 'probing', done: 1, total: 4 }
          : { ...job, state: 'done', ended: '2026-11-27T05:00:00Z', ...ended },
    }
  }
  const shown = async (more: object = {}, at = '?exercise=rope-means') => {
    const asked = serviceOf({ ...answers, ...more })
    await open('/courses/kelp/author' + at)
    await screen.findByRole('region', { name: 'publishing' })
    return asked
  }
  const write = (text: string) =>
    act(() => {
      const v = EditorView.findFromDOM(screen.getByRole('textbox'))!
      v.dispatch({ changes: { from: 0, to: v.state.doc.length, insert: text } })
    })
  const tab = async (name: RegExp) => userEvent.click(await screen.findByRole('tab', { name }))
  const edited = `${folder.files['exercises/rope-means/exercise.yaml']}points: 5\n`
  const kept = (base: Folder, more: Record<string, string>) =>
    localStorage.setItem('folder:ottoline:kelp', JSON.stringify({ base, files: { ...base.files, ...more } }))

  it('shows each exercise with its share of caught slips and its advice', async () => {
    const advice = [{ code: 'weak.data', exercise: 'rope-means', place: 'cases', message: 'm', try: 't' }]
    await shown({ 'POST /courses/kelp/draft': { ...draft, advice } }, '')
    const row = await screen.findByRole('row', { name: /Means of the ropes/ })
    await waitFor(() => expect(textOf(row)).toBe('Means of the ropes◐ 87 %◐ 1'))
    expect(within(row).getByTitle('7 of 8 slips caught')).toBeTruthy()
  })
  it('says errors where they are, and that it cannot be published', async () => {
    const errors = [
      { file: 'exercises/rope-means/exercise.yaml', line: 3, column: 5, message: '`caes` is no key', hint: '`cases`' },
    ]
    await shown({ 'POST /courses/kelp/draft': { ...draft, exercises: [], errors } })
    const list = await screen.findByRole('alert', { name: 'errors' })
    expect(textOf(list)).toBe('exercises/rope-means/exercise.yaml:3:5caes is no key. Try: cases')
    expect(screen.getByText('▲ cannot be published')).toBeTruthy()
  })
  it('looks at what is written once it settles, and keeps it in the browser', async () => {
    const asked = await shown()
    write(edited)
    expect(screen.getByText('1 file differs from revision 3.')).toBeTruthy()
    await waitFor(() => {
      const { files } = asked.filter((a) => a.path === '/courses/kelp/draft').at(-1)!.body as Folder
      expect(files['exercises/rope-means/exercise.yaml']).toBe(edited)
    })
    expect(localStorage.getItem('folder:ottoline:kelp')).toContain('points: 5')
  })
  it('undoes all of it', async () => {
    await shown()
    write(edited)
    await userEvent.click(screen.getByRole('button', { name: 'Undo all' }))
    expect(screen.getByText('As published in revision 3.')).toBeTruthy()
    expect(localStorage.getItem('folder:ottoline:kelp')).toBeNull()
  })
  it('goes on where it was left', async () => {
    kept(folder, { 'course.yaml': 'title: Kelp\n' })
    await shown()
    expect(screen.getByText('1 file differs from revision 3.')).toBeTruthy()
  })
  it.each(['{', '{"files": 3}', 'null'])('takes %s in the browser for nothing', async (text) => {
    localStorage.setItem('folder:ottoline:kelp', text)
    await shown()
    expect(screen.getByText('As published in revision 3.')).toBeTruthy()
  })
  it('writes the data that catch a survivor into the cases', async () => {
    await shown()
    await tab(/Inspect and probe \(1\)/)
    await userEvent.click(screen.getByRole('button', { name: 'Use this data' }))
    expect(textOf(screen.getByRole('alert'))).toBe('The case is now at the end of exercise.yaml.')
    await tab(/Changes \(1\)/)
    expect(screen.getByText(/^\+\s+- \{name: extra-1, inputs:/)).toBeTruthy()
  })
  it('says where it cannot write them', async () => {
    const files = { ...folder.files, 'exercises/rope-means/exercise.yaml': 'title: E\n' }
    await shown({ 'GET /courses/kelp/folder': { ...folder, files } })
    await tab(/Inspect and probe/)
    await userEvent.click(screen.getByRole('button', { name: 'Use this data' }))
    expect(textOf(screen.getByRole('alert'))).toContain('has no list of cases')
  })
  it('shows what publishing would change, and publishes on a second word', async () => {
    const { begun: looking, ...looked } = taken(1, { published: { ...published, preview: true } })
    const { begun: publishing, ...done } = taken(2, { published: { ...published, recheck: 3 } })
    const again = { id: 3, kind: 'recheck', state: 'running', stage: 'checking again', done: 2, total: 6, ended: null }
    const asked = await shown({
      'POST /courses/kelp/preview': looking,
      ...looked,
      'POST /courses/kelp/revisions': publishing,
      ...done,
      'GET /jobs/3': (a: Asked) => (a.path.includes('since') ? new Promise(() => {}) : again),
      'DELETE /jobs/3': { ...again, state: 'stopped', ended: '2026-11-27T05:01:00Z' },
    })
    write(edited)
    await userEvent.click(screen.getByRole('button', { name: 'What would change?' }))
    expect(textOf(await screen.findByRole('link', { name: 'Tamsin Reed' }).then((l) => l.closest('li')))).toBe(
      'Tamsin Reed, rope-means: agrees → differs, ↓ 4 → 1',
    )
    const sent = () => asked.filter((a) => a.method === 'POST' && a.path.startsWith('/courses/kelp/revisions'))
    expect(sent()).toEqual([])
    await userEvent.click(screen.getByRole('checkbox', { name: 'check every attempt again' }))
    await userEvent.click(screen.getByRole('button', { name: 'Publish' }))
    await screen.findByText(/Published as revision 4; 6 attempts are checked again/)
    expect(sent().map((a) => [a.path, a.headers['If-Match']])).toEqual([['/courses/kelp/revisions?wait=0', '"3"']])
    const bar = await screen.findByRole('progressbar', { name: 'checking again' })
    expect(bar.getAttribute('aria-valuetext')).toBe('2 of 6')
    await userEvent.click(screen.getByRole('button', { name: 'Stop' }))
    expect(asked.some((a) => a.method === 'DELETE' && a.path === '/jobs/3')).toBe(true)
  })
  it('shows why a job failed', async () => {
    const { begun, ...failed } = taken(4, {
      state: 'failed',
      problem: { status: 422, detail: '2 to fix.', hint: 'fix' },
    })
    await shown({ 'POST /courses/kelp/preview': begun, ...failed })
    write(edited)
    await userEvent.click(screen.getByRole('button', { name: 'What would change?' }))
    expect(await screen.findByText(/2 to fix/)).toBeTruthy()
  })
  it('looks at nothing where nothing differs', async () => {
    const asked = await shown()
    await userEvent.click(screen.getByRole('button', { name: 'What would change?' }))
    expect(asked.some((a) => a.path.endsWith('/preview'))).toBe(false)
  })
  it('says who came first, and overwrites nothing', async () => {
    const { begun: looking, ...looked } = taken(1, { published: { ...published, preview: true } })
    const current = { number: 4, by: 'Imke Shoal', at: '2026-11-27T05:00:00Z', current: true }
    await shown({
      'POST /courses/kelp/preview': looking,
      ...looked,
      'POST /courses/kelp/revisions': refusal(412, 'Revision 4 came first.', { current }),
    })
    write(edited)
    await userEvent.click(screen.getByRole('button', { name: 'What would change?' }))
    await userEvent.click(await screen.findByRole('button', { name: 'Publish' }))
    expect(await screen.findByText(/Nothing was published: revision 4 by Imke Shoal came first/)).toBeTruthy()
  })
  it('brings two edits together file by file', async () => {
    const yaml = 'exercises/rope-means/exercise.yaml'
    kept({ ...folder, revision: 2 }, { [yaml]: 'title: Mine\n', 'course.yaml': 'title: Mine\n' })
    const theirs = { ...folder.files, 'course.yaml': 'title: Theirs\n', 'exercises/rope-means/prompt.md': 'New.\n' }
    await shown({ 'GET /courses/kelp/folder': { ...folder, files: theirs } })
    const region = screen.getByRole('region', { name: 'published meanwhile' })
    await waitFor(() => expect(textOf(region)).toContain('Revision 3 by Ottoline Marsh'))
    expect(textOf(region)).toContain('You both changed course.yaml: yours is kept')
    await userEvent.click(within(region).getByRole('button', { name: 'Bring theirs in' }))
    expect(screen.queryByRole('region', { name: 'published meanwhile' })).toBeNull()
    const now = JSON.parse(localStorage.getItem('folder:ottoline:kelp') ?? '{}') as { base: Folder; files: object }
    expect(now.base.revision).toBe(3)
    expect(now.files).toMatchObject({
      [yaml]: 'title: Mine\n',
      'course.yaml': 'title: Mine\n',
      'exercises/rope-means/prompt.md': 'New.\n',
    })
  })
  it('follows a newer revision by itself where nothing was written', async () => {
    kept({ ...folder, revision: 2 }, {})
    await shown()
    expect(screen.getByText('As published in revision 3.')).toBeTruthy()
  })
})
