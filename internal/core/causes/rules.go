package causes

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/notation"
)

// swapped finds two outputs that are exchanged.
func (f *finder) swapped() {
	for x, a := range f.wrong {
		for _, b := range f.wrong[x+1:] {
			ta, tb := &f.q.Targets[a], &f.q.Targets[b]
			if ta.Calls != nil || tb.Calls != nil {
				continue
			}
			fits := true
			for i := range f.q.Cases {
				if f.q.Cases[i].Error != nil {
					continue
				}
				if f.got[i].Error != nil {
					fits = false
					break
				}
				expected, values := f.q.Cases[i].Expected, f.got[i].Values
				fits = fits && near(ta, expected[tb.Name], values[ta.Name]) && near(tb, expected[ta.Name], values[tb.Name])
			}
			if fits {
				for _, t := range []int{a, b} {
					f.note(t, Cause{Code: codes.OutputSwapped, Evidence: Rule, Changes: 1, Change: ta.Name + " ↔ " + tb.Name})
				}
			}
		}
	}
}

func near(t *Target, r, a *array.Array) bool {
	return r != nil && a != nil && compare.Agree(r, a, t.Tolerance, compare.Freedom{})
}

// inputChanged reads the inputs as they were, where the attempt writes into them: in
// all that follows, or in one statement.
func (f *finder) inputChanged() {
	for _, name := range f.changed {
		for only := -1; only < len(f.program.Statements); only++ {
			if f.spent() {
				return
			}
			f.readAsGiven(name, only)
		}
	}
}

// readAsGiven tries one way of reading an input as it was given; only is the statement
// that does, or -1 for all after the write.
func (f *finder) readAsGiven(name string, only int) {
	kept := name + " as given"
	program := notation.CopyProgram(f.program)
	aliases := f.program.Aliases(name)
	written, reads := false, false
	var at notation.Span
	for i, s := range program.Statements {
		before := written
		notation.Walk(s, func(n notation.Node) bool {
			switch n := n.(type) {
			case *notation.Assign:
				if n.Selection != nil && !written && aliases[n.Target.Name] {
					written, at = true, n.Span
				}
			case *notation.Name:
				if before && n.Name == name && !isTarget(s, n) && (only < 0 || only == i) {
					n.Name, reads = kept, true
				}
			}
			return true
		})
	}
	if !reads {
		return
	}
	fixed := f.fixes(program, f.firstWrong(), func(i int) (*notation.Program, map[string]*array.Array) {
		inputs := map[string]*array.Array{kept: f.q.Cases[i].Inputs[name]}
		for k, v := range f.q.Cases[i].Inputs {
			inputs[k] = v
		}
		return program, inputs
	})
	for _, t := range fixed {
		span := at
		f.note(t, Cause{Code: codes.InputChanged, Evidence: Repair, Changes: 1, Change: "`" + name +
			"` is read as it was given", Span: &span})
	}
}

func isTarget(s notation.Statement, n *notation.Name) bool {
	a, ok := s.(*notation.Assign)
	return ok && a.Target == n
}

// lastResorts are reported only where nothing else fits.
func (f *finder) lastResorts() {
	for _, target := range f.wrong {
		if len(f.found[target]) > 0 {
			continue
		}
		t := &f.q.Targets[target]
		switch {
		case f.fixedLength(t):
			f.note(target, Cause{Code: codes.LengthFixed, Evidence: Rule, Changes: 1,
				Change: "right only where the lengths are those written in"})
		case f.failed:
		case t.Calls == nil && isBound(f.program, t.Name) && !usesInputs(f.program, f.q.Material.Inputs, t.Name):
			f.note(target, Cause{Code: codes.ConstantAnswer, Evidence: Rule, Changes: 1,
				Change: "nothing of the inputs is used"})
		case f.shownOnly(t):
			f.note(target, Cause{Code: codes.ShownOnly, Evidence: Rule, Changes: 1,
				Change: "right in every shown case, wrong in held ones"})
		}
	}
}

// fixedLength: right in the cases of one shape, wrong in all others, with an int in the
// text that is a length of that shape.
func (f *finder) fixedLength(t *Target) bool {
	var right map[string]*array.Array
	for i := range f.q.Cases {
		c := &f.q.Cases[i]
		if c.Error == nil && f.q.right(i, t, f.got[i]) {
			if right != nil && !sameInputShapes(right, c.Inputs) {
				return false
			}
			right = c.Inputs
		}
	}
	if right == nil {
		return false
	}
	for i := range f.q.Cases {
		c := &f.q.Cases[i]
		if c.Error == nil && !f.q.right(i, t, f.got[i]) && sameInputShapes(right, c.Inputs) {
			return false
		}
	}
	written := false
	ends := endsOf(f.program)
	for _, s := range f.program.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			if x, ok := n.(*notation.Number); ok && x.Kind != array.Complex {
				v := x.Real
				if x.Kind == array.Int {
					v = float64(x.Int)
				}
				for _, a := range right {
					for axis := range a.Rank() {
						// The length itself, or the last position where positions stand.
						written = written || v >= 2 && (v == float64(a.Len(axis)) || ends[x] && v == float64(a.Len(axis)-1))
					}
					written = written || a.Rank() > 1 && v == float64(a.Size()) && v >= 2 || a.Rank() == 0 &&
						a.Kind() == array.Int && v == a.RealAt(0) && v >= 2
					for _, b := range right {
						// So many rows, of a length that an input holds.
						written = written || v >= 2 && a.Rank() > 0 && b.Rank() == 0 && b.Kind() == array.Int && b.RealAt(0) > 0 &&
							v == float64(a.Size())/b.RealAt(0)
					}
					for i := range a.Rank() {
						for k := i + 1; k < a.Rank(); k++ {
							written = written || v >= 2 && v == float64(a.Len(i)*a.Len(k))
						}
					}
				}
			}
			return !written
		})
	}
	return written
}

// endsOf finds the numbers of a program that stand for positions: in a selection, or at
// an end of a range.
func endsOf(p *notation.Program) map[*notation.Number]bool {
	out := map[*notation.Number]bool{}
	in := func(e notation.Expr) {
		if e != nil {
			notation.Walk(e, func(n notation.Node) bool {
				if x, ok := n.(*notation.Number); ok {
					out[x] = true
				}
				return true
			})
		}
	}
	for _, s := range p.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			switch n := n.(type) {
			case *notation.RangeExpr:
				in(n.From)
				in(n.End)
			case *notation.Selector:
				in(n.Value)
			}
			return true
		})
	}
	return out
}

func sameInputShapes(a, b map[string]*array.Array) bool {
	for name, x := range a {
		if y := b[name]; y == nil || !array.SameShape(x, y) || x.Rank() == 0 && x.Kind() == array.Int && !array.Equal(x, y) {
			return false
		}
	}
	return true
}

// usesInputs reports whether a name is computed from an input, however far back.
func usesInputs(p *notation.Program, inputs []string, name string) bool {
	names := map[string]bool{name: true}
	for grown := true; grown; {
		grown = false
		for _, s := range p.Statements {
			if !notation.BindsAny(s, names) {
				continue
			}
			notation.Walk(s, func(n notation.Node) bool {
				if x, ok := n.(*notation.Name); ok && !names[x.Name] {
					names[x.Name], grown = true, true
				}
				return true
			})
		}
	}
	return slices.ContainsFunc(inputs, func(in string) bool { return names[in] })
}

func (f *finder) shownOnly(t *Target) bool {
	shown, held := 0, 0
	for i := range f.q.Cases {
		right := f.q.right(i, t, f.got[i])
		switch {
		case f.q.Cases[i].Shown && !right:
			return false
		case f.q.Cases[i].Shown:
			shown++
		case !right:
			held++
		}
	}
	return shown > 0 && held > 0
}

// isBound reports whether a program binds a name at its top level.
func isBound(p *notation.Program, name string) bool {
	return slices.Contains(notation.Bound(p.Statements), name)
}
