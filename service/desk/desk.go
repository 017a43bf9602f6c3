package desk

import (
	"context"
	"sort"
	"time"

	"nimbusreach/core/causes"
	"nimbusreach/core/exercise"
	"nimbusreach/service/store"
	"nimbusreach/service/wire"
)

const recentShown = 40

// View works out the desk of a course.
func View(ctx context.Context, s *store.Store, c *store.Course, content *exercise.Course) (*wire.Desk, error) {
	members, err := s.Members(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	latest, err := s.Latest(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	tallies, err := s.Tallies(ctx, c.ID, 0)
	if err != nil {
		return nil, err
	}
	recent, err := s.Attempts(ctx, store.Filter{Course: c.ID, Limit: recentShown})
	if err != nil {
		return nil, err
	}
	all, waiting, err := s.CountAttempts(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	d := &wire.Desk{Course: c.Slug, Title: c.Title, At: time.Now().UTC(), Attempts: all, Waiting: waiting, Knots: []wire.Knot{}, Recent: []wire.AttemptLine{}}
	students := map[uint64]bool{}
	for _, m := range members {
		if m.Role == store.Student {
			students[m.PersonID] = true
		}
	}
	d.Students = len(students)
	d.Exercises = exercises(content, latest, tallies, students)
	d.Knots = knots(latest)
	for _, a := range recent {
		d.Recent = append(d.Recent, Line(&a))
	}
	return d, nil
}

// exercises counts students by the verdict of their newest attempt. Attempts of
// the team itself do not count.
func exercises(content *exercise.Course, latest []store.AttemptLine, tallies []store.Tally, students map[uint64]bool) []wire.DeskExercise {
	out := make([]wire.DeskExercise, len(content.Exercises))
	index := map[string]*wire.DeskExercise{}
	for i, e := range content.Exercises {
		out[i] = wire.DeskExercise{Name: e.Name, Title: e.Title, None: len(students)}
		index[e.Name] = &out[i]
	}
	for _, a := range latest {
		x := index[a.Exercise]
		if x == nil || !students[a.PersonID] {
			continue
		}
		x.None--
		if a.Verdict == nil {
			x.Waiting++
			continue
		}
		switch *a.Verdict {
		case "agrees":
			x.Agrees++
		case "differs":
			x.Differs++
		case "failed":
			x.Failed++
		case "refused":
			x.Refused++
		}
	}
	for _, t := range tallies {
		if x := index[t.Exercise]; x != nil && students[t.PersonID] {
			x.Tries += t.Attempts
		}
	}
	return out
}

// knots groups open attempts, those that are somebody's newest and do not agree,
// by exercise and leading finding; the largest come first.
func knots(latest []store.AttemptLine) []wire.Knot {
	type key struct{ exercise, code, output string }
	index := map[key]*wire.Knot{}
	var order []key
	for _, a := range latest {
		if a.Verdict == nil || *a.Verdict == "agrees" {
			continue
		}
		k := key{a.Exercise, text(a.LeadCode), text(a.LeadOutput)}
		knot := index[k]
		if knot == nil {
			words, _ := causes.WordsOf(k.code)
			knot = &wire.Knot{Exercise: k.exercise, Code: k.code, Says: words.Says, Output: k.output, Since: a.CreatedAt}
			index[k] = knot
			order = append(order, k)
		}
		knot.People++
		knot.Attempts = append(knot.Attempts, a.ID)
		if a.CreatedAt.Before(knot.Since) {
			knot.Since = a.CreatedAt
		}
		if a.CreatedAt.After(knot.Newest) {
			knot.Newest = a.CreatedAt
		}
	}
	out := make([]wire.Knot, len(order))
	for i, k := range order {
		out[i] = *index[k]
	}
	sort.SliceStable(out, func(i, j int) bool { return out[i].People > out[j].People })
	return out
}

func text(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}

// Line is an attempt as lists show it.
func Line(a *store.AttemptLine) wire.AttemptLine {
	return wire.AttemptLine{ID: a.ID, Exercise: a.Exercise, Person: a.PersonName, Display: a.Display, State: string(a.State), HandedIn: a.CreatedAt, CheckedAt: a.CheckedAt,
		Verdict: a.Verdict, Earned: a.Earned, Possible: a.Possible, LeadCode: text(a.LeadCode), LeadOutput: text(a.LeadOutput)}
}
