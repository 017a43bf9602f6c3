import type { Line } from './useLive'

// Live says whether a page follows what happens.
export function Live({ line }: { line: Line }) {
  return (
    <span className="text-sm" data-line={line}>
      {line === 'live' ? (
        <span className="text-agrees">● live</span>
      ) : line === 'lost' ? (
        <span className="text-differs">◐ connection lost, trying again</span>
      ) : (
        <span className="text-waiting">○ connecting</span>
      )}
    </span>
  )
}
