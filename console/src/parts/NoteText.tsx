import { isValidElement } from 'react'
import Markdown from 'react-markdown'
import remarkGfm from 'remark-gfm'
import { Code } from './Code'

// NoteText renders a note: CommonMark, with notation in code fences coloured. Raw HTML in it stays text; a heading is a
// line in bold, since a note stands below headings of the page.
export function NoteText({ text }: { text: string }) {
  const strong = ({ children }: { children?: React.ReactNode }) => (
    <p>
      <strong>{children}</strong>
    </p>
  )
  return (
    <div className="prose max-w-[68ch] min-w-0 break-words">
      <Markdown
        remarkPlugins={[remarkGfm]}
        components={{
          h1: strong,
          h2: strong,
          h3: strong,
          h4: strong,
          h5: strong,
          h6: strong,
          table: ({ children }) => (
            <div className="overflow-x-auto" tabIndex={0} role="region" aria-label="a table">
              <table>{children}</table>
            </div>
          ),
          pre: ({ children }) => (
            <Code
              text={isValidElement<{ children?: unknown }>(children) ? String(children.props.children ?? '') : ''}
              label="an example"
            />
          ),
        }}
      >
        {text}
      </Markdown>
    </div>
  )
}
