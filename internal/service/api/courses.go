package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/advice"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/probe"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/budget"
	"nimbusreach/internal/service/store"
)

var slugPattern = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

func courses(r *request) error {
	me, err := r.me(r.who)
	if err != nil {
		return err
	}
	return r.JSON(me.Courses)
}

// opened finds a course somebody may see and its current content.
func (r *request) opened(right access.Right) (*store.Course, store.Role, *exercise.Course, error) {
	c, role, err := r.Gate.Course(r.Context(), r.who, r.Params("course"), right)
	if err != nil {
		return nil, "", nil, err
	}
	if c.CurrentRevisionID == nil {
		return nil, "", nil, store.ErrNotFound
	}
	content, err := r.Queue.Prepared.Course(r.Context(), *c.CurrentRevisionID)
	return c, role, content, err
}

func course(r *request) error {
	c, role, content, err := r.opened(access.See)
	if err != nil {
		return err
	}
	revision, err := r.Store.RevisionNumber(r.Context(), *c.CurrentRevisionID)
	if err != nil {
		return err
	}
	mine, err := r.mine(c, "")
	if err != nil {
		return err
	}
	out := wire.Course{Slug: c.Slug, Title: c.Title, Role: string(role), Counting: content.Counting, Revision: revision}
	for _, e := range content.Exercises {
		out.Exercises = append(out.Exercises, line(e, mine[e.Name]))
	}
	return r.JSON(out)
}

// mine sums up one's own attempts by exercise, or at one of them.
func (r *request) mine(c *store.Course, exercise string) (map[string]wire.Mine, error) {
	tallies, err := r.Store.Tallies(r.Context(), c.ID, r.who.Person.ID, exercise)
	if err != nil {
		return nil, err
	}
	out := map[string]wire.Mine{}
	for _, t := range tallies {
		newest, err := r.Store.AttemptByID(r.Context(), t.Newest)
		if err != nil {
			return nil, err
		}
		out[t.Exercise] = wire.Mine{Attempts: t.Attempts, Best: t.Best, Agrees: t.Agrees, Verdict: newest.Verdict, Newest: &t.Newest}
	}
	return out, nil
}

func line(e *exercise.Exercise, mine wire.Mine) wire.ExerciseLine {
	points := e.Possible()
	topics := e.Topics
	if topics == nil {
		topics = []string{}
	}
	return wire.ExerciseLine{Name: e.Name, Title: e.Title, Topics: topics, State: state(e, time.Now()), Opens: e.Opens, Closes: e.Closes, Points: points, Mine: mine}
}

// The states of an exercise.
const (
	soon   = "soon"
	isOpen = "open"
	closed = "closed"
)

func state(e *exercise.Exercise, now time.Time) string {
	switch {
	case e.Opens != nil && now.Before(*e.Opens):
		return soon
	case e.Closes != nil && !now.Before(*e.Closes):
		return closed
	}
	return isOpen
}

func oneExercise(r *request) error {
	c, role, content, err := r.opened(access.See)
	if err != nil {
		return err
	}
	e := content.Find(r.Params("exercise"))
	if e == nil {
		return store.ErrNotFound
	}
	if err := acceptsLooking(e, role); err != nil {
		return err
	}
	mine, err := r.mine(c, e.Name)
	if err != nil {
		return err
	}
	out := wire.Exercise{ExerciseLine: line(e, mine[e.Name]), Course: c.Slug, Counting: e.Counting, Prompt: e.Prompt, Starter: e.Starter, Loops: string(e.Loops), Accepts: e.Accepts, Limit: e.Limit, Asks: []wire.Question{}, Cases: []wire.ShownCase{}, Inputs: []wire.Input{}, Outputs: []wire.Output{}}
	for _, in := range e.Inputs {
		out.Inputs = append(out.Inputs, wire.Input{Name: in.Name, Axes: labels(in.HasAxes, in.Axes), Kind: in.Kind.String(), Unit: in.Unit, About: in.About})
	}
	for _, o := range e.Outputs {
		out.Outputs = append(out.Outputs, wire.Output{Name: o.Name, Axes: labels(o.HasAxes, o.Axes), Unit: o.Unit, Points: o.Points, Present: o.Present.As, Title: o.Present.Title})
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
		shown := wire.ShownCase{Name: x.Name, Inputs: map[string]dataio.JSON{}}
		for name, a := range x.Inputs {
			shown.Inputs[name] = dataio.JSON{Array: a}
		}
		out.Cases = append(out.Cases, shown)
	}
	if newest := mine[e.Name].Newest; newest != nil {
		if out.Last, err = r.attemptFor(*newest); err != nil {
			return err
		}
	}
	return r.JSON(out)
}

// counts lists what earns points beside outputs, and the rules.
func (r *request) counts(c *store.Course, e *exercise.Exercise) (wire.Counts, error) {
	out := wire.Counts{Steps: []wire.CountedStep{}, Functions: []wire.CountedFunction{}, Properties: []wire.CountedProperty{}, Predictions: []wire.CountedPrediction{}}
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
		out.Predictions = append(out.Predictions, wire.CountedPrediction{Question: wire.Question{Ask: q.Ask, Of: q.Of, What: q.What}, Points: q.Points})
	}
	out.Rules = wire.RulesKept{Loops: string(e.Loops), Require: append([]string{}, e.Require...), Refuse: append([]string{}, e.Refuse...), InputsUnchanged: e.InputsUnchanged, CostCells: e.CostCells, CostStatements: e.CostStatements}
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
	p, err := r.Queue.Prepared.Exercise(r.Context(), *c.CurrentRevisionID, e.Name)
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

// publish stores a course whole or not at all: every error is told at once, and
// every reference runs on every case first.
func publish(r *request) error { return r.published(false) }

// preview tells what publishing would change.
func preview(r *request) error { return r.published(true) }

func (r *request) published(preview bool) error {
	slug := r.Params("course")
	if !slugPattern.MatchString(slug) || len(slug) > 64 {
		return &access.Unfit{Field: "course", Message: fmt.Sprintf("%q cannot be a course's name", slug), Hint: "use small letters, digits and single hyphens, at most 64"}
	}
	if err := r.mayPublish(slug); err != nil {
		return err
	}
	from, err := r.from()
	if err != nil {
		return err
	}
	archive, err := r.uploaded()
	if err != nil {
		return err
	}
	if len(archive) > exercise.MaxPackedBytes {
		return fail(http.StatusRequestEntityTooLarge, "too-large", "Too large", fmt.Sprintf("The archive has %d bytes; a packed course has at most %d.", len(archive), exercise.MaxPackedBytes), "exercises work on small data made on purpose")
	}
	folder, err := exercise.Unpack(archive)
	if err != nil {
		return fail(http.StatusUnprocessableEntity, "archive", "The archive cannot be read", err.Error()+".", "send the course folder as a zip archive, course.yaml at its top")
	}
	ctx, done, err := r.work(budget.Long)
	if err != nil {
		return err
	}
	defer done()
	content, problems := exercise.LoadCourse(folder)
	var prepared []*check.Prepared
	if content != nil && len(problems) == 0 {
		for _, e := range content.Exercises {
			p, found := check.Prepare(ctx, e)
			if ctx.Err() != nil {
				return ctx.Err()
			}
			problems = append(problems, found...)
			prepared = append(prepared, p)
		}
	}
	if len(problems) > 0 {
		f := fail(http.StatusUnprocessableEntity, "course", "The course has errors", fmt.Sprintf("%d to fix; nothing was published.", len(problems)), "fix them all, then publish again")
		f.Errors = problems
		return f
	}
	canonical, err := exercise.Pack(folder)
	if err != nil {
		return fail(http.StatusUnprocessableEntity, "archive", "The archive cannot be read", err.Error()+".", "look at the file named")
	}
	return r.publishPrepared(ctx, edit{slug: slug, content: content, prepared: prepared, canonical: canonical, from: from}, preview)
}

// edit is a course folder that is to become a revision.
type edit struct {
	slug      string
	content   *exercise.Course
	prepared  []*check.Prepared
	canonical []byte
	from      int // the revision it began from
}

// publishPrepared says what a revision would change, and stores it unless it is only
// asked for a preview.
func (r *request) publishPrepared(ctx context.Context, x edit, preview bool) error {
	before, err := r.Store.CourseBySlug(ctx, x.slug)
	if err != nil && err != store.ErrNotFound {
		return err
	}
	out := wire.Published{Course: x.slug, Title: x.content.Title, Preview: preview, Advice: []advice.Advice{}, Changes: []wire.VerdictChange{}}
	for _, e := range x.content.Exercises {
		out.Exercises = append(out.Exercises, e.Name)
	}
	if out.Preview || x.content.Caught > 0 {
		h := healthOf(ctx, x.content, x.prepared, probe.Options{Cores: r.Budget.LongPlaces()})
		out.Advice, out.Survivors, out.Slips = h.advice, h.survivors, h.slips
		if share := float64(h.caught) / float64(max(h.different, 1)); share < x.content.Caught && !out.Preview {
			return fail(http.StatusUnprocessableEntity, "caught", "Too few slips are caught", fmt.Sprintf("%.1f %% of the slips are caught, and the course asks for %.1f %%; nothing was published.", 100*share, 100*x.content.Caught), "`nimbus probe` lists the survivors with data that catch them")
		}
	}
	if before.ID != 0 {
		if err := r.changes(ctx, before.ID, x.prepared, &out); err != nil {
			return err
		}
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if out.Preview {
		if before.CurrentRevisionID != nil {
			if out.Revision, err = r.Store.RevisionNumber(ctx, *before.CurrentRevisionID); err != nil {
				return err
			}
			r.Set("ETag", strconv.Quote(strconv.Itoa(out.Revision)))
		}
		return r.JSON(out)
	}
	// From here on it goes to its end, whether or not anybody waits.
	ctx = context.WithoutCancel(ctx)
	c, revision, err := r.Store.Publish(ctx, r.who.Person.ID, x.slug, x.content.Title, x.canonical, x.from)
	if err != nil {
		return conflicting(err)
	}
	out.Revision = revision.Number
	out.Unchanged = before.CurrentRevisionID != nil && *before.CurrentRevisionID == revision.ID
	if r.Query("recheck") == "true" {
		if out.Rechecked, err = r.Store.Recheck(ctx, r.who.Person.ID, c.ID, revision.ID, out.Exercises); err != nil {
			return err
		}
		r.Queue.Wake()
	}
	r.Set("Location", "/api/v1/courses/"+url.PathEscape(c.Slug))
	r.Set("ETag", strconv.Quote(strconv.Itoa(revision.Number)))
	return r.JSON(out)
}

// from reads the revision that an edit began from: If-Match with its number. 0 names none,
// and whatever is current is replaced where it says *.
func (r *request) from() (int, error) {
	given := strings.TrimSpace(strings.TrimPrefix(r.Get("If-Match"), "W/"))
	switch given {
	case "":
		return 0, nil
	case "*":
		return store.AnyRevision, nil
	}
	n, err := strconv.Atoi(strings.Trim(given, `"`))
	if err != nil || n < 1 {
		return 0, fail(http.StatusBadRequest, "if-match", "The request cannot be read", "If-Match is "+strconv.Quote(given)+".", "send the number of the revision that the edit began from, as ETag gives it")
	}
	return n, nil
}

// conflicting names both revisions where somebody else has published meanwhile.
func conflicting(err error) error {
	var c *store.Conflict
	if !errors.As(err, &c) {
		return err
	}
	by := c.By
	if by == "" {
		by = "somebody"
	}
	began := fmt.Sprintf("your edit began from revision %d", c.From)
	if c.From == 0 {
		began = "your edit names no revision that it began from"
	}
	f := fail(http.StatusConflict, "conflict", "Somebody else has published", fmt.Sprintf("Revision %d is current, published by %s at %s, and %s. Nothing was published.", c.Current, by, c.At.Format(time.RFC3339), began), "get the current revision, put your change into it, and publish that; If-Match: * replaces it whatever it is")
	f.Current = &wire.RevisionLine{Number: c.Current, By: c.By, At: c.At, Current: true}
	return f
}

// acceptsLooking refuses looking at an exercise before it opens.
func acceptsLooking(e *exercise.Exercise, role store.Role) error {
	if state(e, time.Now()) == soon && !access.Allows(role, access.Watch) {
		return fail(http.StatusForbidden, "not-open", "Not open yet", fmt.Sprintf("%s opens at %s.", e.Title, e.Opens.Format(time.RFC3339)), "come back then")
	}
	return nil
}

func (r *request) mayPublish(slug string) error {
	_, _, err := r.Gate.Course(r.Context(), r.who, slug, access.Publish)
	if err != store.ErrNotFound {
		return err
	}
	// Not there, or not theirs to know of; both need the right to make one.
	if _, err := r.Store.CourseBySlug(r.Context(), slug); err == nil {
		return access.ErrForbidden
	}
	if err := r.Gate.MayPublishNew(r.Context(), r.who); err != access.ErrForbidden {
		return err
	}
	return fail(http.StatusForbidden, "no-such-course", "There is no such course", fmt.Sprintf("Nobody has made a course `%s` that you teach, and you teach none yet from which another could be made.", slug), "ask the operator to make the course with you as its instructor")
}
