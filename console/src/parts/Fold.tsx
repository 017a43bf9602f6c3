import { type ReactNode, useState } from 'react'

// Fold is a part of a page that is there once one opens it.
export function Fold({ title, className, children }: { title: string; className?: string; children: ReactNode }) {
  const [open, setOpen] = useState(false)
  return (
    <details className={className} onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-8 cursor-pointer font-semibold">{title}</summary>
      {open && children}
    </details>
  )
}
