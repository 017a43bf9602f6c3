import { fireEvent, render } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { useLitAxes } from './axes'
import { ShapeStrips } from './ShapeStrip'

const Page = () => {
  useLitAxes()
  return (
    <>
      <ShapeStrips
        rows={[
          { shape: [5, 3], axes: ['week', 'rope'], mark: [true, true] },
          { shape: [4], axes: ['depth'], mark: [true] },
        ]}
      />
      <ShapeStrips rows={[{ shape: [3, 2], axes: ['rope', null] }]} />
      <p>nothing</p>
    </>
  )
}

describe('strips of a page', () => {
  it('light an axis that is pointed at in every one of them', () => {
    render(<Page />)
    const lit = () => [...document.querySelectorAll<HTMLElement>('.axis-lit')].map((e) => e.textContent)
    fireEvent.pointerOver(document.querySelector('[data-axis=rope] span')!)
    expect(lit()).toEqual(['rope 3 ≠', 'rope 3'])
    fireEvent.pointerOver(document.querySelector('[data-axis=week]')!)
    expect(lit()).toEqual(['week 5 ≠'])
    fireEvent.pointerOver(document.querySelector('p')!)
    expect(lit()).toEqual([])
  })
  it('join cells that do not fit each other, and no others', () => {
    render(<Page />)
    expect([...document.querySelectorAll('[data-joined]')].map((e) => e.textContent)).toEqual(['depth 4 ≠'])
  })
})
