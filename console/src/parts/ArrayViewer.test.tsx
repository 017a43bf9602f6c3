import { fireEvent, render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, describe, expect, it } from 'vitest'
import { arrays } from '../testing/kelp'
import { textOf } from '../testing/service'
import type { ArrayValue } from '../types'
import { Announcements } from './announce'
import { ArrayViewer, lookOf } from './ArrayViewer'
import { Pair } from './Pair'

const count = (n: number) => Array.from({ length: n }, (_, i) => i + 1)
const ints = (shape: number[], axes: ArrayValue['axes'] = null): ArrayValue => ({
  kind: 'int',
  shape,
  axes,
  data: count(shape.reduce((a, b) => a * b, 1)),
})

const viewer = (value: ArrayValue, more: Partial<Parameters<typeof ArrayViewer>[0]> = {}) =>
  render(<ArrayViewer value={value} title="length" counting={1} {...more} />).container
const cells = (c: Element) => [...c.querySelectorAll('td')].map(textOf)
const heads = (c: Element) => [...c.querySelectorAll('thead th')].map(textOf)

describe('a grid', () => {
  it('has positions as the course counts them', () => {
    const c = viewer(ints([2, 3], ['week', 'rope']), { counting: 0 })
    expect(heads(c)).toEqual(['week ╲ rope', '0', '1', '2'])
    expect([...c.querySelectorAll('tbody th')].map(textOf)).toEqual(['0', '1'])
    expect(cells(c)).toEqual(['1', '2', '3', '4', '5', '6'])
  })
  it('of a vector is one row', () => {
    const c = viewer(ints([3]))
    expect(heads(c)).toEqual(['position', '1', '2', '3'])
    expect(textOf(c.querySelector('tbody th'))).toBe('value')
  })
  it('of a scalar is its value', () => expect(textOf(viewer(ints([])).querySelector('p'))).toBe('1'))
  it('of nothing says so', () => expect(textOf(viewer(ints([0, 3])))).toContain('no elements'))
  it('says its unit and what it is', () =>
    expect(textOf(viewer(ints([3]), { unit: 'm', about: 'of the kelp' }))).toContain('int, m'))
  it('shows a first part of what is large, and says so', () => {
    const c = viewer(ints([100, 40]))
    expect(c.querySelectorAll('tbody tr')).toHaveLength(60)
    expect(c.querySelectorAll('tbody tr:first-child td')).toHaveLength(30)
    expect(textOf(c)).toContain('The first 60 by 30 of 100 by 40 are shown.')
  })
  it('marks what differs by a sign and a word', () => {
    const mask: ArrayValue = { kind: 'bool', shape: [2], axes: null, data: [true, false] }
    expect(cells(viewer(ints([2]), { agrees: mask }))).toEqual(['1', '◐ differs: 2'])
  })
})

describe('layers', () => {
  const cube = ints([2, 3, 1, 2], ['farm', null, 'week', 'rope'])
  it('have a slider for each axis beyond two', () => {
    viewer(cube)
    expect(screen.getAllByRole('slider').map((s) => s.getAttribute('aria-valuetext'))).toEqual([
      'farm 1 of 2',
      'axis 2 1 of 3',
    ])
  })
  it('change by keyboard', () => {
    const c = viewer(cube)
    const [farm, second] = screen.getAllByRole('slider')
    fireEvent.keyDown(farm!, { key: 'ArrowRight' })
    expect(cells(c)).toEqual(['7', '8'])
    fireEvent.keyDown(second!, { key: 'End' })
    expect(cells(c)).toEqual(['11', '12'])
  })
  it('of one have nothing to slide', () => {
    const c = viewer(ints([1, 2, 2]))
    expect(screen.queryByRole('slider')).toBeNull()
    expect(textOf(c)).toContain('axis 1 1')
  })
})

describe('looks', () => {
  const choices = () => screen.getAllByRole('radio').map(textOf)
  it('of a matrix have boxes, of a vector none', () => {
    viewer(ints([2, 2]))
    expect(choices()).toEqual(['grid', 'heat', 'line', 'box', 'histogram'])
    viewer(ints([4]), { title: 'other' })
    expect(choices().slice(5)).toEqual(['grid', 'heat', 'line', 'histogram'])
  })
  it('are not offered where there is nothing to draw', () => {
    viewer({ kind: 'bool', shape: [2], axes: null, data: [true, false] })
    expect(screen.queryByRole('radio')).toBeNull()
  })
  it('shade the cells or draw them', async () => {
    const c = viewer(ints([2, 2]))
    await userEvent.click(screen.getByRole('radio', { name: 'heat' }))
    const grounds = [...c.querySelectorAll('td')].map((t) => t.style.background)
    expect(new Set(grounds).size).toBe(4)
    await userEvent.click(screen.getByRole('radio', { name: 'line' }))
    expect(screen.getByRole('img', { name: /length as lines/ })).toBeTruthy()
  })
  it('are what an exercise asks for', () =>
    expect(['heat', 'line', 'scatter', 'box', 'histogram', 'other', ''].map(lookOf)).toEqual([
      'heat',
      'line',
      'scatter',
      'box',
      'histogram',
      'plain',
      'plain',
    ]))
})

describe('copies', () => {
  const written: string[] = []
  let allowed = true
  const copyAs = async (form: string) => {
    const user = userEvent.setup()
    const writeText = async (text: string) => {
      if (!allowed) throw new DOMException('denied')
      written.push(text)
    }
    Object.defineProperty(navigator, 'clipboard', { value: { writeText }, configurable: true })
    render(
      <>
        <ArrayViewer value={ints([2])} title="length" counting={1} />
        <Announcements />
      </>,
    )
    await user.click(screen.getByRole('button', { name: 'copy length' }))
    await user.click(await screen.findByRole('menuitem', { name: `as ${form}` }))
  }
  beforeEach(() => {
    allowed = true
    written.length = 0
  })
  it.each([
    ['notation', '[1, 2]'],
    ['CSV', '1,2\n'],
    ['JSON', '{"kind":"int","shape":[2],"axes":null,"data":[1,2]}'],
  ])('as %s go to the clipboard, and it is said', async (form, want) => {
    await copyAs(form)
    expect(written).toEqual([want])
    await screen.findByText(`length copied as ${form}`)
  })
  it('that the browser does not allow are said too', async () => {
    allowed = false
    await copyAs('CSV')
    await screen.findByText('the browser did not allow copying')
    expect(screen.getByRole('button', { name: 'not allowed length' })).toBeTruthy()
  })
})

describe('expected and got', () => {
  const pair = (a: Partial<typeof arrays>) => render(<Pair arrays={{ ...arrays, ...a }} overlay="plain" />).container
  const figures = (c: Element) => [...c.querySelectorAll('figure')]
  it('stand under each other with their difference', () => {
    const c = pair({})
    expect(figures(c).map((f) => textOf(f.querySelector('figcaption span')))).toEqual([
      'expected',
      'got',
      'got − expected',
    ])
    expect(figures(c).map(cells)).toEqual([
      ['1.5', '2.0'],
      ['1.5', '◐ differs: 2.5'],
      ['0.0', '0.5'],
    ])
  })
  it('have decimals that tell apart what differs', () => {
    const c = pair({ actual: { ...arrays.actual!, data: [1.5, 2.00000004] } })
    expect(cells(figures(c)[0]!)[1]).toBe('2.00000000')
    expect(cells(figures(c)[1]!)[1]).toBe('◐ differs: 2.00000004')
  })
  it('change their look together, on one scale', async () => {
    const c = pair({ actual: { ...arrays.actual!, data: [1.5, 40] } })
    await userEvent.click(screen.getAllByRole('radio', { name: 'heat' })[0]!)
    const [a, b] = figures(c).map((f) => [...f.querySelectorAll('td')].map((t) => t.style.background))
    expect(a![0]).toBe(b![0])
    expect(a![1]).not.toBe(b![1])
  })
  it('light up the cell that is pointed at in both', () => {
    const c = pair({})
    fireEvent.pointerOver(figures(c)[0]!.querySelectorAll('td')[1]!)
    expect([...c.querySelectorAll('[data-lit]')].map(textOf)).toEqual(['2.0', '◐ differs: 2.5', '0.5'])
    fireEvent.pointerOver(figures(c)[0]!.querySelectorAll('td')[0]!)
    expect([...c.querySelectorAll('[data-lit]')].map(textOf)).toEqual(['1.5', '1.5', '0.0'])
  })
  it('scroll together', () => {
    const c = pair({})
    const [a, b] = c.querySelectorAll<HTMLElement>('[data-elements]')
    a!.scrollLeft = 40
    fireEvent.scroll(a!)
    expect(b!.scrollLeft).toBe(40)
  })
  it('say what was not bound', () =>
    expect(textOf(pair({ actual: null, agrees: null, difference: null }))).toContain(
      'means was not bound in this case',
    ))
})
