import { completeAnyWord, type CompletionContext } from '@codemirror/autocomplete'
import { bracketMatching, HighlightStyle, indentUnit, syntaxHighlighting } from '@codemirror/language'
import { type Diagnostic, lintGutter, setDiagnostics } from '@codemirror/lint'
import { EditorState, StateEffect, StateField, type Text } from '@codemirror/state'
import { Decoration, type DecorationSet, EditorView, keymap } from '@codemirror/view'
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
  insert: (text: string) => void // where the cursor is
}

// Point is a place in the text: a line, and how many characters of it stand before, both from 1.
export interface Point {
  line: number
  column: number
}

interface Props {
  text: string
  change?: (text: string) => void
  handIn?: () => void
  remarks: Remark[]
  words?: Words
  label: string
  readOnly?: boolean
  at?: (place: Point) => void // where the cursor is, or what is pointed at
  lit?: Place | null // a part of the text that is marked
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

// pointAt is a place in the text as a line and a column.
function pointAt(doc: Text, pos: number): Point {
  const line = doc.lineAt(pos)
  return { line: line.number, column: Array.from(line.text.slice(0, pos - line.from)).length + 1 }
}

const setLit = StateEffect.define<{ from: number; to: number } | null>()
const lighted = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(marks, tr) {
    for (const e of tr.effects)
      if (e.is(setLit))
        return e.value && e.value.to > e.value.from
          ? Decoration.set(Decoration.mark({ class: 'part-lit' }).range(e.value.from, e.value.to))
          : Decoration.none
    return tr.docChanged ? Decoration.none : marks
  },
  provide: (f) => EditorView.decorations.from(f),
})

function diagnosticsOf(doc: Text, remarks: Remark[]): Diagnostic[] {
  return remarks.map((r) => {
    const from = placeIn(doc, r.span.line, r.span.column)
    const to = Math.max(placeIn(doc, r.span.end_line, r.span.end_column), from)
    return { from, to, severity: r.severe ? 'error' : 'warning', message: r.message }
  })
}

// Editor is a text area for the notation: highlighting, completion, remarks at
// their places. Ctrl-Enter hands in; Tab leaves it.
export function Editor({ text, change, handIn, remarks, words, label, readOnly, at, lit, ref }: Props) {
  const latest = useRef({ handIn, words, at })
  useEffect(() => {
    latest.current = { handIn, words, at }
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
      lighted,
      EditorView.updateListener.of((u) => {
        if (u.selectionSet || u.docChanged) latest.current.at?.(pointAt(u.state.doc, u.state.selection.main.head))
      }),
      EditorView.domEventHandlers({
        mousemove: (event, v) => {
          const pos = v.posAtCoords({ x: event.clientX, y: event.clientY }, false)
          latest.current.at?.(pointAt(v.state.doc, pos))
        },
      }),
      EditorState.readOnly.of(readOnly ?? false),
    ],
  }))

  useEffect(() => {
    const v = view.current
    if (v) v.dispatch(setDiagnostics(v.state, diagnosticsOf(v.state.doc, remarks)))
  }, [remarks, view])

  useEffect(() => {
    const v = view.current
    if (!v) return
    const doc = v.state.doc
    const range = lit && {
      from: placeIn(doc, lit.line, lit.column),
      to: placeIn(doc, lit.end_line, lit.end_column),
    }
    v.dispatch({ effects: setLit.of(range ?? null) })
  }, [lit, view])

  useImperativeHandle(ref, () => ({
    goTo: (span) => {
      const v = view.current
      if (!v) return
      const at = placeIn(v.state.doc, span.line, span.column)
      v.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: 'center' }) })
      v.focus()
    },
    focus: () => view.current?.focus(),
    insert: (text) => {
      const v = view.current
      if (!v) return
      v.dispatch(v.state.replaceSelection(text), { userEvent: 'input.type' })
      v.focus()
    },
  }))

  return <div ref={host} className="min-w-0" data-editor />
}
