import { describe, expect, it } from 'vitest'
import type { Part } from '../types'
import { operandsOf, partAt, stripsOf, textOf } from './parts'

const program = 'y = mean(growth * [1, 2]\n  over week)\nz = y[0] + 1'

// part finds a text in the program.
function part(text: string, form: Part['form'], shape: number[], axes: (string | null)[] = []): Part {
  const from = program.indexOf(text)
  const place = (pos: number) => {
    const head = program.slice(0, pos).split('\n')
    return { line: head.length, column: head.at(-1)!.length + 1 }
  }
  const [a, b] = [place(from), place(from + text.length)]
  return {
    line: a.line,
    column: a.column,
    end_line: b.line,
    end_column: b.column,
    form,
    kind: 'real',
    look: '1',
    shape: { shape, axes: shape.map((_, i) => axes[i] ?? null) },
  }
}

const growth = part('growth', 'name', [5, 3, 2], ['week', 'rope', 'depth'])
const list = part('[1, 2]', 'list', [2])
const product = part('growth * [1, 2]', 'operator', [5, 3, 2], ['week', 'rope', 'depth'])
const mean = part('mean(growth * [1, 2]\n  over week)', 'call', [3, 2], ['rope', 'depth'])
const taken = part('y[0]', 'selection', [2], ['depth'])
const sum = part('y[0] + 1', 'operator', [2], ['depth'])
const parts = [growth, list, product, mean, taken, sum]

describe('parts of a text', () => {
  it('are found at a place, the innermost', () => {
    const at = (line: number, column: number) => partAt(parts, { line, column })
    expect(at(1, 10), 'in growth').toBe(growth)
    expect(at(1, 16), 'behind growth').toBe(product)
    expect(at(1, 17), 'at the operator').toBe(product)
    expect(at(1, 5), 'at the name of the call').toBe(mean)
    expect(at(2, 4), 'in its second line').toBe(mean)
    expect(at(3, 12), 'at the last literal').toBe(sum)
    expect(at(3, 13), 'behind the last character').toBe(sum)
    expect(at(1, 1), 'at what is bound').toBeNull()
    expect(partAt(parts, null)).toBeNull()
  })
  it('are made of the largest parts inside them', () => {
    expect(operandsOf(parts, product)).toEqual([growth, list])
    expect(operandsOf(parts, mean)).toEqual([product])
    expect(operandsOf(parts, growth)).toEqual([])
  })
  it('have a text in one line', () => {
    expect(textOf(program, mean)).toBe('mean(growth * [1, 2] over week)')
    expect(textOf('y = "é" + x', { line: 1, column: 5, end_line: 1, end_column: 8 })).toBe('"é"')
  })
  it('are drawn with what is stretched', () => {
    const [whole, row, made] = stripsOf(parts, product, program)
    expect(whole?.ghost).toEqual([false, false, false])
    expect(row).toMatchObject({
      name: '[1, 2]',
      shape: [5, 3, 2],
      axes: ['week', 'rope', null],
      ghost: [true, true, false],
    })
    expect(made).toEqual({ name: 'makes', shape: [5, 3, 2], axes: ['week', 'rope', 'depth'] })
    const one = part('growth', 'name', [5, 1, 2])
    expect(stripsOf([one, product], product, program)[0]?.ghost, 'an axis of length 1').toEqual([false, true, false])
  })
  it('are drawn with the axes that fold', () => {
    expect(stripsOf(parts, mean, program)[0]?.folds).toEqual([true, false, false])
    expect(stripsOf(parts, growth, program)).toEqual([
      { name: 'shape', shape: [5, 3, 2], axes: ['week', 'rope', 'depth'] },
    ])
  })
})
