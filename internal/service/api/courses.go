package api

import (
	"fmt"
	"net/http"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/store"
	"nimbusreach/internal/service/teaching"
)

func ownCourses(r *request) error {
	me, err := r.me(r.who)
	if err != nil {
		return err
	}
	return r.JSON(me.Courses)
}

// opened finds a course somebody may see that is published, and its current content.
func (r *request) opened(action access.Action) (*store.Course, store.Role, *exercise.Course, error) {
	c, role, content, err := r.made(action)
	if err == nil && c.CurrentRevisionID == nil {
		err = store.ErrNotFound
	}
	return c, role, content, err
}

// made is opened for a course in which nothing may be published yet.
func (r *request) made(action access.Action) (*store.Course, store.Role, *exercise.Course, error) {
	c, role, err := r.Gate.Course(r.Context(), r.who, r.Params("course"), action)
	if err != nil {
		return nil, "", nil, err
	}
	if c.CurrentRevisionID == nil {
		return c, role, &exercise.Course{Takes: "best"}, nil
	}
	content, err := r.Library.Course(r.Context(), *c.CurrentRevisionID)
	return c, role, content, err
}

func course(r *request) error {
	c, role, content, err := r.made(access.See)
	if err != nil {
		return err
	}
	revision := 0
	if c.CurrentRevisionID != nil {
		if revision, err = r.Store.RevisionNumber(r.Context(), *c.CurrentRevisionID); err != nil {
			return err
		}
	}
	mine, err := r.mine(c, "")
	if err != nil {
		return err
	}
	given, err := r.given(c)
	if err != nil {
		return err
	}
	grades, err := r.ownGrades(c, content)
	if err != nil {
		return err
	}
	out := wire.Course{Slug: c.Slug, Title: c.Title, Role: string(role), Counting: content.Counting, Revision: revision,
		Archived: c.ArchivedAt != nil, Takes: content.Takes, Exercises: []wire.ExerciseLine{}}
	for _, e := range content.Exercises {
		one := line(e, teaching.TermsOf(e, given), mine[e.Name], r.Store.Now())
		one.Grade = grades[e.Name]
		out.Exercises = append(out.Exercises, one)
	}
	return r.JSON(out)
}

// mine sums up one's own attempts by exercise, or at one of them.
func (r *request) mine(c *store.Course, exercise string) (map[string]wire.Mine, error) {
	list, err := r.Store.MineIn(r.Context(), c.ID, r.who.Person.ID, exercise)
	if err != nil {
		return nil, err
	}
	out := map[string]wire.Mine{}
	for _, m := range list {
		out[m.Exercise] = wire.Mine{Attempts: m.Attempts, Best: m.Best, Agrees: m.Agrees, Verdict: m.Verdict,
			Newest: &m.Newest}
	}
	return out, nil
}

func line(e *exercise.Exercise, t teaching.Terms, mine wire.Mine, now time.Time) wire.ExerciseLine {
	points := e.Possible()
	topics := e.Topics
	if topics == nil {
		topics = []string{}
	}
	return wire.ExerciseLine{Name: e.Name, Title: e.Title, Topics: topics, State: t.State(now), Opens: t.Opens,
		Closes: t.Closes, Points: points, Mine: mine, Until: t.Until, Keeps: t.Keeps, Extended: t.Extended, Reason: t.Reason}
}

// looked is the exercise that a request names, where its person may look at it.
func (r *request) looked() (c *store.Course, role store.Role, content *exercise.Course, e *exercise.Exercise,
	err error) {
	if c, role, content, err = r.opened(access.See); err != nil {
		return nil, "", nil, nil, err
	}
	if e = content.Find(r.Params("exercise")); e == nil {
		return nil, "", nil, nil, store.ErrNotFound
	}
	return c, role, content, e, acceptsLooking(e, role, r.Store.Now())
}

func oneExercise(r *request) error {
	c, role, content, e, err := r.looked()
	if err != nil {
		return err
	}
	mine, err := r.mine(c, e.Name)
	if err != nil {
		return err
	}
	given, err := r.given(c)
	if err != nil {
		return err
	}
	t := teaching.TermsOf(e, given)
	out := wire.Exercise{ExerciseLine: line(e, t, mine[e.Name], r.Store.Now()), Course: c.Slug,
		Archived: c.ArchivedAt != nil,
		Counting: e.Counting, Prompt: e.Prompt,
		Starter: e.Starter, Loops: string(e.Loops), Accepts: e.Accepts, Limit: t.Limit, Model: shows(&t, e, role,
			r.Store.Now()),
		Asks:  []wire.Question{},
		Cases: []wire.ShownCase{}, Inputs: []wire.Input{}, Outputs: []wire.Output{}}
	if e.DrawsOwn() {
		out.Own = &wire.OwnData{Cases: e.OwnCount(), Within: int(e.Own.Within.Seconds()), Formats: check.Formats}
	}
	grades, err := r.ownGrades(c, content)
	if err != nil {
		return err
	}
	out.Grade = grades[e.Name]
	for _, in := range e.Inputs {
		out.Inputs = append(out.Inputs, wire.Input{Name: in.Name, Axes: labels(in.HasAxes, in.Axes), Kind: in.Kind.String(),
			Unit: in.Unit, About: in.About})
	}
	for _, o := range e.Outputs {
		out.Outputs = append(out.Outputs, wire.Output{Name: o.Name, Axes: labels(o.HasAxes, o.Axes), Unit: o.Unit,
			Points: o.Points, Present: o.Present.As, Title: o.Present.Title})
	}
	if out.Asks, err = r.asks(c, e); err != nil {
		return err
	}
	if out.Counts, err = r.counts(c, e); err != nil {
		return err
	}
	for _, x := range e.Cases {
		if !x.Shown {
			out.Held++
			continue
		}
		shown := wire.ShownCase{Name: x.Name, Inputs: map[string]dataio.JSON{}, Group: x.Group, Repeat: x.Repeat,
			Drawn: x.Seed != 0}
		for name, a := range x.Inputs {
			shown.Inputs[name] = dataio.JSON{Array: a}
		}
		out.Cases = append(out.Cases, shown)
	}
	draft, err := r.Store.DraftOf(r.Context(), c.ID, r.who.Person.ID, e.Name)
	if err != nil {
		return err
	}
	out.Draft = draftOf(draft)
	if newest := mine[e.Name].Newest; newest != nil {
		if out.Last, err = r.attemptFor(*newest); err != nil {
			return err
		}
	}
	return r.JSON(out)
}

// counts lists what earns points beside outputs, and the rules.
func (r *request) counts(c *store.Course, e *exercise.Exercise) (wire.Counts, error) {
	out := wire.Counts{Steps: []wire.CountedStep{}, Functions: []wire.CountedFunction{},
		Properties: []wire.CountedProperty{}, Predictions: []wire.CountedPrediction{}}
	for _, s := range e.Steps {
		out.Steps = append(out.Steps, wire.CountedStep{Name: s.Name, Points: s.Points})
	}
	for _, f := range e.Functions {
		out.Functions = append(out.Functions, wire.CountedFunction{Name: f.Name, Calls: f.Calls, Points: f.Points})
	}
	for _, p := range e.Properties {
		out.Properties = append(out.Properties, wire.CountedProperty{Says: p.Says, Points: p.Points})
	}
	for _, q := range e.Predictions {
		out.Predictions = append(out.Predictions, wire.CountedPrediction{Question: wire.Question{Ask: q.Ask, Of: q.Of,
			What: q.What}, Points: q.Points})
	}
	out.Rules = wire.RulesKept{Loops: string(e.Loops), Require: append([]string{}, e.Require...),
		Refuse: append([]string{}, e.Refuse...), InputsUnchanged: e.InputsUnchanged, CostCells: e.CostCells,
		CostStatements: e.CostStatements}
	return out, r.said(c, e, out.Predictions)
}

// said adds what a person predicted, and what came of it.
func (r *request) said(c *store.Course, e *exercise.Exercise, list []wire.CountedPrediction) error {
	if len(list) == 0 {
		return nil
	}
	made, err := r.Store.Predictions(r.Context(), c.ID, r.who.Person.ID, e.Name)
	if err != nil || len(made) == 0 {
		return err
	}
	p, err := r.Library.Exercise(r.Context(), *c.CurrentRevisionID, e.Name)
	if err != nil {
		return err
	}
	for _, m := range made {
		if m.Ordinal >= len(list) {
			continue // of an earlier revision
		}
		came, err := check.Predict(r.Context(), p, m.Ordinal, m.Answer)
		if err != nil {
			continue
		}
		came.Right = m.IsRight
		list[m.Ordinal].Said, list[m.Ordinal].Came = &m.Answer, &came
	}
	return nil
}

// labels lists one label or null an axis; null when nothing was declared.
func labels(declared bool, axes []string) []*string {
	if !declared {
		return nil
	}
	out := make([]*string, len(axes))
	for i := range axes {
		if axes[i] != "" {
			out[i] = &axes[i]
		}
	}
	return out
}

// acceptsLooking refuses looking at an exercise before it opens.
func acceptsLooking(e *exercise.Exercise, role store.Role, now time.Time) error {
	if t := teaching.TermsOf(e, nil); t.State(now) == teaching.Soon && !access.Allows(role, access.SeeTeam) {
		return fail(http.StatusForbidden, "not-open", "Not open yet", fmt.Sprintf("%s opens at %s.", e.Title,
			e.Opens.Format(time.RFC3339)), "come back then")
	}
	return nil
}
