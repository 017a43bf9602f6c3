package teaching

import (
	"time"

	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/store"
)

// Terms are the times and bounds of an exercise as they hold for one person.
type Terms struct {
	Opens, Closes, Until *time.Time // attempts are late from Closes to Until
	Keeps                float64    // the share that late ones keep
	Limit                int
	Extended             bool
	Reason               string // of the extension
}

// TermsOf finds the terms of an exercise with a person's extensions, the newest first: of each the latest that says
// something of time or of attempts holds.
func TermsOf(e *exercise.Exercise, given []store.Extension) Terms {
	t := Terms{Opens: e.Opens, Closes: e.Closes, Limit: e.Limit, Keeps: 1}
	var timed, counted bool
	for _, x := range given {
		if x.Exercise != "" && x.Exercise != e.Name {
			continue
		}
		used := false
		if x.Closes != nil && !timed && e.Closes != nil {
			t.Closes, timed, used = x.Closes, true, true
		}
		if x.Attempts != nil && !counted && e.Limit > 0 {
			t.Limit, counted, used = *x.Attempts, true, true
		}
		if used && !t.Extended {
			t.Extended, t.Reason = true, x.Reason
		}
	}
	if t.Closes != nil && e.Late > 0 {
		until := t.Closes.Add(e.Late)
		t.Until, t.Keeps = &until, e.Keeps
	}
	return t
}

// The states of an exercise.
const (
	Soon   = "soon"
	Open   = "open"
	Late   = "late"
	Closed = "closed"
)

// State is how the exercise stands at a time.
func (t *Terms) State(now time.Time) string {
	switch {
	case t.Opens != nil && now.Before(*t.Opens):
		return Soon
	case t.Closes == nil || now.Before(*t.Closes):
		return Open
	case t.Until != nil && now.Before(*t.Until):
		return Late
	}
	return Closed
}
