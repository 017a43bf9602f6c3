import { describe, expect, it } from 'vitest'
import { formOf, inFolder, sizeOf, taken, timeLeft } from './brought'

const file = (name: string, path = '', text = 'x') => {
  const f = new File([text], name)
  Object.defineProperty(f, 'webkitRelativePath', { value: path })
  return f
}

describe('files that are brought', () => {
  it('keep the folder of their case, and no other', () => {
    expect(inFolder(file('scores.csv', 'work/out/own-1/scores.csv'))).toBe('own-1/scores.csv')
    expect(inFolder(file('own-1.scores.csv'))).toBe('own-1.scores.csv')
  })

  it('are those of arrays', () => {
    const list = taken([], [file('scores.csv'), file('scores.f90'), file('.hidden.csv'), file('all.NC'), file('a.zip')])
    expect(list.map((b) => b.name)).toEqual(['scores.csv', 'all.NC', 'a.zip'])
  })

  it('take the place of one of the same name', () => {
    const first = taken([], [file('a.csv', '', 'one'), file('b.csv')])
    const second = taken(first, [file('a.csv', '', 'other')])
    expect(second.map((b) => b.name)).toEqual(['a.csv', 'b.csv'])
    expect(second[0]?.file.size).toBe(5)
  })

  it('are sent with their names, the ticket and the text', () => {
    const form = formOf(taken([], [file('a.csv', 'x/own-2/a.csv')]), 17, 'program a')
    expect(form.get('ticket')).toBe('17')
    expect(form.get('source')).toBe('program a')
    expect((form.get('files') as File).name).toBe('own-2/a.csv')
    const bare = formOf([], null, '')
    expect([bare.has('ticket'), bare.has('source')]).toEqual([false, false])
  })
})

describe('what people read', () => {
  it('says how long a ticket can be used', () => {
    const at = (minutes: number) => timeLeft(minutes * 60_000, 0)
    expect([at(-1), at(0), at(0.5), at(1), at(1.1), at(30), at(121), at(3 * 24 * 60)]).toEqual([
      'its time is over',
      'its time is over',
      'less than a minute left',
      'less than a minute left',
      '2 minutes left',
      '30 minutes left',
      '2 hours left',
      '3 days left',
    ])
  })

  it('says how large a file is', () => {
    expect([sizeOf(999), sizeOf(1500), sizeOf(2_340_000)]).toEqual(['999 bytes', '1.5 kB', '2.3 MB'])
  })
})
