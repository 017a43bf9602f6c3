// Package slips holds one table of small changes to a program's tree: the mistakes
// that people make. Made to a reference they give plausible wrong programs, which
// probing runs; made to an attempt they undo a mistake, which is evidence of its cause.
//
// A slip changes the tree it was made from in place, and undoes it again. The package
// runs no programs and compares no values.
package slips

import (
	"strings"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/shapes"
)

// Slip is one change of one tree.
type Slip struct {
	Operator string        // the entry of Table that it comes from
	Cause    codes.Code    // what it stands for when made to a reference
	Undoes   codes.Code    // what it stands for when made to an attempt
	Span     notation.Span // of what is changed

	statement notation.Statement
	before    func() string
	after     func() string
	apply     func() (undo func())
}

// Apply makes the change, until undo is called.
func (s *Slip) Apply() (undo func()) { return s.apply() }

// After says what is put in, in the notation.
func (s *Slip) After() string { return s.after() }

// Statement is the statement that the change is in.
func (s *Slip) Statement() notation.Statement { return s.statement }

// mostWords bounds what a change is told in.
const mostWords = 70

// Change says the change in the notation: "over week → over depth".
func (s *Slip) Change() string {
	return short(s.before()) + " → " + short(s.after())
}

func short(text string) string {
	text = strings.Join(strings.Fields(text), " ")
	if runes := []rune(text); len(runes) > mostWords {
		return string(runes[:mostWords]) + "…"
	}
	if text == "" {
		return "nothing"
	}
	return text
}

// Line is the first line of the statement that the change is in, as it stands.
func (s *Slip) Line() string {
	line, _, _ := strings.Cut(notation.PrintStatement(s.statement), "\n")
	return line
}

// Material is what changes may bring in: names, axes and numbers that stand around.
type Material struct {
	Inputs   []string
	Counting int
	// Known is what is known of the inputs before a run; lengths that are given make
	// lengths that can be written in.
	Known map[string]shapes.Outline
	// Scalars holds the values of inputs without axes in the first case.
	Scalars map[string]float64
	// Reference is the reference's tree when the tree changed is an attempt's, whose
	// literals, functions and options then serve; nil else.
	Reference *notation.Program
}

// Of lists the slips of a program, in the order of its text.
func Of(program *notation.Program, m *Material) []Slip {
	w := &maker{program: program, m: m, own: program.Functions(), seen: map[string]bool{}}
	w.known = map[notation.Span]shapes.Outline{}
	report := shapes.Follow(program, m.Known, m.Counting, func(at notation.Span, o shapes.Outline) {
		if _, ok := w.known[at]; !ok {
			w.known[at] = o
		}
	})
	w.names = report.Names
	w.gather()
	w.block(&program.Statements)
	return append(w.out, everywhere(w.out)...)
}

// idea is what makes slips at several places one mistake: the same change, or the same
// kind of one.
type idea struct {
	operator, change string
	cause            codes.Code
	statement        notation.Statement // nil for the whole text
}

// everywhere joins slips that are one idea made at several places: the same axis taken
// for another in every call, every selection on the wrong axis.
func everywhere(list []Slip) []Slip {
	groups := map[idea][]int{}
	var order []idea
	for i := range list {
		s := &list[i]
		key := idea{operator: s.Operator, cause: s.Cause}
		switch s.Operator {
		case "axis", "function", "strict", "opposite", "keep", "transpose", "angle", "option", "missing", "name", "constant":
			key.change = s.Change()
			if s.Operator == "function" {
				// One function taken for another, whatever it is called with.
				before, _, _ := strings.Cut(s.before(), "(")
				after, _, _ := strings.Cut(s.after(), "(")
				key.change = before + " → " + after
			}
			if s.Operator == "keep" {
				key.change = "keep"
			}
		case "moved":
		default:
			continue
		}
		within := key
		within.statement = s.statement
		for _, k := range []idea{key, within} {
			if _, ok := groups[k]; !ok {
				order = append(order, k)
			}
			groups[k] = append(groups[k], i)
		}
	}
	var out []Slip
	for _, key := range order {
		group := groups[key]
		if len(group) < 2 || len(group) > 8 {
			continue
		}
		members := make([]*Slip, len(group))
		for k, i := range group {
			members[k] = &list[i]
		}
		one := *members[0]
		one.after = func() string { return members[0].after() + ", everywhere" }
		one.apply = func() func() {
			var undo []func()
			for _, m := range members {
				undo = append(undo, m.Apply())
			}
			return func() {
				for i := len(undo) - 1; i >= 0; i-- {
					undo[i]()
				}
			}
		}
		out = append(out, one)
	}
	return out
}

// Adds reports whether the change puts an operation in that was not there, so that one
// which only changes what is there explains more plainly.
func (s *Slip) Adds() bool {
	switch s.Operator {
	case "wrapped", "turned", "divided", "zeroed", "power", "new", "kept":
		return true
	}
	return false
}

// maker walks a tree and notes every change of it.
type maker struct {
	program   *notation.Program
	m         *Material
	own       map[string]*notation.Function
	known     map[notation.Span]shapes.Outline
	names     map[string]shapes.Outline
	statement notation.Statement
	bound     []string // names bound before the statement, inputs first
	loops     int
	inside    bool             // a function, which sees its own names alone
	calls     []*notation.Call // around the expression
	binaries  []*notation.Binary
	selecting int // selections around the expression
	out       []Slip
	seen      map[string]bool

	numbers   []*notation.Number // of the reference, when an attempt is changed
	functions map[string]*notation.Call
}

// gather takes the reference's literals and calls as material for an attempt.
func (w *maker) gather() {
	if w.m.Reference == nil {
		return
	}
	w.functions = map[string]*notation.Call{}
	for _, s := range w.m.Reference.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			switch n := n.(type) {
			case *notation.Number:
				w.numbers = append(w.numbers, n)
			case *notation.Call:
				if w.functions[n.Name.Name] == nil {
					w.functions[n.Name.Name] = n
				}
			}
			return true
		})
	}
}

// repairing reports whether the tree changed is an attempt's.
func (w *maker) repairing() bool { return w.m.Reference != nil }

// add notes a change.
func (w *maker) add(operator string, cause, undoes codes.Code, span notation.Span, before, after func() string, apply func() func()) {
	if w.full() {
		return
	}
	w.out = append(w.out, Slip{Operator: operator, Cause: cause, Undoes: undoes, Span: span, statement: w.statement, before: before, after: after, apply: apply})
}

// most bounds the slips of one text. Whole-array answers have some thousands; a text of
// a thousand names would have millions.
const most = 20_000

func (w *maker) full() bool { return len(w.out) >= most }

// replace notes that an expression is put in another's place.
func (w *maker) replace(operator string, cause, undoes codes.Code, slot *notation.Expr, with notation.Expr) {
	old := *slot
	w.add(operator, cause, undoes, old.Pos(),
		func() string { return notation.PrintExpr(old) }, func() string { return notation.PrintExpr(with) },
		func() func() {
			*slot = with
			return func() { *slot = old }
		})
}

// both is replace for a change that stands for one cause either way.
func (w *maker) both(operator string, cause codes.Code, slot *notation.Expr, with notation.Expr) {
	w.replace(operator, cause, cause, slot, with)
}

// outline is what is known of an expression's value.
func (w *maker) outline(e notation.Expr) shapes.Outline { return w.known[e.Pos()] }

// rank is an expression's number of axes, -1 when it is not known.
func (w *maker) rank(e notation.Expr) int {
	o := w.outline(e)
	if !o.KnowsRank() {
		return -1
	}
	return o.Rank()
}

// block walks statements.
func (w *maker) block(list *[]notation.Statement) {
	for _, s := range *list {
		if w.full() {
			return
		}
		w.statement = s
		w.oneStatement(list, s)
	}
}
