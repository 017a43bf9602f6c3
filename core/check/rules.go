package check

import (
	"fmt"

	"nimbusreach/core/exercise"
	"nimbusreach/core/notation"
)

// loop is one place where a program goes round.
type loop struct {
	span notation.Span
	what string
}

// loops finds every each, repeat and recursive function of a program.
func loops(program *notation.Program) []loop {
	var out []loop
	own := program.Functions()
	for _, s := range program.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			switch n := n.(type) {
			case *notation.Each:
				out = append(out, loop{n.Header, "`each` goes through items one at a time"})
			case *notation.Repeat:
				out = append(out, loop{n.Header, "`repeat` goes round"})
			case *notation.Function:
				if reaches(own, n, n.Name.Name, map[string]bool{}) {
					out = append(out, loop{n.Header, fmt.Sprintf("the function `%s` calls itself", n.Name.Name)})
				}
			}
			return true
		})
	}
	return out
}

// reaches reports whether a function's calls lead to a name.
func reaches(own map[string]*notation.Function, f *notation.Function, name string, seen map[string]bool) bool {
	found := false
	notation.Walk(f, func(n notation.Node) bool {
		if c, ok := n.(*notation.Call); ok && !found {
			called := c.Name.Name
			if called == name {
				found = true
			} else if next := own[called]; next != nil && !seen[called] {
				seen[called] = true
				found = reaches(own, next, name, seen)
			}
		}
		return !found
	})
	return found
}

// treeRules tells the rules that a program's tree breaks.
func treeRules(e *exercise.Exercise, program *notation.Program) []Rule {
	rules := []Rule{}
	if e.Loops != exercise.LoopsAllow {
		for _, l := range loops(program) {
			place := program.Source.Place(l.span)
			rules = append(rules, Rule{Code: "rule.loop", Message: l.what + "; this exercise wants whole arrays", Span: &place})
		}
	}
	if len(e.Require)+len(e.Refuse) == 0 {
		return rules
	}
	used := reachable(e, program)
	for _, word := range e.Require {
		if _, ok := used[word]; !ok {
			rules = append(rules, Rule{Code: "rule.require", Message: fmt.Sprintf("no result comes from `%s`, which this exercise asks for", word)})
		}
	}
	for _, word := range e.Refuse {
		if span, ok := used[word]; ok {
			place := program.Source.Place(span)
			rules = append(rules, Rule{Code: "rule.refuse", Message: fmt.Sprintf("a result comes from `%s`, which this exercise asks to do without", word), Span: &place})
		}
	}
	return rules
}

// reach follows a program from its results back to what they are made of.
type reach struct {
	program *notation.Program
	own     map[string]*notation.Function
	used    map[string]notation.Span // functions, operators, each and repeat
	names   map[string]bool
	called  map[string]bool
	grown   bool
}

// reachable finds the functions and operators that a result is made with.
func reachable(e *exercise.Exercise, program *notation.Program) map[string]notation.Span {
	r := &reach{program: program, own: program.Functions(), used: map[string]notation.Span{}, names: map[string]bool{}, called: map[string]bool{}}
	for _, o := range e.Outputs {
		r.names[o.Name] = true
	}
	for _, s := range e.Steps {
		r.names[s.Name] = true
	}
	for _, q := range e.Properties {
		notation.Walk(expressionOf(q.Holds), func(n notation.Node) bool {
			if name, ok := n.(*notation.Name); ok {
				r.names[name.Name] = true
			}
			return true
		})
	}
	for _, f := range e.Functions {
		r.call(f.Name)
	}
	for r.grown = true; r.grown; {
		r.grown = false
		for _, s := range program.Statements {
			r.statement(s, false)
		}
	}
	return r.used
}

func (r *reach) call(name string) {
	f := r.own[name]
	if f == nil || r.called[name] {
		return
	}
	r.called[name], r.grown = true, true
	if f.Value != nil {
		r.expression(f.Value)
	}
	for _, s := range f.Body {
		r.statement(s, true)
	}
}

// statement takes a statement in when it binds a name that matters, or always inside
// functions; whether it did comes back.
func (r *reach) statement(s notation.Statement, always bool) bool {
	switch s := s.(type) {
	case *notation.Assign:
		if !always && !r.names[s.Target.Name] {
			return false
		}
		if s.Op != "=" {
			r.use(s.Op[:1], s.Span)
		}
		if s.Selection != nil {
			r.expression(s.Selection)
		}
		r.expression(s.Value)
		return true
	case *notation.View:
		if !always && !r.names[s.Name.Name] && !r.names[s.Of.Name] {
			return false
		}
		r.name(s.Of.Name)
		r.name(s.Name.Name)
		r.expression(s.Selection)
		return true
	case *notation.Each:
		taken := r.block(s.Body, always)
		for _, n := range s.Names {
			taken = taken || r.names[n.Name]
		}
		if taken {
			r.use("each", s.Header)
			for _, v := range s.Values {
				r.expression(v)
			}
		}
		return taken
	case *notation.Repeat:
		taken := r.block(s.Body, always)
		if taken {
			r.use("repeat", s.Header)
			r.expression(s.Count)
			r.expression(s.Until)
		}
		return taken
	case *notation.If:
		taken := r.block(s.Then, always)
		if r.block(s.Else, always) || taken {
			r.expression(s.Condition)
			return true
		}
	case *notation.Return:
		r.expression(s.Value)
		return true
	}
	return false
}

func (r *reach) block(list []notation.Statement, always bool) bool {
	taken := false
	for _, s := range list {
		taken = r.statement(s, always) || taken
	}
	return taken
}

func (r *reach) name(name string) {
	if !r.names[name] {
		r.names[name], r.grown = true, true
	}
}

func (r *reach) use(word string, span notation.Span) {
	if _, ok := r.used[word]; !ok {
		r.used[word], r.grown = span, true
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

// runRules tells the rules that the attempt's runs break.
func (t *attempt) runRules() []Rule {
	e := t.p.Exercise
	var out []Rule
	cost := &CostPair{Attempt: t.cost, Reference: t.p.cost}
	if e.InputsUnchanged && len(t.changed) > 0 {
		name := t.changed[0]
		r := Rule{Code: "rule.inputs", Message: fmt.Sprintf("the program writes into the input `%s`, which this exercise wants left as it is", name)}
		if span, ok := writesInto(t.program, name); ok {
			place := t.program.Source.Place(span)
			r.Span = &place
		}
		out = append(out, r)
	}
	over := func(what string, got, reference int64, times float64) {
		if times > 0 && float64(got) > times*float64(reference) {
			out = append(out, Rule{Code: "rule.cost", Message: fmt.Sprintf("the program takes %d %s where at most %v times the reference's %d are allowed", got, what, times, reference), Cost: cost})
		}
	}
	over("cells", t.cost.Cells, t.p.cost.Cells, e.CostCells)
	over("statements", t.cost.Statements, t.p.cost.Statements, e.CostStatements)
	return out
}

// writesInto finds the first statement that assigns into a name's cells, by itself or
// through a view.
func writesInto(program *notation.Program, name string) (notation.Span, bool) {
	names := map[string]bool{name: true}
	var at notation.Span
	found := false
	for _, s := range program.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			switch n := n.(type) {
			case *notation.View:
				if names[n.Of.Name] {
					names[n.Name.Name] = true
				}
			case *notation.Assign:
				if n.Selection != nil && names[n.Target.Name] && !found {
					at, found = n.Span, true
				}
			}
			return !found
		})
	}
	return at, found
}
