import { describe, expect, it } from 'vitest'
import { parse } from 'yaml'
import { addCase, countingOf } from './cases'

const item = '- {name: extra-1, inputs: {x: [1, 2]}}'

describe('addCase', () => {
  const block =
    'title: E\ncases:\n  - {name: a, shown: true}  # the first\n  - name: b\n    draw: {seed: 1}\n\nrules: {loops: refuse}\n'
  it('writes at the end of the list, and leaves the rest alone', () => {
    expect(addCase(block, item)).toBe(block.replace('    draw: {seed: 1}\n', `    draw: {seed: 1}\n  ${item}\n`))
  })
  it('takes a name that is free', () => expect(addCase(addCase(block, item)!, item)).toContain('{name: extra-2,'))
  it('keeps a comment with the case it stands by', () => {
    const text = 'cases:\n- {name: a} # the only one\n'
    expect(addCase(text, item)).toBe(`cases:\n- {name: a} # the only one\n${item}\n`)
  })
  it('writes into a list on one line', () => {
    const text = addCase('cases: [{name: a}]\noutputs: {y: {}}\n', item)
    expect(parse(text!)).toEqual({
      cases: [{ name: 'a' }, { name: 'extra-1', inputs: { x: [1, 2] } }],
      outputs: { y: {} },
    })
  })
  it('writes at the end of a text without a last newline', () =>
    expect(parse(addCase('cases:\n  - {name: a}', item)!).cases).toHaveLength(2))
  it.each([
    ['no list', 'title: E\n'],
    ['an empty key', 'cases:\n'],
    ['no YAML', 'cases: [{name: a}\n'],
  ])('leaves %s to the author', (_, text) => expect(addCase(text, item)).toBeNull())
})

describe('countingOf', () => {
  it.each([
    ['counting: {from: 1}\n', 1],
    ['counting:\n  from: 1 # as in the book\n', 1],
    ['counting: {from: 0}\n', 0],
    ['title: "from: 1"\n', 0],
    ['counting: 1\n', 0],
    ['', 0],
  ])('of %j is %i', (text, want) => expect(countingOf(text)).toBe(want))
})
