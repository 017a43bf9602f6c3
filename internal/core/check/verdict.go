package check

import (
	"encoding/json"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/core/lineage"
	"nimbusreach/internal/core/notation"
)

// Word is one of the verdicts.
type Word string

// The verdicts, in the order they are asked for.
const (
	Failed  Word = "failed"
	Differs Word = "differs"
	Refused Word = "refused"
	Agrees  Word = "agrees"
)

// Verdict is what checking says of an attempt, in the machine-readable form.
type Verdict struct {
	Verdict  Word       `json:"verdict"`
	Points   Points     `json:"points"`
	Findings []Finding  `json:"findings"`
	Causes   []Cause    `json:"causes"`
	Cases    []CaseLine `json:"cases"`
	Rules    []Rule     `json:"rules"`

	Example *Example `json:"example"` // small data on which it differs; nil where none were found

	Kind         string `json:"kind" enum:"program,results"` // of the attempt
	RulesChecked bool   `json:"rules_checked"`

	// On is the data it was judged on: all cases, those of a ticket, or the shown ones alone.
	On string `json:"on" enum:"all,own,shown"`

	// Fault is what ended the search for causes; nil where nothing did. It is for the log.
	Fault *guard.Fault `json:"-"`
}

// Points are those earned of those possible.
type Points struct {
	Earned   float64 `json:"earned"`
	Possible float64 `json:"possible"`
}

// Cause says why an output differs, with the evidence for it.
type Cause struct {
	Code       codes.Code      `json:"code"`
	Confidence string          `json:"confidence" enum:"certain,likely"`
	Output     *string         `json:"output"` // nil when it explains a failed run
	Message    string          `json:"message"`
	Evidence   string          `json:"evidence" enum:"repair,slip,transformation,rule"`
	Change     string          `json:"change"` // for the team
	Span       *notation.Place `json:"span"`   // in the attempt's own text
	Cases      int             `json:"cases"`  // in how many cases it holds
	Note       string          `json:"note,omitempty"`

	// For the team: the statement that a repair changes and what it becomes, the cases that it
	// explains, whether those are hidden ones alone, and what else fits and is not told.
	Diff       *Diff    `json:"diff,omitempty"`
	In         []string `json:"in,omitempty"`
	HiddenOnly bool     `json:"hidden_only,omitempty"`
	Rivals     []Rival  `json:"rivals,omitempty"`
}

// Diff is a statement before and after a change.
type Diff struct {
	Before string `json:"before"`
	After  string `json:"after"`
}

// Rival is an explanation that fits too, and why it is not told.
type Rival struct {
	Code     codes.Code `json:"code"`
	Evidence string     `json:"evidence" enum:"repair,slip,transformation,rule"`
	Change   string     `json:"change"`
	Why      string     `json:"why"`
}

// Finding says what differs.
type Finding struct {
	Code        codes.Code       `json:"code"`
	Case        *string          `json:"case"`   // nil when the text itself cannot run
	Output      *string          `json:"output"` // nil for an error
	Message     string           `json:"message"`
	Hint        string           `json:"hint"`
	Expected    *Side            `json:"expected"`
	Actual      *Side            `json:"actual"`
	Shapes      []notation.Shape `json:"shapes,omitempty"`
	Span        *notation.Place  `json:"span"`
	Differences *Differences     `json:"differences"`
	// MadeFrom is of a finding of a shown case that holds other values, or another shape.
	MadeFrom *MadeFrom `json:"made_from,omitempty"`
}

// Side is the kind and shape of one side of a comparison.
type Side struct {
	Kind   string
	Shape  []int
	Labels []string
}

type sideJSON struct {
	Kind  string    `json:"kind"`
	Shape []int     `json:"shape"`
	Axes  []*string `json:"axes"`
}

// MarshalJSON writes one label or null an axis.
func (s Side) MarshalJSON() ([]byte, error) {
	out := sideJSON{Kind: s.Kind, Shape: append([]int{}, s.Shape...), Axes: make([]*string, len(s.Shape))}
	for i := range out.Axes {
		if i < len(s.Labels) && s.Labels[i] != "" {
			out.Axes[i] = &s.Labels[i]
		}
	}
	return json.Marshal(out)
}

// UnmarshalJSON reads what MarshalJSON writes.
func (s *Side) UnmarshalJSON(text []byte) error {
	var in sideJSON
	if err := json.Unmarshal(text, &in); err != nil {
		return err
	}
	*s = Side{Kind: in.Kind, Shape: in.Shape, Labels: make([]string, len(in.Axes))}
	for i, l := range in.Axes {
		if l != nil {
			s.Labels[i] = *l
		}
	}
	return nil
}

func sideOf(a *array.Array) *Side {
	shape := functions.ShapeOf(a)
	return &Side{Kind: a.Kind().String(), Shape: shape.Lengths, Labels: shape.Labels}
}

func (s *Side) text() string {
	if len(s.Shape) == 0 {
		return "a scalar"
	}
	return notation.Shape{Lengths: s.Shape, Labels: s.Labels, Mark: -1}.String()
}

// phrase says what an array is by its shape.
func (s *Side) phrase() string {
	if len(s.Shape) == 0 {
		return "is a scalar"
	}
	return "has the shape " + s.text()
}

// Differences say how the values of one output differ in one case.
type Differences struct {
	Count            int          `json:"count"`
	Of               int          `json:"of"`
	GreatestAbsolute Greatest     `json:"greatest_absolute"`
	GreatestRelative Greatest     `json:"greatest_relative"`
	Worst            []Difference `json:"worst"`
	Where            Where        `json:"where"`
}

// Greatest is a greatest difference and its place. Value is null when it is not finite.
type Greatest struct {
	Value    *float64 `json:"value"`
	Position []int    `json:"position"` // in the course's counting
}

// Difference is one element that differs.
type Difference struct {
	Position []int           `json:"position"`
	Expected json.RawMessage `json:"expected"`
	Actual   json.RawMessage `json:"actual"`
}

// Where is the region that holds the differences.
type Where struct {
	Region string  `json:"region"`
	Axis   *string `json:"axis"` // label, or number in the course's counting
	From   *int    `json:"from"`
	To     *int    `json:"to"`
	Step   *int    `json:"step"`
	Words  string  `json:"words"`
}

// CaseLine is one case in short.
type CaseLine struct {
	Name       string                 `json:"name"`
	Verdict    Word                   `json:"verdict"`
	Code       *codes.Code            `json:"code"` // of its first finding; null when there is none
	Statements int64                  `json:"statements"`
	Cells      int64                  `json:"cells"`
	Notices    []*notation.Diagnostic `json:"notices"`
}

// note keeps the code of a case's first finding.
func (c *CaseLine) note(code codes.Code) {
	if c.Code == nil {
		c.Code = &code
	}
}

// Rule is one rule of the exercise that the attempt breaks.
type Rule struct {
	Code    codes.Code      `json:"code"`
	Message string          `json:"message"`
	Span    *notation.Place `json:"span"`
	Cost    *CostPair       `json:"cost"`

	HeldOnly bool `json:"held_only,omitempty"` // no shown case breaks it
}

// CostPair compares the cost of the attempt with the reference's, over all cases.
type CostPair struct {
	Attempt   Cost `json:"attempt"`
	Reference Cost `json:"reference"`
}

// Cost counts statements run and cells made.
type Cost struct {
	Statements int64 `json:"statements"`
	Cells      int64 `json:"cells"`
}

func (c Cost) plus(d Cost) Cost {
	return Cost{c.Statements + d.Statements, c.Cells + d.Cells}
}

// differencesOf puts a comparison's figures into the course's counting.
func differencesOf(d *compare.Differences, r, a *array.Array, counting int) *Differences {
	out := &Differences{Count: d.Count, Of: d.Of,
		GreatestAbsolute: Greatest{Value: finite(d.GreatestAbsolute.Absolute), Position: lineage.PositionOf(r.Shape(),
			d.GreatestAbsolute.Flat, counting)},
		GreatestRelative: Greatest{Value: finite(d.GreatestRelative.Relative), Position: lineage.PositionOf(r.Shape(),
			d.GreatestRelative.Flat, counting)},
		Where: whereOf(d, r, counting)}
	for _, e := range d.Worst {
		out.Worst = append(out.Worst, Difference{Position: lineage.PositionOf(r.Shape(), e.Flat, counting),
			Expected: elementJSON(r,
				e.Flat), Actual: elementJSON(a, e.Flat)})
	}
	return out
}

func finite(v float64) *float64 {
	if v-v != 0 {
		return nil
	}
	return &v
}

func elementJSON(a *array.Array, flat int) json.RawMessage {
	return dataio.ElementJSON(a, flat)
}
