import { ensureSyntaxTree } from '@codemirror/language'
import { EditorState } from '@codemirror/state'
import { EditorView } from '@codemirror/view'
import { act, render, screen } from '@testing-library/react'
import { createRef } from 'react'
import { describe, expect, it, vi } from 'vitest'
import { agreeing, finding, place, verdict } from '../testing/kelp'
import { textOf } from '../testing/service'
import { Editor, type EditorHandle, type Remark } from './Editor'
import { FileEditor, offersOf, wordOffers } from './FileEditor'
import { notation } from './notation'
import { remarksOf } from './remarks'

// coloured is a text as the notation's highlighter cuts it: word and name of its kind.
function coloured(text: string): [string, string][] {
  const state = EditorState.create({ doc: text, extensions: notation })
  const out: [string, string][] = []
  ensureSyntaxTree(state, text.length)!.iterate({
    enter: (n) => {
      if (!n.type.isTop) out.push([text.slice(n.from, n.to), n.name])
    },
  })
  return out
}

const kinds = (text: string) => coloured(text).map(([, kind]) => kind)

describe('the notation is coloured', () => {
  it.each<[string, [string, string][]]>([
    ['reserved words', [['each', 'keyword']]],
    ['names of constants', [['pi', 'atom']]],
    ['calls', [['mean', 'variableName.function']]],
    ['comments to the end of the line', [['# mean(x)', 'comment']]],
    ['numbers with separators, exponents and i', [['1_000.5e-3i', 'number']]],
    ['names in any script', [['größe_2', 'variableName']]],
  ])('%s', (_, [want]) => {
    const [text, kind] = want!
    const source = kind.endsWith('function') ? `${text}(x)` : text
    expect(coloured(source)[0]).toEqual([text, kind])
  })
  it('labels before their colon', () =>
    expect(coloured('x[week: 1, rope : 2]').filter(([, k]) => k === 'labelName')).toEqual([
      ['week', 'labelName'],
      ['rope', 'labelName'],
    ]))
  it('arrows and comparisons as one', () => expect(coloured('a <= b').map(([t]) => t)).toContain('<='))
  it('every line of a program', () =>
    expect(kinds('x = 2\ny = x + 1 # more\n').filter((k) => k === 'number')).toHaveLength(2))
})

describe('remarks', () => {
  it('of no verdict are none', () => expect(remarksOf(null)).toEqual([]))
  it('stand at the places of findings and rules', () =>
    expect(
      remarksOf({
        ...verdict,
        findings: [finding, { ...finding, span: null }, { ...finding, output: null, message: 'it stopped' }],
        rules: [{ code: 'rule.loops', message: 'a loop', span: place, cost: null }],
      }),
    ).toEqual([
      { span: place, message: finding.message, severe: false },
      { span: place, message: 'it stopped', severe: true },
      { span: place, message: 'a loop', severe: false },
    ]))
  it('of a verdict that agrees are none', () => expect(remarksOf(agreeing)).toEqual([]))
})

const viewOf = () => EditorView.findFromDOM(screen.getByRole('textbox'))!
const typing = (text: string) =>
  act(() => {
    const v = viewOf()
    v.dispatch({ changes: { from: v.state.doc.length, insert: text } })
  })
const press = (key: string, ctrl = false) =>
  act(() => {
    screen
      .getByRole('textbox')
      .dispatchEvent(new KeyboardEvent('keydown', { key, ctrlKey: ctrl, bubbles: true, cancelable: true }))
  })

describe('the editor', () => {
  const text = 'a = 1\nb = "𝕏" + a\n'
  const remark: Remark = { span: { line: 2, column: 7, end_line: 2, end_column: 8 }, message: 'look', severe: true }
  it('says what it is', () => {
    render(<Editor text={text} remarks={[]} label="your program" />)
    expect(screen.getByRole('textbox', { name: 'your program' })).toBeTruthy()
  })
  it('gives on what is typed, and takes what changes elsewhere', () => {
    const change = vi.fn()
    const { rerender } = render(<Editor text={text} change={change} remarks={[]} label="p" />)
    typing('c = 2')
    expect(change).toHaveBeenLastCalledWith(text + 'c = 2')
    rerender(<Editor text="new = 1" change={change} remarks={[]} label="p" />)
    expect(viewOf().state.doc.toString()).toBe('new = 1')
  })
  it('asks for nothing anew when the same text comes back', () => {
    const change = vi.fn()
    const { rerender } = render(<Editor text={text} change={change} remarks={[]} label="p" />)
    rerender(<Editor text={text} change={change} remarks={[]} label="p" />)
    expect(change).not.toHaveBeenCalled()
  })
  it('hands in by Ctrl-Enter, with the newest of what that does', () => {
    const [first, second] = [vi.fn(), vi.fn()]
    const { rerender } = render(<Editor text={text} handIn={first} remarks={[]} label="p" />)
    rerender(<Editor text={text} handIn={second} remarks={[]} label="p" />)
    press('Enter', true)
    expect(first).not.toHaveBeenCalled()
    expect(second).toHaveBeenCalledOnce()
    expect(viewOf().state.doc.toString()).toBe(text)
  })
  it('leaves Tab to the page', () => {
    render(<Editor text={text} remarks={[]} label="p" />)
    press('Tab')
    expect(viewOf().state.doc.toString()).toBe(text)
  })
  it('goes to a place counted in characters, not in units of UTF-16', () => {
    const ref = createRef<EditorHandle>()
    render(<Editor ref={ref} text={text} remarks={[]} label="p" />)
    act(() => ref.current?.goTo(remark.span))
    const { head } = viewOf().state.selection.main
    expect(viewOf().state.sliceDoc(head, head + 1)).toBe('"')
    expect(document.activeElement).toBe(screen.getByRole('textbox'))
  })
  it('goes to the last line where a place lies beyond the text', () => {
    const ref = createRef<EditorHandle>()
    render(<Editor ref={ref} text="a = 1" remarks={[]} label="p" />)
    act(() => ref.current?.goTo({ line: 9, column: 99, end_line: 9, end_column: 99 }))
    expect(viewOf().state.selection.main.head).toBe(5)
  })
  it('marks remarks at their places', () => {
    const { container, rerender } = render(<Editor text={text} remarks={[remark]} label="p" />)
    expect([...container.querySelectorAll('.cm-lintRange-error')].map(textOf)).toEqual(['"'])
    rerender(<Editor text={text} remarks={[]} label="p" />)
    expect(container.querySelector('.cm-lintRange')).toBeNull()
  })
  it('that is read only takes no text', () => {
    render(<Editor text={text} remarks={[]} label="p" readOnly />)
    expect(viewOf().state.readOnly).toBe(true)
  })
})

describe('the editor of files', () => {
  it('is another one for another file', () => {
    const { rerender } = render(<FileEditor name="a.yaml" text="a: 1" change={() => {}} offers={[]} />)
    const before = viewOf()
    rerender(<FileEditor name="b.nra" text="b = 1" change={() => {}} offers={[]} />)
    expect(viewOf()).not.toBe(before)
    expect(viewOf().state.doc.toString()).toBe('b = 1')
  })
  it('offers the keys of a schema, at every depth, with their words', () => {
    const schema = {
      properties: { title: { description: 'what it is called' }, rules: { $ref: '#/$defs/rules' } },
      $defs: { rules: { properties: { loops: { enum: ['allow', 'refuse', 3] }, title: { description: 'another' } } } },
    }
    expect(offersOf(schema)).toEqual([
      { label: 'title', detail: 'exercise', info: 'what it is called' },
      { label: 'rules', detail: 'exercise', info: undefined },
      { label: 'loops', detail: 'rules', info: undefined },
      { label: 'allow', detail: 'a word for loops' },
      { label: 'refuse', detail: 'a word for loops' },
    ])
  })
  it('offers functions with their signatures', () => {
    const f = { name: 'mean', topic: 'reductions', signature: 'mean(x)', doc: 'The mean.', example: '' }
    expect(wordOffers({ functions: [f], reserved: [] })).toEqual([
      { label: 'mean', detail: 'reductions', info: 'mean(x)\nThe mean.' },
    ])
  })
  it('offers nothing before it knows anything', () =>
    expect([offersOf(undefined), wordOffers(undefined)]).toEqual([[], []]))
})
