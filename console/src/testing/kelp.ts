// The kelp farm's course as the service describes it, in small.
import type {
  Arrays,
  Attempt,
  AttemptLine,
  Course,
  Desk,
  Draft,
  Exercise,
  Finding,
  Folder,
  Me,
  Verdict,
} from '../types'

export const student: Me = {
  name: 'tamsin',
  display: 'Tamsin Reed',
  operator: false,
  engine: '',
  csrf: 'token-of-the-session',
  courses: [{ slug: 'kelp', title: 'The kelp farm', role: 'student', archived: false, empty: false }],
}

export const instructor: Me = {
  name: 'ottoline',
  display: 'Ottoline Marsh',
  operator: false,
  engine: '',
  csrf: 'token-of-the-session',
  courses: [{ slug: 'kelp', title: 'The kelp farm', role: 'instructor', archived: false, empty: false }],
}

// onTime are the terms of an exercise that takes nothing late and gives nobody more.
const onTime = { grade: null, until: null, keeps: 1, extended: false, reason: '' }

export const course: Course = {
  slug: 'kelp',
  title: 'The kelp farm',
  role: 'student',
  counting: 1,
  revision: 3,
  archived: false,
  takes: 'best',
  exercises: [
    {
      name: 'rope-means',
      title: 'Means of the ropes',
      topics: ['reductions'],
      points: 4,
      state: 'open',
      opens: null,
      closes: null,
      ...onTime,
      mine: { agrees: false, attempts: 2, best: 1.5, newest: 12, verdict: 'differs' },
    },
    {
      name: 'harvest',
      title: 'The harvest',
      topics: [],
      points: 2,
      state: 'soon',
      opens: '2026-12-01T08:00:00Z',
      closes: null,
      ...onTime,
      mine: { agrees: false, attempts: 0, best: null, newest: null, verdict: null },
    },
  ],
}

export const place = { line: 2, column: 9, end_line: 2, end_column: 13 }

export const finding: Finding = {
  code: 'shape.differs',
  case: 'small',
  output: 'means',
  message: '`means` has the shape [4], and [3] is expected',
  hint: 'reduce along `week`',
  span: place,
  expected: { kind: 'real', shape: [3], axes: ['rope'] },
  actual: { kind: 'real', shape: [4], axes: ['week'] },
  differences: null,
}

export const verdict: Verdict = {
  verdict: 'differs',
  kind: 'program',
  on: 'all',
  points: { earned: 1.5, possible: 4 },
  causes: [],
  findings: [finding],
  rules: [],
  rules_checked: true,
  example: null,
  cases: [{ name: 'small', verdict: 'differs', code: null, cells: 12, statements: 2, notices: [] }],
}

export const agreeing: Verdict = {
  ...verdict,
  verdict: 'agrees',
  points: { earned: 4, possible: 4 },
  findings: [],
  cases: [{ name: 'small', verdict: 'agrees', code: null, cells: 12, statements: 2, notices: [] }],
}

export const attempt: Attempt = {
  id: 12,
  kind: 'program',
  course: 'kelp',
  exercise: 'rope-means',
  person: 'tamsin',
  display: 'Tamsin Reed',
  program: 'x = length\nmeans = mean(x)',
  state: 'checked',
  written_at: null,
  handed_in: '2026-11-27T05:00:00Z',
  late: false,
  checked_at: '2026-11-27T05:00:01Z',
  seconds: 0.0123,
  verdict,
}

export const exercise: Exercise = {
  course: 'kelp',
  name: 'rope-means',
  title: 'Means of the ropes',
  topics: ['reductions'],
  counting: 1,
  state: 'open',
  opens: null,
  closes: null,
  ...onTime,
  archived: false,
  model: false,
  prompt: 'Bind `means`, the mean of each rope.',
  starter: 'means = 0',
  accepts: ['program', 'results'],
  own: { cases: 2, within: 1800, formats: ['csv', 'json', 'nc', 'mtx'] },
  loops: 'allow',
  limit: 0,
  points: 4,
  held: 1,
  draft: null,
  asks: [],
  inputs: [{ name: 'length', about: 'length of the kelp', axes: ['week', 'rope'], kind: 'real', unit: 'm' }],
  outputs: [{ name: 'means', title: '', axes: ['rope'], unit: 'm', points: 4, present: '' }],
  cases: [
    {
      name: 'small',
      group: 'small',
      repeat: 0,
      drawn: false,
      inputs: { length: { kind: 'real', shape: [2, 2], axes: ['week', 'rope'], data: [1, 2, 3, 4] } },
    },
  ],
  counts: {
    functions: [],
    predictions: [],
    properties: [],
    steps: [],
    rules: { loops: 'allow', require: [], refuse: [], inputs_unchanged: false, cost_cells: 0, cost_statements: 0 },
  },
  last: null,
  mine: { agrees: false, attempts: 0, best: null, newest: null, verdict: null },
}

export const arrays: Arrays = {
  case: 'small',
  output: 'means',
  counting: 1,
  expected: { kind: 'real', shape: [2], axes: ['rope'], data: [1.5, 2] },
  actual: { kind: 'real', shape: [2], axes: ['rope'], data: [1.5, 2.5] },
  agrees: { kind: 'bool', shape: [2], axes: ['rope'], data: [true, false] },
  difference: { kind: 'real', shape: [2], axes: ['rope'], data: [0, 0.5] },
}

export const line: AttemptLine = {
  id: 12,
  kind: 'program',
  exercise: 'rope-means',
  person: 'tamsin',
  display: 'Tamsin Reed',
  state: 'checked',
  verdict: 'differs',
  earned: 1.5,
  possible: 4,
  handed_in: '2026-11-27T05:00:00Z',
  late: false,
  checked_at: '2026-11-27T05:00:01Z',
  lead_code: 'axis.wrong',
  lead_output: 'means',
  lead_says: 'a reduction along another axis',
}

export const desk: Desk = {
  course: 'kelp',
  title: 'The kelp farm',
  at: '2026-11-27T06:00:00Z',
  students: 10,
  attempts: 14,
  waiting: 0,
  stuck: 0,
  groups: [],
  knots: [
    {
      exercise: 'rope-means',
      code: 'axis.wrong',
      output: 'means',
      says: 'a reduction along another axis',
      people: 3,
      attempts: [12, 11, 9],
      since: '2026-11-27T04:00:00Z',
      newest: '2026-11-27T05:00:00Z',
      tried: 8,
      hour_ago: 2,
      growing: false,
      arrivals: [0, 2, 1],
      notes: 1,
    },
  ],
  exercises: [
    {
      name: 'rope-means',
      title: 'Means of the ropes',
      agrees: 4,
      differs: 3,
      failed: 1,
      refused: 0,
      waiting: 0,
      none: 2,
      stuck: 0,
      tries: 14,
      topics: ['reductions'],
    },
  ],
  recent: [line],
}

export const folder: Folder = {
  revision: 3,
  files: {
    'course.yaml': 'title: The kelp farm\ncounting: {from: 1}\nexercises: [rope-means]\n',
    'exercises/rope-means/exercise.yaml': 'title: Means of the ropes\ncases:\n  - {name: small, shown: true}\n',
    'exercises/rope-means/prompt.md': 'Bind `means`.\n',
    'exercises/rope-means/reference.nra': 'means = mean(length, along: week)\n',
  },
}

export const draft: Draft = {
  stopped: false,
  errors: [],
  advice: [],
  exercises: [
    {
      name: 'rope-means',
      title: 'Means of the ropes',
      topics: ['reductions'],
      cases: [{ name: 'small', shown: true, expects: '', inputs: {}, outputs: {} }],
      caught: 7,
      slips: 9,
      equivalent: 1,
      survivors: [
        {
          operator: 'swap-axes',
          cause: 'axis.wrong',
          line: 1,
          change: '`along: week` becomes `along: rope`',
          changed: 'means = mean(length, along: rope)',
          try: 'give the axes different lengths',
          yaml: '- {name: extra-1, inputs: {length: [[1, 2, 3]]}}',
        },
      ],
      present: {},
    },
  ],
}
