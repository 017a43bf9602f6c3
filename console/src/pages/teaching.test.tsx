import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, describe, expect, it } from 'vitest'
import { arrays, course, exercise, instructor, student } from '../testing/kelp'
import { type Asked, open, refusal, serviceOf, Stream, textOf } from '../testing/service'
import type { ClassMap, Digest, KnotPageForm, NotePage, OwnNotes, TeamNote } from '../types'

beforeEach(() => {
  Stream.open = []
  localStorage.clear()
  sessionStorage.clear()
})

const announced = () => textOf(screen.getByRole('status'))
const at = '2026-11-27T05:00:00Z'
const ref = { exercise: 'rope-means', code: 'axis.other', says: 'worked along another axis', output: 'means' }

const note: TeamNote = {
  id: 5,
  kind: 'knot',
  ...ref,
  attempt: null,
  student: '',
  later: true,
  groups: [],
  text: 'Which axis must **go**?\n\n```\nmeans = mean(growth over week)\n```\n',
  version: 2,
  author: 'Aron Kade',
  created: at,
  edited: null,
  withdrawn: null,
  effect: { reached: 14, seen: 9, agreed: 6, still: 7, helped: 4, stuck: 1, answered: 3, unread: 2 },
}

const knot: KnotPageForm = {
  ...ref,
  course: 'kelp',
  title: 'The kelp farm',
  exercise_title: 'Means of the ropes',
  at,
  people: 3,
  tried: 9,
  since: at,
  hour_ago: 5,
  growing: false,
  arrivals: [0, 4, 1],
  read: 3,
  ways: [
    {
      count: 2,
      attempt: 12,
      display: 'Tamsin Reed',
      program: 'means = mean(growth over rope)',
      span: { line: 1, column: 14, end_line: 1, end_column: 30 },
      evidence: {
        attempt: 12,
        evidence: 'repair',
        confidence: 'certain',
        change: 'over rope → over week',
        diff: { before: 'means = mean(growth over rope)', after: 'means = mean(growth over week)' },
      },
      case: 'small',
      output: 'means',
      attempts: [12, 9],
    },
    {
      count: 1,
      attempt: 11,
      display: 'Bree Holm',
      program: 'm = mean(growth over rope)\nmeans = m',
      span: null,
      case: 'small',
      output: 'means',
      attempts: [11],
    },
  ],
  in: [
    { name: 'tamsin', display: 'Tamsin Reed', group: 'Lab 1', attempt: 12, since: at, newest: at, tries: 4, within: 2 },
    { name: 'bree', display: 'Bree Holm', group: '', attempt: 11, since: at, newest: at, tries: 1, within: 1 },
  ],
  more: false,
  left: [
    { name: 'ole', display: 'Ole Strand', group: '', attempt: 13, at, within: 2, agrees: true, now: null },
    {
      name: 'pia',
      display: 'Pia Sund',
      group: '',
      attempt: 14,
      at,
      within: 1,
      agrees: false,
      now: { ...ref, code: 'shape.differs', says: 'another shape' },
    },
  ],
  more_left: false,
  agreed: 1,
  into: [{ ...ref, code: 'shape.differs', says: 'another shape', people: 1 }],
  notes: [note],
  groups: [],
}

describe('a knot', () => {
  const shown = async (more: object = {}) => {
    const asked = serviceOf({
      'GET /session': instructor,
      'GET /courses/kelp/knots/rope-means/axis.other/means': knot,
      'GET /courses/kelp/exercises/rope-means': exercise,
      'GET /attempts/12/arrays': arrays,
      'GET /attempts/11/arrays': arrays,
      ...more,
    })
    const router = await open('/courses/kelp/knots/rope-means/axis.other/means')
    await screen.findByRole('heading', { level: 1, name: 'means: worked along another axis' })
    return { asked, router }
  }
  it('says how many, since when and how it changes', async () => {
    await shown()
    const main = textOf(screen.getByRole('main'))
    expect(main).toContain('3 of 9 who tried')
    expect(main).toContain('−2 in the last hour')
    expect(main).toContain('2 in 3 programs')
  })
  it('shows each way of writing with its place, and moves by arrows', async () => {
    const { asked, router } = await shown()
    const ways = screen.getAllByRole('option')
    expect(ways.map((w) => textOf(w))).toEqual([
      '2 peoplemeans = mean(growth over rope)',
      '1 peoplem = mean(growth over rope) means = m',
    ])
    expect(textOf(ways[0]!.querySelector('mark'))).toBe('growth over rope')
    ways[0]!.focus()
    await userEvent.keyboard('{ArrowDown}')
    await waitFor(() => expect(screen.getAllByRole('option')[1]!.getAttribute('aria-selected')).toBe('true'))
    expect(screen.getByRole('link', { name: 'Bree Holm wrote it' })).toBeTruthy()
    await waitFor(() => expect(asked.map((a) => a.path)).toContain('/attempts/11/arrays?case=small&output=means'))
    await userEvent.keyboard('{Enter}')
    await waitFor(() => expect(router.state.location.pathname).toBe('/courses/kelp/attempts/11'))
  })
  it('says who is in it, and who left it and how', async () => {
    await shown()
    expect(textOf(document.querySelector('[data-member="tamsin"]'))).toContain('2 of 4 tries')
    const left = screen.getByRole('heading', { name: /Who has left it/ }).closest('section')!
    expect(textOf(left)).toContain('2: 1 agree by now, 1 stuck elsewhere')
    expect(textOf(left)).toContain('1 went to means: another shape')
    expect(textOf(document.querySelector('[data-left="ole"]'))).toContain('agreesOle Strandafter 2 tries')
  })
  it('shows notes with what they came to', async () => {
    await shown()
    expect(
      await screen.findByText(
        'reached 14 · agreed 6 · still 7 · answered 3 · 4 say it helped · 1 say they are still stuck',
      ),
    ).toBeTruthy()
    const fence = await screen.findByLabelText('an example')
    expect(textOf(fence.querySelector('.code-call'))).toBe('mean')
  })
  it('writes a note with a key, shows what students see, and says whom it reached', async () => {
    const { asked } = await shown({
      'POST /courses/kelp/notes': { ...note, threads: [], history: [], effect: { ...note.effect, reached: 3 } },
    })
    await userEvent.keyboard('n')
    const panel = await screen.findByRole('dialog', { name: 'Write a note' })
    expect(textOf(panel)).toContain('goes to 3 people')
    await userEvent.type(within(panel).getByRole('textbox'), 'Look at the **axis**')
    expect(textOf(await within(panel).findByText('axis'))).toBe('axis')
    await userEvent.click(within(panel).getByRole('checkbox'))
    await userEvent.click(within(panel).getByRole('button', { name: 'Send' }))
    await waitFor(() => expect(announced()).toBe('The note reached 3 people.'))
    expect(asked.find((a) => a.method === 'POST')?.body).toEqual({
      exercise: 'rope-means',
      code: 'axis.other',
      output: 'means',
      text: 'Look at the **axis**',
      later: true,
    })
  })
  it('keeps what was written when sending fails', async () => {
    await shown({ 'POST /courses/kelp/notes': refusal(422, 'the note has no text') })
    await userEvent.click(screen.getByRole('button', { name: /Write a note/ }))
    await userEvent.type(screen.getByRole('textbox'), 'Half')
    await userEvent.click(screen.getByRole('button', { name: 'Send' }))
    await screen.findByText('the note has no text')
    await userEvent.keyboard('{Escape}')
    await userEvent.click(screen.getByRole('button', { name: /Write a note/ }))
    expect(screen.getByRole<HTMLTextAreaElement>('textbox').value).toBe('Half')
  })
  it('opens a note with its answers, and answers', async () => {
    const page: NotePage = {
      ...note,
      threads: [
        {
          name: 'tamsin',
          display: 'Tamsin Reed',
          lines: [{ author: 'Tamsin Reed', team: false, text: 'The first?', at }],
        },
      ],
      history: [{ version: 1, text: 'Which axis?', by: 'Aron Kade', at }],
    }
    const { asked } = await shown({
      'GET /courses/kelp/notes/5': page,
      'POST /courses/kelp/notes/5/messages': page,
      'PATCH /courses/kelp/notes/5': refusal(412, 'Somebody else has edited it.'),
    })
    await userEvent.click(screen.getByRole('button', { name: '2 new answers' }))
    expect(await screen.findByText('The first?')).toBeTruthy()
    await userEvent.type(screen.getByLabelText('answer Tamsin Reed'), 'Yes')
    await userEvent.click(screen.getByRole('button', { name: 'Answer' }))
    await waitFor(() => expect(asked.find((a) => a.method === 'POST')?.body).toEqual({ text: 'Yes', person: 'tamsin' }))
    await userEvent.click(screen.getByRole('button', { name: 'Edit' }))
    await userEvent.click(screen.getByRole('button', { name: 'Change it' }))
    await screen.findByText('Somebody else has edited it.')
    expect(asked.find((a) => a.method === 'PATCH')?.headers['If-Match']).toBe('"2"')
  })
  it('keeps a note for next time in the draft that is being written', async () => {
    const slip = {
      exercise: 'rope-means',
      cause: 'axis.other',
      attempt: 12,
      file: 'exercises/rope-means/exercise.yaml',
      slip: 'exercises/rope-means/slips/a.nra',
      program: 'means = 1\n',
    }
    const draft = { base: { revision: 3, files: {} }, files: { [slip.file]: 'title: mine\n' } }
    localStorage.setItem('folder:ottoline:kelp', JSON.stringify(draft))
    const { asked, router } = await shown({
      'GET /courses/kelp/notes/5': { ...note, threads: [], history: [] },
      'POST /courses/kelp/notes/5/keep': (a: Asked) => ({ ...slip, yaml: JSON.stringify(a.body) }),
    })
    await userEvent.click(screen.getByRole('button', { name: '2 new answers' }))
    await userEvent.click(await screen.findByRole('button', { name: 'Keep for next time' }))
    await waitFor(() => expect(router.state.location.pathname).toBe('/courses/kelp/author'))
    const sent = asked.filter((a) => a.path.endsWith('/keep')).map((a) => a.body)
    expect(sent).toEqual([{}, { yaml: 'title: mine\n' }])
  })
})

describe('the class map', () => {
  const cell = (state: 'agrees' | 'differs', tries: number) => ({
    state,
    tries,
    best: 2,
    attempt: 12,
    code: 'axis.other',
    output: 'means',
  })
  const map: ClassMap = {
    course: 'kelp',
    title: 'The kelp farm',
    at,
    exercises: [
      { name: 'rope-means', title: 'Means of the ropes', possible: 4 },
      { name: 'harvest', title: 'The harvest', possible: 2 },
    ],
    rows: [
      {
        name: 'ada',
        display: 'Ada Kelp',
        group: 'Lab 1',
        agreed: 1,
        tries: 9,
        last: at,
        cells: [cell('agrees', 3), cell('differs', 6)],
      },
      { name: 'bo', display: 'Bo Tarn', group: 'Lab 2', agreed: 0, tries: 0, last: null, cells: [null, null] },
    ],
    total: 2,
    next: null,
    groups: ['Lab 1', 'Lab 2'],
  }
  const shown = async (more: object = {}, path = '/courses/kelp/map') => {
    const asked = serviceOf({ 'GET /session': instructor, 'GET /courses/kelp/map': map, ...more })
    await open(path)
    return asked
  }
  it('names each cell, and says in words how many tries', async () => {
    await shown()
    const grid = await screen.findByRole('grid', { name: 'students by exercises' })
    expect(grid.getAttribute('aria-rowcount')).toBe('3')
    const head = within(grid)
      .getAllByRole('columnheader')
      .map((h) => h.getAttribute('aria-label') ?? textOf(h))
    expect(head).toEqual(['student', 'Means of the ropes', 'The harvest', 'agree'])
  })
  it('puts first who needs it', async () => {
    await shown()
    const select = await screen.findByLabelText<HTMLSelectElement>('student')
    const names = () => [...select.options].map((o) => o.text)
    expect(names()).toEqual(['Ada Kelp', 'Bo Tarn'])
    await userEvent.selectOptions(screen.getByLabelText('order'), 'fewest agree')
    expect(names()).toEqual(['Bo Tarn', 'Ada Kelp'])
  })
  it('asks for a group and a name', async () => {
    const asked = await shown()
    await userEvent.selectOptions(await screen.findByLabelText('group'), 'Lab 2')
    await waitFor(() => expect(asked.at(-1)?.path).toBe('/courses/kelp/map?limit=500&group=Lab+2'))
    await userEvent.type(screen.getByLabelText('name or number'), 'bo')
    await waitFor(() => expect(asked.at(-1)?.path).toBe('/courses/kelp/map?limit=500&group=Lab+2&search=bo'))
  })
  it('reads on until everybody is there', async () => {
    const asked = await shown({
      'GET /courses/kelp/map': (a: Asked) =>
        a.path.includes('after') ? { ...map, rows: [map.rows[1]] } : { ...map, rows: [map.rows[0]], next: 'ada' },
    })
    await waitFor(() => expect(asked.map((a) => a.path)).toContain('/courses/kelp/map?limit=500&after=ada'))
    expect([...(await screen.findByLabelText<HTMLSelectElement>('student')).options]).toHaveLength(2)
  })
  it('shows which ideas are missing', async () => {
    await shown(
      {
        'GET /courses/kelp/map/causes': {
          course: 'kelp',
          title: 'The kelp farm',
          students: 10,
          exercises: map.exercises,
          rows: [
            {
              code: 'axis.other',
              says: 'worked along another axis',
              total: 7,
              cells: [
                { ever: 7, now: 2 },
                { ever: 0, now: 0 },
              ],
            },
          ],
          groups: [],
        },
      },
      '/courses/kelp/map?show=causes',
    )
    const row = (await screen.findByRole('rowheader', { name: /worked along another axis/ })).closest('tr')!
    expect(within(row).getByRole('link', { name: 'Means of the ropes: 7 ever, 2 now' }).getAttribute('href')).toBe(
      '/courses/kelp/desk?exercise=rope-means',
    )
  })
})

describe('notes', () => {
  it('of the team are listed with what they are about', async () => {
    const asked = serviceOf({
      'GET /session': instructor,
      'GET /courses/kelp': course,
      'GET /courses/kelp/notes': { notes: [note, { ...note, id: 6, kind: 'course', exercise: '' }], next: null },
    })
    await open('/courses/kelp/notes')
    const about = await screen.findByRole('link', { name: 'means: worked along another axis' })
    expect(about.getAttribute('href')).toBe('/courses/kelp/knots/rope-means/axis.other/means')
    expect(await screen.findByText('to the whole course')).toBeTruthy()
    await userEvent.selectOptions(screen.getByLabelText('show'), 'withdrawn ones too')
    await waitFor(() => expect(asked.at(-1)?.path).toBe('/courses/kelp/notes?limit=300&withdrawn=true'))
  })
  const own: OwnNotes = {
    unseen: 1,
    notes: [
      {
        id: 5,
        course: 'kelp',
        title: 'The kelp farm',
        exercise: 'rope-means',
        exercise_title: 'Means of the ropes',
        attempt: 12,
        text: 'Which axis must go?',
        author: 'Aron Kade',
        at,
        edited: null,
        seen: false,
        feeling: '',
        thread: [],
      },
    ],
  }
  const mine = {
    'GET /session': student,
    'GET /notes': own,
    'GET /notes/unseen': { unseen: 1 },
    'POST /notes/seen': { unseen: 0 },
    'PUT /notes/5/feeling': new Response(''),
    'POST /notes/5/messages': own,
  }
  it('are counted in the header, seen once read, felt and answered', async () => {
    const asked = serviceOf(mine)
    await open('/notes')
    expect(await screen.findByRole('link', { name: 'Notes 1 new' })).toBeTruthy()
    await waitFor(() => expect(asked.find((a) => a.path === '/notes/seen')?.body).toEqual({ notes: [5] }))
    await userEvent.click(screen.getByRole('radio', { name: 'This helped' }))
    await waitFor(() => expect(announced()).toBe('Your team can see it.'))
    expect(asked.find((a) => a.method === 'PUT')?.body).toEqual({ feeling: 'helped' })
    await userEvent.click(screen.getByText('Answer', { selector: 'summary' }))
    await userEvent.type(screen.getByLabelText('your answer, which your team reads'), 'Thank you')
    await userEvent.click(screen.getByRole('button', { name: 'Answer' }))
    await waitFor(() => expect(announced()).toBe('Your answer is sent.'))
    expect(asked.find((a) => a.path === '/notes/5/messages')?.body).toEqual({ text: 'Thank you' })
  })
  it('stand beside the verdict they are about', async () => {
    serviceOf({
      ...mine,
      'GET /courses/kelp/exercises/rope-means': exercise,
      'GET /words': { functions: [], reserved: [] },
    })
    await open('/courses/kelp/exercises/rope-means')
    const section = await screen.findByRole('region', { name: 'notes of your team' })
    expect(textOf(section)).toContain('Which axis must go?')
  })
  it('are not counted for the team', async () => {
    const asked = serviceOf({ 'GET /session': instructor })
    await open('/')
    await screen.findByRole('heading', { level: 1 })
    expect(asked.some((a) => a.path === '/notes/unseen')).toBe(false)
  })
})

describe('the digest', () => {
  const digest: Digest = {
    course: 'kelp',
    title: 'The kelp farm',
    from: at,
    to: at,
    sentences: ['Teach again first: `means`.', 'Means of the ropes is the hardest.', 'Nothing grew.'],
    attempts: 40,
    students: 10,
    active: 7,
    quiet: 3,
    formed: [{ ...ref, exercise_title: 'Means of the ropes', before: 0, after: 4 }],
    grew: [],
    dissolved: [],
    notes: [note],
    exercises: [
      {
        name: 'rope-means',
        title: 'Means of the ropes',
        attempts: 40,
        tried: 8,
        agrees: 4,
        share: 0.5,
        tries: 2.5,
        hardest: 'means',
        stuck: 3,
        slips: 20,
        caught: null,
        changed: 1,
      },
    ],
    groups: [],
  }
  const shown = async (more: object = {}) => {
    const asked = serviceOf({
      'GET /session': instructor,
      'GET /courses/kelp/digest': digest,
      'GET /courses/kelp/settings': { digest: null },
      'GET /courses/kelp/hooks': [],
      ...more,
    })
    await open('/courses/kelp/digest')
    await screen.findByText(/40 attempts by 7 of 10 students; 3 were quiet/)
    return asked
  }
  it('says first what to teach again', async () => {
    await shown()
    expect(screen.getAllByRole('listitem').slice(0, 3).map(textOf)).toEqual([
      'Teach again first: means.',
      'Means of the ropes is the hardest.',
      'Nothing grew.',
    ])
    const row = screen.getByRole('cell', { name: 'Means of the ropes' }).closest('tr')
    expect([...row!.cells].map(textOf)).toEqual([
      'Means of the ropes',
      '40',
      '8',
      '50 %',
      '2.5',
      '—',
      '1',
      'means 3 stuck',
    ])
    expect(textOf(screen.getByRole('region', { name: 'Knots that formed' }))).toContain('0 → 4means: worked along')
  })
  it('goes a span back, and is a file', async () => {
    const asked = await shown()
    const span = (path: string) => {
      const q = new URLSearchParams(path.split('?')[1])
      return (Date.parse(q.get('to')!) - Date.parse(q.get('from')!)) / 86_400_000
    }
    const last = () => asked.filter((a) => a.path.startsWith('/courses/kelp/digest')).at(-1)!.path
    const before = last()
    expect(span(before)).toBe(7)
    await userEvent.click(screen.getByRole('button', { name: '← before' }))
    await waitFor(() => expect(last()).not.toBe(before))
    expect(new URLSearchParams(last().split('?')[1]).get('to')).toBe(
      new URLSearchParams(before.split('?')[1]).get('from'),
    )
    expect(screen.getByRole('link', { name: 'HTML' }).getAttribute('href')).toContain('format=html')
  })
  it('is sent each week, and tells other programs', async () => {
    const asked = await shown({
      'PUT /courses/kelp/settings': (a: Asked) => a.body,
      'POST /courses/kelp/hooks': {
        id: 1,
        address: 'https://bay.example/',
        events: [],
        created: at,
        secret: 'whsec_abc',
      },
    })
    await userEvent.click(screen.getByText('Sent by itself'))
    await userEvent.selectOptions(await screen.findByLabelText('each'), 'monday')
    await waitFor(() => expect(announced()).toBe('The digest is sent each monday.'))
    const zone = Intl.DateTimeFormat().resolvedOptions().timeZone
    expect(asked.find((a) => a.method === 'PUT')?.body).toEqual({ digest: { day: 'monday', hour: 7, zone } })
    await userEvent.type(screen.getByLabelText('address, with https'), 'https://bay.example/')
    await userEvent.click(screen.getByRole('button', { name: 'Add' }))
    expect(await screen.findByText('whsec_abc')).toBeTruthy()
  })
})
