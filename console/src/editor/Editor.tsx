import { autocompletion, closeBrackets, completeAnyWord, type CompletionContext } from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands'
import { bracketMatching, HighlightStyle, indentUnit, syntaxHighlighting } from '@codemirror/language'
import { type Diagnostic, lintGutter, setDiagnostics } from '@codemirror/lint'
import { Compartment, EditorState, type Text } from '@codemirror/state'
import { drawSelection, EditorView, highlightActiveLine, keymap, lineNumbers } from '@codemirror/view'
import { tags } from '@lezer/highlight'
import { useEffect, useImperativeHandle, useRef, type Ref } from 'react'
import type { Place, Words } from '../types'
import { notation } from './notation'

export interface Remark { span: Place; message: string; severe: boolean }
export interface EditorHandle { goTo: (span: Place) => void; focus: () => void }

interface Props {
  text: string
  change?: (text: string) => void
  handIn?: () => void
  remarks: Remark[]
  words?: Words
  label: string
  readOnly?: boolean
  ref?: Ref<EditorHandle>
}

const colours = HighlightStyle.define([
  { tag: tags.comment, color: 'var(--soft)', fontStyle: 'italic' },
  { tag: tags.keyword, fontWeight: '700' },
  { tag: tags.number, color: 'var(--code-number)' },
  { tag: tags.atom, color: 'var(--code-number)' },
  { tag: tags.function(tags.variableName), color: 'var(--accent)' },
  { tag: tags.labelName, color: 'var(--code-label)' },
])

export const look = EditorView.theme({
  '&': { backgroundColor: 'var(--sheet)', color: 'var(--ink)', fontSize: '0.95rem', border: '1px solid var(--edge)' },
  '&.cm-focused': { outline: '2px solid var(--accent)', outlineOffset: '-1px' },
  '.cm-scroller': { fontFamily: 'var(--font-mono)', lineHeight: '1.6' },
  '.cm-content': { minHeight: '9rem', caretColor: 'var(--ink)' },
  '.cm-gutters': { backgroundColor: 'var(--sheet)', color: 'var(--soft)', borderRight: '1px solid var(--rule)' },
  '.cm-activeLine': { backgroundColor: 'color-mix(in oklab, var(--rule) 25%, transparent)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)', borderLeftWidth: '2px' },
  '.cm-lint-marker': { content: 'none', width: 'auto', height: 'auto', fontSize: '0.8rem' },
  '.cm-lint-marker-error::before': { content: '"▲"', color: 'var(--failed)' },
  '.cm-lint-marker-warning::before': { content: '"◐"', color: 'var(--differs)' },
  '.cm-lintRange-error': { backgroundImage: 'none', borderBottom: '2px dotted var(--failed)' },
  '.cm-lintRange-warning': { backgroundImage: 'none', borderBottom: '2px dotted var(--differs)' },
  '.cm-tooltip': { backgroundColor: 'var(--sheet)', color: 'var(--ink)', border: '1px solid var(--rule)', maxWidth: '32rem' },
  '.cm-tooltip-autocomplete ul li[aria-selected]': { backgroundColor: 'var(--accent)', color: 'var(--on-accent)' },
})

const fontFunction = HighlightStyle.define([{ tag: tags.function(tags.name), color: 'var(--accent)' }])

// placeIn turns a line and a column, counted in characters, into a place in the text.
function placeIn(doc: Text, line: number, column: number): number {
  const at = doc.line(Math.min(Math.max(line, 1), doc.lines))
  let units = 0
  for (const c of Array.from(at.text).slice(0, column - 1)) units += c.length
  return at.from + units
}

function diagnosticsOf(doc: Text, remarks: Remark[]): Diagnostic[] {
  return remarks.map((r) => {
    const from = placeIn(doc, r.span.line, r.span.column)
    const to = Math.max(placeIn(doc, r.span.end_line, r.span.end_column), from)
    return { from, to, severity: r.severe ? 'error' : 'warning', message: r.message }
  })
}

// Editor is a text area for the notation: highlighting, completion, remarks at
// their places. Ctrl-Enter hands in; Tab leaves it.
export function Editor({ text, change, handIn, remarks, words, label, readOnly, ref }: Props) {
  const host = useRef<HTMLDivElement>(null)
  const view = useRef<EditorView | null>(null)
  const latest = useRef({ change, handIn, words })
  const setup = useRef({ text, label, readOnly })
  useEffect(() => {
    latest.current = { change, handIn, words }
  })

  useEffect(() => {
    if (!host.current) return
    const complete = (context: CompletionContext) => {
      const before = context.matchBefore(/[\p{L}_][\p{L}\p{Nd}_]*/u)
      if (!before && !context.explicit) return null
      const known = latest.current.words
      return {
        from: before?.from ?? context.pos,
        options: [
          ...(known?.functions.map((f) => ({ label: f.name, type: 'function', detail: f.topic, info: `${f.signature}\n${f.doc}` })) ?? []),
          ...(known?.reserved.map((w) => ({ label: w, type: 'keyword' })) ?? []),
        ],
      }
    }
    const editable = new Compartment()
    const made = new EditorView({
      parent: host.current,
      state: EditorState.create({
        doc: setup.current.text,
        extensions: [
          keymap.of([{ key: 'Mod-Enter', preventDefault: true, run: () => { latest.current.handIn?.(); return true } }]),
          lineNumbers(), history(), drawSelection(), highlightActiveLine(), bracketMatching(), closeBrackets(), indentUnit.of('  '),
          notation, syntaxHighlighting(colours), syntaxHighlighting(fontFunction), lintGutter(), EditorView.lineWrapping,
          autocompletion({ override: [complete, completeAnyWord] }),
          keymap.of([...defaultKeymap, ...historyKeymap]),
          EditorView.contentAttributes.of({ 'aria-label': setup.current.label, autocapitalize: 'off', spellcheck: 'false' }),
          EditorView.updateListener.of((u) => { if (u.docChanged) latest.current.change?.(u.state.doc.toString()) }),
          editable.of([EditorState.readOnly.of(setup.current.readOnly ?? false)]),
          look,
        ],
      }),
    })
    view.current = made
    return () => { made.destroy(); view.current = null }
  }, [])

  useEffect(() => {
    const v = view.current
    if (v && v.state.doc.toString() !== text) v.dispatch({ changes: { from: 0, to: v.state.doc.length, insert: text } })
  }, [text])

  useEffect(() => {
    const v = view.current
    if (v) v.dispatch(setDiagnostics(v.state, diagnosticsOf(v.state.doc, remarks)))
  }, [remarks])

  useImperativeHandle(ref, () => ({
    goTo: (span) => {
      const v = view.current
      if (!v) return
      const at = placeIn(v.state.doc, span.line, span.column)
      v.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: 'center' }) })
      v.focus()
    },
    focus: () => view.current?.focus(),
  }))

  return <div ref={host} className="min-w-0" data-editor />
}
