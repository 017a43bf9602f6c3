// Package trying answers what the student's workspace asks while a program is being written: the shape of each line
// before any run, what each line and each part of a line gives on a shown case, and where a cell of it came from. The
// service's handlers and the engine in the page call the same functions and send the same forms. It judges nothing:
// there is no reference here, and a verdict is made by package check.
package trying

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/lineage"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/shapes"
)

// Sheet is what a program is tried on: the arrays of one case, and how a run on them is bounded.
type Sheet struct {
	Case    string
	Inputs  map[string]*array.Array
	Options evaluate.Options

	names []string // the inputs that are declared
	drawn bool     // draws on the case depend on what the service alone knows
}

// ErrDraws is returned for a program that draws on a case whose draws the service alone knows.
var ErrDraws = errors.New("the program draws, and draws on these data are made by the service")

// Refusal is a request that is not answered, with what to say instead.
type Refusal struct {
	Type   string `json:"type"`
	Title  string `json:"title"`
	Status int    `json:"status"`
	Detail string `json:"detail"`
	Hint   string `json:"hint"`
}

func (r *Refusal) Error() string { return r.Detail }

// ProblemType begins the type of each problem of the API.
const ProblemType = "urn:nimbus:problem:"

// The statuses of refusals: net/http would make the page's engine half as large again.
const (
	badRequest    = 400
	unprocessable = 422
)

func refuse(status int, kind, title, detail, hint string) *Refusal {
	return &Refusal{Type: ProblemType + kind, Title: title, Status: status, Detail: detail, Hint: hint}
}

// NewSheet is a sheet of a case; names are the inputs that are declared.
func NewSheet(caseName string, names []string, inputs map[string]*array.Array, o evaluate.Options) *Sheet {
	return &Sheet{Case: caseName, Inputs: inputs, Options: o, names: names}
}

// Declared is an input as the exercise declares it: axes are null when nothing is said of its shape.
type Declared struct {
	Name string    `json:"name"`
	Axes []*string `json:"axes"`
	Kind string    `json:"kind"`
}

// Page is what the page knows of an exercise, as the service sent it.
type Page struct {
	Counting int         `json:"counting"`
	Inputs   []Declared  `json:"inputs"`
	Cases    []ShownCase `json:"cases"`
}

// Sheet is the sheet of a request on the page; ErrNoCase where the page has no such case.
func (p *Page) Sheet(in *Try) (*Sheet, error) {
	if len(in.Inputs) > 0 && len(p.Cases) > 0 {
		return Own(p.Inputs, p.Counting, in.Inputs)
	}
	for i := range p.Cases {
		c := &p.Cases[i]
		if in.Case != "" && in.Case != c.Name {
			continue
		}
		s := NewSheet(c.Name, namesOf(p.Inputs), map[string]*array.Array{}, evaluate.Options{Counting: p.Counting,
			Limits: evaluate.CheckLimits, Draw: functions.NewDrawKey(0, c.Group, c.Repeat)})
		s.drawn = c.Drawn
		for name, a := range c.Inputs {
			s.Inputs[name] = a.Array
		}
		return s, nil
	}
	return nil, ErrNoCase
}

// ErrNoCase is returned where the page has no shown case of the name.
var ErrNoCase = errors.New("the page has no such case")

// mostOwnCells bounds each array of data of one's own.
const mostOwnCells = 10_000

// OwnCase is what a case of data of one's own is called; draws on it depend on the name.
const OwnCase = "example"

// labels are those of the axes, "" for an axis without one.
func (d *Declared) labels() []string {
	out := make([]string, len(d.Axes))
	for i, label := range d.Axes {
		if label != nil {
			out[i] = *label
		}
	}
	return out
}

func namesOf(inputs []Declared) []string {
	var out []string
	for _, in := range inputs {
		out = append(out, in.Name)
	}
	return out
}

// Own is a sheet of data that somebody sent, held against what is declared.
func Own(inputs []Declared, counting int, given map[string]dataio.JSON) (*Sheet, error) {
	s := NewSheet(OwnCase, namesOf(inputs), map[string]*array.Array{}, evaluate.Options{Counting: counting,
		Limits: evaluate.CheckLimits, Draw: functions.NewDrawKey(0, OwnCase, 0)})
	unfit := func(detail, hint string) (*Sheet, error) {
		return nil, refuse(badRequest, "inputs", "These data do not fit", detail, hint)
	}
	for _, name := range slices.Sorted(maps.Keys(given)) {
		if !slices.Contains(s.names, name) {
			return unfit(fmt.Sprintf("`%s` is no input of this exercise", name),
				"its inputs are "+strings.Join(s.names, ", "))
		}
	}
	for _, in := range inputs {
		a := given[in.Name].Array
		kind, _ := array.ParseKind(in.Kind)
		switch {
		case a == nil:
			return unfit(fmt.Sprintf("there is no array for the input `%s`", in.Name), "send every input")
		case in.Axes != nil && a.Rank() != len(in.Axes):
			return unfit(fmt.Sprintf("`%s` has %d axes, and %d are declared", in.Name, a.Rank(), len(in.Axes)),
				"send an array with those axes")
		case a.Kind() > kind:
			return unfit(fmt.Sprintf("`%s` is %s, and %s is declared", in.Name, a.Kind(), kind), "send that kind")
		case a.Size() > mostOwnCells:
			return unfit(fmt.Sprintf("`%s` has %d elements, and at most %d are tried", in.Name, a.Size(), mostOwnCells),
				"send fewer")
		}
		if a = a.Widen(kind); in.Axes != nil && a.Labels() == nil {
			a = a.WithLabels(in.labels())
		}
		s.Inputs[in.Name] = a
	}
	return s, nil
}

// read parses a text and says what keeps it from running at all.
func (s *Sheet) read(text string) (*notation.Program, []*notation.Diagnostic) {
	program, errs := notation.Parse(text)
	if len(errs) == 0 {
		errs = evaluate.Check(program, s.names)
	}
	return program, errs
}

func noLines() *Lines {
	return &Lines{Lines: []Line{}, Parts: []Part{}, Notices: []*notation.Diagnostic{},
		Errors: []*notation.Diagnostic{}}
}

// Shapes tells kind and shape of every line before any run, as far as the text can be read.
func (s *Sheet) Shapes(text string) *Lines {
	out := noLines()
	program, errs := s.read(text)
	out.Errors = append(out.Errors, errs...)
	known := map[string]shapes.Outline{}
	for name, a := range s.Inputs {
		known[name] = functions.OutlineOf(a)
	}
	report := shapes.Of(program, known, s.Options.Counting)
	if len(errs) == 0 {
		out.Errors = append(out.Errors, report.Errors...)
	}
	for _, st := range report.Statements {
		line := Line{Line: program.Source.Place(st.Span).Line, Name: st.Name, Known: st.Outline.KnowsRank(),
			Shape: functions.ShapeOf(&st.Outline)}
		if st.Outline.KnowsKind() {
			line.Kind = st.Outline.Kind().String()
		}
		out.Lines = append(out.Lines, line)
	}
	return out
}

// mostTraced and mostParts bound the lines and the parts that are told.
const (
	mostTraced = 400
	mostParts  = 2000
)

// Try runs a program and says what each line and each part of a line gave.
func (s *Sheet) Try(ctx context.Context, text string) (*Lines, error) {
	out := noLines()
	program, errs := s.read(text)
	if len(errs) > 0 {
		out.Errors = errs
		return out, nil
	}
	o := s.Options
	o.Trace = func(st evaluate.Step) {
		if len(out.Lines) < mostTraced {
			out.Lines = append(out.Lines, Line{Line: program.Source.Place(st.Span).Line, Name: st.Name, Known: true,
				Kind: st.Value.Kind().String(), Shape: functions.ShapeOf(st.Value), Look: look(st.Value)})
		}
	}
	places := map[notation.Span]int{}
	o.Watch = func(e notation.Expr, v *array.Array) {
		form := formOf(e)
		at, seen := places[e.Pos()]
		if !seen {
			if form == "" || len(out.Parts) == mostParts {
				return
			}
			at = len(out.Parts)
			places[e.Pos()] = at
			out.Parts = append(out.Parts, Part{Place: program.Source.Place(e.Pos()), Form: form})
		}
		out.Parts[at].Kind, out.Parts[at].Shape, out.Parts[at].Look = v.Kind().String(), functions.ShapeOf(v), look(v)
	}
	result := evaluate.Run(ctx, program, s.Inputs, o)
	out.Notices = append(out.Notices, result.Notices...)
	if result.Error != nil {
		out.Errors = append(out.Errors, result.Error)
	}
	if s.drawn && result.Draws > 0 {
		return nil, ErrDraws
	}
	return out, nil
}

// formOf is what a part of a text is; "" for what gives nothing of its own, or was put in by us.
func formOf(e notation.Expr) string {
	if e.Pos() == (notation.Span{}) {
		return ""
	}
	switch e.(type) {
	case *notation.Unary, *notation.Binary, *notation.Compare:
		return "operator"
	case *notation.Call:
		return "call"
	case *notation.Select:
		return "selection"
	case *notation.List:
		return "list"
	case *notation.RangeExpr:
		return "range"
	case *notation.Name:
		return "name"
	}
	return ""
}

// look is a short look at a value: its first elements, to ten significant digits.
func look(v *array.Array) string {
	const most = 6
	var parts []string
	for i := range min(v.Size(), most) {
		parts = append(parts, brief(v, i))
	}
	if v.Size() > most {
		parts = append(parts, "…")
	}
	return strings.Join(parts, "  ")
}

// brief is one element; a real is rounded to ten significant digits.
func brief(v *array.Array, i int) string {
	switch v.Kind() {
	case array.Real:
		return dataio.FormatReal(tenDigits(v.RealAt(i)))
	case array.Complex:
		z := v.ComplexAt(i)
		return dataio.FormatElement(array.FromComplexes([]complex128{complex(tenDigits(real(z)), tenDigits(imag(z)))}), 0)
	}
	return dataio.FormatElement(v, i)
}

func tenDigits(x float64) float64 {
	short, err := strconv.ParseFloat(strconv.FormatFloat(x, 'g', 10, 64), 64)
	if err != nil {
		return x
	}
	return short
}

// Traced is a run whose cells can be asked where they came from.
type Traced struct {
	sheet *Sheet
	text  *notation.Source
	run   *lineage.Run
}

// Trace runs a program so that its cells can be asked for.
func (s *Sheet) Trace(ctx context.Context, text string) (*Traced, error) {
	program, errs := s.read(text)
	if len(errs) > 0 {
		return nil, refuse(unprocessable, "program", "The program does not run", errs[0].Message+".",
			errs[0].Hint)
	}
	run, err := lineage.Trace(ctx, program, s.Inputs, s.Options)
	if s.drawn && run.Result.Draws > 0 {
		return nil, ErrDraws
	}
	var large *lineage.TooLarge
	if errors.As(err, &large) {
		return nil, refuse(unprocessable, "too-large", "Too large to be traced", large.Error()+".",
			"take a smaller case, or data of your own")
	}
	if err != nil {
		return nil, err
	}
	return &Traced{s, program.Source, run}, nil
}

// Cell says where a cell came from of what a line gave, or what a cell of an input went into.
func (t *Traced) Cell(in *TraceCell) (*Lineage, error) {
	steps := t.run.Steps()
	of, found := t.sheet.Inputs[in.Input], in.Input != ""
	if !found && in.Step >= 0 && in.Step < len(steps) {
		of = steps[in.Step].Value
	}
	if of == nil || in.Cell < 0 || in.Cell >= of.Size() {
		what := fmt.Sprintf("line %d", in.Step)
		if found {
			what = fmt.Sprintf("the input `%s`", in.Input)
		}
		return nil, refuse(unprocessable, "cell", "There is no such cell",
			fmt.Sprintf("The program gives %d lines, and what was asked for is cell %d of %s.", len(steps), in.Cell, what),
			"try the program again")
	}
	counting, inputs := t.sheet.Options.Counting, t.sheet.Inputs
	if len(in.Have) > 0 {
		inputs = nil
	}
	array := func(step int) *dataio.JSON {
		if slices.Contains(in.Have, step) {
			return nil
		}
		return &dataio.JSON{Array: steps[step].Value}
	}
	position := lineage.PositionOf(of.Shape(), in.Cell, 0)
	var out *Lineage
	if found {
		out = NewLineage(t.sheet.Case, in.Input, position, inputs, counting)
		out.Yours = t.forward(in.Input, in.Cell)
	} else {
		out = NewLineage(t.sheet.Case, steps[in.Step].Name, position, inputs, counting)
		out.Value = array(in.Step)
		out.Yours = NewOrigin(t.run.OfStep(in.Step, in.Cell), t.sheet.Inputs, counting, t.text)
	}
	for i := range out.Yours.Lines {
		l := &out.Yours.Lines[i]
		l.Array = array(l.Step)
	}
	return out, nil
}

// forward is what a cell of an input went into, as an origin that has lines alone.
func (t *Traced) forward(input string, cell int) *Origin {
	made, steps := t.run.From(input, cell)
	values := map[string]*array.Array{}
	for name := range made {
		values[name] = t.run.Result.Value(name)
	}
	out := NewOrigin(&lineage.Origin{Inputs: made, Steps: steps}, values, t.sheet.Options.Counting, t.text)
	out.Value, out.Choice = map[string]Runs{}, map[string]Runs{}
	if len(made) == 0 {
		out.Words = "nothing"
	}
	return out
}

// NewLineage is an answer of where a cell came from, without its sides; cell counts from 0.
func NewLineage(caseName, name string, cell []int, inputs map[string]*array.Array, counting int) *Lineage {
	out := &Lineage{Case: caseName, Name: name, Counting: counting, Cell: []int{}, Inputs: map[string]dataio.JSON{}}
	for _, at := range cell {
		out.Cell = append(out.Cell, at+counting)
	}
	for name, a := range inputs {
		out.Inputs[name] = dataio.JSON{Array: a}
	}
	return out
}

// NewOrigin is an origin as it is sent; its lines are those of a text, none without one. nil gives nil.
func NewOrigin(o *lineage.Origin, inputs map[string]*array.Array, counting int, text *notation.Source) *Origin {
	if o == nil {
		return nil
	}
	out := &Origin{Words: o.Told(inputs, counting), Value: map[string]Runs{}, Choice: map[string]Runs{},
		Lines: []OriginLine{}}
	for name, cells := range o.Inputs {
		if at := cells.Runs(lineage.Value); len(at) > 0 {
			out.Value[name] = at
		}
		if at := cells.Runs(lineage.Choice); len(at) > 0 {
			out.Choice[name] = at
		}
	}
	if text == nil {
		return out
	}
	for _, s := range o.Steps {
		out.Lines = append(out.Lines, OriginLine{Line: text.Place(s.Span).Line, Name: s.Name, Step: s.Step,
			Value: s.Cells.Runs(lineage.Value), Choice: s.Cells.Runs(lineage.Choice)})
	}
	return out
}
