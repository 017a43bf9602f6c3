import type { Other } from '../offline/drafts'
import { When } from './When'

// OtherText offers a text of the same exercise that was written elsewhere; nothing is lost by taking it.
export function OtherText({ other, take, dismiss }: { other: Other; take: () => void; dismiss: () => void }) {
  return (
    <section aria-label="another text of yours" data-other className="grid gap-2 border-l-4 border-l-accent py-1 pl-3">
      <p>
        There is another text of yours, written {other.where}
        {other.at > 0 && (
          <>
            {' '}
            <When at={new Date(other.at).toISOString()} />
          </>
        )}
        .
      </p>
      <details>
        <summary className="min-h-8 cursor-pointer">Look at it</summary>
        <pre className="sheet max-h-48 overflow-auto p-2" tabIndex={0} aria-label="the other text">
          {other.program}
        </pre>
      </details>
      <p className="flex flex-wrap gap-3">
        <button className="button min-h-11" onClick={take}>
          Go on with it
        </button>
        <button className="button min-h-11" onClick={dismiss}>
          Keep this one
        </button>
      </p>
    </section>
  )
}
