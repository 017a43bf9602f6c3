import { describe, expect, it } from 'vitest'
import type { ArrayValue, Cell } from '../types'
import { asCSV, asNotation, decimalsApart, decimalsOf, points, show } from './numbers'

describe('show', () => {
  const cases: [string, Cell, string, number, string][] = [
    ['a real keeps its point', 3, 'real', 0, '3.0'],
    ['an int has none', 3, 'int', 4, '3'],
    ['a minus is a minus', -2.5, 'real', 1, '−2.5'],
    ['a large number is written short', 1.5e12, 'real', 1, '1.500e+12'],
    ['a small one too', 2e-7, 'real', 1, '2.000e−7'],
    ['more decimals are given on request', 1.00000001, 'real', 8, '1.00000001'],
    ['infinity', '-inf', 'real', 1, '−inf'],
    ['a truth value', true, 'bool', 0, 'true'],
    ['a complex number', [1, -2], 'complex', 1, '1.0 − 2.0i'],
    ['a complex number with an infinite part', [0, '-inf'], 'complex', 1, '0.0 − infi'],
  ]
  it.each(cases)('%s', (_, cell, kind, decimals, want) => expect(show(cell, kind, decimals)).toBe(want))
  it('shows nothing where there is nothing', () => expect(show(undefined, 'real', 2)).toBe(''))
})

describe('decimals', () => {
  it.each<[Cell[], number]>([
    [[1, 2], 0],
    [[1.5, 2.25], 2],
    [[1 / 3], 4],
    [[1e-9], 0],
    [['nan', 0.5], 1],
    [[[0.125, 2]], 3],
    [[], 0],
  ])('of %j are %i', (cells, want) => expect(decimalsOf(cells)).toBe(want))
  it('grow until two that differ read differently', () => {
    const decimals = decimalsApart([1, 1.0000001], [[1, 1.0000001]])
    expect(show(1, 'real', decimals)).not.toBe(show(1.0000001, 'real', decimals))
    expect(decimals).toBe(7)
  })
  it('end where no decimals tell them apart', () =>
    expect(decimalsApart([1, 1 + 2 ** -52], [[1, 1 + 2 ** -52]])).toBe(15))
  it('are not asked of what is no number', () => expect(decimalsApart([1, 'nan'], [[1, 'nan']])).toBe(0))
})

describe('copies', () => {
  const matrix: ArrayValue = { kind: 'real', shape: [2, 2], axes: null, data: [1, 2.5, -3, 1e-7] }
  it('are literals of the notation', () => expect(asNotation(matrix)).toBe('[[1.0, 2.5], [-3.0, 1e-7]]'))
  it('are tables', () => expect(asCSV(matrix)).toBe('1,2.5\n-3,1e-7\n'))
  it('of no rows are empty', () => expect(asNotation({ ...matrix, shape: [0, 2], data: [] })).toBe('[]'))
})

it('points have two decimals at most', () => expect([2, 2.5, 1 / 3].map(points)).toEqual(['2', '2.5', '0.33']))
