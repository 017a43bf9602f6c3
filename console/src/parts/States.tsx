import { Failure } from '../api'

export function Loading({ what }: { what: string }) {
  return <p role="status" className="p-6 text-soft">Reading {what} …</p>
}

export function Empty({ children }: { children: React.ReactNode }) {
  return <p className="border border-dashed border-rule p-6 text-soft">{children}</p>
}

// Failing says what went wrong, and offers another try.
export function Failing({ error, again }: { error: unknown; again?: () => void }) {
  const problem = error instanceof Failure ? error.problem : { title: 'A fault of ours', detail: String(error), hint: undefined }
  return (
    <div role="alert" className="sheet border-l-4 border-l-failed p-4">
      <p className="font-semibold">{problem.title}</p>
      <p>{problem.detail}</p>
      {problem.hint && <p className="text-soft">Try: {problem.hint}</p>}
      {again && <button className="button mt-3" onClick={again}>Try again</button>}
    </div>
  )
}
