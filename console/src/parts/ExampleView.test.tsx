import { render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import { textOf } from '../testing/service'
import type { ArrayValue, Example } from '../types'
import { ExampleView } from './ExampleView'

const array = (shape: number[], data: number[], axes: ArrayValue['axes'] = null): ArrayValue => ({
  kind: 'real',
  shape,
  data,
  axes,
})

const example: Example = {
  output: 'means',
  code: 'value.differs',
  inputs: { length: array([1, 2], [1, 0], ['week', 'rope']) },
  expected: { means: array([2], [1, 0], ['rope']) },
  actual: { means: array([2], [0, 1], ['rope']) },
  error: null,
}

const rows = (x: Example) =>
  [...render(<ExampleView example={x} />).container.querySelectorAll('tr')].map((r) =>
    textOf(r).replace(/shape: .*/, ''),
  )

describe('the smallest example', () => {
  it('shows data and both results as they can be written', () =>
    expect(rows(example)).toEqual(['withlength = [[1.0, 0.0]]', 'expectedmeans = [1.0, 0.0]', 'gotmeans = [0.0, 1.0]']))
  it('says that a program stops on it', () => {
    const error = { code: 'select.range', message: '`x` has 2 positions', hint: '', shapes: [], span: place() }
    render(<ExampleView example={{ ...example, actual: {}, error }} />)
    expect(textOf(screen.getByRole('region', { name: 'the smallest example' }))).toContain(
      'The program stops there: x has 2 positions.',
    )
  })
  it('says that there are no elements', () =>
    expect(rows({ ...example, inputs: { length: array([0, 2], []) } })[0]).toBe('withlength = no elements'))
  it('can be used where there is a use for it', async () => {
    const use = vi.fn()
    render(<ExampleView example={example} use={use} />)
    await userEvent.click(screen.getByRole('button', { name: 'Use this example' }))
    expect(use).toHaveBeenCalledOnce()
  })
  it('offers nothing where it cannot be used', () => {
    render(<ExampleView example={example} />)
    expect(screen.queryByRole('button')).toBeNull()
  })
})

function place() {
  return { line: 1, column: 1, end_line: 1, end_column: 2 }
}
