package api

import (
	"errors"
	"fmt"
	"net/http"
	"time"
	"unicode/utf8"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/trying"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/budget"
	"nimbusreach/internal/service/store"
	"nimbusreach/internal/service/teaching"
)

// tried reads a program to be tried, and what it is tried on.
func (r *request) tried(form any, in *wire.Try) (*trying.Sheet, error) {
	c, role, content, err := r.opened(access.See)
	if err != nil {
		return nil, err
	}
	e := content.Find(r.Params("exercise"))
	if e == nil {
		return nil, store.ErrNotFound
	}
	if err := acceptsLooking(e, role, r.Store.Now()); err != nil {
		return nil, err
	}
	if err := r.json(form); err != nil {
		return nil, err
	}
	if err := r.predictionsMade(c, e, role); err != nil {
		return nil, err // its shapes would answer the questions
	}
	p, err := r.Library.Exercise(r.Context(), *c.CurrentRevisionID, e.Name)
	if err != nil {
		return nil, err
	}
	for i := range p.Cases {
		if x := &p.Cases[i]; x.Shown && (in.Case == "" || x.Name == in.Case) {
			if len(in.Inputs) > 0 {
				return trying.Own(declaredOf(p.Exercise), p.Exercise.Counting, in.Inputs)
			}
			return sheetOf(p, x), nil
		}
	}
	return nil, store.ErrNotFound
}

// sheetOf is a case for trying a program on it.
func sheetOf(p *check.Prepared, c *check.PreparedCase) *trying.Sheet {
	return trying.NewSheet(c.Name, p.Exercise.InputNames(), c.Inputs, p.Options(c))
}

func declaredOf(e *exercise.Exercise) []trying.Declared {
	var out []trying.Declared
	for _, in := range e.Inputs {
		out = append(out, trying.Declared{Name: in.Name, Axes: labels(in.HasAxes, in.Axes), Kind: in.Kind.String()})
	}
	return out
}

// shapesOf tells kind and shape of every line before any run.
func shapesOf(r *request) error {
	var in wire.Try
	sheet, err := r.tried(&in, &in)
	if err != nil {
		return err
	}
	_, done, err := r.work(budget.Look)
	if err != nil {
		return err
	}
	defer done()
	return r.JSON(sheet.Shapes(in.Program))
}

// try runs a program on a shown case and says what each statement gave.
func try(r *request) error {
	var in wire.Try
	sheet, err := r.tried(&in, &in)
	if err != nil {
		return err
	}
	out, err := r.lines(sheet, in.Program)
	if err != nil {
		return err
	}
	return r.JSON(out)
}

// lines runs a program and says what each statement gave.
func (r *request) lines(sheet *trying.Sheet, program string) (*wire.Lines, error) {
	ctx, done, err := r.looking()
	if err != nil {
		return nil, err
	}
	defer done()
	return sheet.Try(ctx, program)
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
			lines, err := r.lines(sheetOf(p, x), e.Reference)
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
