// Choice is one of several words, under its label.
export function Choice({
  label,
  value,
  change,
  of,
  compact,
}: {
  label: string
  value: string
  change: (value: string) => void
  of: readonly (readonly [value: string, text: string])[]
  compact?: boolean // as low as a row of the team's pages, where there is room for a pointer
}) {
  return (
    <label className="grid min-w-0 gap-1">
      <span className="label">{label}</span>
      <select
        className={`field w-full min-w-0 ${compact ? 'min-h-11 text-sm sm:min-h-8 sm:px-1' : 'min-h-11'}`}
        value={value}
        onChange={(e) => change(e.target.value)}
      >
        {of.map(([v, text]) => (
          <option key={v} value={v}>
            {text}
          </option>
        ))}
      </select>
    </label>
  )
}
