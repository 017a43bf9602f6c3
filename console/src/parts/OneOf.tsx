import { ToggleGroup } from 'radix-ui'

// OneOf is one of a few, all of them in sight.
export function OneOf({
  label,
  value,
  change,
  options,
}: {
  label: string
  value: string
  change: (v: string) => void
  options: { value: string; text: React.ReactNode }[]
}) {
  return (
    <div className="flex flex-wrap items-center gap-2">
      <span className="label">{label}</span>
      <ToggleGroup.Root
        type="single"
        value={value}
        onValueChange={(v) => v && change(v)}
        aria-label={label}
        className="flex flex-wrap"
      >
        {options.map((o) => (
          <ToggleGroup.Item key={o.value} value={o.value} className="choice">
            {o.text}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
    </div>
  )
}
