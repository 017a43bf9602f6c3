import { completeAnyWord, type CompletionContext } from '@codemirror/autocomplete'
import { bracketMatching, HighlightStyle, indentUnit, syntaxHighlighting } from '@codemirror/language'
import { type Diagnostic, lintGutter, setDiagnostics } from '@codemirror/lint'
import { EditorState, type Text } from '@codemirror/state'
import { EditorView, keymap } from '@codemirror/view'
import { tags } from '@lezer/highlight'
import { useEffect, useImperativeHandle, useRef, type Ref } from 'react'
import type { Place, Words } from '../types'
import { notation } from './notation'
import { useEditor } from './setup'

export interface Remark {
  span: Place
  message: string
  severe: boolean
}
export interface EditorHandle {
  goTo: (span: Place) => void
  focus: () => void
}

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
  const latest = useRef({ handIn, words })
  useEffect(() => {
    latest.current = { handIn, words }
  })
  const complete = (context: CompletionContext) => {
    const before = context.matchBefore(/[\p{L}_][\p{L}\p{Nd}_]*/u)
    if (!before && !context.explicit) return null
    const known = latest.current.words
    return {
      from: before?.from ?? context.pos,
      options: [
        ...(known?.functions.map((f) => ({
          label: f.name,
          type: 'function',
          detail: f.topic,
          info: `${f.signature}\n${f.doc}`,
        })) ?? []),
        ...(known?.reserved.map((w) => ({ label: w, type: 'keyword' })) ?? []),
      ],
    }
  }
  const submit = () => {
    latest.current.handIn?.()
    return true
  }
  const { host, view } = useEditor('program', text, change, () => ({
    label,
    complete: [complete, completeAnyWord],
    extensions: [
      keymap.of([{ key: 'Mod-Enter', preventDefault: true, run: submit }]),
      bracketMatching(),
      indentUnit.of('  '),
      notation,
      syntaxHighlighting(colours),
      lintGutter(),
      EditorView.lineWrapping,
      EditorState.readOnly.of(readOnly ?? false),
    ],
  }))

  useEffect(() => {
    const v = view.current
    if (v) v.dispatch(setDiagnostics(v.state, diagnosticsOf(v.state.doc, remarks)))
  }, [remarks, view])

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
