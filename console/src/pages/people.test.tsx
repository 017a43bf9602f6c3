import { act, screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { course, instructor, student } from '../testing/kelp'
import { type Asked, open, refusal, serviceOf, textOf } from '../testing/service'
import type { Member, RosterPlan } from '../types'

const member = (more: Partial<Member>): Member => ({
  name: 'tamsin',
  display: 'Tamsin Reed',
  role: 'student',
  state: 'active',
  group: 'Lab 1',
  groups: [],
  email: 'tamsin@farm.example',
  number: '4711',
  seen: null,
  pending: false,
  manages: true,
  ...more,
})

const groups = [
  { name: 'Lab 1', people: 2 },
  { name: 'Lab 2', people: 1 },
]

const team = (more: Record<string, object | ((a: Asked) => unknown)> = {}) =>
  serviceOf({
    'GET /session': instructor,
    'GET /courses/kelp': { ...course, role: 'instructor' },
    'GET /courses/kelp/groups': groups,
    'GET /courses/kelp/people': {
      people: [
        member({}),
        member({ name: 'wren', display: 'Wren Marsh', role: 'assistant', group: '', pending: true }),
      ],
      next: null,
    },
    'GET /courses/kelp/extensions': { extensions: [], next: null },
    ...more,
  })

const readAs = (blob: Blob) =>
  new Promise<unknown>((resolve) => {
    const reader = new FileReader()
    reader.onload = () => resolve(reader.result)
    reader.readAsText(blob)
  })

const rowOf = async (name: RegExp) => screen.findByRole('row', { name })

describe('the people of a course', () => {
  it('are listed with their place, and found by what one types', async () => {
    const asked = team()
    await open('/courses/kelp/people')
    const row = await rowOf(/Tamsin Reed/)
    expect(textOf(row)).toContain('Lab 1')
    expect(textOf(row)).toContain('4711')
    expect(textOf(await rowOf(/Wren Marsh/))).toContain('no password yet')
    await userEvent.type(screen.getByRole('searchbox'), 'reed')
    await userEvent.selectOptions(screen.getByLabelText('Group'), 'Lab 2')
    await waitFor(() =>
      expect(asked.some((a) => a.path.includes('search=reed') && a.path.includes('group=Lab+2'))).toBe(true),
    )
  })
  it('are sorted by a column, and walked through by keys', async () => {
    team()
    await open('/courses/kelp/people')
    await rowOf(/Tamsin Reed/)
    const names = () =>
      screen
        .getAllByRole('row')
        .slice(1)
        .map((r) => textOf(r).slice(0, 4))
    expect(names()).toEqual(['Tams', 'Wren'])
    const head = screen.getByRole('columnheader', { name: /Role/ })
    await userEvent.click(within(head).getByRole('button'))
    expect(head.getAttribute('aria-sort')).toBe('ascending')
    expect(names()).toEqual(['Wren', 'Tams'])
    act(() => screen.getAllByRole('row')[1]!.focus())
    await userEvent.keyboard('{ArrowDown}{Enter}')
    expect(await screen.findByRole('dialog', { name: 'Tamsin Reed' })).toBeTruthy()
  })
  it('are moved, limited to groups, and let go', async () => {
    const asked = team({
      'PATCH /courses/kelp/people/wren': (a: Asked) => member({ name: 'wren', ...(a.body as object) }),
    })
    await open('/courses/kelp/people')
    await userEvent.click(await rowOf(/Wren Marsh/))
    const panel = await screen.findByRole('dialog', { name: 'Wren Marsh' })
    await userEvent.type(within(panel).getByLabelText('Group'), 'Lab 2')
    await userEvent.click(within(panel).getByRole('button', { name: 'Move' }))
    await userEvent.click(within(panel).getByRole('checkbox', { name: 'Lab 1' }))
    await userEvent.click(within(panel).getByRole('button', { name: 'Let them leave the course' }))
    expect(asked.filter((a) => a.method === 'PATCH').map((a) => a.body)).toEqual([
      { group: 'Lab 2' },
      { groups: ['Lab 1'] },
      { state: 'left' },
    ])
  })
  it('get a new link, mailed or shown', async () => {
    const asked = team({
      'POST /people/tamsin/link': (a: Asked) =>
        (a.body as { show: boolean }).show
          ? { address: 'http://farm.example/link#x', expires: '2026-12-11T08:00:00Z' }
          : { address: '', mailed: 'tamsin@farm.example', expires: '2026-12-11T08:00:00Z' },
    })
    await open('/courses/kelp/people')
    await userEvent.click(await rowOf(/Tamsin Reed/))
    const panel = await screen.findByRole('dialog', { name: 'Tamsin Reed' })
    await userEvent.click(within(panel).getByRole('button', { name: 'Send a new link' }))
    expect(textOf(await within(panel).findByRole('status'))).toContain('It goes to tamsin@farm.example')
    await userEvent.click(within(panel).getByRole('button', { name: 'Show one instead' }))
    expect(await within(panel).findByText('http://farm.example/link#x')).toBeTruthy()
    expect(asked.find((a) => a.method === 'POST')?.body).toEqual({ forgotten: true, show: false })
  })
  it('are added one by one, and refused with a reason', async () => {
    let refused = false
    const asked = team({
      'POST /courses/kelp/roster': () =>
        refused
          ? refusal(422, '1 of 1 rows is refused.', { refused: [{ message: 'this is no e-mail address', hint: 'x' }] })
          : { ...plan, mailed: 1, links: [] },
    })
    await open('/courses/kelp/people')
    await userEvent.click(await screen.findByText('Add one person'))
    const form = await screen.findByRole('form', { name: 'one person' })
    await userEvent.type(within(form).getByLabelText('Name that others see'), 'Béla "B" Tang')
    await userEvent.type(within(form).getByLabelText('or campus number'), '12')
    await userEvent.click(within(form).getByRole('button', { name: 'Add them' }))
    expect(textOf(await within(form).findByRole('status'))).toContain('goes out by mail')
    const sent = asked.find((a) => a.method === 'POST')?.body as Blob
    expect(await readAs(sent)).toBe('display,email,number,group,role\n"Béla ""B"" Tang","","12","","student"\n')
    refused = true
    await userEvent.type(within(form).getByLabelText('Name that others see'), 'X')
    await userEvent.type(within(form).getByLabelText('or campus number'), '13')
    await userEvent.click(within(form).getByRole('button', { name: 'Add them' }))
    expect(textOf(await within(form).findByRole('alert'))).toContain('no e-mail address')
  })
  it('are seen without addresses and without tools by an assistant', async () => {
    serviceOf({
      'GET /session': {
        ...student,
        courses: [{ slug: 'kelp', title: 'The kelp farm', role: 'assistant', archived: false, empty: false }],
      },
      'GET /courses/kelp/groups': groups,
      'GET /courses/kelp/people': { people: [member({ email: '', number: '', manages: false })], next: null },
    })
    await open('/courses/kelp/people')
    const row = await rowOf(/Tamsin Reed/)
    expect(screen.queryByRole('columnheader', { name: 'Address' })).toBeNull()
    expect(screen.queryByRole('tab', { name: 'Import a roster' })).toBeNull()
    await userEvent.click(row)
    expect(screen.queryByRole('dialog')).toBeNull()
  })
})

const plan: RosterPlan = {
  source: {
    format: 'csv',
    encoding: 'Windows-1252',
    separator: ';',
    columns: [{ field: 'number', header: 'Matr. no' }],
    ignored: ['Remark'],
  },
  rows: 3,
  added: [{ row: 2, name: 'bela', display: 'Béla Tang', role: 'student', group: 'Lab 2', account: true, fields: [] }],
  changed: [
    {
      row: 3,
      name: 'tamsin',
      display: 'Tamsin Reed',
      role: 'student',
      group: 'Lab 2',
      account: false,
      fields: [{ field: 'group', before: 'Lab 1', after: 'Lab 2' }],
    },
  ],
  unchanged: 0,
  refused: [{ row: 4, column: 'email', value: 'x', message: 'this is no e-mail address', hint: 'write it' }],
  missing: [{ name: 'wren', display: 'Wren Marsh', role: 'student', group: '', leaves: false }],
  done: false,
  links: [],
  mailed: 0,
}

describe('a roster', () => {
  const file = new File(['x'], 'campus.csv', { type: 'text/csv' })
  const begin = async (answer: (a: Asked) => unknown) => {
    const asked = team({ 'POST /courses/kelp/roster': answer })
    await open('/courses/kelp/people')
    await userEvent.click(await screen.findByRole('tab', { name: 'Import a roster' }))
    await userEvent.upload(screen.getByLabelText(/Drop a roster here/), file)
    return asked
  }
  it('shows line by line what it would change, and changes nothing before one says so', async () => {
    const asked = await begin((a) =>
      a.path.includes('dry_run=true')
        ? plan
        : {
            ...plan,
            done: true,
            links: [
              {
                name: 'bela',
                display: 'Béla Tang',
                group: 'Lab 2',
                address: 'http://farm.example/link#b',
                expires: '2026-12-11T08:00:00Z',
              },
            ],
          },
    )
    expect(await screen.findByText(/Read as csv in Windows-1252/)).toBeTruthy()
    expect(screen.getByText(/Not read: Remark/)).toBeTruthy()
    expect(textOf(screen.getByRole('region', { name: 'refused rows' }))).toContain('line 4, email x')
    expect(asked.filter((a) => a.method === 'POST')).toHaveLength(1)
    await userEvent.click(screen.getByRole('button', { name: 'Add 1, change 1, without the 1 refused' }))
    const done = await screen.findByRole('region', { name: 'imported' })
    expect(textOf(done)).toContain('http://farm.example/link#b')
    expect(asked.filter((a) => a.method === 'POST')).toHaveLength(2)
  })
  it('asks again when another way is chosen, and says when nothing changes', async () => {
    const asked = await begin(() => ({ ...plan, added: [], changed: [], unchanged: 3, refused: [] }))
    expect(await screen.findByText('Importing it changes nothing.')).toBeTruthy()
    await userEvent.click(screen.getByRole('checkbox', { name: /leaves the course/ }))
    await waitFor(() => expect(asked.some((a) => a.path.includes('missing=leave'))).toBe(true))
  })
  it('that cannot be read says why', async () => {
    await begin(() => refusal(422, 'Line 2: this is a second header line.'))
    expect(textOf(await screen.findByRole('alert'))).toContain('second header line')
  })
})

describe('extensions', () => {
  const given = {
    id: 5,
    person: '',
    display: '',
    group: 'Lab 1',
    exercise: 'rope-means',
    closes: '2026-12-11T08:00:00Z',
    attempts: null,
    reason: 'the lab was closed',
    by: 'Ottoline Marsh',
    created: '2026-11-27T08:00:00Z',
    withdrawn: null,
  }
  it('are given to a group, listed and withdrawn', async () => {
    const asked = team({
      'GET /courses/kelp/extensions': { extensions: [given], next: null },
      'POST /courses/kelp/extensions': given,
      'DELETE /courses/kelp/extensions/5': {},
    })
    await open('/courses/kelp/people')
    await userEvent.click(await screen.findByRole('tab', { name: 'Extensions' }))
    const list = await screen.findByRole('region', { name: 'extensions' })
    await waitFor(() => expect(textOf(list)).toContain('Means of the ropes'))
    expect(textOf(list)).toContain('the lab was closed')
    const form = screen.getByRole('form', { name: 'a new extension' })
    await userEvent.type(within(form).getByLabelText('Attempts, all told'), '30')
    await userEvent.type(within(form).getByLabelText(/Reason/), 'ill')
    await userEvent.click(within(form).getByRole('button', { name: 'Give the extension' }))
    expect(asked.find((a) => a.method === 'POST')?.body).toEqual({ group: 'Lab 1', attempts: 30, reason: 'ill' })
    await userEvent.click(within(list).getByRole('button', { name: 'Withdraw' }))
    expect(asked.some((a) => a.method === 'DELETE')).toBe(true)
  })
})

describe('the service', () => {
  const operator = { ...student, operator: true, courses: [] }
  const health = {
    version: 'abc',
    go: 'go1',
    database: '11.8-MariaDB',
    schema: 9,
    nodes: [
      { address: '10.0.0.1:3306', serves: true, current: true },
      { address: '10.0.0.2:3306', serves: false, current: false },
    ],
    queue: 3,
    stuck: 1,
    workers: 2,
    mail: { configured: true, server: 'mail:587', waiting: 2, failed: 1, sent: 40, oldest: '2026-11-27T08:00:00Z' },
    people: 120,
    courses: 4,
    started_at: '2026-11-27T08:00:00Z',
    goroutines: 30,
  }
  const run = () =>
    serviceOf({
      'GET /session': operator,
      'GET /service': health,
      'GET /people': { people: [{ name: 'wren', display: 'Wren Marsh', state: 'active', pending: true }], next: null },
      'GET /service/courses': {
        courses: [
          { slug: 'kelp', title: 'The kelp farm', revision: 0, students: 3, team: 1, created: '', archived: null },
        ],
        next: null,
      },
      'GET /service/audit': {
        lines: [
          {
            id: 9,
            at: '2026-11-27T08:00:00Z',
            by: 'ottoline',
            action: 'member.set',
            subject: 'kelp/wren',
            detail: 'x',
          },
        ],
        next: null,
      },
      'GET /service/outbox': {
        letters: [
          {
            id: 1,
            recipient: 'wren@farm.example',
            subject: 'Your account',
            state: 'failed',
            tries: 4,
            error: 'no such person',
            created: '2026-11-27T08:00:00Z',
            due: '2026-11-27T08:00:00Z',
            sent: null,
          },
        ],
        next: null,
      },
      'POST /courses': (a: Asked) => ({ ...(a.body as object), role: 'instructor' }),
      'PUT /people/wren/state': {},
    })
  const tab = async (name: string) => userEvent.click(await screen.findByRole('tab', { name }))
  it('says what does not serve, what is stuck and what was given up', async () => {
    run()
    await open('/service')
    const text = textOf((await screen.findByText('11.8-MariaDB, migration 9')).closest('dl')!)
    expect(text).toContain('▲ does not serve 10.0.0.2:3306')
    expect(text).toContain('▲ 1 stuck')
    expect(text).toContain('▲ 1 given up')
  })
  it('lists people, courses, mail and the audit trail', async () => {
    const asked = run()
    await open('/service')
    await tab('People')
    await userEvent.click(await rowOf(/Wren Marsh/))
    await userEvent.click(await screen.findByRole('button', { name: 'Let them leave the service' }))
    expect(asked.find((a) => a.method === 'PUT')?.body).toEqual({ state: 'left' })
    await userEvent.keyboard('{Escape}')
    await tab('Courses')
    expect(textOf(await rowOf(/The kelp farm/))).toContain('○ empty')
    await tab('Mail')
    expect(textOf(await rowOf(/wren@farm/))).toContain('no such person')
    await tab('Audit trail')
    expect(textOf(await rowOf(/kelp\/wren/))).toContain('ottoline')
    await userEvent.type(screen.getByLabelText('Who did it'), 'otto')
    await waitFor(() => expect(asked.some((a) => a.path.includes('by=otto'))).toBe(true))
  })
  it('makes a course whose name in addresses comes from its title', async () => {
    const asked = run()
    await open('/service')
    await tab('Courses')
    await userEvent.click(await screen.findByText('A new course'))
    await userEvent.type(await screen.findByLabelText('Title'), 'Ährenfeld & Kelp 2032')
    await userEvent.click(screen.getByRole('button', { name: 'Make the course' }))
    expect(asked.find((a) => a.method === 'POST')?.body).toMatchObject({ slug: 'ahrenfeld-kelp-2032' })
  })
  it('is for operators alone', async () => {
    serviceOf({ 'GET /session': instructor })
    await open('/service')
    expect(await screen.findByText(/for those who run the service/)).toBeTruthy()
  })
})
