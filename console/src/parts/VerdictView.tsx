import type { Finding, Place, Verdict } from '../types'
import { Mark } from './Mark'
import { diffLines } from './diff'
import { cellName, decimalsApart, points, show } from './numbers'
import { ShapeStrips, unfit } from './ShapeStrip'

const leads: Record<string, string> = {
  agrees: 'Everything agrees with the reference.',
  differs: 'There are outputs that differ from the reference.',
  failed: 'The program stopped with an error.',
  refused: 'The values agree, and a rule of the exercise is broken.',
}

const score = (v: Verdict) => `${points(v.points.earned)} of ${points(v.points.possible)} points`

// inOneSentence is a verdict as it is announced.
export function inOneSentence(v: Verdict): string {
  const first = v.causes[0] ?? v.findings[0] ?? v.rules[0]
  return `${v.verdict}: ${score(v)}${first ? `; ${first.message.replaceAll('`', '')}` : ''}`
}

// VerdictView tells a verdict: the word and the points, why, then every finding with
// its shapes laid under each other, then the cases. Its heading can take the focus.
export function VerdictView({
  verdict,
  goTo,
  heading,
  children,
}: {
  verdict: Verdict
  goTo?: (span: Place) => void
  heading?: React.Ref<HTMLHeadingElement>
  children?: React.ReactNode // what stands directly under why: the team's notes
}) {
  return (
    <section aria-label="verdict" className="grid gap-4">
      <div className="flex flex-wrap items-baseline gap-x-4 gap-y-1">
        <h2 ref={heading} tabIndex={-1} className="scroll-mt-4 text-2xl font-semibold" data-verdict={verdict.verdict}>
          <Mark word={verdict.verdict} />
        </h2>
        <span className="text-soft">{score(verdict)}</span>
        <span className="w-full">{leads[verdict.verdict]}</span>
      </div>
      <Causes verdict={verdict} goTo={goTo} />
      {children}
      {gathered(verdict.findings).map(
        ([f, ...others], i) =>
          f && (
            <FindingView
              key={i}
              finding={f}
              others={others}
              failed={verdict.cases.find((c) => c.name === f.case)?.verdict === 'failed'}
              goTo={goTo}
            />
          ),
      )}
      {verdict.rules.map((r, i) => (
        <article key={i} className="sheet border-l-4 border-l-refused p-3">
          <Heading code={r.code} span={r.span} goTo={goTo} />
          <p>{r.message}.</p>
          {r.cost && (
            <p className="text-sm text-soft">
              Cost: {r.cost.attempt.statements} statements and {r.cost.attempt.cells} cells; the reference{' '}
              {r.cost.reference.statements} and {r.cost.reference.cells}.
            </p>
          )}
        </article>
      ))}
      {!verdict.rules_checked && (
        <p className="text-sm text-soft">
          Arrays handed in: judged on {verdict.on === 'own' ? 'the data of the ticket' : 'the shown cases alone'};
          rules: not checked.
        </p>
      )}
      {verdict.cases.length > 0 && (
        <ul className="flex flex-wrap gap-x-5 gap-y-1 text-sm" aria-label="cases">
          {verdict.cases.map((c) => (
            <li key={c.name}>
              <Mark word={c.verdict}>
                {c.name}
                <span className="sr-only"> {c.verdict}</span>
              </Mark>
            </li>
          ))}
        </ul>
      )}
      <Notices verdict={verdict} goTo={goTo} />
    </section>
  )
}

const evidence: Record<string, string> = {
  repair: 'one change of the attempt makes it right',
  slip: 'this change of the reference gives the same result',
  transformation: 'the expected result, turned so, is this one',
  rule: 'seen from the text and the results',
}

// Causes says why: a question to the student, with the place in their own line; to the
// team the change that is the evidence as well.
function Causes({ verdict, goTo }: { verdict: Verdict; goTo?: (span: Place) => void }) {
  if (verdict.causes.length === 0) return null
  return (
    <section aria-label="why" className="sheet grid gap-3 border-l-4 border-l-accent p-3">
      <h3 className="font-semibold">Why</h3>
      {verdict.causes.map((c, i) => (
        <article key={i} data-cause={c.code} className="grid gap-1">
          <Heading code={c.code} span={c.span} goTo={goTo} name={null} />
          <p>
            {c.output && (
              <>
                <code>{c.output}</code>:{' '}
              </>
            )}
            <Ticked text={c.message} /> <span className="text-sm text-soft">{c.confidence}</span>
          </p>
          {c.note && c.note !== c.message && <p className="text-sm">The instructor says: {c.note}</p>}
          {c.change && (
            <p className="text-sm text-soft">
              How we know: {evidence[c.evidence] ?? c.evidence}: <code className="text-ink">{c.change}</code>
              {c.hidden_only && '; seen on hidden data alone'}
            </p>
          )}
          <Evidence cause={c} />
        </article>
      ))}
    </section>
  )
}

// Evidence is what a cause rests on, for the team: the changed statement, the cases, and what
// else fits.
function Evidence({ cause: c }: { cause: Verdict['causes'][number] }) {
  const rivals = c.rivals ?? []
  if (!c.diff && rivals.length === 0) return null
  return (
    <details className="text-sm">
      <summary className="min-h-6 cursor-pointer text-soft">The evidence</summary>
      <div className="mt-1 grid gap-2">
        {c.diff && (
          <pre className="overflow-x-auto" tabIndex={0}>
            {diffLines(c.diff.before.trimEnd(), c.diff.after.trimEnd()).map((l, i) => (
              <div key={i} className={l.sign === '+' ? 'text-agrees' : l.sign === '-' ? 'text-differs' : ''}>
                {l.sign} {l.text}
              </div>
            ))}
          </pre>
        )}
        {c.in && c.in.length > 0 && <p className="text-soft">Differs in {c.in.join(', ')}.</p>}
        {rivals.map((r, i) => (
          <p key={i}>
            <span className="mono text-xs text-soft">{r.code}</span> fits too, by a {r.evidence},{' '}
            <code>{r.change}</code>: it {r.why}.
          </p>
        ))}
      </div>
    </details>
  )
}

function Notices({ verdict, goTo }: { verdict: Verdict; goTo?: (span: Place) => void }) {
  const seen = new Set<string>()
  const notices = verdict.cases
    .flatMap((c) => c.notices ?? [])
    .filter((n) => {
      const key = n.code + n.span.line + ':' + n.span.column
      return !seen.has(key) && seen.add(key)
    })
  if (notices.length === 0) return null
  return (
    <details className="text-sm">
      <summary className="min-h-6 cursor-pointer text-soft">
        {notices.length === 1 ? '1 notice' : `${notices.length} notices`} left on the way
      </summary>
      <ul className="mt-2 grid gap-2">
        {notices.map((n, i) => (
          <li key={i}>
            <Heading code={n.code} span={n.span} goTo={goTo} />
            <p>
              {n.message}. <span className="text-soft">{n.hint}</span>
            </p>
          </li>
        ))}
      </ul>
    </details>
  )
}

// Heading says where something was seen; its code comes last and small.
function Heading({
  code,
  span,
  goTo,
  name,
}: {
  code: string
  span: Place | null
  goTo?: (span: Place) => void
  name?: string | null
}) {
  return (
    <p className="flex flex-wrap items-baseline gap-x-3 text-sm">
      {name && <span className="text-soft">case {name}</span>}
      {span &&
        span.line > 0 &&
        (goTo ? (
          <button className="within" onClick={() => goTo(span)}>
            line {span.line}
          </button>
        ) : (
          <span className="text-soft">line {span.line}</span>
        ))}
      <span className="mono ml-auto text-xs text-soft">{code}</span>
    </p>
  )
}

// gathered lays findings of one output with one code together: one thing to read,
// however many cases show it.
function gathered(findings: Finding[]): Finding[][] {
  const groups = new Map<string, Finding[]>()
  for (const f of findings) {
    const key = f.output === null ? `${f.code} ${f.span?.line}:${f.span?.column}` : `${f.output} ${f.code}`
    groups.set(key, [...(groups.get(key) ?? []), f])
  }
  return [...groups.values()]
}

function FindingView({
  finding: f,
  others,
  failed,
  goTo,
}: {
  finding: Finding
  others: Finding[]
  failed: boolean
  goTo?: (span: Place) => void
}) {
  return (
    <article
      data-finding={f.code}
      className={`sheet grid gap-2 border-l-4 p-3 ${failed ? 'border-l-failed' : 'border-l-differs'}`}
    >
      <Heading code={f.code} span={f.span} goTo={goTo} name={f.case} />
      <p className="font-semibold">
        <Ticked text={f.message} />
      </p>
      <Shapes finding={f} />
      {f.differences?.worst && <Worst finding={f} />}
      {f.made_from && f.output && <MadeFromWords of={f.made_from} output={f.output} />}
      {f.hint && (
        <p>
          <span className="text-soft">Try: </span>
          <Ticked text={f.hint} />
        </p>
      )}
      {others.length > 0 && (
        <details className="text-sm">
          <summary className="min-h-6 cursor-pointer text-soft">
            the same in {others.map((o) => o.case).join(', ')}
          </summary>
          <div className="mt-2 grid gap-3">
            {others.map((o, i) => (
              <div key={i} className="grid gap-2 border-t border-rule pt-2">
                <p>
                  <span className="text-soft">case {o.case}: </span>
                  <Ticked text={o.message} />
                </p>
                <Shapes finding={o} />
                {o.differences?.worst && <Worst finding={o} />}
              </div>
            ))}
          </div>
        </details>
      )}
    </article>
  )
}

function Shapes({ finding: f }: { finding: Finding }) {
  if (f.code === 'shape.differs' && f.expected && f.actual) {
    const [e, a] = unfit(f.expected.shape, f.actual.shape, false)
    const named = (side: typeof f.expected, wrong: boolean[], other: typeof f.expected) =>
      wrong.map((w, i) => {
        const j = (other?.shape.length ?? 0) - (side?.shape.length ?? 0) + i
        const mine = side?.axes[i]
        const theirs = other?.axes[j]
        return w || (mine != null && theirs != null && mine !== theirs)
      })
    return (
      <ShapeStrips
        rows={[
          { name: 'expected', ...f.expected, mark: named(f.expected, e, f.actual) },
          { name: 'got', ...f.actual, mark: named(f.actual, a, f.expected) },
        ]}
      />
    )
  }
  const shapes = f.shapes ?? []
  if (shapes.length === 0) return null
  const [x, y] = shapes
  if (f.code === 'shape.broadcast' && x && y) {
    const [a, b] = unfit(x.shape, y.shape, true)
    return (
      <ShapeStrips
        rows={[
          { name: 'left', ...x, mark: a },
          { name: 'right', ...y, mark: b },
        ]}
      />
    )
  }
  return <ShapeStrips rows={shapes.map((s) => ({ shape: s.shape, axes: s.axes }))} />
}

// MadeFromWords says from which cells of the inputs a cell was made, and should be.
export function MadeFromWords({ of: m, output }: { of: NonNullable<Finding['made_from']>; output: string }) {
  return (
    <p className="text-sm">
      <code>{cellName(output, m.cell)}</code>{' '}
      {m.same ? (
        <>is made from the right cells: {m.yours}.</>
      ) : (
        <>
          is made from {m.yours}
          {m.expected && (
            <>
              ; <span className="text-soft">expected:</span> {m.expected}
            </>
          )}
          .
        </>
      )}
    </p>
  )
}

function Worst({ finding: f }: { finding: Finding }) {
  const worst = f.differences?.worst ?? []
  const decimals = decimalsApart(
    worst.flatMap((w) => [w.expected, w.actual]),
    worst.map((w) => [w.expected, w.actual]),
  )
  return (
    <div
      className="max-w-full overflow-x-auto"
      tabIndex={0}
      role="region"
      aria-label={`the worst of ${f.output ?? 'it'}`}
    >
      <table className="rows mono text-sm">
        <thead>
          <tr>
            <th scope="col">
              {f.expected?.axes.some(Boolean) ? f.expected.axes.map((a) => a ?? '·').join(', ') : 'position'}
            </th>
            <th scope="col" className="text-right!">
              expected
            </th>
            <th scope="col" className="text-right!">
              got
            </th>
          </tr>
        </thead>
        <tbody>
          {worst.slice(0, 5).map((w, i) => (
            <tr key={i}>
              <td>{w.position.join(', ') || 'scalar'}</td>
              <td className="text-right">{show(w.expected, 'real', decimals)}</td>
              <td className="text-right text-differs">{show(w.actual, 'real', decimals)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {f.differences && f.differences.count > 5 && (
        <p className="pt-1 text-sm text-soft">the worst five of {f.differences.count} that differ</p>
      )}
    </div>
  )
}

// Ticked sets what is between backticks in mono.
export function Ticked({ text }: { text: string }) {
  return <>{text.split('`').map((part, i) => (i % 2 === 1 ? <code key={i}>{part}</code> : part))}</>
}
