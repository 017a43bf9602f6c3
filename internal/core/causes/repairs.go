package causes

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

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
	m.Reference, m.Feeding = f.q.Reference, f.feeding(f.wrong)
	list := slips.Of(program, &m)
	t := &trials{finder: f, program: program, list: list, first: f.firstWrong(), feeding: m.Feeding,
		seen: map[string]bool{}, own: ownNames(f.program, f.q), idle: -1,
		written: map[notation.Statement]string{}, checker: evaluate.NewChecker(program, f.q.Material.Inputs)}
	f.tried = t
	for k := range list {
		if !list[k].Adds() {
			t.try(&list[k])
		}
	}
	open := f.notMended()
	if len(open) == 0 {
		return
	}
	t.feeding = f.feeding(open)
	for k := range list {
		if list[k].Adds() {
			t.try(&list[k])
		}
	}
}

// notMended lists the wrong targets that no change makes right which says what happened and holds on further
// data: nothing that is put in would be told beside such a one.
func (f *finder) notMended() []int {
	return slices.DeleteFunc(slices.Clone(f.wrong), func(target int) bool {
		return slices.ContainsFunc(f.found[target], func(c Cause) bool {
			return c.Evidence == Repair && !c.generic() && !c.chance && !c.odd && !c.joined
		})
	})
}

// trials are the changes of one attempt, made one after the other in one copy of its tree.
type trials struct {
	*finder
	program *notation.Program
	list    []slips.Slip
	first   []int           // the cases, one that differs first
	feeding map[string]bool // names that wrong targets come from; nil for all
	seen    map[string]bool
	own     map[string]bool               // names that the attempt binds
	idle    int                           // reductions of scalars in the attempt; -1 until counted
	written map[notation.Statement]string // statements as they are without a change
	checker *evaluate.Checker
	tails   map[tailKey]*tail
	places  map[notation.Statement]int // of the top level, by the statements within
}

// try makes a change, and keeps what it explains.
func (t *trials) try(s *slips.Slip) {
	f, program := t.finder, t.program
	if f.spent() {
		return
	}
	defer withTree(program)
	if writes := s.Writes(); writes != "" && t.feeding != nil && !t.feeding[writes] && !s.OfStatement() && !s.Several() {
		return // nothing that is to be explained comes from here
	}
	f.nodes -= f.size
	before := ""
	if !s.OfStatement() && !s.Several() {
		before = t.asWritten(s.Statement())
	}
	undo := s.Apply()
	tree, same := treeOf(program, s, before)
	key := string(s.Undoes) + tree
	if same || t.seen[key] || !t.sound(s) {
		undo()
		return
	}
	t.seen[key] = true
	var fixed []int
	if !f.cannotFit(program) {
		fixed = f.fixes(program, t.first, t.after(s))
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
	span := s.Span
	for _, target := range fixed {
		f.note(target, Cause{Code: s.Undoes, Evidence: Repair, Changes: 1, Change: s.Change(), Span: &span,
			part: partOf(s.Statement(), span), writes: s.Writes(), tree: tree, repaired: repaired, chance: !holds[target],
			Before: t.asWritten(s.Statement()), After: after,
			absolute: s.Adds() && strings.HasPrefix(strings.TrimPrefix(s.After(), "("), "abs("),
			restores: f.q.lines[after], unsorts: slices.Contains(s.Takes(), "sort"),
			own: s.Undoes == codes.InputOther && t.own[s.After()], adds: s.Adds(), joined: s.Joined(), odd: odd,
			apt:     s.Undoes == codes.ConstantOther && hasNumber(f.q.Reference, s.After()),
			invents: s.Undoes == codes.ConstantOther && isNumber(s.After()) && !hasNumber(f.q.Reference, s.After())})
	}
}

// asWritten is a statement as it is without a change.
func (t *trials) asWritten(s notation.Statement) string {
	text, ok := t.written[s]
	if !ok {
		text = notation.PrintStatement(s)
		t.written[s] = text
	}
	return text
}

// sound reports whether the static check finds nothing in the tree that a change has made.
func (t *trials) sound(s *slips.Slip) bool {
	if t.checker == nil || s.OfStatement() || s.Several() {
		return len(evaluate.Check(t.program, t.q.Material.Inputs)) == 0
	}
	return t.checker.Sound(s.Statement())
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
	silent := slices.DeleteFunc(slices.Clone(f.wrong), func(t int) bool { return !f.silent(t) })
	if len(silent) == 0 || f.failed {
		return
	}
	byCode := map[codes.Code][]*slips.Slip{}
	feeding := f.feeding(silent)
	for k := range f.tried.list {
		s := &f.tried.list[k]
		writes := s.Writes()
		if s.Adds() || s.Joined() || writes != "" && feeding != nil && !feeding[writes] ||
			s.Undoes == codes.ConstantOther && !hasNumber(f.q.Reference, s.After()) {
			continue
		}
		byCode[s.Undoes] = append(byCode[s.Undoes], s)
	}
	for _, code := range oneIdea {
		left := mostTwice
		for i, a := range byCode[code] {
			for _, b := range byCode[code][i+1:] {
				if left--; left < 0 || f.spent() {
					break
				}
				if !a.Span.Within(b.Span) && !b.Span.Within(a.Span) {
					f.bothChanges(a, b, silent)
				}
			}
		}
	}
}

// bothChanges makes two changes of the attempt.
func (f *finder) bothChanges(a, b *slips.Slip, silent []int) {
	program := f.tried.program
	f.nodes -= f.size
	defer withTree(program)
	var tree string
	var fixed []int
	var holds map[int]bool
	func() {
		defer a.Apply()()
		defer b.Apply()()
		if len(evaluate.Check(program, f.q.Material.Inputs)) > 0 {
			return
		}
		fixed = f.fixes(program, f.tried.first, f.tried.afterBoth(a, b))
		holds = f.holds(program, fixed)
		tree = notation.Print(program)
	}()
	for _, target := range fixed {
		if holds[target] && slices.Contains(silent, target) {
			span := a.Span // what it says is said of the tree as it was
			f.note(target, Cause{Code: a.Undoes, Evidence: Repair, Changes: 2, Change: a.Change() + "; " + b.Change(),
				Span: &span, tree: tree, repaired: tree, joined: true})
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
	outlines := map[notation.Expr]shapes.Outline{}
	shapes.Follow(program, q.Material.Known, q.Material.Counting, func(e notation.Expr, o shapes.Outline) {
		outlines[e] = o
	})
	idle := 0
	for _, s := range program.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			if c, ok := n.(*notation.Call); ok && len(c.Args) > 0 {
				fn := functions.Lookup(c.Name.Name)
				o := outlines[c.Args[0]]
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

// feeding are the names that some targets come from; nil where that may be any.
func (f *finder) feeding(targets []int) map[string]bool {
	if f.failed {
		return nil
	}
	names := map[string]bool{}
	for _, target := range targets {
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

// firstWrong orders the cases so that those that differ come first, the smallest of them before others.
func (f *finder) firstWrong() []int {
	order := make([]int, 0, len(f.q.Cases))
	var right []int
	for i := range f.q.Cases {
		wrong := false
		for _, t := range f.wrong {
			wrong = wrong || !f.right(i, t)
		}
		if wrong {
			order = append(order, i)
		} else {
			right = append(right, i)
		}
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(f.got[a].Cells, f.got[b].Cells) })
	return append(order, right...)
}

// fixes finds the wrong targets that a changed attempt makes right in all cases; a
// failed attempt is fixed as a whole or not at all. It stops at the first case that
// rules all out.
func (f *finder) fixes(program *notation.Program, order []int, begin begins) []int {
	left := slices.Clone(f.wrong)
	for _, i := range order {
		if f.spent() {
			return nil
		}
		from := begin.in(i, program)
		left = slices.DeleteFunc(left, func(t int) bool { return !from.reaches(&f.q.Targets[t]) && !f.right(i, t) })
		if len(left) == 0 || f.failed && len(left) < len(f.wrong) {
			return nil
		}
		if from.fails {
			return nil
		}
		o := f.run(i, from.program, from.inputs)
		f.carry(i, &from, o)
		if f.breaks(i, &from, o) {
			return nil
		}
		left = slices.DeleteFunc(left, func(t int) bool {
			return from.reaches(&f.q.Targets[t]) && !f.q.right(i, &f.q.Targets[t], o)
		})
		if len(left) == 0 || f.failed && len(left) < len(f.wrong) {
			return nil
		}
	}
	return left
}

// carry gives an outcome of a part of a program what names held before it that it did not bind again.
func (f *finder) carry(i int, from *start, o Outcome) {
	if from.inputs == nil {
		return
	}
	for k := range f.q.Targets {
		name := f.q.Targets[k].Name
		if v := from.inputs[name]; o.Values[name] == nil && v != nil && v != f.q.Cases[i].Inputs[name] {
			o.Values[name] = v
		}
	}
}

// breaks reports whether a changed attempt makes a target wrong that was right: then
// the change fixes nothing.
func (f *finder) breaks(i int, from *start, o Outcome) bool {
	if f.failed {
		return false
	}
	if o.Error != nil && f.q.Cases[i].Error == nil {
		return true
	}
	for k := range f.q.Targets {
		t := &f.q.Targets[k]
		if !t.Step && !slices.Contains(f.wrong, k) && from.reaches(t) && !f.q.right(i, t, o) {
			return true
		}
	}
	return false
}
