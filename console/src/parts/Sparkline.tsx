// Sparkline draws counts as bars on one scale, the oldest first; what it says is read as words.
export function Sparkline({ counts, says, most }: { counts: number[]; says: string; most?: number }) {
  const top = Math.max(1, most ?? 0, ...counts)
  const step = 4
  return (
    <svg
      role="img"
      aria-label={says}
      viewBox={`0 0 ${counts.length * step} 20`}
      width={counts.length * step}
      height={20}
      className="spark shrink-0"
    >
      <title>{says}</title>
      <line x1={0} x2={counts.length * step} y1={19.5} y2={19.5} />
      {counts.map((n, i) => {
        const height = n === 0 ? 0 : Math.max(2, (18 * n) / top)
        return n > 0 && <rect key={i} x={i * step} y={19 - height} width={step - 1} height={height} />
      })}
    </svg>
  )
}
