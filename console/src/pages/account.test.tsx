import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { afterEach, describe, expect, it } from 'vitest'
import { open, refusal, serviceOf, textOf, type Asked } from '../testing/service'

const me = { name: 'tamsin', display: 'Tamsin Reed', operator: false, csrf: 'c', courses: [] }
const soon = new Date(Date.now() + 86_400_000 * 3).toISOString()

const fill = async (label: string | RegExp, text: string) => {
  const field = screen.getByLabelText(label)
  await userEvent.clear(field)
  await userEvent.type(field, text)
}

describe('a link', () => {
  afterEach(() => {
    window.location.hash = ''
  })
  const links = { 'POST /links/look': { name: 'tamsin', display: 'Tamsin Reed', forgotten: false, expires: soon } }
  it('lets its holder choose a password, and in', async () => {
    window.location.hash = '#secret'
    const asked = serviceOf({ ...links, 'POST /links/open': me, 'GET /session': me })
    await open('/link')
    expect(await screen.findByText('tamsin')).toBeTruthy()
    await fill(/New password/, 'many words of kelp')
    await fill('Once more', 'many words of kelq')
    await userEvent.click(screen.getByRole('button', { name: /Set the password/ }))
    expect(textOf(await screen.findByRole('alert'))).toContain('are not the same')
    expect(asked.some((a) => a.path === '/links/open')).toBe(false)
    await fill('Once more', 'many words of kelp')
    await userEvent.click(screen.getByRole('button', { name: /Set the password/ }))
    expect(await screen.findByRole('heading', { level: 1, name: /courses/i })).toBeTruthy()
    expect(asked.find((a) => a.path === '/links/open')?.body).toEqual({
      secret: 'secret',
      password: 'many words of kelp',
    })
  })
  it('says what a forgotten password ends', async () => {
    serviceOf({ 'POST /links/look': { ...links['POST /links/look'], forgotten: true } })
    await open('/link')
    expect(await screen.findByText(/you will be signed out/)).toBeTruthy()
  })
  it('says that it was used', async () => {
    serviceOf({ 'POST /links/look': refusal(410, 'It was used before.', { hint: 'ask for a new one' }) })
    await open('/link')
    expect(textOf(await screen.findByRole('alert'))).toContain('It was used before.')
    expect(screen.getByRole('link', { name: 'Sign in' })).toBeTruthy()
  })
})

describe('the account', () => {
  const line = (more: object) => ({
    id: 1,
    label: '',
    created: soon,
    expires: soon,
    used: null,
    address: '',
    current: false,
    ...more,
  })
  const shown = async (more: Record<string, object | ((a: Asked) => unknown)> = {}) => {
    const asked = serviceOf({
      'GET /session': me,
      'GET /account/mail': { email: 'tamsin@farm.example', notes: false },
      'GET /account/sign-ins': {
        sessions: [line({ current: true, used: soon, address: '10.0.0.1' }), line({ id: 2 })],
        tokens: [line({ id: 7, label: 'marks to the office' })],
      },
      ...more,
    })
    await open('/account')
    await screen.findByText('marks to the office')
    return asked
  }
  it('lists where one is signed in, and ends one', async () => {
    const asked = await shown({ 'DELETE /account/tokens/7': {} })
    const browsers = screen.getByRole('region', { name: 'browsers' })
    expect(textOf(browsers)).toContain('this one')
    expect(within(browsers).getAllByRole('button')).toHaveLength(1)
    await userEvent.click(screen.getByRole('button', { name: 'End marks to the office' }))
    expect(asked.some((a) => a.method === 'DELETE' && a.path === '/account/tokens/7')).toBe(true)
  })
  it('changes the password of who knows it', async () => {
    let right = false
    const asked = await shown({
      'PUT /account/password': () => (right ? {} : refusal(401, 'The name or the password is wrong.')),
    })
    await fill('Password that you have', 'wrong')
    await fill(/New password/, 'many words of kelp')
    await fill('Once more', 'many words of kelp')
    await userEvent.click(screen.getByRole('button', { name: 'Change the password' }))
    expect(textOf(await screen.findByRole('alert'))).toContain('password is wrong')
    right = true
    await fill('Password that you have', 'right')
    await userEvent.click(screen.getByRole('button', { name: 'Change the password' }))
    expect(await screen.findByText(/Your password is changed; your other browsers/)).toBeTruthy()
    expect(asked.filter((a) => a.method === 'PUT').at(-1)?.body).toEqual({
      before: 'right',
      password: 'many words of kelp',
    })
  })
  it('lets notes come by mail, and makes a calendar', async () => {
    const asked = await shown({
      'PUT /account/mail': (a: Asked) => ({ email: 'tamsin@farm.example', ...(a.body as object) }),
      'POST /account/calendar': { address: 'http://farm.example/calendar/s.ics' },
    })
    expect(await screen.findByText(/reaches you at tamsin@farm.example/)).toBeTruthy()
    const box = screen.getByRole<HTMLInputElement>('checkbox', { name: /what the teaching team writes/ })
    await userEvent.click(box)
    expect(asked.find((a) => a.method === 'PUT')?.body).toEqual({ notes: true })
    await waitFor(() => expect(box.checked).toBe(true))
    await userEvent.click(screen.getByRole('button', { name: 'Make a new address' }))
    expect(await screen.findByText('http://farm.example/calendar/s.ics')).toBeTruthy()
  })
  it('shows a new token once', async () => {
    const asked = await shown({ 'POST /account/tokens': { token: 'abc' } })
    await fill('A token for', 'lab')
    await fill('Days', '5')
    await userEvent.click(screen.getByRole('button', { name: 'Make a token' }))
    expect(await screen.findByText('abc')).toBeTruthy()
    expect(asked.find((a) => a.path === '/account/tokens')?.body).toEqual({ label: 'lab', days: 5 })
  })
})
