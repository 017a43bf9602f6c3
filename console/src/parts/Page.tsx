import { useMutation, useQueryClient } from '@tanstack/react-query'
import { Link, useNavigate } from '@tanstack/react-router'
import { DropdownMenu } from 'radix-ui'
import { useEffect, useState } from 'react'
import { call } from '../api'
import type { Me } from '../types'

export interface Crumb { text: string; to?: string }

// Page is the frame of every page: where one is, who one is, and whether the
// service can be reached.
export function Page({ me, crumbs, wide, children }: { me: Me; crumbs: Crumb[]; wide?: boolean; children: React.ReactNode }) {
  useEffect(() => {
    document.title = [...crumbs.map((c) => c.text).reverse(), 'Nimbus Reach'].join(' · ')
  })
  return (
    <div className="flex min-h-dvh flex-col">
      <a href="#main" className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-sheet focus:p-2">Skip to the content</a>
      <header className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-rule bg-sheet px-4 py-2">
        <Link to="/" className="flex items-center gap-2 font-semibold text-ink no-underline"><img src="/mark.svg" alt="" className="size-6" />Nimbus Reach</Link>
        <nav aria-label="where you are" className="flex min-w-0 flex-wrap items-center gap-x-2">
          {crumbs.map((c, i) => (
            <span key={i} className="flex min-w-0 gap-2 text-soft">
              <span aria-hidden="true">/</span>
              {c.to ? <Link to={c.to} className="truncate">{c.text}</Link> : <span className="truncate text-ink" aria-current="page">{c.text}</span>}
            </span>
          ))}
        </nav>
        <Account me={me} />
      </header>
      <Offline />
      <main id="main" className={`mx-auto w-full flex-1 px-4 py-5 ${wide ? '' : 'max-w-5xl'}`}>{children}</main>
    </div>
  )
}

function Account({ me }: { me: Me }) {
  const client = useQueryClient()
  const navigate = useNavigate()
  const out = useMutation({
    mutationFn: () => call('DELETE', '/session'),
    onSettled: () => { client.clear(); void navigate({ to: '/sign-in', search: { to: undefined } }) },
  })
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="ml-auto min-h-9 cursor-pointer px-2 text-soft hover:text-ink">{me.display} ▾</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" sideOffset={4} className="sheet z-50 min-w-40 py-1 shadow-lg">
          <DropdownMenu.Label className="px-4 py-1 text-sm text-soft">signed in as {me.name}</DropdownMenu.Label>
          <DropdownMenu.Item className="cursor-pointer px-4 py-1.5 outline-none data-[highlighted]:bg-accent data-[highlighted]:text-on-accent" onSelect={() => out.mutate()}>Sign out</DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}

function Offline() {
  const [offline, setOffline] = useState(!navigator.onLine)
  useEffect(() => {
    const change = () => setOffline(!navigator.onLine)
    window.addEventListener('online', change)
    window.addEventListener('offline', change)
    return () => { window.removeEventListener('online', change); window.removeEventListener('offline', change) }
  }, [])
  if (!offline) return null
  return <p role="status" className="border-b border-differs bg-differs/10 px-4 py-2">You are offline. What you write is kept in this browser; hand it in when the connection is back.</p>
}
