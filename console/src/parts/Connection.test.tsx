import { act, render, screen } from '@testing-library/react'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { answered, missed } from '../offline/connection'
import { Announcements } from './announce'
import { Connection } from './Connection'

vi.mock('../engine/version', () => ({ fits: (served: string) => served === 'this' }))

describe('the connection', () => {
  afterEach(() => act(() => answered(null)))
  const said = () => document.querySelector('[data-announced]')?.textContent
  it('is silent while all is well', () => {
    render(<Connection served="this" />)
    expect(document.body.textContent).toBe('')
  })
  it('says once that it is gone, with how old what can be read is, and once that it is back', () => {
    render(
      <>
        <Connection served="this" />
        <Announcements />
      </>,
    )
    act(() => missed())
    expect(screen.getByRole('region', { name: 'no connection' }).textContent).toContain('You can read, try and write.')
    expect(said()).toBe('No connection. You can read, try and write; what you write is kept.')
    act(() => answered(new Date(Date.now() - 3 * 3600_000).toISOString()))
    expect(screen.getByRole('region', { name: 'no connection' }).textContent).toContain('what was here 3 hours ago')
    act(() => answered(null))
    expect(screen.queryByRole('region')).toBeNull()
    expect(said()).toBe('The connection is back.')
  })
  it('offers the newer page of a service that has one, and not without a connection', () => {
    render(<Connection served="newer" />)
    expect(screen.getByRole('region', { name: 'a newer page' }).textContent).toContain('Load it')
    act(() => missed())
    expect(screen.queryByText('Load it')).toBeNull()
  })
})
