package desk

import (
	"context"
	"slices"
	"strconv"
	"strings"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/store"
)

const recentShown = 40

// View computes the desk of a course. The team's own attempts count nowhere but among
// those that come in.
func View(ctx context.Context, s *store.Store, c *store.Course, content *exercise.Course) (*wire.Desk, error) {
	students, err := s.CountStudents(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	standings, err := s.Standings(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	groups, err := s.Knots(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	recent, err := s.Attempts(ctx, store.Filter{Course: c.ID, Limit: recentShown})
	if err != nil {
		return nil, err
	}
	all, waiting, stuck, err := s.CountAttempts(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	d := &wire.Desk{Course: c.Slug, Title: c.Title, At: time.Now().UTC(), Students: int(students), Attempts: all,
		Waiting: waiting, Stuck: stuck, Knots: []wire.Knot{}, Recent: []wire.AttemptLine{}}
	d.Exercises = exercises(content, standings, int(students))
	for _, g := range groups {
		d.Knots = append(d.Knots, knot(&g))
	}
	for _, a := range recent {
		d.Recent = append(d.Recent, Line(&a))
	}
	return d, nil
}

// exercises counts students by the verdict of their newest attempt.
func exercises(content *exercise.Course, standings []store.Standing, students int) []wire.DeskExercise {
	out := make([]wire.DeskExercise, len(content.Exercises))
	index := map[string]*wire.DeskExercise{}
	for i, e := range content.Exercises {
		out[i] = wire.DeskExercise{Name: e.Name, Title: e.Title, None: students}
		index[e.Name] = &out[i]
	}
	for _, g := range standings {
		x := index[g.Exercise]
		if x == nil {
			continue // of an earlier revision
		}
		x.None -= g.People
		x.Tries += g.Tries
		switch {
		case g.State == store.Stuck:
			x.Stuck += g.People
		case g.Verdict == nil:
			x.Waiting += g.People
		case *g.Verdict == "agrees":
			x.Agrees += g.People
		case *g.Verdict == "differs":
			x.Differs += g.People
		case *g.Verdict == "failed":
			x.Failed += g.People
		case *g.Verdict == "refused":
			x.Refused += g.People
		}
	}
	return out
}

// knot is a group of open attempts with the words of its cause.
func knot(g *store.Knot) wire.Knot {
	k := wire.Knot{Exercise: g.Exercise, Code: g.LeadCode, Says: Says(g.LeadCode), Output: g.LeadOutput,
		People: g.People, Since: g.Since, Newest: g.Newest, Attempts: []uint64{}}
	for _, id := range strings.Split(g.Attempts, ",") {
		if n, err := strconv.ParseUint(id, 10, 64); err == nil {
			k.Attempts = append(k.Attempts, n)
		}
	}
	slices.Reverse(k.Attempts)
	return k
}

// Says is a code in words, as part of a sentence; "" for a code that has none.
func Says(code string) string { return codes.Code(code).Words() }

func text(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}

// Line is an attempt as lists show it.
func Line(a *store.AttemptLine) wire.AttemptLine {
	return wire.AttemptLine{ID: a.ID, Exercise: a.Exercise, Person: a.PersonName, Display: a.Display,
		State: string(a.State), HandedIn: a.CreatedAt, CheckedAt: a.CheckedAt,
		Verdict: a.Verdict, Earned: a.Earned, Possible: a.Possible, LeadCode: text(a.LeadCode),
		LeadSays: Says(text(a.LeadCode)), LeadOutput: text(a.LeadOutput)}
}
