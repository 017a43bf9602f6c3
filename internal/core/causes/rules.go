package causes

import (
	"maps"
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
			if f.program != nil && (usesInputs(f.program, []string{ta.Name}, tb.Name) ||
				usesInputs(f.program, []string{tb.Name}, ta.Name)) {
				continue // one follows from the other
			}
			if ta.Calls != nil || tb.Calls != nil || ta.Holds != nil || tb.Holds != nil {
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
	fixed := f.fixes(program, f.firstWrong(), func(i int) start {
		inputs := map[string]*array.Array{kept: f.q.Cases[i].Inputs[name]}
		for k, v := range f.q.Cases[i].Inputs {
			inputs[k] = v
		}
		return start{program: program, inputs: inputs}
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
		if len(f.found[target]) > 0 || f.q.Targets[target].Holds != nil {
			continue
		}
		t := &f.q.Targets[target]
		switch {
		case f.failed:
		case t.Calls == nil && isBound(f.program, t.Name) && !usesInputs(f.program, f.q.Material.Inputs, t.Name):
			f.note(target, Cause{Code: codes.ConstantAnswer, Evidence: Rule, Changes: 1,
				Change: "nothing of the inputs is used"})
		case f.shownOnly():
			f.note(target, Cause{Code: codes.ShownOnly, Evidence: Rule, Changes: 1,
				Change: "right in every shown case, wrong in held ones"})
		}
	}
}

// usesInputs reports whether a name is computed from an input, however far back.
func usesInputs(p *notation.Program, inputs []string, name string) bool {
	names := map[string]bool{name: true}
	grow(p, names)
	return slices.ContainsFunc(inputs, func(in string) bool { return names[in] })
}

// grow adds to some names all that they are computed from, however far back. What is written
// into a view is written into what the view is of.
func grow(p *notation.Program, names map[string]bool) {
	makes := map[string][]int{} // by name, the statements that it comes from
	for i, s := range p.Statements {
		for _, name := range notation.Bound([]notation.Statement{s}) {
			makes[name] = append(makes[name], i)
		}
		if v, view := s.(*notation.View); view {
			makes[v.Of.Name] = append(makes[v.Of.Name], i)
		}
	}
	open := slices.Collect(maps.Keys(names))
	seen := make([]bool, len(p.Statements))
	for len(open) > 0 {
		name := open[len(open)-1]
		open = open[:len(open)-1]
		for _, i := range makes[name] {
			if seen[i] {
				continue
			}
			seen[i] = true
			notation.Walk(p.Statements[i], func(n notation.Node) bool {
				if x, ok := n.(*notation.Name); ok && !names[x.Name] {
					names[x.Name] = true
					open = append(open, x.Name)
				}
				return true
			})
		}
	}
}

// shownOnly reports whether the attempt is right in every shown case as a whole, and wrong
// only in held ones.
func (f *finder) shownOnly() bool {
	shown, held := false, false
	for i := range f.q.Cases {
		for _, target := range f.wrong {
			right := f.right(i, target)
			if f.q.Cases[i].Shown && !right {
				return false
			}
			shown = shown || f.q.Cases[i].Shown
			held = held || !right
		}
	}
	return shown && held
}

// isBound reports whether a program binds a name at its top level.
func isBound(p *notation.Program, name string) bool {
	return slices.Contains(notation.Bound(p.Statements), name)
}
