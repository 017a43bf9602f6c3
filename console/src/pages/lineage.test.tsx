import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { arrays, attempt, exercise, instructor } from '../testing/kelp'
import { open, serviceOf, textOf, type Asked } from '../testing/service'
import type { Lineage } from '../types'

const growth = {
  kind: 'real',
  shape: [2, 2, 2],
  axes: ['week', 'rope', 'depth'],
  data: [1, 2, 3, 4, 5, 6, 7, 8],
} as const
const lineage: Lineage = {
  case: 'small',
  name: 'means',
  counting: 1,
  cell: [2],
  inputs: { growth: { ...growth, shape: [...growth.shape], axes: [...growth.axes], data: [...growth.data] } },
  yours: {
    words: '2 cells of growth: week 2, rope 1, every depth; chosen by 1 cell of growth: week 2, rope 1, depth 1',
    value: { growth: [4, 2] },
    choice: { growth: [4, 1] },
    lines: [],
  },
  expected: { words: '1 cell of growth: week 1, rope 1, depth 1', value: { growth: [0, 1] }, choice: {}, lines: [] },
}

const answers = {
  'GET /session': instructor,
  'GET /attempts/12': attempt,
  'GET /courses/kelp/exercises/rope-means': exercise,
  'GET /attempts/12/arrays': arrays,
  'GET /attempts/12/lineage': lineage,
}

async function shown(more: object = {}) {
  const asked = serviceOf({ ...answers, ...more })
  await open('/courses/kelp/attempts/12')
  const got = within(await screen.findByRole('grid', { name: /^got/ }))
  return { asked, cell: (k: number) => got.getAllByRole('gridcell')[k]! }
}

const side = (name: string) => within(screen.getByRole('group', { name }))
const lit = (name: string) =>
  [...screen.getByRole('group', { name }).querySelectorAll<HTMLElement>('td[data-from]')].map(
    (c) => `${c.dataset['k']} ${c.dataset['from']}`,
  )

describe('where a cell came from', () => {
  it('is asked for when one points at it, and lit on both sides', async () => {
    const { asked, cell } = await shown()
    expect(screen.getByText('Point at a cell to see where it came from.')).toBeTruthy()
    fireEvent.pointerEnter(cell(1))
    await screen.findByRole('group', { name: 'got' })
    expect(asked.map((a) => a.path)).toContain('/attempts/12/lineage?case=small&output=means&side=got&cell=1')
    expect(textOf(screen.getByRole('group', { name: 'got' }))).toContain(
      '2 cells of growth: week 2, rope 1, every depth',
    )
    expect(lit('got')).toEqual(['4 value choice', '5 value'])
    expect(side('got').getByRole('slider').getAttribute('aria-valuetext'), 'the layer that is lit').toBe(
      'week 2 of 2; lit: 2',
    )
    expect(lit('expected')).toEqual(['0 value'])
    expect(side('expected').getByRole('slider').getAttribute('aria-valuetext')).toBe('week 1 of 2; lit: 1')
    await waitFor(
      () =>
        expect(textOf(screen.getByRole('status'))).toBe(
          `means[2]. got: ${lineage.yours!.words}. expected: ${lineage.expected!.words}`,
        ),
      { timeout: 3000 },
    )
  })
  it('goes by keyboard: one stop, arrows, Enter to pin and Escape to release', async () => {
    const { cell } = await shown()
    expect([cell(0).tabIndex, cell(1).tabIndex]).toEqual([0, -1])
    cell(0).focus()
    await userEvent.keyboard('{ArrowRight}{ArrowRight}')
    expect(document.activeElement).toBe(cell(1))
    expect([cell(0).tabIndex, cell(1).tabIndex]).toEqual([-1, 0])
    await userEvent.keyboard('{Enter}')
    await screen.findByText(/pinned, Esc releases/)
    expect(cell(1).dataset['pinned']).toBe('')
    fireEvent.pointerEnter(cell(0))
    expect(cell(1).dataset['pinned'], 'what is pinned stays').toBe('')
    await userEvent.keyboard('{Escape}')
    expect(cell(1).dataset['pinned']).toBeUndefined()
    expect(await screen.findByText('Point at a cell to see where it came from.')).toBeTruthy()
  })
  it('is one picture where both are made of the same cells', async () => {
    const { cell } = await shown({ 'GET /attempts/12/lineage': { ...lineage, expected: lineage.yours } })
    fireEvent.pointerEnter(cell(0))
    await screen.findByRole('group', { name: 'got and expected, from the same cells' })
    expect(screen.queryByRole('group', { name: 'expected' })).toBeNull()
  })
  it('says where neither side has the cell', async () => {
    const { cell } = await shown({ 'GET /attempts/12/lineage': { ...lineage, expected: null, yours: null } })
    fireEvent.pointerEnter(cell(0))
    expect(await screen.findByText('Neither side can be traced to this cell.')).toBeTruthy()
  })
  it('stands in a finding in words', async () => {
    const finding = { ...attempt.verdict!.findings[0]!, output: 'means' }
    const made = (made_from: object) =>
      shown({
        'GET /attempts/12': {
          ...attempt,
          verdict: { ...attempt.verdict, findings: [{ ...finding, made_from }] },
        },
      })
    await made({ cell: [2], yours: 'all 8 cells of growth', expected: '4 cells of growth: week 1', same: false })
    expect(textOf(document.querySelector('main')!)).toContain(
      'means[2] is made from all 8 cells of growth; expected: 4 cells of growth: week 1.',
    )
  })
})

describe('what was tried', () => {
  const tried = {
    parts: [],
    lines: [
      { line: 1, name: 'tall', known: true, kind: 'bool', shape: { shape: [2], axes: [null] }, look: 'true  false' },
      { line: 2, name: 'none', known: true, kind: 'real', shape: { shape: [0], axes: [null] }, look: '' },
      { line: 3, name: 'means', known: true, kind: 'real', shape: { shape: [2], axes: ['rope'] }, look: '1.5  2' },
    ],
    notices: [],
    errors: [],
  }
  const traced = {
    ...lineage,
    value: arrays.actual,
    expected: null,
    yours: {
      ...lineage.yours,
      lines: [
        { line: 1, name: 'tall', step: 0, value: [], choice: [1, 1], array: arrays.agrees },
        { line: 3, name: 'means', step: 2, value: [1, 1], choice: [], array: arrays.actual },
      ],
    },
  }
  it('shows what each line made, and what lies on the way', async () => {
    const asked = serviceOf({
      ...answers,
      'POST /courses/kelp/exercises/rope-means/try': tried,
      'POST /courses/kelp/exercises/rope-means/trace': traced,
    })
    await open('/courses/kelp/exercises/rope-means')
    await userEvent.click(await screen.findByRole('button', { name: 'Try' }))
    const grid = within(await screen.findByRole('grid', { name: /^line, means/ }))
    const lines = screen.getByLabelText<HTMLSelectElement>('line or input')
    expect(
      [...lines.options].map((o) => o.text),
      'what has no cells is not asked for',
    ).toEqual(['1: tall', '3: means', 'input length'])
    expect(lines.value).toBe('2')
    fireEvent.pointerEnter(grid.getAllByRole('gridcell')[1]!)
    await screen.findByText(/is made from/)
    expect(asked.at(-1)?.body).toMatchObject({ step: 2, cell: 1 })
    const on = (name: string) =>
      [
        ...screen
          .getByRole('table', { name: new RegExp(`^the way, ${name}`) })
          .querySelectorAll<HTMLElement>('td[data-from]'),
      ].map((c) => `${c.dataset['k']} ${c.dataset['from']}`)
    expect(on('line 1: tall')).toEqual(['1 choice'])
    expect(screen.queryByRole('table', { name: /line 3/ }), 'itself is no way to itself').toBeNull()
    await userEvent.selectOptions(lines, '0')
    await waitFor(() => expect(asked.at(-1)?.body).toMatchObject({ step: 0, cell: 0 }))
    expect(screen.getByText('Point at a cell to see where it came from.')).toBeTruthy()
  })
  it('follows a cell of an input to all that it went into', async () => {
    const forward = {
      ...lineage,
      name: 'length',
      cell: [0, 1],
      expected: null,
      inputs: { length: { kind: 'real', shape: [2, 2], axes: ['week', 'rope'], data: [1, 2, 3, 4] } },
      yours: {
        words: '1 cell of means: rope 1',
        value: {},
        choice: {},
        lines: [{ line: 3, name: 'means', step: 2, value: [1, 1], choice: [], array: arrays.actual }],
      },
    }
    const asked = serviceOf({
      ...answers,
      'POST /courses/kelp/exercises/rope-means/try': tried,
      'POST /courses/kelp/exercises/rope-means/trace': (a: Asked) =>
        (a.body as { input?: string }).input ? forward : traced,
    })
    await open('/courses/kelp/exercises/rope-means')
    await userEvent.click(await screen.findByRole('button', { name: 'Try' }))
    const from = await screen.findByLabelText<HTMLSelectElement>('line or input')
    await screen.findByRole('grid', { name: /^line, means/ })
    await userEvent.selectOptions(from, 'input length')
    const grid = within(await screen.findByRole('grid', { name: /^line, length/ }))
    expect(screen.getByRole('heading', { name: 'What it went into' })).toBeTruthy()
    expect(screen.getByText('Point at a cell to see what it went into.')).toBeTruthy()
    fireEvent.pointerEnter(grid.getAllByRole('gridcell')[1]!)
    await screen.findByText(/went into 1 cell of means: rope 1/)
    expect(asked.at(-1)?.body).toMatchObject({ input: 'length', cell: 1, have: [2, 0] })
    const table = screen.getByRole('table', { name: /^the way, line 3: means/ })
    expect([...table.querySelectorAll<HTMLElement>('td[data-from]')].map((c) => c.dataset['k'])).toEqual(['1'])
  })
})
