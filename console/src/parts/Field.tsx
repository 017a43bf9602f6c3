import type { InputHTMLAttributes } from 'react'

// Field is a line of a form under its label.
export function Field({
  label,
  value,
  change,
  className = '',
  ...rest
}: {
  label: string
  value: string
  change: (value: string) => void
} & Omit<InputHTMLAttributes<HTMLInputElement>, 'value' | 'onChange'>) {
  return (
    <label className="grid min-w-0 gap-1">
      <span className="label">{label}</span>
      <input
        className={`field min-h-11 max-w-full ${className}`}
        value={value}
        onChange={(e) => change(e.target.value)}
        required
        {...rest}
      />
    </label>
  )
}
