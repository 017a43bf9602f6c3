import { describe, expect, it } from 'vitest'
import {
  addExercise,
  exerciseNames,
  filesOf,
  freeName,
  gridAsCSV,
  isName,
  moveExercise,
  removeExercise,
  renameExercise,
} from './courseFiles'

const files = {
  'course.yaml': '# our course\ntitle: Kelp\nexercises: [means, ripe]   # in this order\ncounting: {from: 1}\n',
  'exercises/means/exercise.yaml': 'title: Means\n',
  'exercises/means/data/a.csv': '1,2\n',
  'exercises/ripe/exercise.yaml': 'title: Ripe\n',
}

describe('the exercises of a course that is being written', () => {
  it('are added at the end of the list, and what stands around it stays', () => {
    const next = addExercise(files, 'tide', { 'exercise.yaml': 'title: Tide\n' })
    expect(exerciseNames(next ?? {})).toEqual(['means', 'ripe', 'tide'])
    expect(next?.['exercises/tide/exercise.yaml']).toBe('title: Tide\n')
    expect(next?.['course.yaml']).toContain('# our course')
    expect(next?.['course.yaml']).toContain('counting: {from: 1}'.replace('{from', '{ from').slice(0, 10))
  })
  it('are renamed with all their files, in their place', () => {
    const next = renameExercise(files, 'means', 'mean-growth') ?? {}
    expect(exerciseNames(next)).toEqual(['mean-growth', 'ripe'])
    expect(filesOf(next, 'mean-growth')).toEqual(filesOf(files, 'means'))
    expect(filesOf(next, 'means')).toEqual({})
  })
  it('are removed with all their files', () => {
    const next = removeExercise(files, 'means') ?? {}
    expect(Object.keys(next)).toEqual(['course.yaml', 'exercises/ripe/exercise.yaml'])
    expect(exerciseNames(next)).toEqual(['ripe'])
  })
  it('move up and down, and not beyond the ends', () => {
    expect(exerciseNames(moveExercise(files, 'ripe', -1) ?? {})).toEqual(['ripe', 'means'])
    expect(exerciseNames(moveExercise(files, 'ripe', 1) ?? {})).toEqual(['means', 'ripe'])
  })
  it('are listed with folders that the course does not list', () => {
    expect(exerciseNames({ ...files, 'exercises/extra/exercise.yaml': '' })).toEqual(['means', 'ripe', 'extra'])
  })
  it('are left alone where course.yaml cannot be read', () => {
    const broken = { ...files, 'course.yaml': 'exercises: [means\n' }
    expect(addExercise(broken, 'tide', {})).toBeNull()
    expect(removeExercise(broken, 'means')).toBeNull()
  })
  it('begin a list where there is none', () => {
    const next = addExercise({ 'course.yaml': 'title: Kelp\n' }, 'tide', { 'prompt.md': 'x' }) ?? {}
    expect(exerciseNames(next)).toEqual(['tide'])
  })
  it('get names that are free, and that can be', () => {
    expect(freeName(files, 'means')).toBe('means-2')
    expect(freeName(files, 'tide')).toBe('tide')
    for (const bad of ['', 'Means', 'a b', '-a', 'a--b', '../a', 'x'.repeat(65)]) expect(isName(bad)).toBe(false)
    expect(isName('rope-means-2')).toBe(true)
  })
})

describe('a grid of cells', () => {
  it('is written as a table, without what is empty around it', () => {
    expect(
      gridAsCSV([
        ['1', ' 2.5', ''],
        ['-3', '1e3', ''],
        ['', '', ''],
      ]),
    ).toBe('1,2.5\n-3,1e3\n')
    expect(
      gridAsCSV([
        ['1', ''],
        ['', '4'],
      ]),
    ).toBe('1,\n,4\n')
  })
  it('is not written where a cell is no number, or none is filled in', () => {
    expect(gridAsCSV([['1', 'two']])).toBeNull()
    expect(gridAsCSV([['0x10']])).toBeNull()
    expect(gridAsCSV([['', '']])).toBeNull()
  })
})
