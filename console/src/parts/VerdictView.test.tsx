import { render, screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import { agreeing, finding, place, verdict } from '../testing/kelp'
import { textOf } from '../testing/service'
import type { Finding, Verdict } from '../types'
import { inOneSentence, Ticked, VerdictView } from './VerdictView'

const shown = (v: Partial<Verdict>, goTo?: (span: typeof place) => void) =>
  render(<VerdictView verdict={{ ...verdict, ...v }} goTo={goTo} />).container

const differences: Finding['differences'] = {
  count: 7,
  of: 12,
  greatest_absolute: { position: [2, 1], value: 1e-7 },
  greatest_relative: { position: [2, 1], value: 1e-7 },
  where: { axis: null, from: null, to: null, step: null, region: 'scattered', words: 'scattered' },
  worst: Array.from({ length: 6 }, (_, i) => ({ position: [i + 1, 1], expected: 1, actual: 1 + (i + 1) * 1e-7 })),
}

const values: Finding = {
  ...finding,
  code: 'value.differs',
  message: '`means` differs',
  expected: { kind: 'real', shape: [6, 2], axes: ['week', null] },
  actual: { kind: 'real', shape: [6, 2], axes: ['week', null] },
  differences,
}

const cause: Verdict['causes'][number] = {
  code: 'axis.wrong',
  output: 'means',
  span: place,
  message: 'which axis does `mean` collapse?',
  confidence: 'certain',
  evidence: 'repair',
  change: 'along: rope → along: week',
  cases: 2,
}

describe('a verdict in one sentence', () => {
  it('says word, points and the first finding', () =>
    expect(inOneSentence(verdict)).toBe('differs: 1.5 of 4 points; means has the shape [4], and [3] is expected'))
  it('says the cause before the finding', () =>
    expect(inOneSentence({ ...verdict, causes: [cause] })).toContain('; which axis does mean collapse?'))
  it('is short where all agrees', () => expect(inOneSentence(agreeing)).toBe('agrees: 4 of 4 points'))
})

describe('a verdict', () => {
  it('is headed by its word, its points and what it means', () => {
    const c = shown({})
    expect(textOf(c.querySelector('[data-verdict=differs]'))).toBe('◐ differs')
    expect(textOf(c)).toContain('1.5 of 4 points')
    expect(textOf(c)).toContain('There are outputs that differ from the reference.')
  })
  it('shows the two shapes under each other, and hears which axis does not fit', () => {
    const said = [...shown({}).querySelectorAll('[data-said]')].map(textOf)
    expect(said.slice(0, 2)).toEqual(['expected: rope 3.', 'got: week 4.'])
    expect(said.at(-1)).toBe('rope 3 against week 4 do not fit')
  })
  it('shows axes of one length with other labels as not fitting', () => {
    const side = (label: string) => ({ kind: 'real' as const, shape: [3], axes: [label] })
    const c = shown({ findings: [{ ...finding, expected: side('rope'), actual: side('week') }] })
    expect(textOf([...c.querySelectorAll('[data-said]')].at(-1))).toBe('rope 3 against week 3 do not fit')
  })
  it('shows at most five of the worst, with decimals that tell them apart', () => {
    const c = shown({ findings: [values] })
    const rows = [...c.querySelectorAll('tbody tr')].map((r) => [...r.children].map(textOf))
    expect(rows).toHaveLength(5)
    for (const [, expected, got] of rows) expect(expected).not.toBe(got)
    expect(textOf(c)).toContain('the worst five of 7 that differ')
    expect(textOf(c.querySelector('thead th'))).toBe('week, ·')
  })
  it('tells one thing once, however many cases show it', () => {
    const c = shown({ findings: [finding, { ...finding, case: 'large' }, { ...finding, output: 'sums' }] })
    expect(c.querySelectorAll('[data-finding]')).toHaveLength(2)
    expect(textOf(c.querySelector('summary'))).toBe('the same in large')
  })
  it('tells errors at two places apart', () => {
    const at = (line: number): Finding => ({ ...finding, output: null, span: { ...place, line } })
    expect(shown({ findings: [at(1), at(2)] }).querySelectorAll('[data-finding]')).toHaveLength(2)
  })
  it('leads to the line that it speaks of', async () => {
    const goTo = vi.fn()
    shown({}, goTo)
    await userEvent.click(screen.getByRole('button', { name: 'line 2' }))
    expect(goTo).toHaveBeenCalledWith(place)
  })
  it('leads nowhere where the text has changed', () => {
    shown({})
    expect(screen.queryByRole('button')).toBeNull()
    expect(screen.getByText('line 2')).toBeTruthy()
  })
  it('says why, with the evidence for the team', () => {
    const c = shown({ causes: [{ ...cause, note: 'Think of `week`.' }] })
    const why = textOf(c.querySelector('[data-cause="axis.wrong"]'))
    expect(why).toContain('which axis does mean collapse? certain')
    expect(why).toContain('The instructor says: Think of `week`.')
    expect(why).toContain('one change of the attempt makes it right: along: rope → along: week')
  })
  it('lays the evidence out for the team', () => {
    const c = shown({
      causes: [
        {
          ...cause,
          diff: { before: 'means = mean(x over rope)\n', after: 'means = mean(x over week)\n' },
          in: ['small', 'hidden-1'],
          hidden_only: true,
          rivals: [
            { code: 'step.missing', evidence: 'slip', change: 'mean(x) → x', why: 'says less of what happened' },
          ],
        },
      ],
    })
    expect(textOf(c.querySelector('[data-cause]'))).toContain('seen on hidden data alone')
    const lines = [...c.querySelectorAll('details pre div')].map(textOf)
    expect(lines).toEqual(['- means = mean(x over rope)', '+ means = mean(x over week)'])
    const evidence = textOf(c.querySelector('details'))
    expect(evidence).toContain('Differs in small, hidden-1.')
    expect(evidence).toContain('step.missing fits too, by a slip, mean(x) → x: it says less of what happened.')
  })
  it('says no evidence where none was sent', () =>
    expect(textOf(shown({ causes: [{ ...cause, change: '' }] }))).not.toContain('How we know'))
  it('says what a broken rule cost', () => {
    const cost = { attempt: { statements: 12, cells: 900 }, reference: { statements: 3, cells: 100 } }
    const c = shown({
      verdict: 'refused',
      findings: [],
      rules: [{ code: 'rule.cost', message: 'too many cells', span: null, cost }],
    })
    expect(textOf(c)).toContain('The values agree, and a rule of the exercise is broken.')
    expect(textOf(c)).toContain('Cost: 12 statements and 900 cells; the reference 3 and 100.')
  })
  it('says what was not checked', () =>
    expect(textOf(shown({ rules_checked: false }))).toContain('judged on the shown cases alone; rules: not checked'))
  it('lists every case with its word', () => {
    shown({ cases: [...agreeing.cases, { ...verdict.cases[0]!, name: 'hidden-1' }] })
    const items = within(screen.getByRole('list', { name: 'cases' }))
      .getAllByRole('listitem')
      .map(textOf)
    expect(items).toEqual(['● small agrees', '◐ hidden-1 differs'])
  })
  it('says a notice once, though every case left it', () => {
    const notice = { code: 'notice.nan', message: 'a NaN came up', hint: 'look', span: place, shapes: [] }
    const c = shown({
      cases: [
        { ...verdict.cases[0]!, notices: [notice, { ...notice, span: { ...place, line: 3 } }] },
        { ...verdict.cases[0]!, name: 'b', notices: [notice] },
      ],
    })
    expect(textOf(c.querySelector('summary'))).toContain('2 notices')
  })
})

it('what is between backticks is code', () => {
  const { container } = render(<Ticked text="bind `a` and `b`" />)
  expect([...container.querySelectorAll('code')].map(textOf)).toEqual(['a', 'b'])
  expect(textOf(container)).toBe('bind a and b')
})
