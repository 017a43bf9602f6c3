import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { course, instructor, student } from '../testing/kelp'
import { type Asked, open, serviceOf, textOf } from '../testing/service'
import type { Grade, Gradebook } from '../types'

const grade = (more: Partial<Grade>): Grade => ({
  points: 0,
  exact: '0',
  attempt: null,
  late: false,
  excused: false,
  review: false,
  adjusted: null,
  ...more,
})

const byHand = {
  kind: 'add' as const,
  points: '0.5',
  beyond: false,
  reason: 'a good idea',
  by: 'Ottoline Marsh',
  at: '2026-11-27T08:00:00Z',
  earned: 2,
}

const book: Gradebook = {
  course: 'kelp',
  title: 'The kelp farm',
  at: '2026-11-27T08:00:00Z',
  takes: 'best',
  exercises: [
    { name: 'rope-means', title: 'Means of the ropes', possible: 4, opened: true, median: 2.5 },
    { name: 'harvest', title: 'The harvest', possible: 2, opened: false, median: null },
  ],
  rows: [
    {
      name: 'tamsin',
      display: 'Tamsin Reed',
      number: '4711',
      group: 'Lab 1',
      state: 'active',
      points: 2.5,
      exact: '5/2',
      possible: 4,
      percent: 62.5,
      grades: [
        grade({ points: 2.5, exact: '5/2', attempt: 12, adjusted: byHand, review: true, late: true }),
        grade({}),
      ],
    },
    {
      name: 'wren',
      display: 'Wren Marsh',
      number: '',
      group: '',
      state: 'left',
      points: 0,
      exact: '0',
      possible: 0,
      percent: null,
      grades: [grade({ excused: true }), grade({})],
    },
  ],
  next: null,
  total: 2,
  review: 1,
}

const shown = async (who: object, more: Record<string, object | ((a: Asked) => unknown)> = {}) => {
  const asked = serviceOf({
    'GET /session': who,
    'GET /courses/kelp/groups': [{ name: 'Lab 1', people: 1 }],
    'GET /courses/kelp/gradebook': book,
    'GET /courses/kelp/people/tamsin/grades/rope-means': [{ ...byHand, withdrawn: null }],
    ...more,
  })
  await open('/courses/kelp/gradebook')
  await screen.findByRole('row', { name: /Tamsin Reed/ })
  return asked
}

describe('the gradebook', () => {
  it('shows points with what is to be known of them', async () => {
    await shown(instructor)
    const row = textOf(screen.getByRole('row', { name: /Tamsin Reed/ }))
    expect(row).toContain('2.5 of 4')
    expect(row).toContain('62.5')
    expect(row).toContain('◐ 2.5~')
    expect(textOf(screen.getByRole('row', { name: /Wren Marsh/ }))).toContain('—')
    await userEvent.click(screen.getByText('Exercises and their medians'))
    expect(screen.getByText(/median 2.5/)).toBeTruthy()
    await userEvent.click(screen.getByRole('checkbox', { name: /1 to be reviewed/ }))
    expect(screen.queryByRole('row', { name: /Wren Marsh/ })).toBeNull()
  })
  it('asks for a group, a search and a time, and gives files of the same', async () => {
    const asked = await shown(instructor)
    await userEvent.selectOptions(screen.getByLabelText('Group'), 'Lab 1')
    await userEvent.type(screen.getByRole('searchbox'), 'reed')
    await waitFor(() =>
      expect(asked.some((a) => a.path.includes('search=reed') && a.path.includes('group=Lab+1'))).toBe(true),
    )
    expect(screen.getByRole('link', { name: 'Workbook' }).getAttribute('href')).toContain('group=Lab+1&format=xlsx')
  })
  it('changes a grade by hand, after showing what that does, and takes it back', async () => {
    const asked = await shown(instructor, {
      'PUT /courses/kelp/people/tamsin/grades/rope-means': grade({ points: 3 }),
      'DELETE /courses/kelp/people/tamsin/grades/rope-means': grade({ points: 2 }),
    })
    await userEvent.click(screen.getByRole('row', { name: /Tamsin Reed/ }))
    const panel = await screen.findByRole('dialog', { name: 'Tamsin Reed' })
    expect(textOf(panel)).toContain('2 by the attempt; 0.5 added by Ottoline Marsh')
    expect(within(panel).getByRole('link', { name: 'Means of the ropes' }).getAttribute('href')).toContain(
      '/attempts/12',
    )
    await userEvent.click(within(panel).getByRole('button', { name: 'change the grade in Means of the ropes' }))
    const form = within(panel).getByRole('form', { name: 'change Means of the ropes' })
    await userEvent.selectOptions(within(form).getByLabelText('What'), 'add')
    const field = within(form).getByLabelText('Points')
    await userEvent.clear(field)
    await userEvent.type(field, '9')
    expect(textOf(form)).toContain('2.5 → 4; in all 2.5 → 4')
    await userEvent.click(within(form).getByRole('checkbox'))
    expect(textOf(form)).toContain('2.5 → 11')
    await userEvent.type(within(form).getByLabelText(/Reason/), 'more')
    await userEvent.click(within(form).getByRole('button', { name: 'Change the grade' }))
    expect(asked.find((a) => a.method === 'PUT')?.body).toEqual({
      kind: 'add',
      points: '9',
      beyond: true,
      reason: 'more',
    })
    await userEvent.click(within(form).getByRole('button', { name: 'Take the change back' }))
    expect(asked.some((a) => a.method === 'DELETE')).toBe(true)
    expect(textOf(await within(form).findByRole('list', { name: 'what was changed before' }))).toContain('a good idea')
  })
  it('is changed by assistants too', async () => {
    await shown({
      ...student,
      courses: [{ slug: 'kelp', title: 'The kelp farm', role: 'assistant', archived: false, empty: false }],
    })
    await userEvent.click(screen.getByRole('row', { name: /Tamsin Reed/ }))
    const panel = await screen.findByRole('dialog', { name: 'Tamsin Reed' })
    expect(within(panel).getAllByRole('button', { name: /change the grade/ }).length).toBeGreaterThan(0)
  })
})

describe('the course as a student sees it', () => {
  it('says what counts and what was changed by hand', async () => {
    const first = course.exercises[0]!
    serviceOf({
      'GET /session': student,
      'GET /courses/kelp': {
        ...course,
        exercises: [
          { ...first, grade: grade({ points: 2, attempt: 12, adjusted: byHand }) },
          { ...first, name: 'late', title: 'Late', mine: { ...first.mine, best: 2 }, grade: grade({ points: 1.5 }) },
          { ...course.exercises[1]!, grade: grade({}) },
        ],
      },
    })
    await open('/courses/kelp')
    const main = (await screen.findByText(/points so far/)).closest('main')!
    expect(textOf(main)).toContain('3.5 of 8 points so far')
    expect(textOf(main)).toContain('2 points by hand: a good idea')
    expect(textOf(main)).toContain('counts 1.5')
  })
})
