import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { agreeing, arrays, attempt, exercise, student } from '../testing/kelp'
import { open, refusal, serviceOf, textOf } from '../testing/service'

const path = '/courses/kelp/exercises/rope-means'
const side = (shape: number[]) => ({ kind: 'real', shape, axes: ['rope'] })
const line = (more: object) => ({
  case: 'own-1',
  output: 'means',
  unit: 'm',
  needed: true,
  wanted: side([2]),
  found: side([2]),
  problem: '',
  hint: '',
  remark: '',
  ...more,
})
const data = [
  { name: 'own-1', inputs: { length: { kind: 'real', shape: [2, 2], axes: ['week', 'rope'], data: [5, 6, 7, 8] } } },
]
const ticket = { id: 17, course: 'kelp', exercise: 'rope-means', expires: '', within: 1800, attempt: null, cases: data }
const base = {
  'GET /session': student,
  [`GET ${path}`]: exercise,
  'GET /words': { functions: [], words: [] },
  [`POST ${path}/shapes`]: { lines: [], parts: [], errors: [], notices: [] },
  [`POST ${path}/tickets`]: ticket,
}
const result = {
  ...attempt,
  kind: 'results',
  ticket: 17,
  program: '',
  verdict: {
    ...agreeing,
    kind: 'results',
    on: 'own',
    rules_checked: false,
    cases: [{ ...agreeing.cases[0], name: 'own-1' }],
  },
}
const files = [new File(['1.5\n2\n'], 'own-1.means.csv')]
const bring = async () => {
  await userEvent.click(await screen.findByRole('radio', { name: 'bring results' }))
  return within(screen.getByRole('region', { name: 'bring results' }))
}
const handIn = (panel: ReturnType<typeof within>) => panel.getByRole('button', { name: 'Hand in' })

describe('bringing results', () => {
  it('goes from the data to the verdict, with the form looked at on the way', async () => {
    let ok = false
    const asked = serviceOf({
      ...base,
      [`POST ${path}/attempts`]: (a: { path: string }) =>
        a.path.includes('check=form')
          ? {
              ok,
              arrays: ok ? [line({})] : [line({ found: side([3]), problem: 'its shape is [3]', hint: 'see the axes' })],
            }
          : result,
      'GET /attempts/12/arrays': { ...arrays, case: 'own-1' },
    })
    await open(path)
    const panel = await bring()
    expect(handIn(panel).getAttribute('aria-disabled')).toBe('true')
    expect(textOf(panel.getByText('Take data first.'))).toBeTruthy()
    await userEvent.click(panel.getByRole('button', { name: 'Take data' }))
    expect(textOf((await panel.findByText(/^Ticket/)).closest('p'))).toBe('Ticket 17: 30 minutes left')
    await userEvent.click(panel.getByRole('radio', { name: 'netCDF' }))
    expect(panel.getByRole('link', { name: 'Download' }).getAttribute('href')).toBe('/api/v1/tickets/17/data?format=nc')
    await userEvent.upload(panel.getByLabelText('Choose files'), files)
    expect(await panel.findByText('✗ The form is not as wanted')).toBeTruthy()
    const found = panel.getByRole('list', { name: 'form' })
    expect(textOf(found)).toContain('its shape is [3]. Try: see the axes')
    expect(within(found).getByText(/rope 3 against rope 2|rope 2 against rope 3/)).toBeTruthy()
    expect(panel.getByText('The form is not as wanted yet.')).toBeTruthy()
    ok = true
    await userEvent.upload(panel.getByLabelText('Choose files'), files)
    expect(await panel.findByText('✓ The form is as wanted')).toBeTruthy()
    await userEvent.click(panel.getByText(/Attach the text/))
    await userEvent.type(panel.getByLabelText(/Your team reads it/), 'program means')
    await userEvent.click(handIn(panel))
    const verdict = await screen.findByRole('region', { name: 'verdict' })
    expect(textOf(verdict)).toContain('judged on the data of the ticket; rules: not checked')
    expect(await screen.findByRole('heading', { name: 'Expected, got and difference' })).toBeTruthy()
    const sent = asked.find((a) => a.path.includes('attempts?wait'))?.body as FormData
    expect([sent.get('ticket'), sent.get('source')]).toEqual(['17', 'program means'])
    expect((sent.get('files') as File).name).toBe('own-1.means.csv')
    expect(panel.getByRole('button', { name: 'Take data' })).toBeTruthy()
  })

  it('keeps what was brought when the hand-in is refused, and says why', async () => {
    serviceOf({
      ...base,
      [`POST ${path}/attempts`]: (a: { path: string }) =>
        a.path.includes('check=form')
          ? { ok: true, arrays: [line({})] }
          : refusal(410, 'The time of this ticket is over.'),
    })
    await open(path)
    const panel = await bring()
    await userEvent.click(panel.getByRole('button', { name: 'Take data' }))
    await userEvent.upload(panel.getByLabelText('Choose files'), files)
    await panel.findByText('✓ The form is as wanted')
    await userEvent.click(handIn(panel))
    expect(textOf(await screen.findByRole('alert'))).toContain('The time of this ticket is over.')
    expect(textOf(panel.getByRole('list', { name: 'files' }))).toContain('own-1.means.csv')
    await userEvent.click(panel.getByRole('button', { name: 'take out own-1.means.csv' }))
    await waitFor(() => expect(panel.queryByRole('list', { name: 'files' })).toBeNull())
  })

  it('says when no data can be taken', async () => {
    serviceOf({ ...base, [`POST ${path}/tickets`]: refusal(429, 'One takes at most 30 tickets an hour.') })
    await open(path)
    const panel = await bring()
    await userEvent.click(panel.getByRole('button', { name: 'Take data' }))
    expect(textOf(await panel.findByRole('alert'))).toContain('at most 30 tickets an hour')
  })

  it('needs no ticket where the exercise draws no data', async () => {
    serviceOf({ ...base, [`GET ${path}`]: { ...exercise, own: null } })
    await open(path)
    const panel = await bring()
    expect(panel.queryByRole('button', { name: 'Take data' })).toBeNull()
    expect(panel.getByText(/judged on the shown cases alone/)).toBeTruthy()
    expect(panel.getByRole('link', { name: 'Download' }).getAttribute('href')).toBe(`/api/v1${path}/data?format=csv`)
    expect(panel.getByText('means.csv')).toBeTruthy()
  })

  it('is what comes first where nothing is written, or where results came last', async () => {
    serviceOf({ ...base, [`GET ${path}`]: { ...exercise, accepts: ['results'] } })
    await open(path)
    expect(await screen.findByRole('region', { name: 'bring results' })).toBeTruthy()
    expect(screen.queryByRole('radio', { name: 'bring results' })).toBeNull()
  })
})
