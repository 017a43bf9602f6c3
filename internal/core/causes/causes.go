// Package causes says why an attempt differs, when there is evidence: one change of
// the attempt that makes it right, one or two changes of the reference that give the
// attempt's result, or a transformation of the result. It never guesses: where nothing
// holds in all cases, it is silent.
//
// It is handed what an attempt gave and what was expected, and knows nothing of
// verdicts, points or what a student may see.
package causes

import (
	"context"
	"maps"
	"regexp"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"unicode"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/slips"
)

// Evidence is what a cause rests on, the strongest first.
type Evidence string

// The kinds of evidence.
const (
	Repair         Evidence = "repair"
	Slip           Evidence = "slip"
	Transformation Evidence = "transformation"
	Rule           Evidence = "rule"
)

// Cause is why one output differs.
type Cause struct {
	Code     codes.Code
	Certain  bool // no other code fits
	Output   string
	Evidence Evidence
	Changes  int
	Change   string         // in the notation, or in words
	Span     *notation.Span // in the attempt's own text
	Note     string         // the instructor's, for a slip that was foreseen
	Before   string         // the statement of the attempt that a repair changes, and what it becomes
	After    string
	In       []int     // the cases that differ, and that it explains
	Dropped  []Dropped // explanations that this one dominates

	writes     string        // the name that the changed statement writes
	part       notation.Span // the expression that the change is in
	tree       string        // of the change: the same for one change of several targets
	reach      int           // how many wrong targets the change explains
	own        bool          // the change brings in a name of the attempt's own
	rivalled   bool          // a plain change of the attempt with another code fits as well
	foreign    bool          // the change of the reference uses an input that the attempt does not
	odd        bool          // the change leaves a reduction with a scalar to reduce
	apt        bool          // the change takes a number that the reference has
	invents    bool          // the change writes a number that it does not have
	joined     bool          // the change is made at several places
	adds       bool          // the change puts an operation in that was not there
	absolute   bool          // the change takes signs away
	opposite   bool          // every truth value of the attempt is the opposite, which the change says
	chance     bool          // fits the cases, and not further data of the same sort
	repaired   string        // the attempt as a repair leaves it
	mismatches int           // cells that its output comes from otherwise than the reference's
	expanded   bool          // the change is of the attempt with its steps written out
	spoils     bool          // the change makes targets differ that agree in the attempt
	restores   bool          // the change leaves a statement as the reference has it
	unsorts    bool          // the change takes a `sort` away
	neutral    bool          // the change leaves in, without effect, what another repair leaves out
}

// Dropped is an explanation that fits too and is not told.
type Dropped struct {
	Code     codes.Code
	Evidence Evidence
	Change   string
	Why      string
}

// Case is a case with what is expected of it.
type Case struct {
	Inputs   map[string]*array.Array
	Expected map[string]*array.Array // by target
	Error    *notation.Diagnostic    // where an error is expected
	Shown    bool
	Options  evaluate.Options
}

// Target is one thing that is judged: an output, a step or a function.
type Target struct {
	Name      string
	Tolerance compare.Tolerance
	Freedom   func(expected *array.Array) compare.Freedom
	Calls     []notation.Expr // for a function: what it is asked; nil for a name
	Step      bool            // an intermediate value, which an attempt need not have
	Holds     notation.Expr   // for a property: what must be true of inputs and outputs
}

// Question is an exercise as far as causes need it.
type Question struct {
	Exercise  *exercise.Exercise
	Reference *notation.Program
	Material  *slips.Material
	Cases     []Case
	Targets   []Target

	once     sync.Once
	ready    chan struct{}   // closed when there is a table
	table    []tabled        // the reference's slips with what they give
	lines    map[string]bool // the reference's statements
	own      []Outcome       // what the reference gives
	kept     []*snapshot     // of the reference, by case
	foreseen []foreseen      // the instructor's
	further  []Case          // data of the same sort as the cases'
	fault    atomic.Pointer[guard.Fault]

	lock     sync.Mutex
	mirror   *notation.Program // a copy of the reference, to run its slips on further data
	mirrored []slips.Slip
	slipped  map[int][]Outcome // by place in table
	oddities map[int]bool      // likewise
}

// Fault is a fault of ours that left a slip of the reference out of the table; it is
// given once.
func (q *Question) Fault() *guard.Fault { return q.fault.Swap(nil) }

// Outcome is what a program made of one case: values by target, or an error.
type Outcome struct {
	Values map[string]*array.Array
	Error  *notation.Diagnostic
	Cells  int64 // made by the run, and its slow functions' work as cells
	Steps  int64 // statements that ran
	Parts  int64 // expressions that were evaluated
	Empty  bool  // a range of it was empty
}

// Budget bounds the search for one attempt. It counts work and not seconds, so that
// one attempt has the same causes on every machine.
type Budget struct {
	Runs  int
	Cells int64 // made, and slow functions' work as cells
	Nodes int64 // of the attempt's tree for each change of it, and what a run counts as for each run
}

// Default is the budget of a check: about 150 ms on one core of 2.5 GHz.
var Default = Budget{Runs: 5000, Cells: 20_000_000, Nodes: 800_000}

// What a run counts as, in nodes: those of the tree, and some for each statement that runs; or some for each expression
// that it evaluates, where that is more: in a loop whose condition is long.
const (
	stepNodes = 8
	partNodes = 2
)

// workOfCell is how much work of slow functions counts as a cell.
const workOfCell = 8

// Spent is a run's part of Budget.Cells.
func Spent(r *evaluate.Result) int64 { return r.Cells + r.Work/workOfCell }

// Reads reports whether a program is short enough to be asked why it differs: some
// changes of it must fit.
func (b Budget) Reads(program *notation.Program, cases int) bool {
	return program.Nodes()*int64(cases) <= b.Nodes/8
}

// Holds reports whether so many cells, made by an attempt on all cases, can be held while
// it is asked why it differs.
func (b Budget) Holds(cells int64) bool { return cells <= b.Cells/2 }

// finder looks for the causes of one attempt.
type finder struct {
	kept      []*snapshot                   // by case
	plain     int8                          // whether the statements run one at a time: 1, or -1 for no; 0 for not asked
	functions map[string]*notation.Function // of the attempt
	rightIn   [][]bool                      // by case and target: whether the attempt is right
	tried     *trials                       // the changes of the attempt
	ctx       context.Context
	q         *Question
	program   *notation.Program
	got       []Outcome
	runs      int
	wrong     []int // targets that differ in some case
	failed    bool
	changed   []string // inputs that the attempt writes into
	found     map[int][]Cause
	cells     int64
	nodes     int64
	size      int64      // nodes of the attempt's tree
	beyond    []*Outcome // of the attempt, on further data
	fit       []int8     // whether further data are of its sort: 1 for yes, -1 for no, 0 for not asked
}

// Find says why an attempt differs. got holds what it gave, case by case; changed
// names the inputs it writes into. program is nil for arrays that were computed elsewhere:
// slips and transformations alone can explain those.
func Find(ctx context.Context, q *Question, program *notation.Program, got []Outcome, changed []string,
	b Budget) []Cause {
	f := &finder{ctx: ctx, q: q, program: program, got: got, runs: b.Runs, changed: changed, found: map[int][]Cause{},
		cells: b.Cells, nodes: b.Nodes}
	q.prepare()
	defer func() { <-q.ready }() // what went wrong with the table is reported with the attempt that it was made for
	if program == nil {
		return f.ofArrays()
	}
	f.size = program.Nodes()
	f.differing()
	if len(f.wrong) == 0 {
		return nil
	}
	if f.unchanged() {
		return []Cause{{Code: codes.StarterUnchanged, Certain: true, Evidence: Rule, Change: "nothing was changed"}}
	}
	f.repairs()
	repairs := f.found
	f.found = map[int][]Cause{}
	f.bySlips()
	for target, list := range repairs {
		f.found[target] = append(f.found[target], list...)
	}
	f.byExpanding()
	f.swapped()
	f.inputChanged()
	f.transformations()
	f.twice()
	f.pairs()
	f.lastResorts()
	return f.ranked()
}

// ofArrays explains arrays that were computed elsewhere.
func (f *finder) ofArrays() []Cause {
	f.differing()
	f.bySlips()
	f.swapped()
	f.transformations()
	return f.ranked()
}

// prepare computes once what does not depend on an attempt: the table of slips beside the first attempt's search for
// repairs.
func (q *Question) prepare() {
	q.once.Do(func() {
		q.ready = make(chan struct{})
		q.lines = linesOf(q.Reference)
		go func() {
			defer close(q.ready)
			err := guard.Call("running the slips of the reference", func() error {
				q.table = q.slipTable()
				q.foreseen = q.foreseenSlips()
				return nil
			})
			if err != nil {
				q.fault.CompareAndSwap(nil, guard.As(err))
			}
		}()
		q.further = q.redrawn()
	})
}

// linesOf are the statements of a program, as they are printed.
func linesOf(program *notation.Program) map[string]bool {
	out := map[string]bool{}
	for _, s := range program.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			if s, ok := n.(notation.Statement); ok {
				out[notation.PrintStatement(s)] = true
			}
			return true
		})
	}
	return out
}

// right reports whether a target agrees in a case.
func (q *Question) right(i int, t *Target, o Outcome) bool {
	c := &q.Cases[i]
	if c.Error != nil {
		return o.Error != nil && o.Error.Code == c.Error.Code
	}
	if o.Error != nil {
		return false
	}
	return q.agrees(t, c.Expected, o.Values)
}

func (q *Question) agrees(t *Target, expected, values map[string]*array.Array) bool {
	if t.Calls != nil {
		for k := range t.Calls {
			name := CallName(t.Name, k)
			if expected[name] == nil || values[name] == nil || !compare.Agree(expected[name], values[name], t.Tolerance,
				compare.Freedom{}) {
				return false
			}
		}
		return true
	}
	r, a := expected[t.Name], values[t.Name]
	if r == nil || a == nil {
		return false
	}
	var free compare.Freedom
	if t.Freedom != nil {
		free = t.Freedom(r)
	}
	return compare.Agree(r, a, t.Tolerance, free)
}

// same reports whether two programs' results of a target are the same within its
// tolerance.
func (q *Question) same(t *Target, a, b Outcome) bool {
	if a.Error != nil || b.Error != nil {
		return a.Error != nil && b.Error != nil && a.Error.Code == b.Error.Code && sameShapes(a.Error, b.Error) &&
			slices.Equal(q.speaksOf(a.Error), q.speaksOf(b.Error))
	}
	return q.agrees(t, a.Values, b.Values)
}

// spoken are the numbers of a message, and what it has between backticks.
var spoken = regexp.MustCompile("`[^`]*`|[0-9.]+")

// speaksOf lists what an error's message speaks of, but for names that a program chose: positions
// and lengths, functions, operators, inputs.
func (q *Question) speaksOf(d *notation.Diagnostic) []string {
	var out []string
	for _, part := range spoken.FindAllString(d.Message, -1) {
		name := strings.Trim(part, "`")
		if part[0] == '`' && isName(name) && functions.Lookup(name) == nil && !slices.Contains(q.Material.Inputs, name) {
			continue
		}
		out = append(out, part)
	}
	return out
}

func isName(text string) bool {
	for i, r := range text {
		if !unicode.IsLetter(r) && r != '_' && (i == 0 || !unicode.IsDigit(r)) {
			return false
		}
	}
	return text != ""
}

// sameShapes holds that two errors speak of the same shapes.
func sameShapes(a, b *notation.Diagnostic) bool {
	return slices.EqualFunc(a.Shapes, b.Shapes, func(x, y notation.Shape) bool {
		return slices.Equal(x.Lengths,
			y.Lengths)
	})
}

// CallName is the name that a function's k-th call has among values.
func CallName(function string, k int) string { return function + " " + string(rune('a'+k)) }

// run evaluates a program on some inputs, its functions' calls too.
func (q *Question) run(ctx context.Context, program *notation.Program, inputs map[string]*array.Array,
	options evaluate.Options) Outcome {
	return q.outcomeOn(ctx, program, evaluate.Run(ctx, program, inputs, options), inputs, options)
}

// Outcome is what a run on a case made of it, its functions' calls too.
func (q *Question) Outcome(ctx context.Context, i int, program *notation.Program, result *evaluate.Result) Outcome {
	return q.outcomeOn(ctx, program, result, q.Cases[i].Inputs, q.Cases[i].Options)
}

func (q *Question) outcomeOn(ctx context.Context, program *notation.Program, result *evaluate.Result,
	inputs map[string]*array.Array, options evaluate.Options) Outcome {
	o := Outcome{Values: q.asked(result), Error: result.Error, Cells: Spent(result), Steps: result.Statements,
		Parts: result.Parts,
		Empty: slices.ContainsFunc(result.Notices, func(n *notation.Diagnostic) bool { return n.Code == codes.NoticeEmpty })}
	if o.Error != nil {
		return o
	}
	for n := range q.Targets {
		t := &q.Targets[n]
		if t.Holds != nil {
			q.askProperty(ctx, t, &o, inputs, options)
		}
		for k, call := range t.Calls {
			asked := program.Asking("the answer", call)
			if program.Functions()[t.Name] == nil || len(evaluate.Check(asked, q.Material.Inputs)) > 0 {
				continue
			}
			r := evaluate.Run(ctx, asked, inputs, options)
			o.Cells += Spent(r)
			o.Steps += r.Statements
			o.Parts += r.Parts
			if r.Error != nil {
				o.Error = r.Error
				return o
			}
			o.Values[CallName(t.Name, k)] = r.Value("the answer")
		}
	}
	return o
}

// asked are the values of a run that are asked for: those of the targets, and all where properties ask for any.
func (q *Question) asked(result *evaluate.Result) map[string]*array.Array {
	out := make(map[string]*array.Array, len(q.Targets))
	for k := range q.Targets {
		if q.Targets[k].Holds != nil {
			return result.Values()
		}
		if v := result.Value(q.Targets[k].Name); v != nil {
			out[q.Targets[k].Name] = v
		}
	}
	return out
}

// askProperty asks whether a property holds of what a program gave.
func (q *Question) askProperty(ctx context.Context, t *Target, o *Outcome, inputs map[string]*array.Array,
	options evaluate.Options) {
	known := maps.Clone(inputs)
	maps.Copy(known, o.Values)
	asked := q.Reference.Asking("the answer", t.Holds)
	if len(evaluate.Check(asked, slices.Collect(maps.Keys(known)))) > 0 {
		return // what it speaks of is not bound
	}
	r := evaluate.Run(ctx, asked, known, options)
	o.Cells += Spent(r)
	o.Steps += r.Statements
	o.Parts += r.Parts
	if v := r.Value("the answer"); r.Error == nil && v.Kind() == array.Bool && v.Rank() == 0 {
		o.Values[t.Name] = v
	}
}

// differing finds the targets that are wrong.
func (f *finder) differing() {
	for i := range f.q.Cases {
		f.failed = f.failed || f.got[i].Error != nil && f.q.Cases[i].Error == nil
	}
	for k := range f.q.Targets {
		t := &f.q.Targets[k]
		if (t.Step || f.program == nil) && !f.binds(t.Name) || f.program == nil && t.Calls != nil {
			continue
		}
		for i := range f.q.Cases {
			if !f.right(i, k) {
				f.wrong = append(f.wrong, k)
				break
			}
		}
	}
}

// right reports whether the attempt is right about a target in a case.
func (f *finder) right(i, target int) bool {
	for n := len(f.rightIn); n <= i; n++ {
		row := make([]bool, len(f.q.Targets))
		for k := range row {
			row[k] = f.q.right(n, &f.q.Targets[k], f.got[n])
		}
		f.rightIn = append(f.rightIn, row)
	}
	return f.rightIn[i][target]
}

// binds reports whether the attempt gave a name a value in some case.
func (f *finder) binds(name string) bool {
	return slices.ContainsFunc(f.got, func(o Outcome) bool { return o.Values[name] != nil })
}

// spent reports whether the budget is used up.
func (f *finder) spent() bool {
	return f.runs <= 0 || f.cells <= 0 || f.nodes <= 0 || f.ctx.Err() != nil
}

// ran counts a run.
func (f *finder) ran(o *Outcome) {
	f.runs--
	f.cells -= o.Cells
	f.nodes -= max(f.size+stepNodes*o.Steps, partNodes*o.Parts)
}

func (f *finder) run(i int, program *notation.Program, inputs map[string]*array.Array) Outcome {
	if inputs == nil {
		inputs = f.q.Cases[i].Inputs
	}
	// No change of the attempt takes more than is left.
	options := f.q.Cases[i].Options
	options.Limits.Cells = min(options.Limits.Cells, max(f.cells, 1))
	options.Limits.Work = max(f.cells, 1) * workOfCell
	o := f.q.run(f.ctx, program, inputs, options)
	f.ran(&o)
	return o
}

// note keeps a cause for a target; a failed attempt's causes hold for all of it.
func (f *finder) note(target int, c Cause) {
	if t := &f.q.Targets[target]; t.Holds == nil {
		c.Output = t.Name
	}
	c.opposite = c.Code == codes.MaskInverted && f.opposite(target)
	for _, known := range f.found[target] {
		if known.Code == c.Code && known.Evidence == c.Evidence && known.tree == c.tree {
			return
		}
	}
	f.found[target] = append(f.found[target], c)
}

// opposite reports whether a target holds truth values that are all the opposite of what is expected.
func (f *finder) opposite(target int) bool {
	t := &f.q.Targets[target]
	if t.Calls != nil || t.Holds != nil || f.tellsLittle(target) {
		return false
	}
	for i := range f.q.Cases {
		expected, v := f.q.Cases[i].Expected[t.Name], f.got[i].Values[t.Name]
		if expected == nil || v == nil || expected.Kind() != array.Bool || v.Kind() != array.Bool ||
			!array.SameShape(expected, v) {
			return false
		}
		for k := range v.Size() {
			if v.BoolAt(k) == expected.BoolAt(k) {
				return false
			}
		}
	}
	return true
}

// unchanged reports whether the attempt is the starter as it came.
func (f *finder) unchanged() bool {
	if f.q.Exercise.Starter == "" {
		return false
	}
	starter, errs := notation.Parse(f.q.Exercise.Starter)
	return len(errs) == 0 && len(starter.Statements) > 0 && notation.Print(starter) == notation.Print(f.program)
}

// strength orders evidence.
func strength(e Evidence) int {
	return slices.Index([]Evidence{Repair, Slip, Rule, Transformation}, e)
}
