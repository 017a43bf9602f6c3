package causes

import (
	"context"
	"maps"
	"slices"

	"nimbusreach/core/array"
	"nimbusreach/core/evaluate"
	"nimbusreach/core/functions"
	"nimbusreach/core/notation"
	"nimbusreach/core/shapes"
	"nimbusreach/core/slips"
)

// tabled is a slip of the reference with what it gives in every case.
type tabled struct {
	slip    int
	cause   string
	change  string
	got     []Outcome
	differs []bool // by target: in some case from the reference
	looped  bool   // stands for a mistake of loops alone
	adds    bool
}

// foreseen is one of the instructor's slips with what it gives.
type foreseen struct {
	cause, note, file string
	got               []Outcome
}

// tableCells bounds what one run of a slip of the table may make.
const tableCells = 2_000_000

// slipTable runs every slip of the reference on every case.
func (q *Question) slipTable() []tabled {
	program := notation.CopyProgram(q.Reference)
	list := slips.Of(program, q.Material)
	seen := map[string]bool{notation.Print(program): true}
	var out []tabled
	ctx := context.Background()
	for k := range list {
		s := &list[k]
		undo := s.Apply()
		key := s.Cause + notation.Print(program)
		if seen[key] || len(evaluate.Check(program, q.Material.Inputs)) > 0 {
			undo()
			continue
		}
		seen[key] = true
		t := tabled{slip: k, cause: s.Cause, got: make([]Outcome, len(q.Cases)), differs: make([]bool, len(q.Targets)), looped: s.Cause == "loop.last", adds: s.Adds()}
		for i := range q.Cases {
			c := q.Cases[i].Options
			q.Cases[i].Options.Limits.Cells = min(c.Limits.Cells, tableCells)
			t.got[i] = q.trimmed(q.Run(ctx, i, program, nil))
			q.Cases[i].Options = c
			for n := range q.Targets {
				t.differs[n] = t.differs[n] || !q.right(i, &q.Targets[n], t.got[i])
			}
		}
		undo()
		t.change = s.Change()
		if slices.Contains(t.differs, true) {
			out = append(out, t)
		}
	}
	return out
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
			one.got = append(one.got, q.trimmed(q.Run(context.Background(), i, program, nil)))
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
	loops := hasLoop(f.program)
	for _, target := range f.wrong {
		if t := &f.q.Targets[target]; t.Calls == nil && f.binds(t.Name) && !usesInputs(f.program, f.q.Material.Inputs, t.Name) && usesInputs(f.q.Reference, f.q.Material.Inputs, t.Name) {
			continue // what depends on nothing is like a slip by chance alone
		}
		for _, s := range f.q.foreseen {
			if f.explains(target, s.got) {
				f.note(target, Cause{Code: s.cause, Evidence: Slip, Changes: 1, Change: "as foreseen in " + s.file})
				f.note(target, Cause{Code: "foreseen", Evidence: Slip, Changes: 1, Change: "as foreseen in " + s.file, Note: s.note})
			}
		}
		for k := range f.q.table {
			s := &f.q.table[k]
			if s.differs[target] && (!s.looped || loops) && f.explains(target, s.got) {
				f.note(target, Cause{Code: s.cause, Evidence: Slip, Changes: 1, Change: s.change, adds: s.adds})
			}
		}
	}
}

func hasLoop(p *notation.Program) bool {
	found := false
	for _, s := range p.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			switch n.(type) {
			case *notation.Each, *notation.Repeat:
				found = true
			}
			return !found
		})
	}
	return found
}

// repairs tries every change of the attempt's own tree.
func (f *finder) repairs() {
	program := notation.CopyProgram(f.program)
	m := *f.q.Material
	m.Reference = f.q.Reference
	list := slips.Of(program, &m)
	seen := map[string]bool{notation.Print(program): true}
	own := ownNames(f.program, f.q)
	first := f.firstWrong()
	for k := range list {
		if f.spent() {
			return
		}
		s := &list[k]
		undo := s.Apply()
		key := s.Undoes + notation.Print(program)
		if seen[key] || len(evaluate.Check(program, f.q.Material.Inputs)) > 0 {
			undo()
			continue
		}
		seen[key] = true
		var mended []int
		if !f.cannotFit(program) {
			mended = f.mends(program, first, f.after(program, s.Statement()))
		}
		undo()
		if len(mended) == 0 {
			continue
		}
		span := s.Span
		for _, target := range mended {
			f.note(target, Cause{Code: s.Undoes, Evidence: Repair, Changes: 1, Change: s.Change(), Span: &span, own: s.Undoes == "input.other" && own[s.After()], adds: s.Adds()})
		}
	}
}

// heavy is how many cells a case makes from which on shapes are asked before a run.
const heavy = 20_000

// cannotFit reports whether a changed attempt cannot give any wrong target its shape,
// by the shapes it has before any run.
func (f *finder) cannotFit(program *notation.Program) bool {
	if f.got[0].Cells < heavy {
		return false // running it is cheaper than asking
	}
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
		for i := range o.Shape() {
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
func (f *finder) after(program *notation.Program, changed notation.Statement) func(i int) (*notation.Program, map[string]*array.Array) {
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

// ownNames are the names that an attempt binds and the reference does not.
func ownNames(program *notation.Program, q *Question) map[string]bool {
	bound := func(p *notation.Program) map[string]bool {
		out := map[string]bool{}
		for _, s := range p.Statements {
			notation.Walk(s, func(n notation.Node) bool {
				if a, ok := n.(*notation.Assign); ok {
					out[a.Target.Name] = true
				}
				return true
			})
		}
		return out
	}
	out := bound(program)
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

// mends finds the wrong targets that a changed attempt makes right in all cases; a
// failed attempt is mended as a whole or not at all. It stops at the first case that
// rules all out.
func (f *finder) mends(program *notation.Program, order []int, begin func(i int) (*notation.Program, map[string]*array.Array)) []int {
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
// the change mends nothing.
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

// pairs tries two changes of the reference, where nothing else fits.
func (f *finder) pairs() {
	for _, target := range f.wrong {
		t := &f.q.Targets[target]
		if len(f.found[target]) > 0 || f.failed || t.Calls != nil || !usesInputs(f.program, f.q.Material.Inputs, t.Name) {
			continue
		}
		f.pairsFor(target)
	}
}

func (f *finder) pairsFor(target int) {
	t := &f.q.Targets[target]
	at := f.lastCase(t)
	if at < 0 {
		return
	}
	mine, theirs := f.got[at].Values[t.Name], f.q.Cases[at].Expected[t.Name]
	if mine == nil || theirs == nil {
		return
	}
	var list []*tabled
	for k := range f.q.table {
		s := &f.q.table[k]
		if s.differs[target] && s.got[at].Error == nil && s.got[at].Values[t.Name] != nil && !s.looped {
			list = append(list, s)
		}
	}
	program := notation.CopyProgram(f.q.Reference)
	all := slips.Of(program, f.q.Material)
	shape := func(s *tabled) []int { return s.got[at].Values[t.Name].Shape() }
	order := append([]int{at}, f.firstWrong()...)
	for a := range list {
		for b := a + 1; b < len(list); b++ {
			if f.spent() {
				return
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
			undoA := all[list[a].slip].Apply()
			undoB := all[list[b].slip].Apply()
			if f.reproduces(target, program, order) {
				cause := list[a]
				if !plainB {
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
func (f *finder) reproduces(target int, program *notation.Program, order []int) bool {
	t := &f.q.Targets[target]
	for _, i := range order {
		if f.spent() {
			return false
		}
		if o := f.run(i, program, nil); !f.q.same(t, o, f.got[i]) {
			return false
		}
	}
	return true
}
