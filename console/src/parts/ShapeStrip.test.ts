import { createElement } from 'react'
import { renderToStaticMarkup } from 'react-dom/server'
import { describe, expect, it } from 'vitest'
import { ShapeStrips, type StripShape, unfit } from './ShapeStrip'

// heard is what is read out of strips.
const heard = (rows: StripShape[]) =>
  [...renderToStaticMarkup(createElement(ShapeStrips, { rows })).matchAll(/data-said="true">([^<]*)</g)].map(
    (m) => m[1],
  )

describe('unfit', () => {
  it('aligns at the last axis', () => expect(unfit([5, 3], [4], false)).toEqual([[true, true], [true]]))
  it('lets a length of 1 stretch', () => expect(unfit([5, 1], [4], true)).toEqual([[false, false], [false]]))
  it('marks lengths that do not broadcast', () => expect(unfit([2, 3], [2], true)).toEqual([[false, true], [true]]))
  it('holds an unknown length for fitting', () => expect(unfit([null], [4], true)).toEqual([[false], [false]]))
})

describe('strips are read', () => {
  it('as a shape', () =>
    expect(heard([{ shape: [5, 3], axes: ['week', 'rope'] }])).toEqual(['shape: week 5, rope 3. ']))
  it('as a scalar', () => expect(heard([{ name: 'got', shape: [], axes: [] }])).toEqual(['got: a scalar. ']))
  it('with what does not fit', () => {
    const [a, b] = unfit([2, 3], [2], true)
    expect(
      heard([
        { shape: [2, 3], axes: ['week', 'rope'], mark: a },
        { shape: [2], axes: ['week'], mark: b },
      ]).at(-1),
    ).toBe('rope 3 against week 2 do not fit')
  })
  it('with an axis too many', () => {
    const [a, b] = unfit([3], [2, 3], false)
    expect(
      heard([
        { shape: [3], axes: null, mark: a },
        { shape: [2, 3], axes: null, mark: b },
      ]).at(-1),
    ).toBe('axis 2 has no counterpart')
  })
})
