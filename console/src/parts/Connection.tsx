import { useEffect, useRef } from 'react'
import { fits } from '../engine/version'
import { useConnection } from '../offline/connection'
import { announce } from './announce'
import { When } from './When'

// Connection says that the service does not answer, and what works all the same; or that it is newer than this page.
export function Connection({ served }: { served: string }) {
  const { on, since } = useConnection()
  const was = useRef(true)
  useEffect(() => {
    if (was.current === on) return
    was.current = on
    announce(on ? 'The connection is back.' : 'No connection. You can read, try and write; what you write is kept.')
  }, [on])
  if (on && fits(served)) return null
  if (on)
    return (
      <section
        aria-label="a newer page"
        data-older
        className="flex flex-wrap items-center gap-x-3 border-b border-rule px-4 py-2"
      >
        <p>The service has a newer version of this page; what you write is kept.</p>
        <button className="button" onClick={() => window.location.reload()}>
          Load it
        </button>
      </section>
    )
  return (
    <section aria-label="no connection" data-offline className="border-b border-differs bg-differs/10 px-4 py-2">
      <p>
        <strong>No connection.</strong> You can read
        {since !== null && (
          <>
            {' '}
            what was here <When at={new Date(since).toISOString()} />
          </>
        )}
        , try and write. What you hand in waits on this device and is sent when the connection is back.
      </p>
    </section>
  )
}
