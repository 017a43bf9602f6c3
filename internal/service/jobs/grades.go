package jobs

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/library"
	"nimbusreach/internal/service/store"
	"nimbusreach/internal/service/teaching"
)

// grades says which grades a content would change, with the points that attempts have by it: those that fall first.
func (r *Runner) grades(ctx context.Context, c *store.Course, content *exercise.Course,
	points map[uint64]store.Try) ([]wire.GradeChange, error) {
	out := []wire.GradeChange{}
	if c.CurrentRevisionID == nil {
		return out, nil
	}
	current, err := library.New(r.store).Course(ctx, *c.CurrentRevisionID)
	if err != nil {
		return nil, err
	}
	asked := teaching.Asked{Course: c, Content: current, At: r.store.Now()}
	before, err := teaching.Grades(ctx, r.store, asked)
	if err != nil {
		return nil, err
	}
	asked.Content, asked.Instead = content, points
	after, err := teaching.Grades(ctx, r.store, asked)
	if err != nil {
		return nil, err
	}
	asked.Better = true
	kept, err := teaching.Grades(ctx, r.store, asked)
	if err != nil {
		return nil, err
	}
	was := map[string]int{}
	for i, e := range before.Exercises {
		was[e.Name] = i
	}
	for i := range after.Rows { // of the same students, by name
		for j, e := range after.Exercises {
			at, there := was[e.Name]
			if !there {
				continue
			}
			old, now := &before.Rows[i].Grades[at], &after.Rows[i].Grades[j]
			if old.Points.Cmp(now.Points) == 0 {
				continue
			}
			m := &after.Rows[i].Member
			out = append(out, wire.GradeChange{Name: m.Name, Display: m.Display, Exercise: e.Name,
				Before: teaching.Shown(old.Points), After: teaching.Shown(now.Points),
				Kept: teaching.Shown(kept.Rows[i].Grades[j].Points), Possible: e.Possible()})
		}
	}
	slices.SortFunc(out, func(a, b wire.GradeChange) int {
		return cmp.Or(cmp.Compare(a.After-a.Before, b.After-b.Before), strings.Compare(a.Name, b.Name),
			strings.Compare(a.Exercise, b.Exercise))
	})
	return out, nil
}
