import { points } from './numbers'

// Kept says that points of an earlier verdict count, where a re-check has kept the better.
export function Kept({ kept }: { kept: { earned: number; possible: number } }) {
  return (
    <p className="border-l-4 border-l-accent py-1 pl-3">
      This was checked again. For the grade the points of the verdict before count, which are better:{' '}
      {points(kept.earned)} of {points(kept.possible)}.
    </p>
  )
}
