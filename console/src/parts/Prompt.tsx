import 'katex/dist/katex.min.css'
import Markdown from 'react-markdown'
import rehypeKatex from 'rehype-katex'
import remarkGfm from 'remark-gfm'
import remarkMath from 'remark-math'

// Prompt renders an exercise's prompt: CommonMark with tables, code and formulas.
// Raw HTML in it stays text.
export function Prompt({ text }: { text: string }) {
  return <div className="prose max-w-[68ch]"><Markdown remarkPlugins={[remarkGfm, remarkMath]} rehypePlugins={[rehypeKatex]}>{text}</Markdown></div>
}
