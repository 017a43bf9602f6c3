package causes

import (
	"fmt"
	"maps"
	"slices"
	"strconv"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/shapes"
	"nimbusreach/internal/core/slips"
)

// repairs tries every change of the attempt's own tree: first those of what is there, and where
// they leave a target without a plain explanation, those that put something in.
func (f *finder) repairs() {
	program := notation.CopyProgram(f.program)
	m := *f.q.Material
	m.Reference = f.q.Reference
	t := &trials{finder: f, program: program, first: f.firstWrong(), feeding: f.feeding(),
		seen: map[string]bool{}, own: ownNames(f.program, f.q), idle: -1}
	list := slips.Of(program, &m)
	for k := range list {
		if !list[k].Adds() {
			t.try(&list[k])
		}
	}
	if f.plainlyMended() {
		return
	}
	for k := range list {
		if list[k].Adds() {
			t.try(&list[k])
		}
	}
}

// plainlyMended reports whether every wrong target is right after a change that says what happened
// and holds on further data: nothing that is put in would be told beside it.
func (f *finder) plainlyMended() bool {
	for _, t := range f.wrong {
		if !slices.ContainsFunc(f.found[t], func(c Cause) bool {
			return c.Evidence == Repair && !c.generic() && !c.chance && !c.odd && !c.joined
		}) {
			return false
		}
	}
	return true
}

// trials are the changes of one attempt, made one after the other in one copy of its tree.
type trials struct {
	*finder
	program *notation.Program
	first   []int           // the cases, one that differs first
	feeding map[string]bool // names that wrong targets come from; nil for all
	seen    map[string]bool
	own     map[string]bool // names that the attempt binds
	idle    int             // reductions of scalars in the attempt; -1 until counted
}

// try makes a change, and keeps what it explains.
func (t *trials) try(s *slips.Slip) {
	f, program := t.finder, t.program
	if f.spent() {
		return
	}
	defer withTree(program)
	if a, ok := s.Statement().(*notation.Assign); ok && t.feeding != nil && !t.feeding[a.Target.Name] && !s.OfStatement() {
		return // nothing that is wrong comes from here
	}
	f.nodes -= f.size
	before := ""
	if !s.OfStatement() && !s.Several() {
		before = notation.PrintStatement(s.Statement())
	}
	undo := s.Apply()
	tree, same := treeOf(program, s, before)
	key := string(s.Undoes) + tree
	if same || t.seen[key] || len(evaluate.Check(program, f.q.Material.Inputs)) > 0 {
		undo()
		return
	}
	t.seen[key] = true
	var fixed []int
	if !f.cannotFit(program) {
		var begin func(i int) (*notation.Program, map[string]*array.Array)
		if !s.OfStatement() { // else the statements before it may be others
			begin = f.after(program, s.Statement())
		}
		fixed = f.fixes(program, t.first, begin)
	}
	if len(fixed) == 0 {
		undo()
		return
	}
	holds, after := f.holds(program, fixed), notation.PrintStatement(s.Statement())
	repaired := notation.Print(program)
	if t.idle < 0 {
		t.idle = f.q.idleReductions(f.program)
	}
	odd := f.q.idleReductions(program) > t.idle
	undo()
	span, writes := s.Span, ""
	if a, ok := s.Statement().(*notation.Assign); ok {
		writes = a.Target.Name
	}
	for _, target := range fixed {
		f.note(target, Cause{Code: s.Undoes, Evidence: Repair, Changes: 1, Change: s.Change(), Span: &span,
			part: partOf(s.Statement(), span), writes: writes, tree: tree, repaired: repaired, chance: !holds[target],
			Before: notation.PrintStatement(s.Statement()), After: after,
			own: s.Undoes == codes.InputOther && t.own[s.After()], adds: s.Adds(), joined: s.Joined(), odd: odd,
			apt:     s.Undoes == codes.ConstantOther && hasNumber(f.q.Reference, s.After()),
			invents: s.Undoes == codes.ConstantOther && isNumber(s.After()) && !hasNumber(f.q.Reference, s.After())})
	}
}

// mostOfTree bounds how much of a tree a fault carries.
const mostOfTree = 4000

// withTree lets a fault of ours carry the changed tree that it happened in.
func withTree(program *notation.Program) {
	if r := recover(); r != nil {
		tree := notation.Print(program)
		panic(fmt.Sprintf("%v, in the changed attempt\n%s", r, tree[:min(len(tree), mostOfTree)]))
	}
}

// treeOf names the tree that a change has made: by its place and what the statement is now, or by
// all of it where more than one statement is changed. before is the statement as it was, in the
// first case; same reports that nothing has changed.
func treeOf(program *notation.Program, s *slips.Slip, before string) (tree string, same bool) {
	if before == "" {
		return notation.Print(program), false
	}
	now := notation.PrintStatement(s.Statement())
	return strconv.Itoa(int(s.Statement().Pos().Start)) + " " + now, now == before
}

// oneIdea are the codes of which two changes of an attempt can be one idea.
var oneIdea = []codes.Code{codes.AxisOther, codes.SelectAxis, codes.UnitFirst, codes.SelectShifted, codes.SelectEnd,
	codes.SelectReversed, codes.MaskBoundary, codes.MaskInverted, codes.FunctionOther, codes.PowerMissing,
	codes.TransposeMissing, codes.ComplexPart, codes.ConstantOther}

// mostTwice bounds the pairs of changes that are tried for one code.
const mostTwice = 300

// twice tries two changes of the attempt with one code, where nothing else fits.
func (f *finder) twice() {
	silent := slices.DeleteFunc(slices.Clone(f.wrong), func(t int) bool { return len(f.found[t]) > 0 })
	if len(silent) == 0 || f.failed {
		return
	}
	program := notation.CopyProgram(f.program)
	m := *f.q.Material
	m.Reference = f.q.Reference
	byCode := map[codes.Code][]*slips.Slip{}
	list, feeding := slips.Of(program, &m), f.feeding()
	for k := range list {
		s := &list[k]
		a, ok := s.Statement().(*notation.Assign)
		if !ok || s.Adds() || s.Joined() || feeding != nil && !feeding[a.Target.Name] ||
			s.Undoes == codes.ConstantOther && !hasNumber(f.q.Reference, s.After()) {
			continue
		}
		byCode[s.Undoes] = append(byCode[s.Undoes], s)
	}
	first := f.firstWrong()
	for _, code := range oneIdea {
		left := mostTwice
		for i, a := range byCode[code] {
			for _, b := range byCode[code][i+1:] {
				if left--; left < 0 || f.spent() {
					break
				}
				if !a.Span.Within(b.Span) && !b.Span.Within(a.Span) {
					f.bothChanges(program, a, b, first, silent)
				}
			}
		}
	}
}

// bothChanges makes two changes of the attempt.
func (f *finder) bothChanges(program *notation.Program, a, b *slips.Slip, first, silent []int) {
	f.nodes -= f.size
	defer withTree(program)
	undoA := a.Apply()
	defer undoA()
	undoB := b.Apply()
	defer undoB()
	if len(evaluate.Check(program, f.q.Material.Inputs)) > 0 {
		return
	}
	fixed := f.fixes(program, first, nil)
	holds := f.holds(program, fixed)
	for _, target := range fixed {
		if holds[target] && slices.Contains(silent, target) {
			span := a.Span
			f.note(target, Cause{Code: a.Undoes, Evidence: Repair, Changes: 2, Change: a.Change() + "; " + b.Change(),
				Span: &span, tree: notation.Print(program), repaired: notation.Print(program), joined: true})
		}
	}
}

// partOf is the smallest expression of a statement that a place is in: the call of a clause, the
// selection of a selector.
func partOf(s notation.Statement, at notation.Span) notation.Span {
	part := at
	found := false
	notation.Walk(s, func(n notation.Node) bool {
		e, ok := n.(notation.Expr)
		if !ok {
			return true
		}
		if pos := e.Pos(); at.Within(pos) && (!found || pos.Within(part)) {
			part, found = pos, true
		}
		return true
	})
	return part
}

// idleReductions counts the reductions of a program whose argument is a scalar.
func (q *Question) idleReductions(program *notation.Program) int {
	outlines := map[notation.Span]shapes.Outline{}
	shapes.Follow(program, q.Material.Known, q.Material.Counting, func(at notation.Span, o shapes.Outline) {
		outlines[at] = o
	})
	idle := 0
	for _, s := range program.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			if c, ok := n.(*notation.Call); ok && len(c.Args) > 0 {
				fn := functions.Lookup(c.Name.Name)
				o := outlines[c.Args[0].Pos()]
				if fn != nil && fn.Topic == functions.Reductions && (o.IsScalar() || overOnes(c, &o, q.Material.Counting)) {
					idle++
				}
			}
			return true
		})
	}
	return idle
}

func isNumber(text string) bool { return text != "" && text[0] >= '0' && text[0] <= '9' }

// overOnes reports whether a reduction goes over axes of length 1 alone.
func overOnes(c *notation.Call, o *functions.Outline, counting int) bool {
	if c.Clause == nil || !o.KnowsRank() {
		return false
	}
	for _, x := range c.Clause.Axes {
		axis := -1
		switch {
		case x.Number != nil:
			axis = int(x.Number.Int) - counting
		case x.Label != "":
			for i := range o.Rank() {
				if o.Label(i) == x.Label {
					axis = i
				}
			}
		}
		if axis < 0 || axis >= o.Rank() || o.Len(axis) != 1 {
			return false
		}
	}
	return true
}

// hasNumber reports whether a number stands in a program.
func hasNumber(program *notation.Program, text string) bool {
	found := false
	for _, s := range program.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			x, ok := n.(*notation.Number)
			found = found || ok && notation.PrintExpr(x) == text
			return !found
		})
	}
	return found
}

// feeding are the names that wrong targets come from; nil where that may be any.
func (f *finder) feeding() map[string]bool {
	if f.failed {
		return nil
	}
	names := map[string]bool{}
	for _, target := range f.wrong {
		t := &f.q.Targets[target]
		if t.Calls != nil || t.Holds != nil {
			return nil
		}
		names[t.Name] = true
	}
	grow(f.program, names)
	return names
}

// heavy is how many cells a case makes from which on shapes are asked before a run.
const heavy = 20_000

// cannotFit reports whether a changed attempt cannot give any wrong target its shape,
// by the shapes it has before any run.
func (f *finder) cannotFit(program *notation.Program) bool {
	if f.got[0].Cells < heavy {
		return false // running it is cheaper than asking
	}
	f.nodes -= f.size
	known := map[string]shapes.Outline{}
	for name, a := range f.q.Cases[0].Inputs {
		known[name] = functions.OutlineOf(a)
	}
	names := shapes.Of(program, known, f.q.Material.Counting).Names
	for _, target := range f.wrong {
		t := &f.q.Targets[target]
		r := f.q.Cases[0].Expected[t.Name]
		o, ok := names[t.Name]
		if r == nil || !ok || t.Freedom != nil || !o.KnowsRank() {
			return false
		}
		fits := o.Rank() == r.Rank()
		for i := range o.Dims() {
			fits = fits && (o.Len(i) < 0 || i < r.Rank() && o.Len(i) == r.Len(i))
		}
		if fits {
			return false
		}
	}
	return true
}

// snapshot is what names held before each statement of the attempt's top level, case by
// case, so that candidates share what comes before their change.
type snapshot struct {
	before []map[string]*array.Array
	ok     bool
}

// shared takes the snapshots of a case; they serve where no cells are shared between
// names and nothing is drawn.
func (f *finder) shared(i int) *snapshot {
	if f.kept == nil {
		f.kept = make([]*snapshot, len(f.q.Cases))
	}
	if s := f.kept[i]; s != nil {
		return s
	}
	s := &snapshot{}
	f.kept[i] = s
	if !plain(f.program) || f.got[i].Error != nil {
		return s
	}
	now := map[string]*array.Array{}
	for name, a := range f.q.Cases[i].Inputs {
		now[name] = a
	}
	options := f.q.Cases[i].Options
	options.Trace = func(step evaluate.Step) {
		s.before = append(s.before, maps.Clone(now))
		step.Value.Cells().Freeze()
		now[step.Name] = step.Value
	}
	result := evaluate.Run(f.ctx, f.program, f.q.Cases[i].Inputs, options)
	s.ok = result.Error == nil && len(s.before) == len(f.program.Statements)
	return s
}

// plain reports whether a program is assignments alone that draw nothing.
func plain(p *notation.Program) bool {
	for _, s := range p.Statements {
		if _, ok := s.(*notation.Assign); !ok {
			return false
		}
		drawn := false
		notation.Walk(s, func(n notation.Node) bool {
			if c, ok := n.(*notation.Call); ok {
				switch c.Name.Name {
				case "draw_uniform", "draw_normal", "draw_integers", "shuffled", "sampled", "shares":
					drawn = true
				}
			}
			return !drawn
		})
		if drawn {
			return false
		}
	}
	return true
}

// after gives, for a change in one statement, the names a candidate begins with in a
// case, and cuts the statements before it off; nil where all must run.
func (f *finder) after(program *notation.Program, changed notation.Statement) func(i int) (*notation.Program,
	map[string]*array.Array) {
	at := slices.Index(program.Statements, changed)
	if at <= 0 || len(program.Statements) != len(f.program.Statements) {
		return nil
	}
	rest := &notation.Program{Source: program.Source, Statements: program.Statements[at:]}
	return func(i int) (*notation.Program, map[string]*array.Array) {
		if s := f.shared(i); s.ok {
			return rest, s.before[at]
		}
		return program, nil
	}
}

// ownNames are the names that an attempt binds, its inputs apart.
func ownNames(program *notation.Program, q *Question) map[string]bool {
	out := map[string]bool{}
	for _, name := range notation.Bound(program.Statements) {
		out[name] = true
	}
	for _, name := range q.Material.Inputs {
		delete(out, name)
	}
	return out
}

// firstWrong orders the cases so that one that differs comes first.
func (f *finder) firstWrong() []int {
	order := make([]int, 0, len(f.q.Cases))
	var right []int
	for i := range f.q.Cases {
		wrong := false
		for _, t := range f.wrong {
			wrong = wrong || !f.q.right(i, &f.q.Targets[t], f.got[i])
		}
		if wrong {
			order = append(order, i)
		} else {
			right = append(right, i)
		}
	}
	return append(order, right...)
}

// fixes finds the wrong targets that a changed attempt makes right in all cases; a
// failed attempt is fixed as a whole or not at all. It stops at the first case that
// rules all out.
func (f *finder) fixes(program *notation.Program, order []int, begin func(i int) (*notation.Program,
	map[string]*array.Array)) []int {
	left := slices.Clone(f.wrong)
	for _, i := range order {
		if f.spent() {
			return nil
		}
		candidate := program
		var inputs map[string]*array.Array
		if begin != nil {
			candidate, inputs = begin(i)
		}
		o := f.run(i, candidate, inputs)
		if candidate != program && o.Error == nil {
			// What the statements that were not run again had bound.
			for name, v := range inputs {
				if o.Values[name] == nil {
					o.Values[name] = v
				}
			}
		}
		if f.breaks(i, o) {
			return nil
		}
		left = slices.DeleteFunc(left, func(t int) bool { return !f.q.right(i, &f.q.Targets[t], o) })
		if len(left) == 0 || f.failed && len(left) < len(f.wrong) {
			return nil
		}
	}
	return left
}

// breaks reports whether a changed attempt makes a target wrong that was right: then
// the change fixes nothing.
func (f *finder) breaks(i int, o Outcome) bool {
	if f.failed {
		return false
	}
	for t := range f.q.Targets {
		if !f.q.Targets[t].Step && !slices.Contains(f.wrong, t) && !f.q.right(i, &f.q.Targets[t], o) {
			return true
		}
	}
	return false
}
