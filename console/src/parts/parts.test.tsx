import { act, render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import { Failure } from '../api'
import { textOf } from '../testing/service'
import { announce, Announcements } from './announce'
import { Mark } from './Mark'
import { Prompt } from './Prompt'
import { Broken, Failing } from './States'

describe('a failure', () => {
  const problem = { type: 't', title: 'Not found', status: 404, detail: 'There is no exercise `x`.', hint: 'list them' }
  it('says what was there and what to try', () => {
    render(<Failing error={new Failure(problem)} />)
    expect(textOf(screen.getByRole('alert'))).toBe('Not foundThere is no exercise `x`.Try: list them')
    expect(screen.queryByRole('button')).toBeNull()
  })
  it('can be tried again', async () => {
    const again = vi.fn()
    render(<Failing error={new Failure(problem)} again={again} />)
    await userEvent.click(screen.getByRole('button', { name: 'Try again' }))
    expect(again).toHaveBeenCalledOnce()
  })
  it('that is no problem of the service is a fault of ours', () => {
    render(<Failing error={new TypeError('undefined is not a shape')} />)
    expect(textOf(screen.getByRole('alert'))).toContain('A fault of ours')
  })
  it('of a page leaves a way out', async () => {
    const reset = vi.fn()
    render(<Broken error={new Error('boom')} reset={reset} />)
    expect(textOf(screen.getByRole('alert'))).toContain('boom')
    expect(screen.getByRole('link', { name: 'Your courses' }).getAttribute('href')).toBe('/')
    await userEvent.click(screen.getByRole('button', { name: 'Try again' }))
    expect(reset).toHaveBeenCalledOnce()
  })
})

describe('announcements', () => {
  it('say the same sentence twice when it comes twice', () => {
    render(<Announcements />)
    const status = screen.getByRole('status')
    act(() => announce('agrees: 4 of 4 points'))
    const first = status.textContent
    act(() => announce('agrees: 4 of 4 points'))
    expect(textOf(status)).toBe('agrees: 4 of 4 points')
    expect(status.textContent).not.toBe(first)
  })
})

describe('a mark', () => {
  it.each([
    ['agrees', '●'],
    ['differs', '◐'],
    ['failed', '▲'],
    ['refused', '■'],
    ['waiting', '○'],
  ] as const)('for %s has a sign of its own', (word, sign) => {
    const { container } = render(<Mark word={word} />)
    expect(textOf(container)).toBe(`${sign} ${word}`)
    expect(container.querySelector('[aria-hidden]')?.textContent).toBe(sign)
  })
  it('that is bare says its word to who cannot see it', () =>
    expect(textOf(render(<Mark word="agrees" bare />).container.querySelector('.sr-only'))).toBe('agrees'))
})

describe('a prompt', () => {
  const html = (text: string) => render(<Prompt text={text} />).container
  const levels = (c: Element) => [...c.querySelectorAll('h1, h2, h3, h4, h5, h6')].map((h) => h.tagName)
  it.each([
    ['# a\n## b\n### c', ['H2', 'H3', 'H4']],
    ['### a\n# b\n### c', ['H2', 'H2', 'H3']],
    ['# a\n#### b\n###### c', ['H2', 'H3', 'H4']],
  ])('%j has headings that fit under the page', (text, want) => expect(levels(html(text))).toEqual(want))
  it('keeps HTML as text', () => {
    const c = html('before <img src=x onerror=alert(1)> <script>alert(1)</script>')
    expect(c.querySelector('img, script')).toBeNull()
    expect(textOf(c)).toContain('onerror')
  })
  it('draws formulas and tables, which can be scrolled by keyboard', () => {
    const c = html('$x^2$\n\n| a | b |\n|---|---|\n| 1 | 2 |\n\n```\nx = 1\n```')
    expect(c.querySelector('.katex')).not.toBeNull()
    expect(screen.getByRole('region', { name: 'a table' }).tabIndex).toBe(0)
    expect(c.querySelector('pre')?.tabIndex).toBe(0)
  })
  it('stands even where a formula is broken', () => expect(textOf(html('$\\frac{1$ and on'))).toContain('and on'))
})
