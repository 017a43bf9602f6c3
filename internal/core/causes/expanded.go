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
	g.size = program.Nodes()
	if g.size > 2*f.size || !g.isSame() {
		return
	}
	g.repairs()
	f.runs, f.cells, f.nodes = g.runs, g.cells, g.nodes
	for target, list := range g.found {
		for _, c := range list {
			if slices.Contains(open, target) && !c.generic() && !c.chance && !c.odd && !c.joined {
				c.expanded, c.tree = true, "written out: "+c.tree
				c.Before, c.After = "", "" // its line stands nowhere in the attempt
				f.note(target, c)
			}
		}
	}
}

// isSame reports whether the program gives what the attempt gave, in the case that is tried first.
func (f *finder) isSame() bool {
	i := f.firstWrong()[0]
	o := f.run(i, f.program, nil)
	for k := range f.q.Targets {
		if t := &f.q.Targets[k]; t.Calls == nil && t.Holds == nil && f.got[i].Values[t.Name] != nil && !f.q.same(t, o, f.got[i]) {
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
			if times[s.Target.Name]++; !s.IsWhole() || s.Op != "=" || times[s.Target.Name] > 1 {
				return nil
			}
			list = append(list, s)
		default:
			return nil
		}
	}
	changed := false
	for range mostDeep { // functions that call others
		more := false
		for _, s := range list {
			more = expandCalls(s, own) || more
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
			put(later, map[string]notation.Expr{s.Target.Name: s.Value})
		}
	}
	if !changed {
		return nil
	}
	for _, s := range program.Statements { // functions that are still called, or asked for
		if _, ok := s.(*notation.Function); ok {
			kept = append(kept, s)
		}
	}
	return &notation.Program{Source: program.Source, Statements: kept}
}

// mostDeep bounds how deep calls of functions are written out.
const mostDeep = 4

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

// put writes values where names stand.
func put(s notation.Statement, values map[string]notation.Expr) {
	notation.EachExpr(s, func(slot *notation.Expr) {
		if x, ok := (*slot).(*notation.Name); ok && values[x.Name] != nil {
			*slot = inParens(values[x.Name])
		}
	})
}

func inParens(e notation.Expr) notation.Expr {
	e = notation.CopyExpr(e)
	switch e.(type) {
	case *notation.Binary, *notation.Unary, *notation.Compare, *notation.RangeExpr:
		return &notation.Paren{Span: e.Pos(), Inner: e}
	}
	return e
}

// expandCalls writes calls of functions out that are one expression, or assignments that bind each name once and one
// expression after them.
func expandCalls(s *notation.Assign, own map[string]*notation.Function) bool {
	changed := false
	notation.EachExpr(s, func(slot *notation.Expr) {
		c, ok := (*slot).(*notation.Call)
		if !ok || own[c.Name.Name] == nil {
			return
		}
		if value := bodyOf(own[c.Name.Name], c.Args); value != nil {
			*slot, changed = inParens(value), true
		}
	})
	return changed
}

// bodyOf is what a function gives for some arguments; nil where it is no single expression.
func bodyOf(f *notation.Function, args []notation.Expr) notation.Expr {
	if len(args) != len(f.Params) {
		return nil
	}
	values := map[string]notation.Expr{}
	for i, p := range f.Params {
		values[p.Name] = args[i]
	}
	written := func(e notation.Expr) notation.Expr {
		holder := &notation.Assign{Target: &notation.Name{}, Op: "=", Value: notation.CopyExpr(e)}
		put(holder, values)
		return holder.Value
	}
	if f.Value != nil {
		return written(f.Value)
	}
	for i, s := range f.Body {
		switch s := s.(type) {
		case *notation.Assign:
			if !s.IsWhole() || s.Op != "=" || values[s.Target.Name] != nil {
				return nil
			}
			values[s.Target.Name] = written(s.Value)
		case *notation.Return:
			if i == len(f.Body)-1 {
				return written(s.Value)
			}
			return nil
		default:
			return nil
		}
	}
	return nil
}
