package trying

import (
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/notation"
)

// ShownCase is a case whose data students see.
type ShownCase struct {
	Name   string                 `json:"name"`
	Inputs map[string]dataio.JSON `json:"inputs"`
	Group  string                 `json:"group"`  // with repeat, what a program's own draws depend on
	Repeat int                    `json:"repeat"` // from 0
	Drawn  bool                   `json:"drawn"`  // the data are drawn; draws on them need the service
}

// Try is a program being tried, which nobody keeps.
type Try struct {
	Program string `json:"program"`
	Case    string `json:"case"` // "" for the first shown one

	// Inputs are data of one's own in the place of a case's, for every input that is declared.
	Inputs map[string]dataio.JSON `json:"inputs,omitempty"`
}

// Line is what one statement of a program gives.
type Line struct {
	Line  int            `json:"line"`
	Name  string         `json:"name"`
	Known bool           `json:"known"`                              // false where the shape is not known before a run
	Kind  string         `json:"kind" enum:",bool,int,real,complex"` // "" when it is not known
	Shape notation.Shape `json:"shape"`
	Look  string         `json:"look"` // its first elements, to ten digits, after a run
}

// Part is what one operator, call, selection or name in a program's text gave, the last time where it ran several
// times.
type Part struct {
	notation.Place
	Form  string         `json:"form" enum:"operator,call,selection,list,range,name"`
	Kind  string         `json:"kind" enum:"bool,int,real,complex"`
	Shape notation.Shape `json:"shape"`
	Look  string         `json:"look"` // its first elements, to ten digits
}

// Lines are a program's statements: what is known of them before a run, or what they
// gave.
type Lines struct {
	Lines   []Line                 `json:"lines"`
	Parts   []Part                 `json:"parts"` // after a run, outer ones after those inside them
	Notices []*notation.Diagnostic `json:"notices"`
	Errors  []*notation.Diagnostic `json:"errors"`
}

// Lineage is where one cell came from.
type Lineage struct {
	Case     string                 `json:"case"`
	Name     string                 `json:"name"` // the output, what a line bound, or an input
	Counting int                    `json:"counting"`
	Cell     []int                  `json:"cell"` // its position
	Inputs   map[string]dataio.JSON `json:"inputs"`
	Value    *dataio.JSON           `json:"value,omitempty"` // what the line gave, where a program is tried
	Yours    *Origin                `json:"yours"`           // in the program; null where it was not traced there
	Expected *Origin                `json:"expected"`        // in the reference; null likewise
}

// Runs are cells by their places in an array's data, as runs of neighbours: where one begins, how many cells it has,
// where the next begins.
type Runs []int

// Places lists the cells one by one.
func (r Runs) Places() []int {
	out := []int{}
	for i := 0; i+1 < len(r); i += 2 {
		for k := range r[i+1] {
			out = append(out, r[i]+k)
		}
	}
	return out
}

// Origin is the cells of inputs that one cell was made from, by input: those that were operands, and those that decided
// which were used or where they went.
type Origin struct {
	Words  string          `json:"words"` // of an input's cell: what it went into
	Value  map[string]Runs `json:"value"`
	Choice map[string]Runs `json:"choice"`
	Lines  []OriginLine    `json:"lines"` // what lies on the way, by line
}

// OriginLine is the cells on the way of what one statement made.
type OriginLine struct {
	Line int    `json:"line"`
	Name string `json:"name"`
	Step int    `json:"step"` // which of the statements that ran, from 0

	// What it made, where a program is tried.
	Array  *dataio.JSON `json:"array,omitempty"`
	Value  Runs         `json:"value"`
	Choice Runs         `json:"choice"`
}

// TraceCell asks where a cell came from that a program makes, or what a cell of an input went into.
type TraceCell struct {
	Try
	Step  int    `json:"step"`            // which of the lines that Try answers with, from 0
	Input string `json:"input,omitempty"` // an input instead: its cell is followed to what was made of it
	Cell  int    `json:"cell"`            // its place in the array's data

	// Have are steps whose arrays came with an earlier answer on the same run: they are left out, and so are the inputs.
	Have []int `json:"have,omitempty"`
}
