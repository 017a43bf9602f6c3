package causes

import (
	"slices"

	"nimbusreach/internal/core/notation"
)

// What a person did is the same whether they wrote it in one expression, in small steps, or by functions of their own.
// Where an attempt in small steps has no explanation that says what happened, it is asked again with its steps written
// out: each name that is used once as what it holds, each call of a function of its own as what that gives.

// byExpanding looks for repairs of the attempt written out, for the targets of which no repair says what happened.
func (f *finder) byExpanding() {
	open := slices.DeleteFunc(slices.Clone(f.wrong), func(target int) bool {
		return slices.ContainsFunc(f.found[target], func(c Cause) bool {
			return c.Evidence == Repair && !c.vague() && !c.chance && !c.odd && !c.joined
		})
	})
	if len(open) == 0 || f.failed || f.spent() {
		return
	}
	program := f.expanded()
	if program == nil {
		return
	}
	g := *f
	g.program, g.found, g.kept, g.plain, g.tried = program, map[int][]Cause{}, nil, 0, nil
	if g.size = program.Nodes(); !g.isSame() {
		return
	}
	g.repairs()
	f.runs, f.cells, f.nodes = g.runs, g.cells, g.nodes
	for target, list := range g.found {
		for _, c := range list {
			if !slices.Contains(open, target) || c.chance || c.odd || c.joined || c.vague() || c.generic() && !f.silent(target) {
				continue
			}
			c.expanded, c.tree = true, "written out: "+c.tree
			c.Before, c.After = "", "" // its line stands nowhere in the attempt
			f.note(target, c)
		}
	}
}

// Told is the change as it is told: where its line stands nowhere in the attempt, that is said.
func (c Cause) Told() string {
	if c.expanded {
		return "written out, " + c.Change
	}
	return c.Change
}

// silent reports whether nothing explains a target but what fits by chance.
func (f *finder) silent(target int) bool {
	return !slices.ContainsFunc(f.found[target], func(c Cause) bool { return !c.chance })
}

// isSame reports whether the program gives what the attempt gave, in the case that is tried first.
func (f *finder) isSame() bool {
	i := f.firstWrong()[0]
	o := f.run(i, f.program, nil)
	for k := range f.q.Targets {
		t := &f.q.Targets[k]
		if t.Calls == nil && t.Holds == nil && f.got[i].Values[t.Name] != nil && !f.q.same(t, o, f.got[i]) {
			return false
		}
	}
	return true
}

// expanded is the attempt written out; nil where there is nothing to write out, or it is more than assignments that
// bind each name once.
func (f *finder) expanded() *notation.Program {
	program := notation.CopyProgram(f.program)
	own := program.Functions()
	times := map[string]int{}
	for _, in := range f.q.Material.Inputs {
		times[in]++
	}
	var list []*notation.Assign
	for _, s := range program.Statements {
		switch s := s.(type) {
		case *notation.Function:
		case *notation.Assign:
			if times[s.Target.Name]++; !s.IsWhole() || times[s.Target.Name] > 1 {
				return nil
			}
			list = append(list, s)
		default:
			return nil
		}
	}
	x := &expander{own: own, left: mostExpanded * f.size}
	changed := false
	for range mostDeep { // functions that call others
		more := false
		for _, s := range list {
			more = x.calls(s) || more
		}
		changed = changed || more
		if !more {
			break
		}
	}
	var kept []notation.Statement
	for i, s := range list {
		if f.asksFor(s.Target.Name) || !standsOnce(s.Target.Name, list[i+1:]) {
			kept = append(kept, s)
			continue
		}
		changed = true
		for _, later := range list[i+1:] {
			x.put(later, map[string]notation.Expr{s.Target.Name: s.Value})
		}
	}
	if !changed || x.left < 0 {
		return nil
	}
	for _, s := range program.Statements { // functions that are still called, or asked for
		if _, ok := s.(*notation.Function); ok {
			kept = append(kept, s)
		}
	}
	return &notation.Program{Source: program.Source, Statements: kept}
}

// Bounds on what is written out: how deep calls of functions are, and how many times as many nodes as the attempt has.
const (
	mostDeep     = 4
	mostExpanded = 3
)

// expander writes names and calls out.
type expander struct {
	own  map[string]*notation.Function
	left int64 // nodes that may still be written; nothing more is once they are used up
}

// copied is a value as it is written in one more place; nil where no more may be.
func (x *expander) copied(e notation.Expr) notation.Expr {
	notation.Walk(e, func(notation.Node) bool {
		x.left--
		return x.left >= 0
	})
	if x.left < 0 {
		return nil
	}
	return notation.CopyExpr(e)
}

// asksFor reports whether a target is, or speaks of, a name.
func (f *finder) asksFor(name string) bool {
	return slices.ContainsFunc(f.q.Targets, func(t Target) bool {
		speaks := t.Name == name
		if t.Holds != nil {
			notation.Walk(t.Holds, func(n notation.Node) bool {
				x, ok := n.(*notation.Name)
				speaks = speaks || ok && x.Name == name
				return !speaks
			})
		}
		return speaks
	})
}

// standsOnce reports whether a name is read once, and not as more than a value.
func standsOnce(name string, list []*notation.Assign) bool {
	read, slots := 0, 0
	for _, s := range list {
		notation.Walk(s.Value, func(n notation.Node) bool {
			if x, ok := n.(*notation.Name); ok && x.Name == name {
				read++
			}
			return true
		})
		notation.EachExpr(s, func(slot *notation.Expr) {
			if x, ok := (*slot).(*notation.Name); ok && x.Name == name {
				slots++
			}
		})
	}
	return read == 1 && slots == 1
}

// put writes values where names stand, which are printed with the parentheses that they need.
func (x *expander) put(s notation.Statement, values map[string]notation.Expr) {
	notation.EachExpr(s, func(slot *notation.Expr) {
		if n, ok := (*slot).(*notation.Name); ok && values[n.Name] != nil {
			if value := x.copied(values[n.Name]); value != nil {
				*slot = value
			}
		}
	})
}

// calls writes calls of functions out that are one expression, or assignments that bind each name once and one
// expression after them.
func (x *expander) calls(s *notation.Assign) bool {
	changed := false
	notation.EachExpr(s, func(slot *notation.Expr) {
		c, ok := (*slot).(*notation.Call)
		if !ok || x.own[c.Name.Name] == nil {
			return
		}
		if value := x.body(x.own[c.Name.Name], c.Args); value != nil {
			*slot, changed = value, true
		}
	})
	return changed
}

// body is what a function gives for some arguments; nil where it is no single expression.
func (x *expander) body(f *notation.Function, args []notation.Expr) notation.Expr {
	if len(args) != len(f.Params) {
		return nil
	}
	values := map[string]notation.Expr{}
	for i, p := range f.Params {
		values[p.Name] = args[i]
	}
	if f.Value != nil {
		return x.with(f.Value, values)
	}
	for i, s := range f.Body {
		switch s := s.(type) {
		case *notation.Assign:
			if !s.IsWhole() || values[s.Target.Name] != nil {
				return nil
			}
			if values[s.Target.Name] = x.with(s.Value, values); values[s.Target.Name] == nil {
				return nil
			}
		case *notation.Return:
			if i == len(f.Body)-1 {
				return x.with(s.Value, values)
			}
			return nil
		default:
			return nil
		}
	}
	return nil
}

// with is an expression with values for some names; nil where that is too much.
func (x *expander) with(e notation.Expr, values map[string]notation.Expr) notation.Expr {
	copied := x.copied(e)
	if copied == nil {
		return nil
	}
	holder := &notation.Assign{Target: &notation.Name{}, Op: "=", Value: copied}
	x.put(holder, values)
	if x.left < 0 {
		return nil
	}
	return holder.Value
}
