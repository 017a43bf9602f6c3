package causes

import (
	"context"
	"math/cmplx"
	"slices"
	"strings"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/slips"
)

// tabled is a slip of the reference with what it gives in every case.
type tabled struct {
	slip     int
	cause    codes.Code
	change   string
	after    string // what the change puts in
	got      []Outcome
	differs  []bool        // by target: in some case from the reference
	looped   bool          // stands for a mistake of loops alone
	brings   []string      // functions that the change puts in
	regroups []string      // functions that the change takes elsewhere
	unmasks  bool          // what a mask asks about is counted itself, or all of it
	meanless bool          // a mean is no mean any more
	place    notation.Span // that is changed, in the reference
	adds     bool
}

// foreseen is one of the instructor's slips with what it gives.
type foreseen struct {
	cause      codes.Code
	note, file string
	got        []Outcome
}

// Bounds on the table of slips, which is made once and kept: on the cells that one run of
// a slip may make and all of them together, on the cells of results that are held, and on
// the nodes of the reference's tree that are walked. An exercise within them all has every
// slip in its table; one with larger data or hundreds of lines has the first.
const (
	tableCells = 2_000_000
	tableSpent = 500_000_000
	tableHeld  = 8_000_000
	tableNodes = 30_000_000
)

// tableReplays is how many cells the reference may make for what its names hold to be kept, so that a slip runs only
// what comes from it.
const tableReplays = 2_000_000

// slipTable runs every slip of the reference on every case.
func (q *Question) slipTable() []tabled {
	program := notation.CopyProgram(q.Reference)
	left, each := int64(tableNodes), program.Nodes()*int64(2+len(q.Cases))
	if each > tableNodes/100 {
		return nil
	}
	list := slips.Of(program, q.Material)
	seen := map[string]bool{notation.Print(program): true}
	var out []tabled
	ctx := context.Background()
	spent, held := int64(0), 0
	idleRanges := make([]bool, len(q.Cases))
	own := make([]Outcome, len(q.Cases))
	for i := range q.Cases {
		own[i] = q.tableRun(ctx, i, &start{program: program})
		idleRanges[i] = own[i].Empty
	}
	t := q.replayed(ctx, program, own)
	q.own, q.kept = own, t.kept
	for k := range list {
		if left -= each; left < 0 || spent > tableSpent || held > tableHeld {
			break
		}
		s := &list[k]
		undo := s.Apply()
		key := string(s.Cause) + notation.Print(program)
		if seen[key] || len(evaluate.Check(program, q.Material.Inputs)) > 0 {
			undo()
			continue
		}
		seen[key] = true
		one := tabled{slip: k, cause: s.Cause, got: make([]Outcome, len(q.Cases)), differs: make([]bool, len(q.Targets)),
			looped: s.Cause == codes.LoopLast, adds: s.Adds()}
		begin := t.after(s)
		emptied := true // and so nothing is selected where it differs: a step left out, and no other selection
		err := guard.Call("running a slip of the reference", func() error {
			for i := range q.Cases {
				from := begin.in(i, program)
				o := q.tableRun(ctx, i, &from)
				t.carry(i, &from, o)
				spent += o.Cells
				one.got[i] = q.trimmed(o)
				for _, v := range one.got[i].Values {
					held += v.Size()
				}
				for n := range q.Targets {
					if !q.right(i, &q.Targets[n], one.got[i]) {
						one.differs[n] = true
						emptied = emptied && o.Empty && !idleRanges[i]
					}
				}
			}
			return nil
		})
		undo()
		if err != nil {
			q.fault.CompareAndSwap(nil, guard.As(err))
			continue // the table is kept, and every other slip has its place in it
		}
		if slices.Contains(one.differs, true) && !emptied {
			one.change, one.after, one.brings, one.place = s.Change(), s.After(), s.Brings(), s.Span
			if one.cause == codes.Grouping {
				one.regroups = s.Calls()
			}
			one.unmasks = s.Operator.Name == "unmasked"
			one.meanless = slices.Contains(s.Takes(), "mean")
			out = append(out, one)
		}
	}
	return out
}

// vague reports whether a slip says little of what happened.
func (t *tabled) vague() bool {
	return t.cause == codes.OperatorOther || t.cause == codes.StepMissing || t.cause == codes.StepExtra
}

// around reports whether a slip takes another operator around the place of another slip.
func (t *tabled) around(o *tabled) bool {
	return t.cause == codes.OperatorOther && o.place.Within(t.place)
}

// replayed prepares runs of changes of the reference, of which only the changed statement and those that come from it
// run again. own is what it gives by itself.
func (q *Question) replayed(ctx context.Context, program *notation.Program, own []Outcome) *trials {
	f := &finder{ctx: ctx, q: q, program: program, got: own, kept: q.kept}
	if f.kept == nil {
		cells := int64(0)
		for i := range own {
			cells += own[i].Cells
		}
		if cells > tableReplays {
			f.plain = -1
		}
		for i := range q.Cases {
			f.shared(i)
		}
	}
	return &trials{finder: f, program: program}
}

// tableRun runs a slip of the reference on a case within the table's bounds.
func (q *Question) tableRun(ctx context.Context, i int, from *start) Outcome {
	options := q.Cases[i].Options
	options.Limits.Cells = min(options.Limits.Cells, tableCells)
	options.Limits.Work = tableCells * workOfCell
	inputs := from.inputs
	if inputs == nil {
		inputs = q.Cases[i].Inputs
	}
	return q.run(ctx, from.program, inputs, options)
}

// trimmed keeps of an outcome what targets ask for.
func (q *Question) trimmed(o Outcome) Outcome {
	if o.Error != nil {
		return Outcome{Error: o.Error}
	}
	values := map[string]*array.Array{}
	for _, t := range q.Targets {
		if v := o.Values[t.Name]; v != nil {
			values[t.Name] = v
		}
		for k := range t.Calls {
			if v := o.Values[CallName(t.Name, k)]; v != nil {
				values[CallName(t.Name, k)] = v
			}
		}
	}
	return Outcome{Values: values}
}

func (q *Question) foreseenSlips() []foreseen {
	var out []foreseen
	for _, s := range q.Exercise.Slips {
		program, errs := notation.Parse(s.Program)
		if len(errs) > 0 || len(evaluate.Check(program, q.Material.Inputs)) > 0 {
			continue
		}
		one := foreseen{cause: s.Cause, note: s.Note, file: s.File}
		for i := range q.Cases {
			c := &q.Cases[i]
			one.got = append(one.got, q.trimmed(q.run(context.Background(), program, c.Inputs, c.Options)))
		}
		out = append(out, one)
	}
	return out
}

// explains reports whether outcomes are the attempt's in every case of a target, and
// at least one case tells them from the reference.
func (f *finder) explains(target int, got []Outcome) bool {
	t := &f.q.Targets[target]
	tells := false
	for i := range f.q.Cases {
		if !f.q.same(t, got[i], f.got[i]) {
			return false
		}
		tells = tells || !f.q.right(i, t, got[i])
	}
	return tells
}

// bySlips looks the attempt's results up among those of the reference's slips.
func (f *finder) bySlips() {
	<-f.q.ready
	for _, target := range f.wrong {
		if f.q.Targets[target].Holds != nil {
			continue // many things break a property: what mends it tells more
		}
		if t := &f.q.Targets[target]; f.program != nil && t.Calls == nil && f.binds(t.Name) && !usesInputs(f.program,
			f.q.Material.Inputs, t.Name) && usesInputs(f.q.Reference, f.q.Material.Inputs, t.Name) {
			continue // what depends on nothing is like a slip by chance alone
		}
		for _, s := range f.q.foreseen {
			if f.explains(target, s.got) {
				f.note(target, Cause{Code: s.cause, Evidence: Slip, Changes: 1, Change: "as foreseen in " + s.file})
				f.note(target, Cause{Code: codes.Foreseen, Evidence: Slip, Changes: 1, Change: "as foreseen in " + s.file,
					Note: s.note})
			}
		}
		gone, loops := f.vanishes(target), f.program == nil || f.fromLoop(target)
		same := gone || f.sameEverywhere(target)
		var fits []Cause
		for k := range f.q.table {
			s := &f.q.table[k]
			if s.cause == codes.ConstantOther && f.program != nil && isNumber(s.after) && !hasNumber(f.program, s.after) {
				continue // the attempt does not have that number
			}
			if f.failed && generic(s.cause) {
				continue // much else ends in the same error
			}
			if s.differs[target] && (!s.looped || loops) && f.explains(target, s.got) {
				code := f.saidOf(s, target)
				if code == "" || same && generic(code) || gone && code == codes.Rounding {
					continue
				}
				fits = append(fits, Cause{Code: code, Evidence: Slip, Changes: 1, Change: s.change,
					tree: slipKey(k), adds: s.adds, odd: f.q.isOdd(k), spoils: f.spoils(s),
					foreign: f.foreign(target, k),
					chance:  !f.stillGives(target, func(i int) Outcome { return f.q.slipBeyond(k)[i] })})
			}
		}
		if same && slices.ContainsFunc(fits, func(c Cause) bool { return c.Code != fits[0].Code }) {
			continue // much leads to that
		}
		leftOut := slices.ContainsFunc(fits, func(c Cause) bool { return c.Code == codes.StepMissing }) && f.program != nil &&
			!f.selects(target)
		for _, c := range fits {
			if leftOut && (c.Code == codes.SelectEnd || c.Code == codes.SelectStep) {
				continue // there is no range of which that could be said
			}
			f.note(target, c)
		}
	}
}

// sameEverywhere reports whether an attempt gives one value for every element of a target, in all cases.
func (f *finder) sameEverywhere(target int) bool {
	t := &f.q.Targets[target]
	elements, one := 0, complex128(0)
	for i := range f.got {
		v := f.got[i].Values[t.Name]
		if v == nil || t.Calls != nil {
			return false
		}
		for k := range v.Size() {
			if elements++; elements == 1 {
				one = v.ComplexAt(k)
			}
			if x := v.ComplexAt(k); x != one {
				return false
			}
		}
	}
	return elements > little
}

// vanishes reports whether all that an attempt gives for a target is next to 0 and not 0, as what is left of values
// that cancel each other: nothing was rounded, or divided to a whole number.
func (f *finder) vanishes(target int) bool {
	t, left := &f.q.Targets[target], false
	for i := range f.got {
		v := f.got[i].Values[t.Name]
		if v == nil || t.Calls != nil {
			return false
		}
		for k := range v.Size() {
			x := cmplx.Abs(v.ComplexAt(k))
			if x > t.Tolerance.Absolute {
				return false
			}
			left = left || x != 0
		}
	}
	return left
}

// saidBy are the functions and operators that do what a function does, in one form or another.
var saidBy = map[string][]string{
	"norm": {"norm"}, "sqrt": {"sqrt", "cbrt", "^", "norm", "std", "sample_std", "hypot"},
	"int": rounders, "floor": rounders, "ceil": rounders, "round": rounders, "truncated": rounders,
}

// scans go along an axis, as a product with a triangle does.
var scans = []string{"running_sum", "running_product", "running_min", "running_max", "dot"}

var rounders = []string{"floor", "ceil", "round", "truncated", "int", "div", "mod"}

// saidOf is the code of a slip as it can be said of the attempt; "" where it asserts what the attempt does not
// have: a root that is nowhere in it. A mean that became a sum of terms lacks a division.
func (f *finder) saidOf(s *tabled, target int) codes.Code {
	if f.program == nil {
		return s.cause
	}
	if s.unmasks && f.uses(target, "<", "<=", ">", ">=") {
		return "" // which it says were left out
	}
	if s.cause == codes.LoopLast && !f.fromLoop(target) {
		return codes.StepMissing // of which there is one item
	}
	if s.cause == codes.Grouping && strings.Contains(s.after, "^") && !f.uses(target, "^", "sqrt", "norm") {
		return "" // which it says is of something else
	}
	if s.cause == codes.MeanNested && strings.Contains(s.after, "/") && !f.uses(target, "/") {
		return "" // which it says were divided before
	}
	if s.cause == codes.InputOther && f.binds(s.after) && !usesInputs(f.program, []string{s.after},
		f.q.Targets[target].Name) {
		return "" // which it says it takes
	}
	for _, name := range s.regroups {
		if !f.uses(target, append(saidBy[name], name)...) {
			return "" // what is elsewhere must be somewhere
		}
	}
	for _, name := range s.brings {
		counts := name == "size" || name == "length" // which a number may stand for
		if s.cause == codes.StepExtra && !counts && !f.uses(target, append(saidBy[name], name)...) {
			return "" // which it says was done too
		}
		if strings.HasPrefix(name, "running_") && s.cause == codes.FunctionOther && !f.uses(target, scans...) &&
			!f.fromLoop(target) {
			return "" // which goes along an axis, as nothing in it does
		}
		if ways := saidBy[name]; ways != nil && !f.uses(target, ways...) {
			return ""
		}
		if name == "sum" && s.meanless && s.cause == codes.FunctionOther && !f.uses(target, "sum", "running_sum", "dot",
			"count", "+=", "totals_by", "norm", "trace", "trapezoid") {
			return codes.StepMissing
		}
	}
	return s.cause
}

// selects reports whether what binds a target in the attempt selects positions, or makes a range of them.
func (f *finder) selects(target int) bool {
	found := f.q.Targets[target].Calls != nil
	for _, s := range f.program.Statements {
		if !notation.BindsAny(s, map[string]bool{f.q.Targets[target].Name: true}) {
			continue
		}
		notation.Walk(s, func(n notation.Node) bool {
			switch n.(type) {
			case *notation.Selection, *notation.RangeExpr:
				found = true
			}
			return !found
		})
	}
	return found
}

// uses reports whether a target comes from one of some functions and operators in the attempt.
func (f *finder) uses(target int, names ...string) bool {
	among := func(name string) bool { return slices.Contains(names, name) }
	return f.comesFrom(target, func(n notation.Node) bool {
		switch n := n.(type) {
		case *notation.Call:
			return among(n.Name.Name)
		case *notation.Binary:
			return among(n.Op)
		case *notation.Compare:
			return slices.ContainsFunc(n.Ops, among)
		case *notation.Assign:
			return among(n.Op)
		}
		return false
	})
}

// comesFrom reports whether what a target is made of in the attempt has a node of some sort: a statement that it comes
// from, or a function.
func (f *finder) comesFrom(target int, is func(n notation.Node) bool) bool {
	from := map[string]bool{f.q.Targets[target].Name: true}
	grow(f.program, from)
	found := false
	for _, s := range f.program.Statements {
		if _, own := s.(*notation.Function); !own && !notation.BindsAny(s, from) {
			continue
		}
		notation.Walk(s, func(n notation.Node) bool {
			found = found || is(n)
			return !found
		})
	}
	return found
}

// isOdd reports whether a slip leaves a reduction with a scalar to reduce.
func (q *Question) isOdd(k int) bool {
	q.lock.Lock()
	defer q.lock.Unlock()
	q.mirrorNow()
	if odd, known := q.oddities[k]; known {
		return odd
	}
	idle := q.idleReductions(q.mirror)
	defer q.mirrored[q.table[k].slip].Apply()()
	q.oddities[k] = q.idleReductions(q.mirror) > idle
	return q.oddities[k]
}

// foreign reports whether a slip's result comes from an input that the attempt's does not come from:
// then it is not the attempt's program in another form.
func (f *finder) foreign(target, k int) bool {
	name := f.q.Targets[target].Name
	if f.program == nil || f.q.Targets[target].Calls != nil {
		return false
	}
	f.q.lock.Lock()
	defer f.q.lock.Unlock()
	f.q.mirrorNow()
	undo := f.q.mirrored[f.q.table[k].slip].Apply()
	defer undo()
	for _, input := range f.q.Material.Inputs {
		if usesInputs(f.q.mirror, []string{input}, name) && !usesInputs(f.program, []string{input}, name) {
			return true
		}
	}
	return false
}

// spoils reports whether a slip makes an output differ that agrees in the attempt.
func (f *finder) spoils(s *tabled) bool {
	for t, differs := range s.differs {
		if differs && !f.q.Targets[t].Step && !slices.Contains(f.wrong, t) {
			return true
		}
	}
	return false
}

// fromLoop reports whether a target of the attempt comes from a loop.
func (f *finder) fromLoop(target int) bool {
	if t := &f.q.Targets[target]; t.Calls != nil || t.Holds != nil {
		return true
	}
	return f.comesFrom(target, func(n notation.Node) bool {
		switch n.(type) {
		case *notation.Each, *notation.Repeat:
			return true
		}
		return false
	})
}

// pairs tries two changes of the reference, where nothing else fits.
func (f *finder) pairs() {
	for _, target := range f.wrong {
		t := &f.q.Targets[target]
		if !f.silent(target) || f.failed || t.Calls != nil || t.Holds != nil ||
			!usesInputs(f.program, f.q.Material.Inputs, t.Name) {
			continue
		}
		f.pairsFor(target)
	}
}

func (f *finder) pairsFor(target int) {
	t := &f.q.Targets[target]
	at := f.lastCase(t)
	if at < 0 || f.sameEverywhere(target) {
		return
	}
	mine, theirs := f.got[at].Values[t.Name], f.q.Cases[at].Expected[t.Name]
	if mine == nil || theirs == nil {
		return
	}
	var list []*tabled
	for k := range f.q.table {
		s := &f.q.table[k]
		if s.differs[target] && !s.looped && f.saidOf(s, target) != "" && s.got[at].Error == nil &&
			s.got[at].Values[t.Name] != nil {
			list = append(list, s)
		}
	}
	program := notation.CopyProgram(f.q.Reference)
	all := slips.Of(program, f.q.Material)
	of := f.q.replayed(f.ctx, program, f.q.own)
	shape := func(s *tabled) []int { return s.got[at].Values[t.Name].Shape() }
	order := append([]int{at}, f.firstWrong()...)
	for a := range list {
		for b := a + 1; b < len(list); b++ {
			if f.spent() {
				return
			}
			if list[a].around(list[b]) || list[b].around(list[a]) {
				continue // the one takes back what the other does
			}
			bothMissing := list[a].cause == codes.StepMissing && list[b].cause == codes.StepMissing
			if list[a].vague() && list[b].vague() && !bothMissing {
				continue // two such changes fit much
			}
			// One of the two makes the attempt's shape, or neither changes it.
			sa, sb := shape(list[a]), shape(list[b])
			plainA, plainB := slices.Equal(sa, theirs.Shape()), slices.Equal(sb, theirs.Shape())
			if array.SameShape(mine, theirs) {
				if !plainA || !plainB {
					continue
				}
			} else if !(slices.Equal(sa, mine.Shape()) && plainB || slices.Equal(sb, mine.Shape()) && plainA) {
				continue
			}
			first, second := &all[list[a].slip], &all[list[b].slip]
			undoA := first.Apply()
			undoB := second.Apply()
			if f.reproduces(target, of, of.afterBoth(first, second), order) &&
				f.stillGives(target, func(i int) Outcome { return f.furtherRun(i, program) }) {
				cause := list[a]
				if !plainB || generic(list[a].cause) && !generic(list[b].cause) {
					cause = list[b]
				}
				f.note(target, Cause{Code: cause.cause, Evidence: Slip, Changes: 2, Change: list[a].change + "; " + list[b].change})
				undoB()
				undoA()
				return
			}
			undoB()
			undoA()
		}
	}
}

// lastCase is a case in which the attempt ran and differs.
func (f *finder) lastCase(t *Target) int {
	for i := range f.q.Cases {
		if f.got[i].Error == nil && f.q.Cases[i].Error == nil && !f.q.right(i, t, f.got[i]) {
			return i
		}
	}
	return -1
}

// reproduces reports whether a changed reference gives the attempt's results.
func (f *finder) reproduces(target int, of *trials, begin begins, order []int) bool {
	t := &f.q.Targets[target]
	for _, i := range order {
		if f.spent() {
			return false
		}
		from := begin.in(i, of.program)
		o := f.run(i, from.program, from.inputs)
		of.carry(i, &from, o)
		if !f.q.same(t, o, f.got[i]) {
			return false
		}
	}
	return true
}
