// The forms of the API that the console reads; the service's OpenAPI document is
// their source.
export type Kind = 'bool' | 'int' | 'real' | 'complex'
export type Cell = number | boolean | string | [number | string, number | string]
export interface ArrayValue { kind: Kind; shape: number[]; axes: (string | null)[] | null; data: Cell[] }

export interface Problem { type: string; title: string; status: number; detail: string; hint?: string; errors?: FolderProblem[]; questions?: Question[]; current?: RevisionLine }
export interface CourseRef { slug: string; title: string; role: Role }
export type Role = 'instructor' | 'assistant' | 'student'
export interface Me { name: string; display: string; operator: boolean; csrf?: string; courses: CourseRef[] }

export type VerdictWord = 'agrees' | 'differs' | 'failed' | 'refused'
export interface Place { line: number; column: number; end_line: number; end_column: number }
export interface Side { kind: Kind; shape: number[]; axes: (string | null)[] }
export interface Difference { position: number[]; expected: Cell; actual: Cell }
export interface Differences {
  count: number
  of: number
  greatest_absolute: { value: number | null; position: number[] }
  greatest_relative: { value: number | null; position: number[] }
  worst: Difference[] | null
  where: { region: string; words: string }
}
export interface Finding {
  code: string
  case: string | null
  output: string | null
  message: string
  hint: string
  expected: Side | null
  actual: Side | null
  shapes?: { shape: (number | null)[]; axes: (string | null)[] }[]
  span: Place | null
  differences: Differences | null
}
export interface Rule { code: string; message: string; span: Place | null; cost: { attempt: Cost; reference: Cost } | null }
export interface Cost { statements: number; cells: number }
export interface Notice { code: string; message: string; hint: string; span: Place }
export interface Verdict {
  verdict: VerdictWord
  points: { earned: number; possible: number }
  findings: Finding[]
  causes: Cause[]
  cases: { name: string; verdict: VerdictWord; code: string | null; statements: number; cells: number; notices: Notice[] }[]
  rules: Rule[]
  kind: 'program' | 'results'
  rules_checked: boolean
}
export interface Cause { code: string; confidence: 'certain' | 'likely'; output: string | null; message: string; evidence: string; change: string; span: Place | null; cases: number; note?: string }
export interface Diagnostic { code: string; message: string; hint: string; span: Place; shapes: { shape: (number | null)[]; axes: (string | null)[] }[] }
export interface Lines {
  lines: { line: number; name: string; known: boolean; kind: Kind | ''; shape: { shape: (number | null)[]; axes: (string | null)[] }; look: string }[]
  notices: Diagnostic[]
  errors: Diagnostic[]
}
export interface Predicted { right: boolean; expected: string }
export interface Question { ask: string; of: string; what: 'shape' | 'kind' | 'value' | 'error' }
// Counts is what earns points beside outputs, and the rules that are kept.
export interface Counts {
  steps: { name: string; points: number }[]
  functions: { name: string; calls: string[]; points: number }[]
  properties: { says: string; points: number }[]
  predictions: (Question & { points: number; said: string | null; came: Predicted | null })[]
  rules: { loops: string; require: string[]; refuse: string[]; inputs_unchanged: boolean; cost_cells: number; cost_statements: number }
}

// A course folder as the authoring pages edit it.
export type Files = Record<string, string>
export interface Folder { files: Files; revision: number }
export interface FolderProblem { file: string; line: number; column: number; message: string; hint: string }
export interface Advice { exercise: string; code: string; place: string; message: string; try: string; yaml?: string }
export interface Survivor { operator: string; cause: string; change: string; line: number; changed: string; try: string; yaml?: string }
export interface DraftExercise {
  name: string
  title: string
  topics: string[]
  slips: number
  caught: number
  equivalent: number
  survivors: Survivor[]
  cases: { name: string; shown: boolean; expects: string; inputs: Record<string, ArrayValue>; outputs: Record<string, ArrayValue> }[]
  present: Record<string, string>
}
export interface Draft { errors: FolderProblem[]; advice: Advice[]; exercises: DraftExercise[]; stopped: boolean }
export interface Published {
  course: string
  title: string
  revision: number
  unchanged: boolean
  preview: boolean
  advice: Advice[]
  survivors: number
  slips: number
  checked: number
  unchecked: boolean
  changes: { attempt: number; exercise: string; display: string; before: VerdictWord; after: VerdictWord }[]
  rechecked: number
}
export interface RevisionLine { number: number; by: string; at: string; current: boolean }
export interface Revisions { revisions: RevisionLine[] }

export interface Mine { attempts: number; best: number | null; agrees: boolean; verdict: VerdictWord | null; newest: number | null }
export interface ExerciseLine {
  name: string
  title: string
  topics: string[]
  state: 'soon' | 'open' | 'closed'
  opens: string | null
  closes: string | null
  points: number
  mine: Mine
}
export interface Course { slug: string; title: string; role: Role; counting: number; revision: number; exercises: ExerciseLine[] }
export interface Attempt {
  id: number
  course: string
  exercise: string
  person: string
  display: string
  state: 'waiting' | 'checking' | 'checked' | 'stuck'
  handed_in: string
  checked_at: string | null
  program: string
  verdict: Verdict | null
  seconds: number | null
}
export interface Exercise extends ExerciseLine {
  course: string
  counting: number
  prompt: string
  starter: string
  inputs: { name: string; axes: (string | null)[] | null; kind: Kind; unit: string; about: string }[]
  outputs: { name: string; axes: (string | null)[] | null; unit: string; points: number; present: string; title: string }[]
  cases: { name: string; inputs: Record<string, ArrayValue> }[]
  held: number
  loops: 'allow' | 'warn' | 'refuse'
  accepts: string[]
  limit: number
  asks: Question[]
  counts: Counts
  last: Attempt | null
}
export interface AttemptLine {
  id: number
  exercise: string
  person: string
  display: string
  state: string
  handed_in: string
  checked_at: string | null
  verdict: VerdictWord | null
  earned: number | null
  possible: number | null
  lead_code: string
  lead_says: string
  lead_output: string
}
export interface Desk {
  course: string
  title: string
  at: string
  students: number
  attempts: number
  waiting: number
  stuck: number
  exercises: { name: string; title: string; agrees: number; differs: number; failed: number; refused: number; waiting: number; stuck: number; none: number; tries: number }[]
  knots: { exercise: string; code: string; says: string; output: string; people: number; attempts: number[]; since: string; newest: string }[]
  recent: AttemptLine[]
}
export interface Arrays {
  case: string
  output: string
  counting: number
  expected: ArrayValue
  actual: ArrayValue | null
  difference: ArrayValue | null
  agrees: ArrayValue | null
}
export interface Words { functions: { name: string; topic: string; signature: string; doc: string; example: string }[]; reserved: string[] }
