import { Failure } from '../api'

export function Loading({ what }: { what: string }) {
  return <p className="p-6 text-soft">Reading {what} …</p>
}

export function Empty({ children }: { children: React.ReactNode }) {
  return <p className="border border-dashed border-edge p-6 text-soft">{children}</p>
}

// Failing says what went wrong, and offers another try.
export function Failing({ error, again }: { error: unknown; again?: () => void }) {
  const problem =
    error instanceof Failure ? error.problem : { title: 'A fault of ours', detail: String(error), hint: undefined }
  return (
    <div role="alert" className="sheet border-l-4 border-l-failed p-4">
      <p className="font-semibold">{problem.title}</p>
      <p>{problem.detail}</p>
      {problem.hint && <p className="text-soft">Try: {problem.hint}</p>}
      {again && (
        <button className="button mt-3" onClick={again}>
          Try again
        </button>
      )}
    </div>
  )
}

// Alone is a page that has no frame yet, or none any more.
export function Alone({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <main className="mx-auto grid max-w-2xl gap-4 p-6">
      <h1 className="text-2xl font-semibold">{title}</h1>
      {children}
    </main>
  )
}

// Broken takes the place of a page that a fault of ours ended; the others go on.
export function Broken({ error, reset }: { error: unknown; reset: () => void }) {
  return (
    <Alone title="This page has a fault">
      <div role="alert" className="sheet grid gap-2 border-l-4 border-l-failed p-4">
        <p>It is ours, not yours. What you wrote is kept in this browser, and the other pages work.</p>
        <p className="mono text-sm break-words text-soft">{error instanceof Error ? error.message : String(error)}</p>
        <p className="flex flex-wrap gap-3">
          <button className="button" onClick={reset}>
            Try again
          </button>
          <a href="/" className="button">
            Your courses
          </a>
        </p>
      </div>
    </Alone>
  )
}
