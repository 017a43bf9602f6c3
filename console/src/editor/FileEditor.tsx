import { autocompletion, closeBrackets, type CompletionContext } from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands'
import { EditorState } from '@codemirror/state'
import { drawSelection, EditorView, highlightActiveLine, keymap, lineNumbers } from '@codemirror/view'
import { useEffect, useRef } from 'react'
import type { Words } from '../types'
import { look } from './Editor'
import { notation } from './notation'

// A key of the course format, from its JSON Schema, or a function of the notation.
export interface Offer { label: string; detail?: string; info?: string }

interface Schema { properties?: Record<string, { description?: string; enum?: unknown[]; $ref?: string }>; $defs?: Record<string, Schema>; enum?: unknown[] }

// offersOf lists the keys and words that a schema knows.
export function offersOf(schema: Schema | undefined): Offer[] {
  if (!schema) return []
  const out = new Map<string, Offer>()
  const walk = (s: Schema, where: string) => {
    for (const [key, value] of Object.entries(s.properties ?? {})) {
      if (!out.has(key)) out.set(key, { label: key, detail: where, info: value.description })
      for (const word of value.enum ?? []) if (typeof word === 'string') out.set(word, { label: word, detail: `a word for ${key}` })
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
export function FileEditor({ name, text, change, offers }: { name: string; text: string; change: (text: string) => void; offers: Offer[] }) {
  const at = useRef<HTMLDivElement>(null)
  const shown = useRef<EditorView | null>(null)
  const latest = useRef({ change, offers })
  useEffect(() => { latest.current = { change, offers } })
  useEffect(() => {
    const complete = (context: CompletionContext) => {
      const word = context.matchBefore(/[\w-]+/)
      if (!word && !context.explicit) return null
      return { from: word?.from ?? context.pos, options: latest.current.offers.map((o) => ({ ...o, type: 'property' })), validFor: /^[\w-]*$/ }
    }
    const view = new EditorView({
      parent: at.current!,
      state: EditorState.create({
        doc: text,
        extensions: [lineNumbers(), history(), drawSelection(), highlightActiveLine(), closeBrackets(), autocompletion({ override: [complete] }), keymap.of([...defaultKeymap, ...historyKeymap]), look,
          ...(name.endsWith('.nra') ? [notation] : [EditorView.lineWrapping]),
          EditorView.contentAttributes.of({ 'aria-label': name }),
          EditorView.updateListener.of((u) => { if (u.docChanged) latest.current.change(u.state.doc.toString()) })],
      }),
    })
    shown.current = view
    return () => { view.destroy(); shown.current = null }
    // Another file makes another editor.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [name])
  // A text that was changed elsewhere, by *undo all* or by what a colleague published.
  useEffect(() => {
    const view = shown.current
    if (view && view.state.doc.toString() !== text) view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text } })
  }, [text])
  return <div ref={at} />
}
