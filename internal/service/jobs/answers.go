package jobs

import (
	"errors"
	"fmt"
	"net/http"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/courses"
	"nimbusreach/internal/service/store"
)

// Problem puts what keeps a course from being published into words; nil for any other error.
func Problem(err error) *wire.Problem {
	var faulty *courses.Faulty
	var few *courses.TooFewCaught
	var conflict *store.Conflict
	switch {
	case errors.As(err, &faulty):
		p := problem(http.StatusUnprocessableEntity, "course", "The course has errors",
			fmt.Sprintf("%d to fix; nothing was published.", len(faulty.Problems)), "fix them all, then publish again")
		p.Errors = faulty.Problems
		return p
	case errors.As(err, &few):
		return problem(http.StatusUnprocessableEntity, "caught", "Too few slips are caught",
			few.Error()+"; nothing was published.", "`nimbus probe` lists the survivors with data that catch them")
	case errors.As(err, &conflict):
		return conflicting(conflict)
	case errors.Is(err, store.ErrTooManyJobs):
		return problem(http.StatusTooManyRequests, "busy", "One thing after the other",
			fmt.Sprintf("%d of your jobs are under way; this one was not begun.", MostUnderWay),
			"wait for one to end, or stop one")
	}
	return nil
}

// conflicting names both revisions where somebody else has published meanwhile.
func conflicting(c *store.Conflict) *wire.Problem {
	by := c.By
	if by == "" {
		by = "somebody"
	}
	began := fmt.Sprintf("your edit began from revision %d", c.From)
	if c.From == 0 {
		began = "your edit names no revision that it began from"
	}
	p := problem(http.StatusConflict, "conflict", "Somebody else has published",
		fmt.Sprintf("Revision %d is current, published by %s at %s, and %s. Nothing was published.", c.Current, by,
			c.At.Format(time.RFC3339), began), "get the current revision, put your change into it, and publish that; "+
			"If-Match: * replaces it whatever it is")
	p.Current = &wire.RevisionLine{Number: c.Current, By: c.By, At: c.At, Current: true}
	return p
}

// Rendered is a draft as clients see it.
func Rendered(d *courses.Draft) *wire.Draft {
	out := &wire.Draft{Errors: d.Errors, Advice: d.Advice, Exercises: []wire.DraftExercise{}, Stopped: d.Stopped}
	for _, x := range d.Exercises {
		e := x.Exercise
		out.Exercises = append(out.Exercises, wire.DraftExercise{
			Name: e.Name, Title: e.Title, Topics: append([]string{}, e.Topics...),
			Slips: x.Probed.Slips, Caught: x.Probed.Caught, Equivalent: x.Probed.Equivalent, Survivors: x.Probed.Survivors,
			Cases: draftCases(x.Prepared), Present: presentations(e),
		})
	}
	return out
}

func presentations(e *exercise.Exercise) map[string]string {
	out := map[string]string{}
	for _, o := range e.Outputs {
		out[o.Name] = o.Present.As
	}
	return out
}

func draftCases(p *check.Prepared) []wire.DraftCase {
	out := make([]wire.DraftCase, len(p.Cases))
	for i := range p.Cases {
		c := &p.Cases[i]
		out[i] = wire.DraftCase{Name: c.Name, Shown: c.Shown, Expects: string(c.Expects), Inputs: map[string]dataio.JSON{},
			Outputs: map[string]dataio.JSON{}}
		for name, a := range c.Inputs {
			out[i].Inputs[name] = dataio.JSON{Array: a}
		}
		for name, a := range c.Expected {
			out[i].Outputs[name] = dataio.JSON{Array: a}
		}
	}
	return out
}
