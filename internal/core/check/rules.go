package check

import (
	"fmt"

	"gonum.org/v1/gonum/graph/simple"
	"gonum.org/v1/gonum/graph/topo"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/notation"
)

// loop is one place where a program loops.
type loop struct {
	span notation.Span
	what string
}

// loops finds every each, repeat and recursive function of a program.
func loops(program *notation.Program) []loop {
	var out []loop
	itself := recursive(program)
	for _, s := range program.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			switch n := n.(type) {
			case *notation.Each:
				out = append(out, loop{n.Header, "`each` goes through items one at a time"})
			case *notation.Repeat:
				out = append(out, loop{n.Header, "`repeat` loops"})
			case *notation.Function:
				if itself[n.Name.Name] {
					out = append(out, loop{n.Header, fmt.Sprintf("the function `%s` calls itself", n.Name.Name)})
				}
			}
			return true
		})
	}
	return out
}

// recursive finds the functions whose calls lead back to them: those that call
// themselves, or stand with others in a strongly connected part of the calls.
func recursive(program *notation.Program) map[string]bool {
	own, numbers, names := program.Functions(), map[string]int64{}, []string{}
	calls := simple.NewDirectedGraph()
	for name := range own {
		numbers[name] = int64(len(names))
		calls.AddNode(simple.Node(len(names)))
		names = append(names, name)
	}
	out := map[string]bool{}
	for name, f := range own {
		notation.Walk(f, func(n notation.Node) bool {
			c, ok := n.(*notation.Call)
			if !ok || own[c.Name.Name] == nil {
				return true
			}
			if c.Name.Name == name {
				out[name] = true
			} else {
				calls.SetEdge(simple.Edge{F: simple.Node(numbers[name]), T: simple.Node(numbers[c.Name.Name])})
			}
			return true
		})
	}
	for _, part := range topo.TarjanSCC(calls) {
		for _, n := range part {
			out[names[n.ID()]] = out[names[n.ID()]] || len(part) > 1
		}
	}
	return out
}

// treeRules lists the rules that a program's tree breaks.
func treeRules(e *exercise.Exercise, program *notation.Program) []Rule {
	rules := []Rule{}
	if e.Loops != exercise.LoopsAllow {
		for _, l := range loops(program) {
			place := program.Source.Place(l.span)
			rules = append(rules, Rule{Code: codes.RuleLoop, Message: l.what + "; this exercise asks for whole-array notation",
				Span: &place})
		}
	}
	if len(e.Require)+len(e.Refuse) == 0 {
		return rules
	}
	used := reachable(e, program)
	for _, word := range e.Require {
		if _, ok := used[word]; !ok {
			rules = append(rules, Rule{Code: codes.RuleRequire,
				Message: fmt.Sprintf("no result comes from `%s`, which this exercise asks for", word)})
		}
	}
	for _, word := range e.Refuse {
		if span, ok := used[word]; ok {
			place := program.Source.Place(span)
			rules = append(rules, Rule{Code: codes.RuleRefuse,
				Message: fmt.Sprintf("a result comes from `%s`, which this exercise does not allow", word), Span: &place})
		}
	}
	return rules
}

// reach follows a program from its results back to what they are made of.
type reach struct {
	own    map[string]*notation.Function
	used   map[string]notation.Span // functions, operators, each and repeat, where they occur first
	names  map[string]bool
	called map[string]bool
	makes  map[string][]*maker // by name
	next   []string            // names that matter, whose makers are still to be taken in
}

// maker is a statement that matters when a name it makes does.
type maker struct {
	of    notation.Statement
	outer *maker // the loop or branch around it
	taken bool
}

// reachable finds the functions and operators that a result is made with.
func reachable(e *exercise.Exercise, program *notation.Program) map[string]notation.Span {
	r := &reach{own: program.Functions(), used: map[string]notation.Span{}, names: map[string]bool{},
		called: map[string]bool{}, makes: map[string][]*maker{}}
	r.list(program.Statements, nil)
	for _, o := range e.Outputs {
		r.name(o.Name)
	}
	for _, s := range e.Steps {
		r.name(s.Name)
	}
	for _, q := range e.Properties {
		notation.Walk(expressionOf(q.Holds), func(n notation.Node) bool {
			if name, ok := n.(*notation.Name); ok {
				r.name(name.Name)
			}
			return true
		})
	}
	for _, f := range e.Functions {
		r.call(f.Name)
	}
	for len(r.next) > 0 {
		name := r.next[len(r.next)-1]
		r.next = r.next[:len(r.next)-1]
		for _, m := range r.makes[name] {
			for ; m != nil && !m.taken; m = m.outer {
				m.taken = true
				r.take(m.of)
			}
		}
	}
	return r.used
}

// list notes which statements make which names.
func (r *reach) list(statements []notation.Statement, outer *maker) {
	for _, s := range statements {
		m := &maker{of: s, outer: outer}
		for _, n := range notation.Affects(s) {
			r.makes[n.Name] = append(r.makes[n.Name], m)
		}
		for _, block := range notation.Blocks(s) {
			r.list(block, m)
		}
	}
}

// take takes a statement in, but not those within it.
func (r *reach) take(s notation.Statement) {
	switch s := s.(type) {
	case *notation.Assign:
		if s.Op != "=" {
			r.use(s.Op[:1], s.Span)
		}
		if s.Selection != nil {
			r.expression(s.Selection)
		}
		r.expression(s.Value)
	case *notation.View:
		r.name(s.Of.Name)
		r.name(s.Name.Name)
		r.expression(s.Selection)
	case *notation.Each:
		r.use("each", s.Header)
		for _, v := range s.Values {
			r.expression(v)
		}
	case *notation.Repeat:
		r.use("repeat", s.Header)
		r.expression(s.Count)
		r.expression(s.Until)
	case *notation.If:
		r.expression(s.Condition)
	case *notation.Return:
		r.expression(s.Value)
	}
}

// call takes all of a function in.
func (r *reach) call(name string) {
	f := r.own[name]
	if f == nil || r.called[name] {
		return
	}
	r.called[name] = true
	if f.Value != nil {
		r.expression(f.Value)
	}
	r.all(f.Body)
}

func (r *reach) all(statements []notation.Statement) {
	for _, s := range statements {
		r.take(s)
		for _, block := range notation.Blocks(s) {
			r.all(block)
		}
	}
}

func (r *reach) name(name string) {
	if !r.names[name] {
		r.names[name] = true
		r.next = append(r.next, name)
	}
}

func (r *reach) use(word string, span notation.Span) {
	if first, ok := r.used[word]; !ok || span.Start < first.Start {
		r.used[word] = span
	}
}

// expression takes every name, function and operator of an expression in.
func (r *reach) expression(n notation.Node) {
	notation.Walk(n, func(n notation.Node) bool {
		switch n := n.(type) {
		case *notation.Name:
			r.name(n.Name)
		case *notation.Call:
			if r.own[n.Name.Name] != nil {
				r.call(n.Name.Name)
			} else {
				r.use(n.Name.Name, n.Span)
			}
		case *notation.Binary:
			r.use(n.Op, n.OpSpan)
		case *notation.Unary:
			r.use(n.Op, n.Span)
		case *notation.Compare:
			for i, op := range n.Ops {
				r.use(op, n.OpSpans[i])
			}
		}
		return true
	})
}

// runRules lists the rules that the attempt's runs break.
func (t *attempt) runRules() []Rule {
	e := t.p.Exercise
	var out []Rule
	cost := &CostPair{Attempt: t.cost, Reference: t.p.cost}
	if e.InputsUnchanged && len(t.changed) > 0 {
		name := t.changed[0]
		r := Rule{Code: codes.RuleInputs, Message: fmt.Sprintf("the program writes into the input `%s`, which this "+
			"exercise asks you to leave unchanged", name), HeldOnly: !t.openly}
		if write := t.program.FirstWrite(name); write != nil {
			place := t.program.Source.Place(write.Span)
			r.Span = &place
		}
		out = append(out, r)
	}
	over := func(what string, got, reference int64, times float64) {
		if times > 0 && float64(got) > times*float64(reference) {
			out = append(out, Rule{Code: codes.RuleCost,
				Message: fmt.Sprintf("the program takes %d %s where at most %v times the reference's %d are allowed", got, what,
					times, reference), Cost: cost})
		}
	}
	over("cells", t.cost.Cells, t.p.cost.Cells, e.CostCells)
	over("statements", t.cost.Statements, t.p.cost.Statements, e.CostStatements)
	return out
}
