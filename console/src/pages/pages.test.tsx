import { act, fireEvent, screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import { readKept } from '../offline/drafts'
import { arrays, attempt, course, exercise, instructor, place, student } from '../testing/kelp'
import { open, refusal, serviceOf, textOf } from '../testing/service'

const announced = () => textOf(screen.getByRole('status'))

describe('the door', () => {
  const door = { 'GET /session': refusal(401, 'Nobody is signed in.') }
  const signIn = async (name: string, password: string) => {
    await userEvent.type(screen.getByLabelText('Name'), name)
    await userEvent.type(screen.getByLabelText('Password'), password)
    await userEvent.click(screen.getByRole('button', { name: 'Sign in' }))
  }
  it('lets people in, and leads them where they wanted to go', async () => {
    const asked = serviceOf({ ...door, 'POST /session': student, 'GET /courses/kelp': course })
    const router = await open('/courses/kelp')
    await waitFor(() => expect(router.state.location.pathname).toBe('/sign-in'))
    await signIn(' Tamsin ', 'kelp and rope')
    await screen.findByRole('heading', { name: 'The kelp farm' })
    expect(asked.find((a) => a.method === 'POST')?.body).toEqual({ name: 'tamsin', password: 'kelp and rope' })
  })
  it.each(['//elsewhere.example/x', '/\\elsewhere.example', 'javascript:alert(1)'])('leads never to %s', async (to) => {
    serviceOf({ ...door, 'POST /session': student })
    const router = await open('/sign-in?to=' + encodeURIComponent(to))
    await signIn('tamsin', 'p')
    await screen.findByRole('heading', { name: 'Your courses' })
    expect(router.state.location.pathname).toBe('/')
  })
  it('says what was refused, and keeps the name', async () => {
    serviceOf({ ...door, 'POST /session': refusal(401, 'Name or password is wrong.', { hint: 'ask your team' }) })
    await open('/sign-in')
    await signIn('tamsin', 'p')
    expect(textOf(await screen.findByRole('alert'))).toContain('Name or password is wrong.Try: ask your team')
    expect(screen.getByLabelText<HTMLInputElement>('Name').value).toBe('tamsin')
  })
})

describe('the frame', () => {
  it('says where one is, in the title too, and gives the focus to the heading', async () => {
    serviceOf({ 'GET /session': student, 'GET /courses/kelp': course })
    await open('/courses/kelp')
    const heading = await screen.findByRole('heading', { name: 'The kelp farm' })
    expect(document.title).toBe('The kelp farm · Nimbus Reach')
    await waitFor(() => expect(document.activeElement).toBe(heading))
  })
  it('lists its shortcuts under ?', async () => {
    serviceOf({ 'GET /session': student })
    await open('/')
    await screen.findByRole('heading', { name: 'Your courses' })
    await userEvent.keyboard('?')
    expect(textOf(screen.getByRole('dialog', { name: 'By keyboard' }))).toContain('Ctrl-Enter')
    await userEvent.keyboard('{Escape}')
    expect(screen.queryByRole('dialog')).toBeNull()
  })
  it('signs out', async () => {
    const asked = serviceOf({ 'GET /session': student, 'DELETE /session': new Response('') })
    const router = await open('/')
    await userEvent.click(await screen.findByRole('button', { name: /Tamsin Reed/ }))
    await userEvent.click(await screen.findByRole('menuitem', { name: 'Sign out' }))
    await waitFor(() => expect(router.state.location.pathname).toBe('/sign-in'))
    expect(asked.find((a) => a.method === 'DELETE')?.headers).toEqual({ 'X-CSRF-Token': 'token-of-the-session' })
  })
  it('says when the connection is gone, and when it is back', async () => {
    serviceOf({ 'GET /session': student, 'GET /healthz': {} })
    await open('/')
    await screen.findByRole('heading', { name: 'Your courses' })
    act(() => void window.dispatchEvent(new Event('offline')))
    expect(screen.getByRole('region', { name: 'no connection' }).textContent).toContain('You can read, try')
    expect(announced()).toBe('No connection. You can read, try and write; what you write is kept.')
    act(() => void window.dispatchEvent(new Event('online')))
    await waitFor(() => expect(screen.queryByRole('region', { name: 'no connection' })).toBeNull())
    expect(announced()).toBe('The connection is back.')
  })
  it('knows pages that are not there', async () => {
    serviceOf({ 'GET /session': student })
    await open('/nowhere')
    expect(screen.getByRole('heading', { name: 'There is no such page' })).toBeTruthy()
  })
})

describe('courses', () => {
  it('that one is in are listed, with what one is there', async () => {
    serviceOf({ 'GET /session': instructor })
    await open('/')
    expect(textOf(await screen.findByRole('list'))).toContain('you are an instructor here')
    expect(screen.getByRole('link', { name: 'Desk' }).getAttribute('href')).toBe('/courses/kelp/desk')
  })
  it('say so where there are none', async () => {
    serviceOf({ 'GET /session': { ...student, courses: [] } })
    await open('/')
    expect(await screen.findByText(/You are in no course yet/)).toBeTruthy()
  })
  const lines = async () => {
    await open('/courses/kelp')
    return (await screen.findAllByRole('listitem')).map(textOf)
  }
  it('list exercises with what one has done', async () => {
    serviceOf({ 'GET /session': student, 'GET /courses/kelp': course })
    const [first, second] = await lines()
    expect(first).toContain('reductions · 4 points')
    expect(first).toContain('◐ differsbest 1.5 of 4, 2 attempts')
    expect(second).toContain('not begun')
  })
  it('link no exercise that is not open yet', async () => {
    serviceOf({ 'GET /session': student, 'GET /courses/kelp': course })
    await lines()
    expect(screen.getByRole('link', { name: 'Means of the ropes' })).toBeTruthy()
    expect(screen.queryByRole('link', { name: 'The harvest' })).toBeNull()
  })
  it('show students neither desk nor author', async () => {
    serviceOf({ 'GET /session': student, 'GET /courses/kelp': course })
    await lines()
    expect(screen.queryByRole('link', { name: /Desk|Author/ })).toBeNull()
  })
  it('can be asked for again where the service is down', async () => {
    let up = false
    serviceOf({ 'GET /session': student, 'GET /courses/kelp': () => (up ? course : refusal(404, 'No such course.')) })
    await open('/courses/kelp')
    await userEvent.click(await screen.findByRole('button', { name: 'Try again' }).finally(() => (up = true)))
    expect(await screen.findByText('Means of the ropes')).toBeTruthy()
  })
})

describe('an attempt', () => {
  const answers = {
    'GET /session': instructor,
    'GET /attempts/12': attempt,
    'GET /courses/kelp/exercises/rope-means': exercise,
    'GET /attempts/12/arrays': arrays,
  }
  const shown = async (more: object = {}) => {
    const asked = serviceOf({ ...answers, ...more })
    await open('/courses/kelp/attempts/12')
    await screen.findByRole('heading', { name: /Tamsin Reed/ })
    return asked
  }
  it('says whose, when and how long', async () => {
    await shown()
    await screen.findByRole('heading', { name: 'Tamsin Reed, Means of the ropes' })
    expect(screen.getByText(/checked in 12\.3 ms/)).toBeTruthy()
  })
  it('opens at the first difference, with expected and got', async () => {
    const asked = await shown()
    await screen.findByText('got − expected')
    expect(asked.map((a) => a.path)).toContain('/attempts/12/arrays?case=small&output=means')
  })
  it('saves both sides in a format of one’s choice', async () => {
    await shown()
    const link = await screen.findByRole('link', { name: 'Download' })
    expect(link.getAttribute('href')).toBe('/api/v1/attempts/12/arrays?case=small&output=means&format=csv')
    await userEvent.click(screen.getByRole('radio', { name: 'netCDF' }))
    expect(link.getAttribute('href')).toBe('/api/v1/attempts/12/arrays?case=small&output=means&format=nc')
  })
  it('compares another case on request', async () => {
    const other = { ...attempt.verdict!.cases[0]!, name: 'large & wide' }
    const asked = await shown({
      'GET /attempts/12': { ...attempt, verdict: { ...attempt.verdict, cases: [attempt.verdict!.cases[0], other] } },
    })
    await userEvent.click(await screen.findByRole('radio', { name: /large & wide/ }))
    await waitFor(() =>
      expect(asked.map((a) => a.path)).toContain('/attempts/12/arrays?case=large%20%26%20wide&output=means'),
    )
  })
  it('shows a student the shown cases alone', async () => {
    const hidden = { ...attempt.verdict!.cases[0]!, name: 'hidden-1' }
    await shown({
      'GET /session': student,
      'GET /attempts/12': { ...attempt, verdict: { ...attempt.verdict, cases: [attempt.verdict!.cases[0], hidden] } },
    })
    const cases = await screen.findByRole('radiogroup', { name: 'case' }).catch(() => screen.getByLabelText('case'))
    expect(within(cases).getAllByRole('radio').map(textOf)).toEqual(['◐ small'])
  })
  it('of arrays says that there is no program', async () => {
    const ticket = { id: 17, cases: exercise.cases.map((c) => ({ ...c, name: 'own-1' })) }
    await shown({
      'GET /attempts/12': {
        ...attempt,
        kind: 'results',
        ticket: 17,
        source: 'program means',
        program: '',
        verdict: { ...attempt.verdict, kind: 'results' },
      },
      'GET /tickets/17': ticket,
    })
    expect(screen.getByText(/Arrays computed elsewhere were handed in/)).toBeTruthy()
    expect(screen.queryByRole('textbox')).toBeNull()
    expect(textOf(screen.getByLabelText('the attached text'))).toBe('program means')
    expect(await screen.findByRole('heading', { name: 'The data of ticket 17' })).toBeTruthy()
    expect(screen.getByRole('tab', { name: 'own-1' })).toBeTruthy()
  })
  it('that could not be checked says so', async () => {
    await shown({ 'GET /attempts/12': { ...attempt, state: 'stuck', verdict: null } })
    expect(screen.getByText(/Checking was tried three times and did not finish/)).toBeTruthy()
  })
})

describe('an exercise', () => {
  const path = '/courses/kelp/exercises/rope-means'
  const lines = {
    parts: [],
    lines: [
      {
        line: 1,
        name: 'x',
        kind: 'real',
        known: true,
        look: '1.0 2.0',
        shape: { shape: [2, 2], axes: ['week', 'rope'] },
      },
      { line: 2, name: 'y', kind: '', known: false, look: '', shape: { shape: [], axes: [] } },
    ],
    errors: [],
    notices: [],
  }
  const answers = {
    'GET /session': student,
    'GET /words': { functions: [], reserved: [] },
    [`GET ${path}`]: exercise,
    [`POST ${path}/shapes`]: lines,
    [`POST ${path}/try`]: lines,
    [`POST ${path}/attempts`]: attempt,
  }
  const shown = async (more: object = {}) => {
    const asked = serviceOf({ ...answers, ...more })
    await open(path)
    await screen.findByRole('heading', { level: 1, name: exercise.title })
    return asked
  }
  const handIn = () => userEvent.click(screen.getByRole('button', { name: 'Hand in' }))
  const sent = (asked: Awaited<ReturnType<typeof shown>>) => asked.filter((a) => a.path.startsWith(`${path}/attempts`))

  it('shows its data and says how much is hidden', async () => {
    await shown()
    expect(screen.getByText('length of the kelp')).toBeTruthy()
    expect(screen.getByText(/One more case is hidden: the same axes, other lengths and values\./)).toBeTruthy()
  })
  it('lists all that counts, in all its points', async () => {
    await shown({
      [`GET ${path}`]: {
        ...exercise,
        points: 9,
        outputs: [...exercise.outputs, { name: 'all', title: '', axes: [], unit: '', points: 1, present: '' }],
        counts: {
          steps: [{ name: 'sums', points: 1 }],
          functions: [{ name: 'share', calls: ['share(length)'], points: 1.5 }],
          properties: [{ says: 'all `means` are positive', points: 0.5 }],
          predictions: [{ ask: 'the shape of', of: 'means', what: 'shape', points: 1, said: null, came: null }],
          rules: {
            loops: 'refuse',
            require: ['mean'],
            refuse: ['sum', 'each'],
            inputs_unchanged: true,
            cost_cells: 2,
            cost_statements: 1.5,
          },
        },
      },
    })
    const rows = within(screen.getByRole('region', { name: 'what counts' }))
      .getAllByRole('row')
      .slice(1)
      .map(textOf)
    expect(rows).toEqual([
      'meanswanted: rope 2. wantedrope 2m4',
      'allwanted: a scalar. wantedscalar–1',
      'on the way, sums1',
      'the function share, called as share(length)1.5',
      'all means are positive0.5',
      'a prediction: the shape of means1',
      'in all9',
    ])
    expect(screen.getByText(/Rules:/).parentElement?.textContent).toBe(
      'Rules: no loops; with mean; without sum, each; the inputs stay as they are; ' +
        'at most 2 times the cells of the reference; at most 1.5 times the statements of the reference.',
    )
  })
  it('shows the shapes of the lines before any run', async () => {
    await shown()
    const region = await screen.findByRole('region', { name: 'shapes' })
    expect(textOf(region)).toContain('not known before a run')
    expect(textOf(region.querySelector('[data-said]'))).toBe('shape: week 2, rope 2.')
  })
  it('says what stops a trial', async () => {
    const error = {
      code: 'shape.broadcast',
      message: '`a` does not fit',
      hint: 'look',
      shapes: [],
      span: { ...place, line: 3 },
    }
    await shown({ [`POST ${path}/try`]: { ...lines, errors: [error] } })
    await userEvent.click(screen.getByRole('button', { name: 'Try' }))
    await waitFor(() => expect(announced()).toBe('tried; stopped at line 3: a does not fit'))
  })
  it('hands a program in and takes its verdict into the focus', async () => {
    const asked = await shown({ [`POST ${path}/attempts`]: { ...attempt, program: exercise.starter } })
    await handIn()
    const heading = await screen.findByRole('heading', { name: 'differs' })
    await waitFor(() => expect(document.activeElement).toBe(heading))
    expect(sent(asked)[0]?.body).toEqual({ program: exercise.starter })
    expect(announced()).toContain('differs: 1.5 of 4 points; ')
    fireEvent.keyDown(heading, { key: 'Escape' })
    await waitFor(() => expect(document.activeElement).toBe(screen.getByRole('textbox', { name: 'your program' })))
    expect(document.title).toBe('◐ differs · Means of the ropes · The kelp farm · Nimbus Reach')
  })
  it('lays what the text makes under what is wanted', async () => {
    const line = (shape: number[], axes: (string | null)[]) => ({
      lines: [{ line: 1, name: 'means', known: true, kind: 'real', shape: { shape, axes }, look: '' }],
      parts: [],
      notices: [],
      errors: [],
    })
    await shown({ [`POST ${path}/shapes`]: line([2], ['week']) })
    const cell = () => textOf(document.querySelector('[data-made=means]'))
    await waitFor(() => expect(cell()).toContain('made: week 2'))
    expect(cell()).toContain('rope 2 against week 2 do not fit')
  })
  it.each([
    ['follows another tab where nobody types', false],
    ['offers what another tab wrote where somebody types', true],
  ])('%s', async (_, focused) => {
    vi.spyOn(document, 'hasFocus').mockReturnValue(focused)
    const key = 'draft:tamsin:kelp:rope-means'
    localStorage.setItem(key, 'means = 7')
    await shown()
    const text = () => textOf(screen.getByRole('textbox', { name: 'your program' }))
    expect(text()).toBe('means = 7')
    const other = JSON.stringify({ program: 'means = 8', version: 0, at: Date.now(), sent: false })
    localStorage.setItem(key, other)
    act(() => void window.dispatchEvent(new StorageEvent('storage', { key, newValue: other })))
    if (!focused) {
      await waitFor(() => expect(text()).toBe('means = 8'))
      return
    }
    const offer = await screen.findByRole('region', { name: 'another text of yours' })
    expect(textOf(offer)).toContain('written in another tab')
    expect(text()).toBe('means = 7')
    await userEvent.click(within(offer).getByRole('button', { name: 'Keep this one' }))
    expect(screen.queryByRole('region', { name: 'another text of yours' })).toBeNull()
  })
  it('gives back what starting over took away', async () => {
    localStorage.setItem('draft:tamsin:kelp:rope-means', 'means = 7')
    await shown()
    await userEvent.click(screen.getByRole('button', { name: 'Start over' }))
    expect(screen.queryByRole('button', { name: 'Start over' })).toBeNull()
    await userEvent.click(screen.getByRole('button', { name: 'Take it back' }))
    expect(readKept('draft:tamsin:kelp:rope-means')?.program).toBe('means = 7')
  })
  it('says how many attempts are left, and what an attempt has gained', async () => {
    const before = { ...attempt, id: 3, verdict: { ...attempt.verdict, points: { earned: 0.5, possible: 4 } } }
    await shown({ [`GET ${path}`]: { ...exercise, limit: 5, mine: { ...exercise.mine, attempts: 2 }, last: before } })
    expect(screen.getByText(/3 of 5 attempts left/)).toBeTruthy()
    await handIn()
    expect(await screen.findByText('1 point more than before')).toBeTruthy()
    expect(announced()).toContain('1 point more than before')
  })
  it('tries the smallest example on request, and goes back to the shown case', async () => {
    const inputs = { length: { kind: 'real', shape: [1, 1], axes: ['week', 'rope'], data: [7] } }
    const example = { output: 'means', code: 'value.differs', inputs, expected: {}, actual: {}, error: null }
    const asked = await shown({
      [`GET ${path}`]: { ...exercise, last: { ...attempt, verdict: { ...attempt.verdict, example } } },
    })
    const tries = () =>
      asked.filter((a) => a.path === `${path}/try`).map((a) => (a.body as { inputs?: unknown }).inputs)
    await userEvent.click(await screen.findByRole('button', { name: 'Use this example' }))
    await screen.findByText('Tried on the example, line by line')
    expect(tries()).toEqual([inputs])
    await userEvent.click(screen.getByRole('button', { name: 'Back to the shown case' }))
    await screen.findByText('Tried on the first shown case, line by line')
    expect(tries()).toEqual([inputs, undefined])
    expect(screen.getByRole('button', { name: 'Try' })).toBeTruthy()
  })
  it('waits for a verdict that takes longer', async () => {
    let polls = 0
    await shown({
      [`POST ${path}/attempts`]: { ...attempt, state: 'waiting', verdict: null },
      'GET /attempts/12': () => (++polls < 3 ? { ...attempt, state: 'checking', verdict: null } : attempt),
    })
    await handIn()
    await screen.findByRole('heading', { name: 'differs' })
    expect(polls).toBe(3)
  })
  it('sends the same attempt again under the same key where the service fails', async () => {
    let times = 0
    const asked = await shown({
      [`POST ${path}/attempts`]: () => (++times === 1 ? refusal(503, 'Busy.') : attempt),
    })
    await handIn()
    await screen.findByRole('heading', { name: 'differs' }, { timeout: 3000 })
    const keys = sent(asked).map((a) => a.headers['Idempotency-Key'])
    expect(keys).toHaveLength(2)
    expect(keys[0]).toBe(keys[1])
  })
  it('does not send again what was refused', async () => {
    const asked = await shown({ [`POST ${path}/attempts`]: refusal(409, 'All 3 attempts are used.') })
    await handIn()
    expect(textOf(await screen.findByRole('alert'))).toContain('All 3 attempts are used.')
    expect(sent(asked)).toHaveLength(1)
  })
  it('keeps what is written in the browser, for this person and exercise', async () => {
    localStorage.setItem('draft:tamsin:kelp:rope-means', 'means = 7')
    localStorage.setItem('draft:other:kelp:rope-means', 'means = 8')
    await shown()
    expect(textOf(screen.getByRole('textbox', { name: 'your program' }))).toBe('means = 7')
    await userEvent.click(screen.getByRole('button', { name: 'Start over' }))
    expect(readKept('draft:tamsin:kelp:rope-means')).toMatchObject({ program: exercise.starter, sent: false })
    expect(localStorage.getItem('draft:other:kelp:rope-means')).toBe('means = 8')
  })
  const closes = '2031-09-02T17:00:00Z'
  const late = { closes, until: '2031-09-05T17:00:00Z', keeps: 0.8 }
  it.each([
    ['open', { closes }, [/closes in .* \(2 Sept? 2031/], [/Late/, /extension/]],
    ['open', late, [/closes in/, /Late attempts keep 80 % of their points and end in .* \(5 Sept? 2031/], []],
    ['late', late, [/closed in/, /Late attempts keep 80 %/], []],
    ['closed', late, [/closed in/], [/Late/]],
    ['open', { closes, extended: true, reason: 'ill' }, [/You have an extension here: ill/], []],
  ])('that is %s says its times exactly: %j', async (state, terms, says, not) => {
    await shown({ [`GET ${path}`]: { ...exercise, state, ...terms } })
    const said = textOf((await screen.findByText(/^close[sd]/)).closest('p'))
    for (const s of says) expect(said).toMatch(s)
    for (const n of not) expect(said).not.toMatch(n)
  })
  it('says that a verdict is of the text before', async () => {
    localStorage.setItem('draft:tamsin:kelp:rope-means', 'means = 7')
    await shown({ [`GET ${path}`]: { ...exercise, last: attempt } })
    expect(screen.getByText(/verdict on the attempt before; the text has changed since/)).toBeTruthy()
    expect(screen.queryByRole('button', { name: 'line 2' })).toBeNull()
  })
  it.each([
    ['closed', 'This exercise is closed.'],
    ['soon', 'This exercise is not open yet.'],
  ])('that is %s takes nothing, and says why', async (state, why) => {
    const asked = await shown({ [`GET ${path}`]: { ...exercise, state } })
    await handIn()
    expect(announced()).toBe(why)
    expect(sent(asked)).toEqual([])
  })

  describe('with predictions', () => {
    const question = { ask: 'the shape of', of: 'means', what: 'shape' }
    const prediction = { ...question, points: 1, said: '[4]', came: { expected: '[3]', right: false } }
    it('asks before anything runs', async () => {
      const asked = await shown({ [`GET ${path}`]: { ...exercise, asks: [question] } })
      await handIn()
      await userEvent.click(screen.getByRole('button', { name: 'Try' }))
      expect(announced()).toBe('Answer the questions above first.')
      expect(asked.filter((a) => a.method === 'POST')).toEqual([])
    })
    it('takes a shape as cells, one for each axis', async () => {
      const asked = await shown({
        [`GET ${path}`]: { ...exercise, asks: [question] },
        [`POST ${path}/predictions`]: { predictions: [prediction.came] },
      })
      const cells = () => within(screen.getByRole('group', { name: /the shape of/ })).queryAllByRole('textbox')
      await userEvent.type(cells()[0]!, '3, 4,5')
      expect(cells().map((c) => (c as HTMLInputElement).value)).toEqual(['3', '4', '5'])
      await userEvent.click(screen.getByRole('button', { name: 'One less axis' }))
      await userEvent.click(screen.getByRole('button', { name: 'One more axis' }))
      await userEvent.type(cells()[2]!, '6')
      for (let i = 0; i < 3; i++) await userEvent.click(screen.getByRole('button', { name: 'One less axis' }))
      expect(cells()).toEqual([])
      expect(screen.getByRole('group', { name: /the shape of/ }).textContent).toContain('scalar')
      await userEvent.click(screen.getByRole('button', { name: 'Answer' }))
      await waitFor(() => expect(asked.find((a) => a.path.endsWith('/predictions'))?.body).toEqual({ answers: ['[]'] }))
    })
    it('shows what was said beside what is', async () => {
      let answered = false
      const counts = { ...exercise.counts, predictions: [prediction] }
      const asked = await shown({
        [`GET ${path}`]: () => (answered ? { ...exercise, counts } : { ...exercise, asks: [question] }),
        [`POST ${path}/predictions`]: () => {
          answered = true
          return { predictions: [prediction.came] }
        },
      })
      await userEvent.type(within(screen.getByRole('group', { name: /the shape of/ })).getByRole('textbox'), '[[4]')
      await userEvent.click(screen.getByRole('button', { name: 'Answer' }))
      const region = await screen.findByRole('region', { name: 'predicted' })
      expect(textOf(region)).toContain('said[4] ◐ not sois[3]')
      expect(announced()).toBe('0 of 1 predictions are right')
      expect(asked.find((a) => a.path.endsWith('/predictions'))?.body).toEqual({ answers: ['[4]'] })
    })
  })
})
