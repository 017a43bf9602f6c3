package jobs

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/advice"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/probe"
	"nimbusreach/internal/service/budget"
	"nimbusreach/internal/service/courses"
	"nimbusreach/internal/service/queue"
	"nimbusreach/internal/service/store"
)

// PublishArgs say how a folder is published or looked at.
type PublishArgs struct {
	From    int  `json:"from"`    // the revision that the edit began from
	Recheck bool `json:"recheck"` // every attempt is checked again by it
	Keep    bool `json:"keep"`    // and the better of both verdicts counts for the grade
}

// RecheckArgs say what is checked again, and by which revision.
type RecheckArgs struct {
	Revision  uint64   `json:"revision"`
	Number    int      `json:"number"`
	Exercises []string `json:"exercises"`
	Keep      bool     `json:"keep"` // the better of both verdicts counts for the grade
}

// work does a job and gives its answer. It may have been begun before.
func (r *Runner) work(ctx context.Context, p *progress) (any, error) {
	j := p.now()
	if j.Kind == Recheck {
		return r.recheck(ctx, p)
	}
	folder, err := exercise.Unpack(j.Input)
	if err != nil {
		return nil, err
	}
	leave, err := r.budget.Enter(ctx, j.PersonID, budget.Long)
	if err != nil {
		return nil, err
	}
	defer leave()
	options := probe.Options{Cores: r.budget.LongPlaces()}
	if j.Kind == Probe {
		d := courses.Look(ctx, folder, "", options, p.tell)
		return Rendered(d), ctx.Err()
	}
	var args PublishArgs
	if err := json.Unmarshal([]byte(j.Args), &args); err != nil {
		return nil, err
	}
	x, err := courses.Load(ctx, j.Course, folder, p.tell)
	if err != nil {
		return nil, err
	}
	x.From = args.From
	out := &wire.Published{Course: j.Course, Title: x.Content.Title, Preview: j.Kind == Preview, Exercises: x.Names(),
		Advice: []advice.Advice{}, Changes: []wire.VerdictChange{}}
	before, probed, err := r.wouldChange(ctx, p, x, out, options)
	if err != nil {
		return nil, err
	}
	if j.Kind == Preview {
		if before.CurrentRevisionID != nil {
			out.Revision, err = r.store.RevisionNumber(ctx, *before.CurrentRevisionID)
		}
		return out, err
	}
	answer, err := r.publish(ctx, &j, args, x, before, out)
	if err == nil && len(probed) > 0 {
		err = r.store.SetProbed(context.WithoutCancel(ctx), j.Course, out.Revision, probed)
	}
	return answer, err
}

// wouldChange adds what an edit would change: advice, survivors and verdicts. It gives the
// course as it is, without an id where there is none yet.
func (r *Runner) wouldChange(ctx context.Context, p *progress, x *courses.Edit, out *wire.Published,
	o probe.Options) (before *store.Course, probed []store.Probed, err error) {
	before, err = r.store.CourseBySlug(ctx, x.Slug)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, nil, err
	}
	if out.Preview || x.Content.Caught > 0 {
		h := x.Health(ctx, o, p.tell)
		out.Advice, out.Survivors, out.Slips = h.Advice, h.Survivors, h.Slips
		for _, y := range h.Probed {
			probed = append(probed, store.Probed{Exercise: y.Exercise, Slips: y.Slips, Caught: y.Caught})
		}
		if err := h.Enough(x.Content); err != nil && !out.Preview {
			return nil, nil, err
		}
	}
	if before.ID != 0 {
		changes, err := x.Changes(ctx, r.store, before.ID, queue.BoundCase, p.tell)
		if err != nil {
			return nil, nil, err
		}
		out.Checked, out.Unchecked = changes.Checked, changes.Unchecked
		for _, c := range changes.List {
			out.Changes = append(out.Changes, wire.VerdictChange{Attempt: c.Attempt.ID, Exercise: c.Attempt.Exercise,
				Display: c.Attempt.Display, Before: c.Before, After: c.After, Earned: c.Earned, Now: c.Now})
		}
		if out.Grades, err = r.grades(ctx, before, x.Content, changes.Points); err != nil {
			return nil, nil, err
		}
	}
	return before, probed, ctx.Err()
}

// publish stores a revision. A process that is killed after that leaves the job to another, which finds
// its own revision there.
func (r *Runner) publish(ctx context.Context, j *store.Job, args PublishArgs, x *courses.Edit, before *store.Course,
	out *wire.Published) (any, error) {
	c, revision, err := courses.Publish(ctx, r.store, j.PersonID, x)
	if err != nil {
		return nil, err
	}
	own := revision.PublishedBy != nil && *revision.PublishedBy == j.PersonID && !revision.CreatedAt.Before(j.CreatedAt)
	out.Revision = revision.Number
	out.Unchanged = !own && before.CurrentRevisionID != nil && *before.CurrentRevisionID == revision.ID
	if !args.Recheck {
		return out, nil
	}
	ctx = context.WithoutCancel(ctx) // it is published
	again, err := AddRecheck(ctx, r.store, j.PersonID, c, RecheckArgs{revision.ID, revision.Number, out.Exercises,
		args.Keep})
	if err == nil {
		out.Rechecked, out.Recheck = again.Total, &again.ID
	}
	return out, err
}

// AddRecheck stores a job that checks a course's attempts at some exercises again by a revision.
func AddRecheck(ctx context.Context, s *store.Store, by uint64, c *store.Course, a RecheckArgs) (*store.Job, error) {
	args, err := json.Marshal(a)
	if err != nil {
		return nil, err
	}
	n, err := s.CountRecheck(ctx, c.ID, a.Exercises)
	if err != nil {
		return nil, err
	}
	j := &store.Job{Kind: Recheck, Course: c.Slug, CourseID: &c.ID, PersonID: by, Args: string(args), Total: n,
		Stage: stageAgain}
	if err := s.AddJob(ctx, j, MostUnderWay+1); err != nil {
		return nil, err
	}
	kept := map[bool]string{true: ", the better verdict counts"}[a.Keep]
	return j, s.Audit(ctx, by, "course.recheck", c.Slug, fmt.Sprintf("%s by revision %d%s", strings.Join(a.Exercises,
		", "),
		a.Number, kept))
}

const (
	stageAgain = "checking again"

	recheckAt    = 200 // attempts put back into the line at a time
	recheckAhead = 400 // of them in the line together
	recheckLook  = 100 * time.Millisecond
)

// reached is how far a re-check has come: what it goes on from.
type reached struct {
	Exercise string `json:"exercise"`
	After    uint64 `json:"after"`
	Seen     int64  `json:"seen"`
}

// text is how a job keeps it.
func (r reached) text() string {
	out, err := json.Marshal(r)
	if err != nil {
		panic(err) // of two numbers and a name
	}
	return string(out)
}

// recheck puts attempts back into the line, behind those handed in, a few hundred ahead of what is
// checked: so it may be stopped at any time, and whoever is checked has a verdict throughout.
func (r *Runner) recheck(ctx context.Context, p *progress) (any, error) {
	j := p.now()
	var args RecheckArgs
	at := reached{}
	err := json.Unmarshal([]byte(j.Args), &args)
	if err == nil && j.Reached != "" {
		err = json.Unmarshal([]byte(j.Reached), &at)
	}
	if err != nil {
		return nil, err
	}
	list := args.Exercises
	if i := slices.Index(list, at.Exercise); i >= 0 {
		list = list[i:]
	}
	for _, name := range list {
		if name != at.Exercise {
			at.Exercise, at.After = name, 0
		}
		for {
			if err := r.roomAhead(ctx, p, at, recheckAhead-recheckAt); err != nil {
				return nil, err
			}
			next := at
			last, _, err := r.store.Recheck(ctx, &j, args.Revision, name, at.After, recheckAt, args.Keep,
				func(last uint64, n int64) string {
					next.After, next.Seen = last, at.Seen+n
					return next.text()
				})
			if err != nil {
				return nil, err
			}
			if last == 0 {
				break
			}
			at = next
			p.reach(at.text())
		}
	}
	if err := r.roomAhead(ctx, p, at, 0); err != nil {
		return nil, err
	}
	return &wire.Rechecked{Revision: args.Number, Exercises: args.Exercises, Attempts: at.Seen,
		KeepBetter: args.Keep}, nil
}

// roomAhead waits until at most so many attempts are in the line to be checked again.
func (r *Runner) roomAhead(ctx context.Context, p *progress, at reached, most int64) error {
	for {
		j := p.now()
		open, err := r.store.Rechecking(ctx, *j.CourseID, recheckAhead+1)
		if err != nil {
			return err
		}
		p.tell(stageAgain, int(max(j.Done, at.Seen-open)), int(max(j.Total, at.Seen)))
		if open <= most {
			return ctx.Err()
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(recheckLook):
		}
	}
}
