package desk

import (
	"context"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/service/store"
)

// hours is over how many hours the arrivals of a knot are shown.
const hours = 24

// A knot is growing when it has so many people more than an hour ago, and that is such a share of those then.
const (
	growsBy    = 5
	growsShare = 0.5
)

// flow is what moved into a knot and out of it.
type flow struct {
	arrivals [hours]int // by whole hours back from now
	left     int        // within the last hour
}

// flows are the moves of a course, or of one exercise, over the last day, knot by knot.
func flows(ctx context.Context, s *store.Store, course uint64, exercise string, now time.Time,
	among []string) (map[store.Knot]*flow, error) {
	moves, err := s.Moves(ctx, course, exercise, now.Add(-hours*time.Hour), now, among...)
	if err != nil {
		return nil, err
	}
	out := map[store.Knot]*flow{}
	of := func(k store.Knot) *flow {
		if out[k] == nil {
			out[k] = &flow{}
		}
		return out[k]
	}
	for i := range moves {
		m := &moves[i]
		from, to := m.From(), m.To()
		if from == to || m.Ago < 0 || m.Ago >= hours {
			continue // tried again, and stands as before
		}
		if to.Exercise != "" {
			of(to).arrivals[m.Ago] += m.People
		}
		if from.Exercise != "" && m.Ago == 0 {
			of(from).left += m.People
		}
	}
	return out, nil
}

// trend is how a knot with so many people has changed.
func (f *flow) trend(people int) wire.Trend {
	t := wire.Trend{HourAgo: people, Arrivals: make([]int, hours)}
	if f == nil {
		return t
	}
	for i, n := range f.arrivals {
		t.Arrivals[hours-1-i] = n
	}
	t.HourAgo = max(0, people-f.arrivals[0]+f.left)
	more := people - t.HourAgo
	t.Growing = more >= growsBy && float64(more) >= growsShare*float64(t.HourAgo)
	return t
}

// trends adds to knots how they have changed, how many have tried, and how many notes there are.
func trends(ctx context.Context, s *store.Store, c *store.Course, d *wire.Desk, among []string) error {
	moved, err := flows(ctx, s, c.ID, "", d.At, among)
	if err != nil {
		return err
	}
	notes, err := s.KnotNotes(ctx, c.ID, among...)
	if err != nil {
		return err
	}
	tried := map[string]int{}
	for i := range d.Exercises {
		tried[d.Exercises[i].Name] = d.Students - d.Exercises[i].None
	}
	for i := range d.Knots {
		k := &d.Knots[i]
		of := store.Knot{Exercise: k.Exercise, LeadCode: k.Code, LeadOutput: k.Output}
		k.Trend, k.Notes, k.Tried = moved[of].trend(k.People), notes[of], tried[k.Exercise]
	}
	return nil
}
