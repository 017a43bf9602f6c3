import { act, render, screen } from '@testing-library/react'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { textOf } from '../testing/service'
import { useSettled } from './useSettled'
import { exactly, When } from './When'

beforeEach(() => {
  vi.useFakeTimers()
  vi.setSystemTime('2026-11-27T12:00:00Z')
})
afterEach(() => vi.useRealTimers())

const told = (at: string) => {
  const { container, unmount } = render(<When at={at} />)
  const text = container.querySelector('time')?.firstChild?.textContent
  unmount()
  return text
}

describe('a time', () => {
  it.each([
    ['2026-11-27T11:59:30Z', 'just now'],
    ['2026-11-27T12:00:30Z', 'just now'],
    ['2026-11-27T11:58:00Z', '2 minutes ago'],
    ['2026-11-27T11:10:00Z', '1 hour ago'],
    ['2026-11-27T15:00:00Z', 'in 3 hours'],
    ['2026-11-26T12:00:00Z', 'yesterday'],
    ['2026-11-20T12:00:00Z', '7 days ago'],
  ])('%s is %s', (at, want) => expect(told(at)).toBe(want))
  it('stands beside exactly when', () => {
    const { container } = render(<When at="2026-11-27T11:58:00Z" />)
    const time = container.querySelector('time')
    expect(time?.title).toBe(exactly('2026-11-27T11:58:00Z'))
    expect(textOf(time)).toContain(time?.title)
    expect(time?.dateTime).toBe('2026-11-27T11:58:00Z')
  })
  it('shows in full what is to be read without pointing', () => {
    const { container } = render(<When at="2026-11-27T14:00:00Z" full />)
    expect(textOf(container)).toBe(`in 2 hours (${exactly('2026-11-27T14:00:00Z')})`)
    expect(container.querySelector('.exact')).toBeNull()
  })
  it('goes on by itself, with one clock for all', () => {
    render(
      <>
        <When at="2026-11-27T12:00:00Z" />
        <When at="2026-11-27T11:59:00Z" />
      </>,
    )
    expect(vi.getTimerCount()).toBe(1)
    act(() => vi.advanceTimersByTime(5 * 60_000))
    expect(screen.getByText(/^5 minutes ago/)).toBeTruthy()
    expect(screen.getByText(/^6 minutes ago/)).toBeTruthy()
  })
  it('leaves no clock behind', () => {
    render(<When at="2026-11-27T12:00:00Z" />).unmount()
    expect(vi.getTimerCount()).toBe(0)
  })
})

describe('useSettled', () => {
  function Shown({ text }: { text: string }) {
    return <p>{useSettled(text, 250)}</p>
  }
  it('waits until nothing has changed for a while', () => {
    const { rerender, container } = render(<Shown text="a" />)
    for (const text of ['ab', 'abc', 'abcd']) {
      rerender(<Shown text={text} />)
      act(() => vi.advanceTimersByTime(200))
      expect(textOf(container)).toBe('a')
    }
    act(() => vi.advanceTimersByTime(50))
    expect(textOf(container)).toBe('abcd')
  })
})
