package functions

import "nimbusreach/internal/core/notation"

// Sketch is a call before any run: what is known of its arguments.
type Sketch struct {
	Function  *Function
	Args      []Outline
	Clause    bool  // the call has one
	Axes      []int // its axes from 0; nil when they are not known
	Options   []OptionSketch
	Counting  int
	NewLength func() Dim // a length that is not known, unlike all others
}

// OptionSketch is what is known of an option.
type OptionSketch struct {
	Name  string
	Value Outline
	Word  string
	Axes  []AxisRef // nil when they are not known
}

// option finds an option; given is false when the call has none of that name.
func (s *Sketch) option(name string) (o OptionSketch, given bool) {
	for i := range s.Options {
		if s.Options[i].Name == name {
			return s.Options[i], true
		}
	}
	return OptionSketch{}, false
}

// Outline is what a call gives, or an error that it must end in.
func (f *Function) Outline(s *Sketch) (Outline, *notation.Diagnostic) { return f.Rule(s) }
