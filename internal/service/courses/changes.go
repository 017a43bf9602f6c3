package courses

import (
	"context"
	"time"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/service/store"
)

// Change is an attempt whose verdict an edit would change.
type Change struct {
	Attempt       *store.AttemptLine
	Before, After string
}

// Changes are what an edit would change of the verdicts that are stored.
type Changes struct {
	List      []Change
	Checked   int  // attempts compared with the edit
	Unchecked bool // older ones were left out when the time was over
}

// changesTime bounds how long attempts are compared with an edit.
const changesTime = 10 * time.Second

// Changes checks a course's attempts with the edit's exercises, the newest first, as far as
// its time goes.
func (x *Edit) Changes(ctx context.Context, s *store.Store, course uint64, bound check.Bound, tell Tell) (Changes,
	error) {
	var out Changes
	byName := map[string]*check.Prepared{}
	for _, p := range x.Prepared {
		byName[p.Exercise.Name] = p
	}
	deadline := time.Now().Add(changesTime)
	for before := uint64(0); ; {
		attempts, err := s.Programs(ctx, course, before)
		if err != nil || len(attempts) == 0 {
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
				return out, nil
			}
			v, err := check.Plain(ctx, p, a.Program, bound)
			if err != nil {
				continue // no verdict is no change
			}
			out.Checked++
			tell.at(stageCompare, out.Checked, 0)
			if a.Verdict != nil && *a.Verdict != string(v.Verdict) {
				out.List = append(out.List, Change{a, *a.Verdict, string(v.Verdict)})
			}
		}
		before = attempts[len(attempts)-1].ID
	}
}
