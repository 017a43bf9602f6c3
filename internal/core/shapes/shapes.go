package shapes

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// Outline is what is known of a value before any run.
type Outline = functions.Outline

// Seen is one statement and what is known of the value it binds.
type Seen struct {
	Span    notation.Span
	Name    string
	Outline Outline
}

// Report is what can be said of a text before it runs.
type Report struct {
	Statements []Seen                 // what each statement binds, in the order of the text
	Errors     []*notation.Diagnostic // errors that whoever reaches the place must meet
	Names      map[string]Outline     // at the end of the text
}

// mostCalls bounds how many calls of the text's own functions are followed, and
// mostDepth how deep.
const (
	mostCalls  = 200
	mostDepth  = 8
	mostErrors = 5
	// mostSteps bounds the statements followed. Loops are followed several times each,
	// and one inside another several times as often.
	mostSteps = 50_000
)

// Of evaluates a text. inputs are the names it is given; counting is what the first
// position is called.
func Of(program *notation.Program, inputs map[string]Outline, counting int) *Report {
	return Follow(program, inputs, counting, nil)
}

// Follow is Of that reports every expression's outline as well, inner ones first, those of a function's body for
// each of its calls; see may be nil.
func Follow(program *notation.Program, inputs map[string]Outline, counting int, see func(notation.Expr,
	Outline)) *Report {
	w := &walker{program: program, own: program.Functions(), counting: counting, report: &Report{}, see: see,
		vars: make(map[string]Outline, len(inputs)+len(program.Statements))}
	w.newLength = w.symbols.Fresh
	w.report.Statements = make([]Seen, 0, len(program.Statements))
	for name, o := range inputs {
		w.vars[name] = o
	}
	w.block(program.Statements)
	if w.givenUp() {
		w.vars = map[string]Outline{}
	}
	w.report.Names = w.vars
	for _, s := range program.Statements {
		if f, ok := s.(*notation.Function); ok && !w.called[f] {
			w.uncalled(f)
		}
	}
	r := w.report
	if w.mixed {
		slices.SortStableFunc(r.Statements, func(a, b Seen) int { return int(a.Span.Start - b.Span.Start) })
	}
	slices.SortStableFunc(r.Errors, func(a, b *notation.Diagnostic) int { return int(a.Span.Start - b.Span.Start) })
	r.Errors = slices.CompactFunc(r.Errors, func(a, b *notation.Diagnostic) bool {
		return a.Span == b.Span &&
			a.Code == b.Code
	})
	r.Errors = r.Errors[:min(len(r.Errors), mostErrors)]
	for _, d := range r.Errors {
		d.Place = program.Source.Place(d.Span)
	}
	return r
}

type walker struct {
	program  *notation.Program
	own      map[string]*notation.Function
	counting int
	report   *Report
	mixed    bool // the report's statements are not in the order of the text
	see      func(notation.Expr, Outline)
	vars     map[string]Outline
	edges    []edge // the selections open around the expression
	quiet    int    // above 0 nothing is reported
	symbols  functions.Symbols
	// newLength is symbols.Fresh, to hand on.
	newLength func() functions.Dim
	called    map[*notation.Function]bool
	calls     int
	steps     int
	depth     int
	result    *Outline // of the function being followed
}

func (w *walker) fresh() functions.Dim { return w.symbols.Fresh() }

// edge is the axis that `first` and `last` are positions of.
type edge struct {
	length functions.Dim
	known  bool // which axis it is
}

func (w *walker) fail(span notation.Span, d *notation.Diagnostic) {
	if d == nil || w.quiet > 0 || w.givenUp() {
		return
	}
	d.Span = span
	w.report.Errors = append(w.report.Errors, d)
}

// givenUp reports whether the text takes too long to follow.
func (w *walker) givenUp() bool { return w.steps > mostSteps }

func (w *walker) block(list []notation.Statement) {
	for _, s := range list {
		w.statement(s)
	}
}

func (w *walker) bind(span notation.Span, name string, o Outline) {
	if w.givenUp() {
		return
	}
	w.vars[name] = o
	if w.quiet == 0 && w.depth == 0 {
		list := w.report.Statements
		w.mixed = w.mixed || len(list) > 0 && span.Start < list[len(list)-1].Span.Start
		w.report.Statements = append(list, Seen{span, name, o})
	}
}

func (w *walker) statement(s notation.Statement) {
	if w.steps++; w.givenUp() {
		w.vars = map[string]Outline{} // of what is not followed nothing is known
		return
	}
	switch s := s.(type) {
	case *notation.Assign:
		w.assign(s)
	case *notation.View:
		of := w.variable(s.Of)
		w.forgetNumbers()
		w.bind(s.Span, s.Name.Name, w.selected(of, s.Selection))
	case *notation.Each:
		w.each(s)
	case *notation.Repeat:
		w.expr(s.Count)
		w.loop(func() {}, s.Body, func() { w.condition(s.Until, "`until`") })
	case *notation.If:
		w.condition(s.Condition, "`if`")
		w.either(s)
	case *notation.Return:
		o := w.expr(s.Value)
		if w.result == nil {
			w.result = &o
		} else {
			joined := w.result.Join(o, w.fresh)
			w.result = &joined
		}
	}
}

func (w *walker) condition(e notation.Expr, word string) {
	o := w.expr(e)
	if o.KnowsRank() && o.Rank() > 0 || o.KnowsKind() && o.KnowsRank() && o.Kind() != array.Bool {
		w.fail(e.Pos(), functions.ConditionFault(word, &o))
	}
}

func (w *walker) assign(s *notation.Assign) {
	value := w.expr(s.Value)
	if s.Selection == nil {
		if s.Op != "=" {
			old := w.variable(s.Target)
			out, d := functions.BinaryOutline(s.Op[:1], old, value, w.fresh)
			w.fail(s.Span, d)
			value = out
		}
		w.bind(s.Span, s.Target.Name, value)
		return
	}
	target := w.variable(s.Target)
	part := w.selected(target, s.Selection)
	if s.Op != "=" {
		out, d := functions.BinaryOutline(s.Op[:1], part, value, w.fresh)
		w.fail(s.Span, d)
		value = out
	}
	w.fits(s, target, part, value)
	w.forgetNumbers()
	w.bind(s.Span, s.Target.Name, target.WithoutNumbers())
}

// fits checks a value against the selection it is assigned into.
func (w *walker) fits(s *notation.Assign, target, part, value Outline) {
	n, sized := value.Size()
	emptyList := value.Is(array.Real) && (!sized || n == 0)
	if value.KnowsKind() && target.KnowsKind() && value.Kind() > target.Kind() && !emptyList {
		w.fail(s.Value.Pos(), functions.AssignKindFault(s.Target.Name, &target, &value))
		return
	}
	if !part.KnowsRank() || !value.KnowsRank() {
		return
	}
	shift := part.Rank() - value.Rank()
	clash := shift < 0
	for i := range value.Dims() {
		if clash {
			break
		}
		have, want := value.Len(i), part.Len(shift+i)
		clash = have >= 0 && want >= 0 && have != want && have != 1
	}
	if clash && !slices.ContainsFunc(part.Dims(), func(n functions.Dim) bool { return n < 0 }) {
		w.fail(s.Value.Pos(), functions.AssignFault(functions.ShapeOf(&part), &value))
	}
}

// forgetNumbers drops the ints of every name: a write through a view reaches names
// that the text does not show.
func (w *walker) forgetNumbers() {
	for name, o := range w.vars {
		if o.Numbers() != nil {
			w.vars[name] = o.WithoutNumbers()
		}
	}
}

// predefined are the names every text starts with.
func predefined(name string) bool { return slices.Contains(notation.Predefined, name) }

func (w *walker) variable(n *notation.Name) Outline {
	if o, ok := w.vars[n.Name]; ok {
		return o
	}
	if predefined(n.Name) {
		return functions.Outlined(array.Real, nil, nil)
	}
	return Outline{}
}

// uncalled follows a function that nothing calls, its arguments unknown.
func (w *walker) uncalled(f *notation.Function) {
	args := make([]Outline, len(f.Params))
	w.follow(f, args)
}
