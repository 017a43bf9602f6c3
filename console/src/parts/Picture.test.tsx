import { render } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { textOf } from '../testing/service'
import type { ArrayValue } from '../types'
import { layerStart, Picture, type PictureKind, rangeOf } from './Picture'

const real = (shape: number[], data: ArrayValue['data'], axes: ArrayValue['axes'] = null): ArrayValue => ({
  kind: 'real',
  shape,
  data,
  axes,
})

function drawn(value: ArrayValue, kind: PictureKind, at: number[] = []) {
  const { container } = render(
    <Picture value={value} at={at} kind={kind} counting={1} title="length" range={rangeOf([value])} />,
  )
  return container
}

describe('layerStart', () => {
  it.each<[number[], number[], number]>([
    [[4], [], 0],
    [[2, 3], [], 0],
    [[2, 3, 4], [1], 12],
    [[2, 2, 3, 4], [1, 1], 36],
    [[5, 0, 4], [3], 0],
  ])('of %j at %j is %i', (shape, at, want) => expect(layerStart(shape, at)).toBe(want))
})

describe('rangeOf', () => {
  it('spans several arrays, and what is no number is left out', () =>
    expect(rangeOf([real([3], [1, 'nan', 4]), real([2], ['inf', -2])])).toEqual([-2, 4]))
  it('of no numbers is nothing wide', () => expect(rangeOf([real([1], ['nan'])])).toEqual([0, 0]))
})

describe('a picture', () => {
  const two = real([2, 3], [1, 2, 3, 4, 5, 6], ['rope', 'week'])
  it('of lines has one for each row, over the last axis', () => {
    const c = drawn(two, 'line')
    expect(c.querySelectorAll('polyline')).toHaveLength(2)
    expect([...c.querySelectorAll('title')].map((t) => t.textContent)).toEqual(['rope 1', 'rope 2'])
    expect(c.querySelector('svg')?.getAttribute('aria-label')).toBe('length as lines over week, from 1 to 6')
  })
  it('tells its lines apart by dashes, not by colour alone', () => {
    const dashes = [...drawn(two, 'line').querySelectorAll('polyline')].map((p) => p.getAttribute('stroke-dasharray'))
    expect(new Set(dashes).size).toBe(2)
  })
  it('leaves a gap where there is no number', () => {
    const c = drawn(real([4], [1, 'nan', 3, 4]), 'line')
    expect(c.querySelector('polyline')?.getAttribute('points')?.split(' ')).toHaveLength(3)
    expect(c.querySelectorAll('circle')).toHaveLength(3)
  })
  it('of points has no lines', () => {
    const c = drawn(two, 'scatter')
    expect(c.querySelectorAll('polyline')).toHaveLength(0)
    expect(c.querySelectorAll('circle')).toHaveLength(6)
  })
  it('puts greater numbers higher', () => {
    const heights = [...drawn(real([3], [1, 2, 3]), 'scatter').querySelectorAll('circle')].map((x) =>
      Number(x.getAttribute('cy')),
    )
    expect(heights).toEqual([...heights].sort((a, b) => b - a))
    expect(heights[0]! - heights[1]!).toBeCloseTo(heights[1]! - heights[2]!)
  })
  it('of boxes has one for each row with a number', () => {
    const c = drawn(real([3, 2], [1, 2, 'nan', 'nan', 3, 4]), 'box')
    expect(c.querySelectorAll('rect')).toHaveLength(2)
  })
  it('draws a box from the first quartile to the third', () => {
    const c = drawn(real([1, 5], [0, 1, 2, 3, 4], ['rope', 'week']), 'box')
    const [box, median] = [c.querySelector('rect')!, c.querySelector('line[stroke-width="3"]')!]
    const [top, tall, middle] = [
      Number(box.getAttribute('y')),
      Number(box.getAttribute('height')),
      Number(median.getAttribute('y1')),
    ]
    expect(middle).toBeCloseTo(top + tall / 2)
    expect(tall).toBeCloseTo((220 - 12 - 28) / 2)
  })
  it('of a histogram counts every number once', () => {
    const c = drawn(real([8], [1, 1, 1, 1, 2, 3, 4, 'nan']), 'histogram')
    const tall = [...c.querySelectorAll('rect')].map((r) => Number(r.getAttribute('height')))
    const one = Math.min(...tall.filter((h) => h > 0))
    expect(tall.reduce((a, b) => a + b, 0) / one).toBeCloseTo(7)
    expect(textOf(c)).toContain('how many, from 1 to 4')
  })
  it('of one value is drawn in the middle', () => {
    const cy = Number(
      drawn(real([2], [5, 5]), 'scatter')
        .querySelector('circle')
        ?.getAttribute('cy'),
    )
    expect(cy).toBeCloseTo(12 + (220 - 12 - 28) / 2)
  })
  it('of a layer shows that one', () => {
    const c = drawn(real([2, 1, 2], [1, 2, 30, 40]), 'line', [1])
    expect(c.querySelector('svg')?.getAttribute('aria-label')).toContain('from 30 to 40')
  })
  it('of no numbers says so', () =>
    expect(textOf(drawn(real([2], ['nan', 'inf']), 'line'))).toBe('There are no finite numbers to draw.'))
  it('of many rows says how many are drawn', () => {
    const c = drawn(
      real(
        [30, 1],
        Array.from({ length: 30 }, (_, i) => i),
      ),
      'line',
    )
    expect(textOf(c)).toContain('The first 24 of 30 rows are drawn.')
  })
})
