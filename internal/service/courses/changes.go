package courses

import (
	"cmp"
	"context"
	"slices"
	"time"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/service/library"
	"nimbusreach/internal/service/store"
)

// Change is an attempt whose verdict an edit would change.
type Change struct {
	Attempt       *store.AttemptLine
	Before, After string
	Earned, Now   float64 // points before and after
}

// Changes are what an edit would change of the verdicts that are stored.
type Changes struct {
	List      []Change // those that fall come first
	Checked   int      // attempts compared with the edit
	Unchecked bool     // older ones were left out when the time was over

	Points map[uint64]store.Try // of every attempt compared, by the edit
}

// sort puts what falls first, and of those what falls farthest.
func (c *Changes) sort() {
	falls := func(x Change) float64 {
		if x.Before == "agrees" && x.After != "agrees" {
			return x.Now - x.Earned - 1e9
		}
		return x.Now - x.Earned
	}
	slices.SortStableFunc(c.List, func(a, b Change) int { return cmp.Compare(falls(a), falls(b)) })
}

// changesTime bounds how long attempts are compared with an edit.
const changesTime = 10 * time.Second

// Changes checks a course's attempts with the edit's exercises, the newest first, as far as
// its time goes.
func (x *Edit) Changes(ctx context.Context, s *store.Store, course uint64, bound check.Bound, tell Tell) (Changes,
	error) {
	out := Changes{Points: map[uint64]store.Try{}}
	byName := map[string]*check.Prepared{}
	for _, p := range x.Prepared {
		byName[p.Exercise.Name] = p
	}
	kept := library.New(s)
	deadline := time.Now().Add(changesTime)
	for before := uint64(0); ; {
		attempts, err := s.Judged(ctx, course, before)
		if err != nil || len(attempts) == 0 {
			out.sort()
			return out, err
		}
		for i := range attempts {
			a := &attempts[i]
			p := byName[a.Exercise]
			if p == nil {
				continue
			}
			if time.Now().After(deadline) {
				out.Unchecked = true
				out.sort()
				return out, nil
			}
			v, err := judged(ctx, kept, p, &a.Attempt, bound)
			if err != nil {
				continue // no verdict is no change
			}
			out.Checked++
			tell.at(stageCompare, out.Checked, 0)
			out.Points[a.ID] = store.Try{ID: a.ID, Earned: v.Points.Earned, Possible: v.Points.Possible}
			if a.Verdict != nil && (*a.Verdict != string(v.Verdict) || *a.Earned != v.Points.Earned) {
				out.List = append(out.List, Change{a, *a.Verdict, string(v.Verdict), *a.Earned, v.Points.Earned})
			}
		}
		before = attempts[len(attempts)-1].ID
	}
}

// judged checks an attempt as an edit would, without asking why.
func judged(ctx context.Context, kept *library.Library, p *check.Prepared, a *store.Attempt,
	bound check.Bound) (*check.Verdict, error) {
	if a.Kind != "results" {
		return check.Plain(ctx, p, a.Program, bound)
	}
	own, results, err := kept.Arrays(ctx, a, p)
	if err != nil {
		return nil, err
	}
	return check.PlainArrays(ctx, own, results)
}
