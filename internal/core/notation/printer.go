package notation

import (
	"strconv"
	"strings"
)

// Print writes a tree as text that parses to the same tree. Parentheses of the
// tree are written; where a tree built by hand needs more, they are added.
func Print(prog *Program) string {
	var w printer
	w.statements(prog.Statements, 0)
	return w.String()
}

// PrintExpr writes one expression.
func PrintExpr(e Expr) string {
	var w printer
	w.expr(e, 0)
	return w.String()
}

// PrintStatement writes one statement, blocks included.
func PrintStatement(s Statement) string {
	var w printer
	w.statements([]Statement{s}, 0)
	return strings.TrimSuffix(w.String(), "\n")
}

type printer struct{ strings.Builder }

func (w *printer) put(parts ...string) {
	for _, s := range parts {
		w.WriteString(s)
	}
}

func (w *printer) statements(list []Statement, indent int) {
	pad := strings.Repeat("  ", indent)
	for _, s := range list {
		w.put(pad)
		w.statement(s, indent)
		w.put("\n")
	}
}

func (w *printer) block(body []Statement, indent int) {
	w.put("{\n")
	w.statements(body, indent+1)
	w.put(strings.Repeat("  ", indent), "}")
}

func (w *printer) statement(s Statement, indent int) {
	switch s := s.(type) {
	case *Assign:
		w.put(s.Target.Name)
		if s.Selection != nil {
			w.selection(s.Selection)
		}
		w.put(" ", s.Op, " ")
		w.expr(s.Value, 0)
	case *View:
		w.put("view ", s.Name.Name, " = ", s.Of.Name)
		w.selection(s.Selection)
	case *Function:
		w.put("function ", s.Name.Name, "(")
		w.names(s.Params)
		w.put(") ")
		if s.Value != nil {
			w.put("= ")
			w.expr(s.Value, 0)
			return
		}
		w.block(s.Body, indent)
	case *Each:
		w.put("each ")
		w.names(s.Names)
		w.put(" in ")
		w.list(s.Values)
		if s.Along != nil {
			w.put(" along ")
			w.axis(s.Along)
		}
		w.put(" ")
		w.block(s.Body, indent)
	case *Repeat:
		w.put("repeat up to ")
		w.expr(s.Count, levelSum)
		w.put(" until ")
		w.expr(s.Until, 0)
		w.put(" ")
		w.block(s.Body, indent)
	case *If:
		w.ifStatement(s, indent)
	case *Return:
		w.put("return ")
		w.expr(s.Value, 0)
	}
}

func (w *printer) ifStatement(s *If, indent int) {
	w.put("if ")
	w.expr(s.Condition, 0)
	w.put(" ")
	w.block(s.Then, indent)
	if s.Else == nil {
		return
	}
	w.put(" else ")
	if len(s.Else) == 1 {
		if inner, ok := s.Else[0].(*If); ok {
			w.ifStatement(inner, indent)
			return
		}
	}
	w.block(s.Else, indent)
}

func (w *printer) names(names []*Name) {
	for i, n := range names {
		if i > 0 {
			w.put(", ")
		}
		w.put(n.Name)
	}
}

func (w *printer) list(items []Expr) {
	for i, e := range items {
		if i > 0 {
			w.put(", ")
		}
		w.expr(e, 0)
	}
}

// The grammar's levels as numbers, loosest first.
const (
	levelOr = iota
	levelAnd
	levelNot
	levelCompare
	levelRange
	levelSum
	levelTerm
	levelUnary
	levelPower
	levelPostfix
)

var binaryLevels = map[string]int{"or": levelOr, "xor": levelOr, "and": levelAnd, "+": levelSum, "-": levelSum,
	"*": levelTerm, "/": levelTerm, "div": levelTerm, "mod": levelTerm, "dot": levelTerm, "^": levelPower}

func level(e Expr) int {
	switch e := e.(type) {
	case *Binary:
		return binaryLevels[e.Op]
	case *Unary:
		if e.Op == "not" {
			return levelNot
		}
		return levelUnary
	case *Number:
		if strings.HasPrefix(e.Text, "-") {
			return levelUnary
		}
	case *Compare:
		return levelCompare
	case *RangeExpr:
		return levelRange
	}
	return levelPostfix
}

// expr writes an expression where the grammar wants one of at least a level.
func (w *printer) expr(e Expr, wanted int) {
	if level(e) < wanted {
		w.put("(")
		defer w.put(")")
	}
	switch e := e.(type) {
	case *Number:
		w.put(e.Text)
	case *Truth:
		if e.Value {
			w.put("true")
		} else {
			w.put("false")
		}
	case *Name:
		w.put(e.Name)
	case *Edge:
		w.edge(e)
	case *Call:
		w.call(e)
	case *Select:
		w.expr(e.Of, levelPostfix)
		w.selection(e.Selection)
	case *Paren:
		w.put("(")
		w.expr(e.Inner, 0)
		w.put(")")
	case *List:
		w.put("[")
		w.list(e.Items)
		w.put("]")
	case *Unary:
		w.put(e.Op)
		if e.Op == "not" {
			w.put(" ")
			w.expr(e.Operand, levelNot)
		} else {
			w.expr(e.Operand, levelUnary)
		}
	case *Binary:
		w.binary(e)
	case *Compare:
		for i, x := range e.Operands {
			if i > 0 {
				w.put(" ", e.Ops[i-1], " ")
			}
			w.expr(x, levelRange)
		}
	case *RangeExpr:
		w.rangeParts(e)
	}
}

func (w *printer) binary(e *Binary) {
	if e.Op == "^" {
		w.expr(e.Left, levelPostfix)
		w.put(" ^ ")
		w.expr(e.Right, levelUnary)
		return
	}
	// The left spine is written without recursion: a sum may be very long.
	l := binaryLevels[e.Op]
	var spine []*Binary
	left := Expr(e)
	for {
		b, ok := left.(*Binary)
		if !ok || b.Op == "^" || binaryLevels[b.Op] != l {
			break
		}
		spine = append(spine, b)
		left = b.Left
	}
	w.expr(left, l)
	for i := len(spine) - 1; i >= 0; i-- {
		w.put(" ", spine[i].Op, " ")
		w.expr(spine[i].Right, l+1)
	}
}

func (w *printer) rangeParts(r *RangeExpr) {
	if r.From != nil {
		w.expr(r.From, levelSum)
		w.put(" ")
	}
	if r.End != nil {
		w.put(map[bool]string{true: "before ", false: "to "}[r.Before])
		w.expr(r.End, levelSum)
	}
	if r.By != nil {
		if r.End != nil {
			w.put(" ")
		}
		w.put("by ")
		w.expr(r.By, levelSum)
	}
}

func (w *printer) edge(e *Edge) {
	if e.Last {
		w.put("last")
	} else {
		w.put("first")
	}
}

func (w *printer) call(c *Call) {
	w.put(c.Name.Name, "(")
	w.list(c.Args)
	if c.Clause != nil {
		w.put(" ")
		w.clause(c.Clause)
	}
	for i, o := range c.Options {
		if i > 0 || len(c.Args) > 0 {
			w.put(", ")
		}
		w.put(o.Name.Name, ": ")
		w.expr(o.Value, 0)
	}
	w.put(")")
}

// PrintClause writes over or along with its axes.
func PrintClause(c *Clause) string {
	var w printer
	w.clause(c)
	return w.String()
}

// PrintAxis writes one axis of a clause.
func PrintAxis(a *Axis) string {
	var w printer
	w.axis(a)
	return w.String()
}

// PrintSelection writes a selection with its brackets.
func PrintSelection(s *Selection) string {
	var w printer
	w.selection(s)
	return w.String()
}

func (w *printer) clause(c *Clause) {
	w.put(clauseWord(c), " ")
	if c.List {
		w.put("[")
	}
	for i, a := range c.Axes {
		if i > 0 {
			w.put(", ")
		}
		w.axis(a)
	}
	if c.List {
		w.put("]")
	}
}

func (w *printer) axis(a *Axis) {
	switch {
	case a.Label != "":
		w.put(a.Label)
	case a.Number != nil:
		w.put(a.Number.Text)
	case a.Edge != nil:
		w.edge(a.Edge)
	default:
		if _, ok := a.Value.(*Paren); !ok {
			w.put("(")
			defer w.put(")")
		}
		w.expr(a.Value, 0)
	}
}

func (w *printer) selection(s *Selection) {
	w.put("[")
	if s.Paired {
		w.put("paired ")
	}
	for i, sel := range s.Selectors {
		if i > 0 {
			w.put(", ")
		}
		w.selector(sel)
	}
	w.put("]")
}

func (w *printer) selector(s *Selector) {
	if s.Label != nil {
		w.put(s.Label.Name, ": ")
	}
	if s.Except {
		w.put("except ")
	}
	switch s.Kind {
	case SelectAll:
		w.put("all")
	case SelectReversed:
		w.put("reversed")
	case SelectNew:
		w.put("new")
	case SelectRest:
		w.put("rest")
	case SelectRange:
		r := *s.Range
		if r.From != nil && r.End == nil {
			w.put("from ")
			w.expr(r.From, levelSum)
			if r.By != nil {
				w.put(" ")
				r.From = nil
				w.rangeParts(&r)
			}
			return
		}
		w.rangeParts(&r)
	default:
		w.expr(s.Value, 0)
	}
}

// ImaginaryText spells an imaginary literal.
func ImaginaryText(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) + "i" }
