// Package codes holds every code that Nimbus Reach can report: errors and notices of a
// program, findings and broken rules of an attempt, causes of a difference, advice on an
// exercise. Each has a typed constant and one entry: a phrase for it, when it is reported,
// and an example that the tests run.
//
// The package names codes and explains them; it decides nothing about when one is
// reported, and imports nothing.
package codes

import "strings"

// Code names one thing that can be reported. It is the same in every surface: the command
// line, the API, the console, the records.
type Code string

// Kind is a group of codes.
type Kind string

// The kinds of codes, in the order in which lists show them.
const (
	Error   Kind = "error"   // ends a program, or keeps its text from running
	Notice  Kind = "notice"  // lets a program go on
	Finding Kind = "finding" // what differs in an attempt
	Rule    Kind = "rule"    // what the exercise asks of the program itself
	Cause   Kind = "cause"   // why an output differs
	Advice  Kind = "advice"  // what is weak in an exercise
)

// Kinds lists the kinds in their order.
var Kinds = []Kind{Error, Notice, Finding, Rule, Cause, Advice}

// Entry explains one code.
type Entry struct {
	Code  Code
	Kind  Kind
	Words string // a phrase that follows "is stuck on", without a full stop
	When  string // when it is reported, in whole sentences

	// Question is what a student is asked about a cause; "" where there is none.
	Question string

	// Example shows the code. Of an error, notice or rule it is a program that provokes
	// it; of a finding an attempt's program; of a cause "right → wrong", two expressions
	// or programs; of advice a reference that the advice can be about.
	Example string
}

// Table holds every entry: kind by kind, and the more specific of the causes first.
var Table = concat(errors, notices, findings, rules, causes, advice)

func concat(kinds ...[]Entry) []Entry {
	var all []Entry
	for _, entries := range kinds {
		all = append(all, entries...)
	}
	return all
}

var places = func() map[Code]int {
	m := make(map[Code]int, len(Table))
	for i, e := range Table {
		m[e.Code] = i
	}
	return m
}()

// Lookup finds a code's entry; false where there is no such code.
func Lookup(c Code) (Entry, bool) {
	i, ok := places[c]
	if !ok {
		return Entry{}, false
	}
	return Table[i], true
}

// Of lists the entries of one kind.
func Of(kind Kind) []Entry {
	var out []Entry
	for _, e := range Table {
		if e.Kind == kind {
			out = append(out, e)
		}
	}
	return out
}

// Is reports whether the code is of a kind.
func (c Code) Is(kind Kind) bool {
	i, ok := places[c]
	return ok && Table[i].Kind == kind
}

// Words is the phrase for the code; "" where there is no such code.
func (c Code) Words() string {
	e, _ := Lookup(c)
	return e.Words
}

// Rank is the code's place in Table: of two causes with the same evidence, the one of
// lower rank is the more specific. A code without an entry comes last.
func (c Code) Rank() int {
	if i, ok := places[c]; ok {
		return i
	}
	return len(Table)
}

// Exact reports whether a transformation of this code has no parameters that could fit by
// chance.
func (c Code) Exact() bool {
	switch c {
	case AxisOrder, AxisFlat, AxisKept, AxisDropped, SignFlipped, MaskInverted:
		return true
	}
	return false
}

// OfText reports whether the code is of an error in the text itself, found before a run.
func (c Code) OfText() bool { return strings.HasPrefix(string(c), "text.") }

// OfRun lists the errors that a run, and not the text alone, can end in.
func OfRun() []Code {
	var out []Code
	for _, e := range errors {
		if !e.Code.OfText() {
			out = append(out, e.Code)
		}
	}
	return out
}

// Strings are codes as plain text, for lists of words.
func Strings(list []Code) []string {
	out := make([]string, len(list))
	for i, c := range list {
		out[i] = string(c)
	}
	return out
}
