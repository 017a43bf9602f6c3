import type { CompletionContext } from '@codemirror/autocomplete'
import { EditorView } from '@codemirror/view'
import { useEffect, useRef } from 'react'
import type { Words } from '../types'
import { notation } from './notation'
import { useEditor } from './setup'

// A key of the course format, from its JSON Schema, or a function of the notation.
export interface Offer {
  label: string
  detail?: string
  info?: string
}

interface Schema {
  properties?: Record<string, { description?: string; enum?: unknown[]; $ref?: string }>
  $defs?: Record<string, Schema>
  enum?: unknown[]
}

// offersOf lists the keys and words that a schema knows.
export function offersOf(schema: Schema | undefined): Offer[] {
  if (!schema) return []
  const out = new Map<string, Offer>()
  const walk = (s: Schema, where: string) => {
    for (const [key, value] of Object.entries(s.properties ?? {})) {
      if (!out.has(key)) out.set(key, { label: key, detail: where, info: value.description })
      for (const word of value.enum ?? [])
        if (typeof word === 'string') out.set(word, { label: word, detail: `a word for ${key}` })
    }
    for (const [name, d] of Object.entries(s.$defs ?? {})) walk(d, name)
  }
  walk(schema, 'exercise')
  return [...out.values()]
}

export function wordOffers(words: Words | undefined): Offer[] {
  return (words?.functions ?? []).map((f) => ({ label: f.name, detail: f.topic, info: `${f.signature}\n${f.doc}` }))
}

// FileEditor edits one file of a course folder, with completion.
export function FileEditor({
  name,
  text,
  change,
  offers,
}: {
  name: string
  text: string
  change: (text: string) => void
  offers: Offer[]
}) {
  const latest = useRef(offers)
  useEffect(() => {
    latest.current = offers
  })
  const complete = (context: CompletionContext) => {
    const word = context.matchBefore(/[\w-]+/)
    if (!word && !context.explicit) return null
    return {
      from: word?.from ?? context.pos,
      options: latest.current.map((o) => ({ ...o, type: 'property' })),
      validFor: /^[\w-]*$/,
    }
  }
  // Another file makes another editor.
  const { host } = useEditor(name, text, change, () => ({
    label: name,
    complete: [complete],
    extensions: name.endsWith('.nra') ? [notation] : [EditorView.lineWrapping],
  }))
  return <div ref={host} />
}
