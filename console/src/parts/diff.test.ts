import { describe, expect, it } from 'vitest'
import { differing, diffLines, together } from './diff'

describe('diffLines', () => {
  const sign = (a: string, b: string) => diffLines(a, b).map((l) => l.sign + l.text)
  it('keeps what is common', () => expect(sign('a\nb\nc', 'a\nx\nc')).toEqual([' a', '-b', '+x', ' c']))
  it('tells of what is new', () => expect(sign('a', 'a\nb')).toEqual([' a', '+b']))
  it('replaces long texts whole', () => {
    const long = 'line\n'.repeat(2100)
    expect(diffLines(long, long + 'x').filter((l) => l.sign === ' ')).toHaveLength(0)
  })
})

describe('together', () => {
  const base = { same: '1', mine: '1', theirs: '1', both: '1', alike: '1', gone: '1' }
  const mine = { ...base, mine: '2', both: '2', alike: '3', 'new of mine': 'n' }
  const theirs = { same: '1', mine: '1', theirs: '2', both: '3', alike: '3', 'new of theirs': 'n' }
  const out = together(base, mine, theirs)
  it('takes what either changed', () =>
    expect(out.files).toEqual({
      same: '1',
      mine: '2',
      theirs: '2',
      both: '2',
      alike: '3',
      'new of mine': 'n',
      'new of theirs': 'n',
    }))
  it('names what both changed, each in another way', () => expect(out.both).toEqual(['both']))
  it('is as before where nobody changed anything', () =>
    expect(together(base, base, base)).toEqual({ files: base, both: [] }))
  it('lists what differs', () => expect(differing({ a: '1', b: '2' }, { b: '3', c: '4' })).toEqual(['a', 'b', 'c']))
})
