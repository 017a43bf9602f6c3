package desk

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"
	"strings"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/ways"
	"nimbusreach/internal/service/store"
)

const (
	inShown   = 500 // people of a knot that are listed
	leftShown = 200
	readAt    = 400 // programs whose ways of writing are told apart
)

// Knot computes the page of one knot, for the whole course or for some groups of it.
func Knot(ctx context.Context, s *store.Store, c *store.Course, content *exercise.Course, k store.Knot,
	among ...string) (*wire.KnotPage, error) {
	e := content.Find(k.Exercise)
	if e == nil {
		return nil, store.ErrNotFound
	}
	in, err := s.InKnot(ctx, c.ID, k, mostIn, among...)
	if err != nil {
		return nil, err
	}
	if in, err = checked(ctx, s, c.ID, k.Exercise, in, among); err != nil {
		return nil, err
	}
	left, err := s.OutOfKnot(ctx, c.ID, k, leftShown+1, among...)
	if err != nil {
		return nil, err
	}
	p := &wire.KnotPage{KnotRef: refOf(k), Course: c.Slug, Title: c.Title, Called: e.Title, At: s.Now(), People: len(in),
		In: []wire.KnotMember{}, Left: []wire.KnotLeaver{}, Into: []wire.KnotCount{}, Ways: []wire.Way{},
		Notes: []wire.TeamNote{}, Groups: append([]string{}, among...)}
	moved, err := flows(ctx, s, c.ID, k.Exercise, p.At, among)
	if err != nil {
		return nil, err
	}
	p.Trend = moved[k].trend(p.People)
	tried, err := s.CountTried(ctx, c.ID, k.Exercise, among...)
	if err != nil {
		return nil, err
	}
	p.Tried = int(tried)
	p.More, p.MoreLeft = len(in) > inShown, len(left) > leftShown
	left = left[:min(len(left), leftShown)]
	if err := members(ctx, s, c.ID, p, k, in, left); err != nil {
		return nil, err
	}
	return p, written(ctx, s, p, e, k, in)
}

// mostIn bounds the people of a knot that are counted.
const mostIn = 20_000

func refOf(k store.Knot) wire.KnotRef {
	return wire.KnotRef{Exercise: k.Exercise, Code: k.LeadCode, Says: Says(k.LeadCode), Output: k.LeadOutput}
}

// checked leaves out who has handed in again and waits for the verdict, as the desk does.
func checked(ctx context.Context, s *store.Store, course uint64, exercise string, in []store.KnotPerson,
	among []string) ([]store.KnotPerson, error) {
	open, err := s.OpenAttempts(ctx, course, among...)
	if err != nil {
		return nil, err
	}
	newer := map[uint64]uint64{}
	for i := range open {
		if open[i].Exercise == exercise {
			newer[open[i].PersonID] = max(newer[open[i].PersonID], open[i].ID)
		}
	}
	return slices.DeleteFunc(in, func(x store.KnotPerson) bool { return newer[x.PersonID] >= x.NewestID }), nil
}

// stay is how somebody was in a knot.
type stay struct {
	within int         // attempts
	out    *store.Step // the first attempt after the last of them
}

// stays finds how people were in a knot, from their attempts, the oldest first.
func stays(k store.Knot, steps []store.Step) map[uint64]*stay {
	out := map[uint64]*stay{}
	for i := range steps {
		x := &steps[i]
		one := out[x.PersonID]
		switch {
		case x.In(k) && one == nil:
			out[x.PersonID] = &stay{within: 1}
		case x.In(k):
			one.within++
			one.out = nil
		case one != nil && one.out == nil:
			one.out = x
		}
	}
	return out
}

// members lists who is in a knot and who has left it.
func members(ctx context.Context, s *store.Store, course uint64, p *wire.KnotPage, k store.Knot,
	in, left []store.KnotPerson) error {
	people := make([]uint64, 0, inShown+leftShown)
	for _, list := range [][]store.KnotPerson{in[:min(len(in), inShown)], left} {
		for i := range list {
			people = append(people, list[i].PersonID)
		}
	}
	steps, err := s.Steps(ctx, course, k.Exercise, people)
	if err != nil {
		return err
	}
	were := stays(k, steps)
	for i := range in {
		x := &in[i]
		if p.Since == nil || x.EnteredAt.Before(*p.Since) {
			p.Since = &x.EnteredAt
		}
		if i >= inShown {
			continue
		}
		m := wire.KnotMember{Name: x.Name, Display: x.Display, Group: x.GroupName, Attempt: x.NewestID, Since: x.EnteredAt,
			Newest: x.NewestAt, Tries: x.Tries}
		if y := were[x.PersonID]; y != nil {
			m.Within = y.within
		}
		p.In = append(p.In, m)
	}
	into := map[store.Knot]int{}
	for i := range left {
		x := &left[i]
		y := were[x.PersonID]
		if y == nil || y.out == nil {
			continue // they hand in just now
		}
		l := wire.KnotLeaver{Name: x.Name, Display: x.Display, Group: x.GroupName, Attempt: y.out.ID, At: y.out.CreatedAt,
			Within: y.within, Agrees: x.Verdict == "agrees"}
		if l.Agrees {
			p.Agreed++
		} else {
			now := store.Knot{Exercise: k.Exercise, LeadCode: x.LeadCode, LeadOutput: x.LeadOut}
			into[now]++
			ref := refOf(now)
			l.Now = &ref
		}
		p.Left = append(p.Left, l)
	}
	slices.SortStableFunc(p.Left, func(a, b wire.KnotLeaver) int { return b.At.Compare(a.At) })
	for to, n := range into {
		p.Into = append(p.Into, wire.KnotCount{KnotRef: refOf(to), People: n})
	}
	slices.SortFunc(p.Into, func(a, b wire.KnotCount) int {
		return cmp.Or(cmp.Compare(b.People, a.People), strings.Compare(a.Code, b.Code), strings.Compare(a.Output, b.Output))
	})
	return nil
}

// written groups the programs of a knot by how they are written.
func written(ctx context.Context, s *store.Store, p *wire.KnotPage, e *exercise.Exercise, k store.Knot,
	in []store.KnotPerson) error {
	ids := make([]uint64, 0, readAt)
	who := map[uint64]*store.KnotPerson{}
	for i := range in[:min(len(in), readAt)] {
		ids = append(ids, in[i].NewestID)
		who[in[i].NewestID] = &in[i]
	}
	list, err := s.WrittenIn(ctx, ids)
	if err != nil {
		return err
	}
	list = slices.DeleteFunc(list, func(w store.Written) bool { return w.Kind != "program" })
	p.Read = len(list)
	programs := make([]string, len(list))
	for i := range list {
		programs[i] = list[i].Program
	}
	kept := map[string]bool{}
	for _, name := range e.InputNames() {
		kept[name] = true
	}
	for i := range e.Outputs {
		kept[e.Outputs[i].Name] = true
	}
	for _, g := range ways.Of(programs, kept) {
		newest := &list[g.Members[0]]
		w := wire.Way{Count: len(g.Members), Attempt: newest.ID, Display: who[newest.ID].Display, Program: newest.Program,
			Attempts: []uint64{}}
		for _, i := range g.Members {
			w.Attempts = append(w.Attempts, list[i].ID)
		}
		explain(&w, newest, k, e)
		p.Ways = append(p.Ways, w)
	}
	return nil
}

// explain adds to a way of writing what its example's verdict says of it: where in the text, by which evidence, and
// which array shows it.
func explain(w *wire.Way, newest *store.Written, k store.Knot, e *exercise.Exercise) {
	var v check.Verdict
	if json.Unmarshal([]byte(newest.Body), &v) != nil {
		return
	}
	if w.Evidence = evidenceOf(newest.ID, v.Causes, k.LeadCode); w.Evidence != nil {
		w.Span = v.Causes[0].Span
	}
	for i := range v.Findings {
		f := &v.Findings[i]
		if w.Span == nil {
			w.Span = f.Span
		}
		if w.Output == "" && f.Case != nil && f.Output != nil && isOutput(e, *f.Output) {
			w.Case, w.Output = *f.Case, *f.Output
		}
	}
}

func isOutput(e *exercise.Exercise, name string) bool {
	return slices.ContainsFunc(e.Outputs, func(o exercise.Output) bool { return o.Name == name })
}

// evidenceOf is how one knows a cause that leads a verdict; nil where another thing leads it.
func evidenceOf(attempt uint64, list []check.Cause, code string) *wire.KnotEvidence {
	if len(list) == 0 || string(list[0].Code) != code {
		return nil
	}
	c := &list[0] // the first cause leads
	return &wire.KnotEvidence{Attempt: attempt, Evidence: c.Evidence, Confidence: c.Confidence, Change: c.Change,
		Diff: c.Diff, HiddenOnly: c.HiddenOnly}
}
