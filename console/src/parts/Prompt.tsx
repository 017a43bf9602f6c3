import 'katex/dist/katex.min.css'
import Markdown from 'react-markdown'
import rehypeKatex from 'rehype-katex'
import remarkGfm from 'remark-gfm'
import remarkMath from 'remark-math'

interface Node {
  tagName?: string
  children?: Node[]
}

// fitHeadings puts the headings of a prompt under the page's own: levels go down one at
// a time from the second, whatever the author began with.
function fitHeadings() {
  return (tree: Node) => {
    const headings: Node[] = []
    const walk = (n: Node) => {
      if (/^h[1-6]$/.test(n.tagName ?? '')) headings.push(n)
      n.children?.forEach(walk)
    }
    walk(tree)
    const levels = [...new Set(headings.map((h) => h.tagName))].sort()
    let before = 1
    for (const h of headings) {
      before = Math.min(levels.indexOf(h.tagName) + 2, before + 1, 6)
      h.tagName = `h${before}`
    }
  }
}

// Prompt renders an exercise's prompt: CommonMark with tables, code and formulas.
// Raw HTML in it stays text. What is wider than the page scrolls in its own frame.
export function Prompt({ text }: { text: string }) {
  return (
    <div className="prose max-w-[68ch]">
      <Markdown
        remarkPlugins={[remarkGfm, remarkMath]}
        rehypePlugins={[rehypeKatex, () => fitHeadings()]}
        components={{
          table: ({ children }) => (
            <div className="overflow-x-auto" tabIndex={0} role="region" aria-label="a table">
              <table>{children}</table>
            </div>
          ),
          pre: ({ children }) => <pre tabIndex={0}>{children}</pre>,
        }}
      >
        {text}
      </Markdown>
    </div>
  )
}
