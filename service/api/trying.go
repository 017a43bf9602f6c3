package api

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"

	"nimbusreach/core/array"
	"nimbusreach/core/check"
	"nimbusreach/core/dataio"
	"nimbusreach/core/evaluate"
	"nimbusreach/core/functions"
	"nimbusreach/core/notation"
	"nimbusreach/core/shapes"
	"nimbusreach/service/access"
	"nimbusreach/service/queue"
	"nimbusreach/service/store"
	"nimbusreach/service/wire"
)

// tried reads a program to be tried, and the case it is tried on.
func (r *request) tried() (*wire.Try, *check.PreparedCase, *check.Prepared, error) {
	c, role, content, err := r.opened(access.See)
	if err != nil {
		return nil, nil, nil, err
	}
	e := content.Find(r.Params("exercise"))
	if e == nil {
		return nil, nil, nil, store.ErrNotFound
	}
	if err := acceptsLooking(e, role); err != nil {
		return nil, nil, nil, err
	}
	var in wire.Try
	if err := r.json(&in); err != nil {
		return nil, nil, nil, err
	}
	p, err := r.Queue.Prepared.Exercise(r.Context(), *c.CurrentRevisionID, e.Name)
	if err != nil {
		return nil, nil, nil, err
	}
	for i := range p.Cases {
		if x := &p.Cases[i]; x.Shown && (in.Case == "" || x.Name == in.Case) {
			return &in, x, p, nil
		}
	}
	return nil, nil, nil, store.ErrNotFound
}

// shapesOf tells kind and shape of every line before any run.
func shapesOf(r *request) error {
	in, c, p, err := r.tried()
	if err != nil {
		return err
	}
	out := wire.Lines{Lines: []wire.Line{}, Notices: []*notation.Diagnostic{}, Errors: []*notation.Diagnostic{}}
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
		line := wire.Line{Line: program.Source.Place(s.Span).Line, Name: s.Name, Known: s.Outline.KnowsRank(), Shape: functions.ShapeOf(&s.Outline)}
		if s.Outline.KnowsKind() {
			line.Kind = s.Outline.Kind().String()
		}
		out.Lines = append(out.Lines, line)
	}
	return r.JSON(out)
}

// mostTraced bounds the lines of a trace.
const mostTraced = 400

// try runs a program on a shown case and tells what each statement gave.
func try(r *request) error {
	in, c, p, err := r.tried()
	if err != nil {
		return err
	}
	out := wire.Lines{Lines: []wire.Line{}, Notices: []*notation.Diagnostic{}, Errors: []*notation.Diagnostic{}}
	program, errs := check.Read(p, in.Program)
	if len(errs) > 0 {
		out.Errors = errs
		return r.JSON(out)
	}
	ctx, cancel := queue.BoundCase(context.WithoutCancel(r.Context()))
	defer cancel()
	o := p.Options(c)
	o.Trace = func(s evaluate.Step) {
		if len(out.Lines) < mostTraced {
			out.Lines = append(out.Lines, wire.Line{Line: program.Source.Place(s.Span).Line, Name: s.Name, Known: true, Kind: s.Value.Kind().String(), Shape: functions.ShapeOf(s.Value), Look: look(s.Value)})
		}
	}
	result := evaluate.Run(ctx, program, c.Inputs, o)
	out.Notices = append(out.Notices, result.Notices...)
	if result.Error != nil {
		out.Errors = append(out.Errors, result.Error)
	}
	return r.JSON(out)
}

// look is a short look at a value: its first elements.
func look(v *array.Array) string {
	const most = 6
	var parts []string
	for i := range min(v.Size(), most) {
		parts = append(parts, dataio.FormatElement(v, i))
	}
	if v.Size() > most {
		parts = append(parts, "…")
	}
	return strings.Join(parts, "  ")
}

// mostAnswered bounds an answer to a prediction, in characters.
const mostAnswered = 400

// unreadable refuses an answer that is not of the sort asked for; nothing is counted.
func unreadable(i int, err error) error {
	var u *check.Unreadable
	if !errors.As(err, &u) {
		return err
	}
	return fail(422, "answers", "This cannot be taken", fmt.Sprintf("Question %d: %s; nothing was counted.", i+1, u.Error()), u.Hint)
}

// predict keeps a student's predictions, once, and tells what came of them.
func predict(r *request) error {
	c, role, content, err := r.opened(access.HandIn)
	if err != nil {
		return err
	}
	e := content.Find(r.Params("exercise"))
	if e == nil || len(e.Predictions) == 0 {
		return store.ErrNotFound
	}
	if err := acceptsLooking(e, role); err != nil {
		return err
	}
	var in wire.Answers
	if err := r.json(&in); err != nil {
		return err
	}
	if len(in.Answers) != len(e.Predictions) {
		return fail(422, "answers", "This cannot be taken", fmt.Sprintf("There are %d answers to %d questions.", len(in.Answers), len(e.Predictions)), "answer each question")
	}
	p, err := r.Queue.Prepared.Exercise(r.Context(), *c.CurrentRevisionID, e.Name)
	if err != nil {
		return err
	}
	out := wire.Answered{Predictions: []check.Predicted{}}
	var list []store.Prediction
	for i, answer := range in.Answers {
		if utf8.RuneCountInString(answer) > mostAnswered {
			return fail(422, "answers", "This cannot be taken", fmt.Sprintf("The answer to question %d is longer than %d characters.", i+1, mostAnswered), "answer with a shape, a kind, a value or an error, as is asked")
		}
		got, err := check.Predict(r.Context(), p, i, answer)
		if err != nil {
			return unreadable(i, err)
		}
		out.Predictions = append(out.Predictions, got)
		list = append(list, store.Prediction{PersonID: r.who.Person.ID, CourseID: c.ID, Exercise: e.Name, Ordinal: i, Answer: answer, IsRight: got.Right})
	}
	if err := r.Store.Predict(r.Context(), list); err != nil {
		return err
	}
	return r.JSON(out)
}
