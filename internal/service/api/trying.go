package api

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/shapes"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/budget"
	"nimbusreach/internal/service/store"
	"nimbusreach/internal/service/teaching"
)

// tried reads a program to be tried, and the case it is tried on.
func (r *request) tried(form any, in *wire.Try) (*check.PreparedCase, *check.Prepared, error) {
	c, role, content, err := r.opened(access.See)
	if err != nil {
		return nil, nil, err
	}
	e := content.Find(r.Params("exercise"))
	if e == nil {
		return nil, nil, store.ErrNotFound
	}
	if err := acceptsLooking(e, role, r.Store.Now()); err != nil {
		return nil, nil, err
	}
	if err := r.json(form); err != nil {
		return nil, nil, err
	}
	if err := r.predictionsMade(c, e, role); err != nil {
		return nil, nil, err // its shapes would answer the questions
	}
	p, err := r.Library.Exercise(r.Context(), *c.CurrentRevisionID, e.Name)
	if err != nil {
		return nil, nil, err
	}
	for i := range p.Cases {
		if x := &p.Cases[i]; x.Shown && (in.Case == "" || x.Name == in.Case) {
			if len(in.Inputs) > 0 {
				x, err = ownCase(p, in.Inputs)
			}
			return x, p, err
		}
	}
	return nil, nil, store.ErrNotFound
}

// mostOwnCells bounds each array of data of one's own.
const mostOwnCells = 10_000

// ownCase is a case of data that a student sent, held against what the exercise declares.
func ownCase(p *check.Prepared, given map[string]dataio.JSON) (*check.PreparedCase, error) {
	c := &exercise.Case{Name: check.ExampleName, Group: check.ExampleName, Shown: true,
		Inputs: map[string]*array.Array{}}
	refuse := func(detail, hint string) (*check.PreparedCase, error) {
		return nil, fail(http.StatusBadRequest, "inputs", "These data do not fit", detail, hint)
	}
	for name := range given {
		if !slices.Contains(p.Exercise.InputNames(), name) {
			return refuse(fmt.Sprintf("`%s` is no input of this exercise", name),
				"its inputs are "+strings.Join(p.Exercise.InputNames(), ", "))
		}
	}
	for _, in := range p.Exercise.Inputs {
		a := given[in.Name].Array
		switch {
		case a == nil:
			return refuse(fmt.Sprintf("there is no array for the input `%s`", in.Name), "send every input")
		case in.HasAxes && a.Rank() != len(in.Axes):
			return refuse(fmt.Sprintf("`%s` has %d axes, and %d are declared", in.Name, a.Rank(), len(in.Axes)),
				"send an array with those axes")
		case a.Kind() > in.Kind:
			return refuse(fmt.Sprintf("`%s` is %s, and %s is declared", in.Name, a.Kind(), in.Kind), "send that kind")
		case a.Size() > mostOwnCells:
			return refuse(fmt.Sprintf("`%s` has %d elements, and at most %d are tried", in.Name, a.Size(), mostOwnCells),
				"send fewer")
		}
		if a = a.Widen(in.Kind); in.HasAxes && a.Labels() == nil {
			a = a.WithLabels(in.Axes)
		}
		c.Inputs[in.Name] = a
	}
	return &check.PreparedCase{Case: c}, nil
}

// shapesOf tells kind and shape of every line before any run.
func shapesOf(r *request) error {
	var in wire.Try
	c, p, err := r.tried(&in, &in)
	if err != nil {
		return err
	}
	_, done, err := r.work(budget.Look)
	if err != nil {
		return err
	}
	defer done()
	out := wire.Lines{Lines: []wire.Line{}, Parts: []wire.Part{}, Notices: []*notation.Diagnostic{},
		Errors: []*notation.Diagnostic{}}
	program, errs := notation.Parse(in.Program)
	out.Errors = append(out.Errors, errs...)
	if len(errs) == 0 {
		out.Errors = append(out.Errors, evaluate.Check(program, p.Exercise.InputNames())...)
	}
	known := map[string]shapes.Outline{}
	for name, a := range c.Inputs {
		known[name] = functions.OutlineOf(a)
	}
	report := shapes.Of(program, known, p.Exercise.Counting)
	if len(errs) == 0 {
		out.Errors = append(out.Errors, report.Errors...)
	}
	for _, s := range report.Statements {
		line := wire.Line{Line: program.Source.Place(s.Span).Line, Name: s.Name, Known: s.Outline.KnowsRank(),
			Shape: functions.ShapeOf(&s.Outline)}
		if s.Outline.KnowsKind() {
			line.Kind = s.Outline.Kind().String()
		}
		out.Lines = append(out.Lines, line)
	}
	return r.JSON(out)
}

// mostTraced bounds the lines of a trace.
const mostTraced = 400

// try runs a program on a shown case and says what each statement gave.
func try(r *request) error {
	var in wire.Try
	c, p, err := r.tried(&in, &in)
	if err != nil {
		return err
	}
	out, err := r.traced(p, c, in.Program)
	if err != nil {
		return err
	}
	return r.JSON(out)
}

// model shows the reference and what each of its statements gives on the first shown case: to the team, and to students
// once the exercise has closed for them, where it says so.
func model(r *request) error {
	c, role, content, err := r.opened(access.See)
	if err != nil {
		return err
	}
	e := content.Find(r.Params("exercise"))
	if e == nil {
		return store.ErrNotFound
	}
	given, err := r.given(c)
	if err != nil {
		return err
	}
	t := teaching.TermsOf(e, given)
	if !shows(&t, e, role, r.Store.Now()) {
		return fail(http.StatusForbidden, "model", "Not to be seen", "The reference of "+e.Title+" is not shown, or not yet.",
			"look at your verdict: it says what differs")
	}
	p, err := r.Library.Exercise(r.Context(), *c.CurrentRevisionID, e.Name)
	if err != nil {
		return err
	}
	out := wire.Model{Program: e.Reference}
	for i := range p.Cases {
		if x := &p.Cases[i]; x.Shown {
			lines, err := r.traced(p, x, e.Reference)
			if err != nil {
				return err
			}
			out.Case, out.Lines = x.Name, lines
			break
		}
	}
	return r.JSON(out)
}

// shows reports whether somebody in a role may see an exercise's reference.
func shows(t *teaching.Terms, e *exercise.Exercise, role store.Role, now time.Time) bool {
	return access.Allows(role, access.SeeTeam) || e.Model == "after-close" && t.State(now) == teaching.Closed
}

// traced runs a program on a case and says what each statement gave.
func (r *request) traced(p *check.Prepared, c *check.PreparedCase, text string) (*wire.Lines, error) {
	out := &wire.Lines{Lines: []wire.Line{}, Parts: []wire.Part{}, Notices: []*notation.Diagnostic{},
		Errors: []*notation.Diagnostic{}}
	program, errs := check.Read(p, text)
	if len(errs) > 0 {
		out.Errors = errs
		return out, nil
	}
	ctx, done, err := r.looking()
	if err != nil {
		return nil, err
	}
	defer done()
	o := p.Options(c)
	o.Trace = func(s evaluate.Step) {
		if len(out.Lines) < mostTraced {
			out.Lines = append(out.Lines, wire.Line{Line: program.Source.Place(s.Span).Line, Name: s.Name, Known: true,
				Kind: s.Value.Kind().String(), Shape: functions.ShapeOf(s.Value), Look: look(s.Value)})
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
			out.Parts = append(out.Parts, wire.Part{Place: program.Source.Place(e.Pos()), Form: form})
		}
		out.Parts[at].Kind, out.Parts[at].Shape, out.Parts[at].Look = v.Kind().String(), functions.ShapeOf(v), look(v)
	}
	result := evaluate.Run(ctx, program, c.Inputs, o)
	out.Notices = append(out.Notices, result.Notices...)
	if result.Error != nil {
		out.Errors = append(out.Errors, result.Error)
	}
	return out, nil
}

// mostParts bounds the parts of a trace.
const mostParts = 2000

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

// mostAnswered bounds an answer to a prediction, in characters.
const mostAnswered = 400

// unreadable refuses an answer that is not of the sort asked for; nothing is counted.
func unreadable(i int, err error) error {
	var u *check.Unreadable
	if !errors.As(err, &u) {
		return err
	}
	return fail(http.StatusUnprocessableEntity, "answers", "This cannot be taken",
		fmt.Sprintf("Question %d: %s; nothing was counted.", i+1, u.Error()), u.Hint)
}

// predictionsMade refuses what would answer a prediction, and attempts, until the person
// has made the exercise's predictions. The team needs none.
func (r *request) predictionsMade(c *store.Course, e *exercise.Exercise, role store.Role) error {
	if len(e.Predictions) == 0 || access.Allows(role, access.SeeTeam) {
		return nil
	}
	asks, err := r.asks(c, e)
	if err != nil || len(asks) == 0 {
		return err
	}
	f := fail(http.StatusConflict, "predictions-first", "First say what you expect",
		fmt.Sprintf("%s asks %d questions before the first attempt; nothing was handed in.", e.Title, len(asks)),
		"answer them on the exercise's page, with `nimbus attempt --predict`, or with POST …/predictions")
	f.Questions = asks
	return f
}

// asks lists the predictions that a person has still to make: all of them, or none.
func (r *request) asks(c *store.Course, e *exercise.Exercise) ([]wire.Question, error) {
	made, err := r.Store.Predictions(r.Context(), c.ID, r.who.Person.ID, e.Name)
	if err != nil || len(made) > 0 {
		return []wire.Question{}, err
	}
	mine, err := r.Store.MineIn(r.Context(), c.ID, r.who.Person.ID, e.Name)
	if err != nil || len(mine) > 0 {
		return []wire.Question{}, err // asked since; the first attempt is made
	}
	asks := make([]wire.Question, len(e.Predictions))
	for i, q := range e.Predictions {
		asks[i] = wire.Question{Ask: q.Ask, Of: q.Of, What: q.What}
	}
	return asks, nil
}

// predict keeps a student's predictions, once, and says what came of them.
func predict(r *request) error {
	c, role, content, err := r.opened(access.HandIn)
	if err != nil {
		return err
	}
	e := content.Find(r.Params("exercise"))
	if e == nil || len(e.Predictions) == 0 {
		return store.ErrNotFound
	}
	if err := acceptsLooking(e, role, r.Store.Now()); err != nil {
		return err
	}
	var in wire.Answers
	if err := r.json(&in); err != nil {
		return err
	}
	if len(in.Answers) != len(e.Predictions) {
		return fail(http.StatusUnprocessableEntity, "answers", "This cannot be taken",
			fmt.Sprintf("There are %d answers to %d questions.", len(in.Answers), len(e.Predictions)), "answer each question")
	}
	p, err := r.Library.Exercise(r.Context(), *c.CurrentRevisionID, e.Name)
	if err != nil {
		return err
	}
	ctx, done, err := r.work(budget.Look)
	if err != nil {
		return err
	}
	defer done()
	out := wire.Answered{Predictions: []check.Predicted{}}
	var list []store.Prediction
	for i, answer := range in.Answers {
		if utf8.RuneCountInString(answer) > mostAnswered {
			return fail(http.StatusUnprocessableEntity, "answers", "This cannot be taken",
				fmt.Sprintf("The answer to question %d is longer than %d characters.", i+1, mostAnswered),
				"answer with a shape, a kind, a value or an error, as is asked")
		}
		got, err := check.Predict(ctx, p, i, answer)
		if err != nil {
			return unreadable(i, err)
		}
		out.Predictions = append(out.Predictions, got)
		list = append(list, store.Prediction{PersonID: r.who.Person.ID, CourseID: c.ID, Exercise: e.Name, Ordinal: i,
			Answer: answer, IsRight: got.Right})
	}
	if err := r.Store.Predict(r.Context(), list); err != nil {
		return err
	}
	return r.JSON(out)
}
