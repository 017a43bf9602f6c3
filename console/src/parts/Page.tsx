import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Link, useNavigate, useRouterState } from '@tanstack/react-router'
import { AlertDialog, Dialog, DropdownMenu } from 'radix-ui'
import { useEffect, useRef, useState } from 'react'
import { call, get } from '../api'
import { forget } from '../offline/forget'
import { useWaiting } from '../offline/queue'
import type { Me } from '../types'
import { announce } from './announce'
import { useLitAxes } from './axes'
import { Connection } from './Connection'
import { useTitleState } from './title'

export interface Crumb {
  text: string
  to?: string
}

// Page is the frame of every page: where one is, who one is, and whether the service
// can be reached. A page that is not ready is headed by its last crumb.
export function Page({
  me,
  crumbs,
  wide,
  ready,
  children,
}: {
  me: Me
  crumbs: Crumb[]
  wide?: boolean
  ready: boolean
  children: React.ReactNode
}) {
  const last = crumbs.at(-1)
  const state = useTitleState()
  useEffect(() => {
    document.title = [state, ...crumbs.map((c) => c.text).reverse(), 'Nimbus Reach'].filter(Boolean).join(' · ')
  })
  useLitAxes()
  const main = useHeadingFocus(ready)
  return (
    <div className="flex min-h-dvh flex-col">
      <a href="#main" className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-sheet focus:p-2">
        Skip to the content
      </a>
      <header className="flex h-12 items-center gap-x-3 border-b border-rule bg-sheet px-4">
        <Link
          to="/"
          aria-label="Nimbus Reach, your courses"
          className="flex min-h-8 min-w-8 shrink-0 items-center gap-2 font-semibold text-ink no-underline"
        >
          <img src="/mark.svg" alt="" className="size-6" />
          <span className="max-sm:hidden">Nimbus Reach</span>
        </Link>
        <nav aria-label="where you are" className="flex min-w-0 flex-1 items-center gap-x-2">
          {crumbs.map((c, i) => (
            <span key={i} className={`flex min-w-0 items-center gap-2 text-soft ${c === last ? '' : 'max-sm:hidden'}`}>
              <span aria-hidden="true" className="max-sm:hidden">
                /
              </span>
              {c.to ? (
                <Link to={c.to} className="within truncate">
                  {c.text}
                </Link>
              ) : (
                <span className="truncate text-ink" aria-current="page" title={c.text}>
                  {c.text}
                </span>
              )}
            </span>
          ))}
        </nav>
        <Unseen me={me} />
        <Account me={me} crumbs={crumbs} />
      </header>
      <Connection served={me.engine} />
      <main id="main" ref={main} className={`mx-auto w-full flex-1 px-4 py-5 ${wide ? '' : 'max-w-5xl'}`}>
        {!ready && <h1 className="text-2xl font-semibold">{last?.text}</h1>}
        {children}
      </main>
    </div>
  )
}

// useHeadingFocus gives the focus to a new page's heading, unless something on the page
// has it already.
function useHeadingFocus(ready: boolean) {
  const main = useRef<HTMLElement>(null)
  const path = useRouterState({ select: (s) => s.location.pathname })
  useEffect(() => {
    const heading = main.current?.querySelector('h1')
    const focused = document.activeElement
    if (!heading || (focused && focused !== document.body && focused.tagName !== 'H1')) return
    heading.tabIndex = -1
    heading.focus({ preventScroll: true })
  }, [ready, path])
  return main
}

// Unseen counts what the teaching team has written to one and one has not seen.
function Unseen({ me }: { me: Me }) {
  const q = useQuery({
    queryKey: ['unseen'],
    enabled: me.courses.some((c) => c.role === 'student'),
    queryFn: () => get<{ unseen: number }>('/notes/unseen'),
    refetchInterval: 60_000,
    retry: false,
  })
  if (!q.data) return null
  const n = q.data.unseen
  return (
    <Link
      to="/notes"
      data-unseen={n}
      className={`inline-flex min-h-9 min-w-9 shrink-0 items-center justify-center px-2 no-underline ${n > 0 ? 'font-semibold' : 'text-soft'}`}
    >
      Notes{' '}
      {n > 0 && (
        <span className="ml-1 bg-accent px-1.5 text-sm text-on-accent">
          {n}
          <span className="sr-only"> new</span>
        </span>
      )}
    </Link>
  )
}

const initials = (name: string) =>
  name
    .split(/\s+/)
    .map((w) => Array.from(w)[0] ?? '')
    .slice(0, 2)
    .join('')
    .toUpperCase()

const shortcuts = [
  ['Ctrl-Enter', 'hands the program in, from within its text (⌘-Enter on a Mac)'],
  ['Tab', 'leaves the text for what follows it'],
  ['Esc', 'goes back from the verdict to the text, and closes menus and this list'],
  ['arrows', 'move within tabs, toggles, sliders and menus'],
  ['n', 'writes a note, on the page of a knot'],
  ['?', 'shows this list, outside of texts and fields'],
] as const

// useQuestionMark opens the list of shortcuts, unless somebody is writing.
function useQuestionMark(open: () => void) {
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      const at = e.target instanceof HTMLElement ? e.target : null
      if (e.key !== '?' || e.ctrlKey || e.metaKey || at?.isContentEditable || at?.closest('input, textarea')) return
      e.preventDefault()
      open()
    }
    window.addEventListener('keydown', press)
    return () => window.removeEventListener('keydown', press)
  })
}

function Shortcuts({ open, change }: { open: boolean; change: (open: boolean) => void }) {
  return (
    <Dialog.Root open={open} onOpenChange={change}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/30" />
        <Dialog.Content
          aria-describedby={undefined}
          className="sheet fixed top-1/2 left-1/2 z-50 max-h-[90dvh] w-[min(32rem,92vw)] -translate-1/2 overflow-auto p-5"
        >
          <Dialog.Title className="text-xl font-semibold">By keyboard</Dialog.Title>
          <dl className="my-3 grid grid-cols-[auto_1fr] gap-x-4 gap-y-2">
            {shortcuts.map(([keys, says]) => (
              <div key={keys} className="contents">
                <dt className="mono">{keys}</dt>
                <dd>{says}</dd>
              </div>
            ))}
          </dl>
          <Dialog.Close className="button">Close</Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}

function Account({ me, crumbs }: { me: Me; crumbs: Crumb[] }) {
  const [listed, setListed] = useState(false)
  useQuestionMark(() => setListed(true))
  const client = useQueryClient()
  const navigate = useNavigate()
  const [asked, setAsked] = useState(false)
  const waiting = useWaiting()
  const out = useMutation({
    mutationFn: () => call('DELETE', '/session'),
    onSuccess: async () => {
      await forget(me.name)
      client.clear()
      void navigate({ to: '/sign-in', search: { to: undefined } })
    },
    onError: (err) => announce(`You are still signed in: ${err.message}`),
  })
  const leave = () => (waiting.length > 0 ? setAsked(true) : out.mutate())
  return (
    <>
      <Shortcuts open={listed} change={setListed} />
      <AlertDialog.Root open={asked} onOpenChange={setAsked}>
        <AlertDialog.Portal>
          <AlertDialog.Overlay className="fixed inset-0 z-40 bg-ink/30" />
          <AlertDialog.Content className="sheet fixed top-1/2 left-1/2 z-50 grid w-[min(32rem,92vw)] -translate-1/2 gap-3 p-5">
            <AlertDialog.Title className="text-xl font-semibold">
              {waiting.length === 1 ? 'One hand-in waits' : `${waiting.length} hand-ins wait`} on this device
            </AlertDialog.Title>
            <AlertDialog.Description>
              {waiting.map((w) => w.title).join(', ')}: not sent yet. Signing out takes from this device what was kept
              of you, and what waits with it.
            </AlertDialog.Description>
            <p className="flex flex-wrap gap-3">
              <AlertDialog.Cancel className="button min-h-11">Stay signed in</AlertDialog.Cancel>
              <AlertDialog.Action className="button min-h-11" onClick={() => out.mutate()}>
                Sign out all the same
              </AlertDialog.Action>
            </p>
          </AlertDialog.Content>
        </AlertDialog.Portal>
      </AlertDialog.Root>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="ml-auto min-h-9 min-w-9 shrink-0 cursor-pointer px-2 text-soft hover:text-ink">
          <span className="max-sm:sr-only">{me.display}</span>
          <span aria-hidden="true" className="max-sm:hidden">
            {' '}
            ▾
          </span>
          <span aria-hidden="true" className="sm:hidden">
            {initials(me.display)}
          </span>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="end" sideOffset={4} className="sheet z-50 min-w-40 py-1 shadow-lg">
            <DropdownMenu.Label className="px-4 py-1 text-sm text-soft">signed in as {me.name}</DropdownMenu.Label>
            {crumbs.map(
              (c) =>
                c.to && (
                  <DropdownMenu.Item
                    key={c.to}
                    className="menu-item sm:hidden"
                    onSelect={() => void navigate({ to: c.to })}
                  >
                    {c.text}
                  </DropdownMenu.Item>
                ),
            )}
            <DropdownMenu.Item className="menu-item" onSelect={() => void navigate({ to: '/account' })}>
              Account
            </DropdownMenu.Item>
            {me.operator && (
              <DropdownMenu.Item className="menu-item" onSelect={() => void navigate({ to: '/service' })}>
                Service
              </DropdownMenu.Item>
            )}
            <DropdownMenu.Item className="menu-item" onSelect={() => setListed(true)}>
              By keyboard …
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" onSelect={leave}>
              Sign out
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </>
  )
}
