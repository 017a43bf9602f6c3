import { autocompletion, closeBrackets, type CompletionSource } from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands'
import { EditorState, type Extension } from '@codemirror/state'
import { drawSelection, EditorView, highlightActiveLine, keymap, lineNumbers } from '@codemirror/view'
import { useEffect, useRef, type RefObject } from 'react'

const look = EditorView.theme({
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
  '.cm-tooltip': {
    backgroundColor: 'var(--sheet)',
    color: 'var(--ink)',
    border: '1px solid var(--rule)',
    maxWidth: '32rem',
  },
  '.cm-tooltip-autocomplete ul li[aria-selected]': { backgroundColor: 'var(--accent)', color: 'var(--on-accent)' },
})

// Setup is what an editor starts with; it is read once for each editor that is made.
interface Setup {
  label: string
  complete: CompletionSource[]
  extensions: Extension[] // beside those that every editor has
}

// useEditor makes a text area in an element and keeps it in step with a text that may change
// elsewhere. Another key makes another editor. Tab leaves it.
export function useEditor(
  key: string,
  text: string,
  change: ((text: string) => void) | undefined,
  setup: () => Setup,
): { host: RefObject<HTMLDivElement | null>; view: RefObject<EditorView | null> } {
  const host = useRef<HTMLDivElement>(null)
  const view = useRef<EditorView | null>(null)
  const latest = useRef({ change, setup, text })
  useEffect(() => {
    latest.current = { change, setup, text }
  })
  useEffect(() => {
    if (!host.current) return
    const { label, complete, extensions } = latest.current.setup()
    const made = new EditorView({
      parent: host.current,
      state: EditorState.create({
        doc: latest.current.text,
        extensions: [
          ...extensions,
          lineNumbers(),
          history(),
          drawSelection(),
          highlightActiveLine(),
          closeBrackets(),
          autocompletion({ override: complete }),
          keymap.of([...defaultKeymap, ...historyKeymap]),
          EditorView.contentAttributes.of({ 'aria-label': label, autocapitalize: 'off', spellcheck: 'false' }),
          EditorView.updateListener.of((u) => {
            if (u.docChanged) latest.current.change?.(u.state.doc.toString())
          }),
          look,
        ],
      }),
    })
    view.current = made
    return () => {
      made.destroy()
      view.current = null
    }
  }, [key])
  useEffect(() => {
    const v = view.current
    if (v && v.state.doc.toString() !== text) v.dispatch({ changes: { from: 0, to: v.state.doc.length, insert: text } })
  }, [text, key])
  return { host, view }
}
