import { StreamLanguage, type StringStream } from '@codemirror/language'

const words = new Set(
  'each in repeat until if else function return view to before by from first last all except reversed paired new rest over along and or xor not div mod dot true false'.split(
    ' ',
  ),
)
const known = new Set(['pi', 'e', 'inf', 'nan', 'epsilon'])

// notation colours the Nimbus notation: reserved words, calls, labels, numbers.
export const notation = StreamLanguage.define({
  name: 'nimbus',
  languageData: { commentTokens: { line: '#' }, closeBrackets: { brackets: ['(', '[', '{'] } },
  token(stream: StringStream) {
    if (stream.eatSpace()) return null
    if (stream.match(/^#.*/)) return 'comment'
    if (stream.match(/^\d[\d_]*(\.\d+)?([eE][+-]?\d+)?i?/)) return 'number'
    const word = stream.match(/^[\p{L}_][\p{L}\p{Nd}_]*/u)
    if (word && word !== true) {
      const text = word[0]
      if (stream.peek() === '(') return 'variableName.function'
      if (words.has(text)) return 'keyword'
      if (known.has(text)) return 'atom'
      if (stream.match(/^\s*:/, false)) return 'labelName'
      return 'variableName'
    }
    if (stream.match(/^(==|!=|<=|>=|[+\-*/^<>=]=?)/)) return 'operator'
    stream.next()
    return 'punctuation'
  },
  tokenTable: {},
})
