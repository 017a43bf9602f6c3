// Choice is one of several words, under its label.
export function Choice({
  label,
  value,
  change,
  of,
}: {
  label: string
  value: string
  change: (value: string) => void
  of: readonly (readonly [value: string, text: string])[]
}) {
  return (
    <label className="grid min-w-0 gap-1">
      <span className="label">{label}</span>
      <select className="field min-h-11 w-full min-w-0" value={value} onChange={(e) => change(e.target.value)}>
        {of.map(([v, text]) => (
          <option key={v} value={v}>
            {text}
          </option>
        ))}
      </select>
    </label>
  )
}
