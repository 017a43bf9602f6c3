// Package slips holds one table of mutation operators: the small changes to a program's
// tree that stand for the mistakes people make. Made to a reference they give plausible
// wrong programs, which probing runs; made to an attempt they undo a mistake, which is
// evidence of its cause.
//
// Table has one entry for each operator: its name, the codes it gives, where it applies,
// what it changes, an example, and the functions that find its places. The walker visits
// every node of a tree once and asks each operator for the changes there.
//
// A slip changes the tree it was made from in place, and undoes that again. The package
// runs no programs and compares no values.
package slips

import (
	"slices"
	"strings"
	"unicode"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/shapes"
)

// Slip is one change of one tree.
type Slip struct {
	Operator *Operator
	Cause    codes.Code    // what it stands for when made to a reference
	Undoes   codes.Code    // what it stands for when made to an attempt
	Span     notation.Span // of what is changed

	statement notation.Statement
	selection *notation.Selection // that the change is in a selector of; nil for all else
	inside    bool                // a function, whose names are its own
	adds      bool                // puts in what other changes of its operator do not
	joined    bool
	several   bool   // changes more than one statement
	together  bool   // stands for nothing unless it is made at several places
	key       string // what it shares with others of its operator, where that is not its change
	before    func() string
	after     func() string
	apply     func() (undo func())
}

// Apply makes the change, until undo is called.
func (s *Slip) Apply() (undo func()) { return s.apply() }

// After says what is put in, in the notation.
func (s *Slip) After() string { return s.after() }

// Brings lists the functions that are called more often in what is put in than in what was there.
func (s *Slip) Brings() []string { return moreIn(called(s.after()), called(s.before())) }

// Takes lists the functions that are called less often in what is put in than in what was there.
func (s *Slip) Takes() []string { return moreIn(called(s.before()), called(s.after())) }

// Calls lists the functions that are called in what was there as well as in what is put in.
func (s *Slip) Calls() []string {
	var out []string
	after := called(s.after())
	for name := range called(s.before()) {
		if after[name] > 0 {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}

func moreIn(calls, than map[string]int) []string {
	var out []string
	for name, n := range calls {
		if n > than[name] {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}

// called counts the names that are called in a text.
func called(text string) map[string]int {
	out := map[string]int{}
	for i := range len(text) {
		if text[i] != '(' {
			continue
		}
		if name := text[strings.LastIndexFunc(text[:i], notInName)+1 : i]; name != "" {
			out[name]++
		}
	}
	return out
}

func notInName(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != '_' }

// Statement is the statement that the change is in.
func (s *Slip) Statement() notation.Statement { return s.statement }

// Writes is the name that the changed statement writes; "" where it writes none, or writes one of a function's own.
func (s *Slip) Writes() string {
	if a, ok := s.statement.(*notation.Assign); ok && !s.inside {
		return a.Target.Name
	}
	return ""
}

// Adds reports whether the change puts in an operation that was not there. A change of
// what is there is the plainer explanation.
func (s *Slip) Adds() bool { return s.Operator.Adds || s.adds }

// OfStatement reports whether the change is of a statement as a whole, which may then bind
// or share what it did not.
func (s *Slip) OfStatement() bool { return s.Operator.statement != nil }

// Joined reports whether the change is made at several places.
func (s *Slip) Joined() bool { return s.joined }

// Several reports whether more than one statement is changed.
func (s *Slip) Several() bool { return s.several }

// Change says the change in the notation: "over week → over depth".
func (s *Slip) Change() string {
	return short(s.before()) + " → " + short(s.after())
}

// mostCharacters bounds each side of a change in words.
const mostCharacters = 70

func short(text string) string {
	text = strings.Join(strings.Fields(text), " ")
	if runes := []rune(text); len(runes) > mostCharacters {
		return string(runes[:mostCharacters]) + "…"
	}
	if text == "" {
		return "nothing"
	}
	return text
}

// Line is the first line of the statement that the change is in, as written.
func (s *Slip) Line() string {
	line, _, _ := strings.Cut(notation.PrintStatement(s.statement), "\n")
	return line
}

// Material is what changes may bring in: the names, axes and numbers of the exercise.
type Material struct {
	Inputs   []string
	Counting int // what the first position is called: 0 or 1

	// Known is what is known of the inputs before a run; lengths that are given make
	// lengths that can be written in.
	Known map[string]shapes.Outline

	// Scalars holds the values of inputs without axes in the first case.
	Scalars map[string]float64

	// Feeding holds the names whose values are changed where they are bound; nil for all. Changes of
	// whole statements are made everywhere.
	Feeding map[string]bool

	// Reference is the reference's tree when the tree changed is an attempt's: its
	// literals, functions and options are material then. It is nil otherwise.
	Reference *notation.Program
}

// Of lists the slips of a program in the order of its text, and after them those that
// make one change at several places.
func Of(program *notation.Program, m *Material) []Slip {
	w := &walker{program: program, m: m, own: program.Functions(), known: map[notation.Span]shapes.Outline{}}
	report := shapes.Follow(program, m.Known, m.Counting, func(e notation.Expr, o shapes.Outline) {
		at := e.Pos()
		if _, ok := w.known[at]; !ok && at != (notation.Span{}) { // what was put in has no place
			w.known[at] = o
		}
	})
	w.names = report.Names
	w.gather()
	w.block(&program.Statements)
	joined := everywhere(w.out) // which keep what they join where it is
	list := make([]Slip, 0, len(w.out)+len(joined))
	for _, s := range w.out {
		if !s.together {
			list = append(list, s)
		}
	}
	return append(list, joined...)
}
