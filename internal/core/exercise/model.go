package exercise

import (
	"time"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/compare"
)

// Exercise is one exercise folder.
type Exercise struct {
	Name     string // of its folder
	Title    string
	Topics   []string
	Opens    *time.Time
	Closes   *time.Time
	Late     time.Duration // how long after Closes attempts are taken; 0: not at all
	Keeps    float64       // the share of its points that a late attempt keeps
	Model    string        // when students see the reference: "never" or "after-close"
	Counting int

	Inputs      []Input
	Outputs     []Output
	Steps       []Step
	Functions   []FunctionCheck
	Properties  []Property
	Predictions []Prediction
	Cases       []Case // those drawn several times stand several times
	Slips       []Foreseen
	Equivalent  []Equivalent

	Rules
	Limit   int           // attempts a student has; 0 for any number
	Wait    time.Duration // between two attempts
	Values  string        // feedback on values: "shown" or "never"
	Held    string        // feedback on held cases: HeldCode, HeldVerdict or HeldNothing
	Causes  string        // feedback on causes: "always", "after" or "never"
	After   int           // causes are reported after so many attempts
	Accepts []string      // kinds of attempt: "program", "results"
	Own     Own           // data for those who compute elsewhere

	Prompt    string
	Starter   string
	Reference string

	Dir  string // below the course folder
	file string // exercise.yaml's path, for messages
}

// File is the path of exercise.yaml, for messages.
func (e *Exercise) File() string { return e.file }

// Mark is a place in a file, for messages about what is there.
type Mark struct{ Line, Column int }

// Input declares one input array.
type Input struct {
	Name    string
	HasAxes bool
	Axes    []string // "" for an axis without label
	Kind    array.Kind
	Unit    string
	About   string
	Missing bool // empty cells are NaN
	At      Mark
}

// Output declares one name the program binds.
type Output struct {
	Name      string
	HasAxes   bool
	Axes      []string
	Unit      string
	Kind      *array.Kind // declared; nil where nothing is said
	Tolerance compare.Tolerance
	Freedom   Freedom
	Points    float64
	Present   Presentation
	At        Mark
}

// Freedom is what of an output may be otherwise: axes named by label or number, ""
// for none.
type Freedom struct {
	Ones                          bool // axes of length 1 come and go
	AnyOrder, FreeSign, FreeScale string
}

// Presentation says how a result is drawn.
type Presentation struct{ As, Title string }

// Step is a named intermediate value.
type Step struct {
	Name      string
	Points    float64
	Tolerance compare.Tolerance
	At        Mark
}

// FunctionCheck is a function the program must define, with the calls it is asked.
type FunctionCheck struct {
	Name      string
	Calls     []string
	Points    float64
	Tolerance compare.Tolerance
	At        Mark
}

// Property is an expression over inputs and outputs that must be true.
type Property struct {
	Holds, Says string
	Points      float64
	At          Mark
}

// Prediction is asked before the first attempt.
type Prediction struct {
	Ask, Of, What string
	Points        float64
	At            Mark
}

// Case is one set of inputs.
type Case struct {
	Name    string
	Group   string // the name in the file, which a drawn case shares with its repeats
	Shown   bool
	Inputs  map[string]*array.Array
	Expects codes.Code // the code of the error that is the right outcome, or ""
	Draw    *Draw      // nil when nothing of it is drawn
	Seed    uint64
	Repeat  int
	At      Mark
}

// Rules are the exercise's rules on how an answer is written.
type Rules struct {
	Loops           LoopRule
	Require, Refuse []string
	InputsUnchanged bool
	CostCells       float64 // at most so many times the reference's; 0 for no bound
	CostStatements  float64
}

// Foreseen is a wrong program the instructor foresees.
type Foreseen struct {
	File, Program string
	Cause         codes.Code
	Note          string
	At            Mark
}

// Equivalent marks a survivor of probing as one that changes nothing.
type Equivalent struct {
	Change    string
	Line      int
	Reason    string
	Reference string // of which reference: the mark falls when it changes
	At        Mark
}

// LoopRule says what a loop in an attempt means.
type LoopRule string

// The rules on loops.
const (
	LoopsAllow  LoopRule = "allow"
	LoopsWarn   LoopRule = "warn"
	LoopsRefuse LoopRule = "refuse"
)

// What students learn of a held case: its verdict and the code of its first finding, its
// verdict alone, or nothing.
const (
	HeldCode    = "code"
	HeldVerdict = "verdict"
	HeldNothing = "nothing"
)

// InputNames lists the inputs' names.
func (e *Exercise) InputNames() []string {
	names := make([]string, len(e.Inputs))
	for i, in := range e.Inputs {
		names[i] = in.Name
	}
	return names
}

// Possible is how many points a program can earn, with the predictions made before it.
func (e *Exercise) Possible() float64 {
	points := 0.0
	for _, o := range e.Outputs {
		points += o.Points
	}
	for _, s := range e.Steps {
		points += s.Points
	}
	for _, f := range e.Functions {
		points += f.Points
	}
	for _, q := range e.Properties {
		points += q.Points
	}
	for _, q := range e.Predictions {
		points += q.Points
	}
	return points
}

// Takes reports whether attempts of a kind are accepted.
func (e *Exercise) Takes(kind string) bool {
	for _, k := range e.Accepts {
		if k == kind {
			return true
		}
	}
	return false
}
