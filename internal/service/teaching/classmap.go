package teaching

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/store"
)

// MapPage is which rows of the class map are asked for: of students whose name holds a text, behind a name to sign in
// with, so many.
type MapPage struct {
	Search, After string
	Limit         int
}

// Map computes a page of the class map, for the course or for some groups. A cell is by the newest attempt, also while
// that waits.
func Map(ctx context.Context, s *store.Store, c *store.Course, content *exercise.Course, page MapPage,
	among ...string) (*wire.ClassMap, error) {
	f := store.MemberFilter{Course: c.ID, Role: store.Student, State: store.Active, Groups: among, Search: page.Search,
		After: page.After, Limit: page.Limit + 1}
	list, err := s.Members(ctx, f)
	if err != nil {
		return nil, err
	}
	total, err := s.CountMembers(ctx, f)
	if err != nil {
		return nil, err
	}
	out := &wire.ClassMap{Course: c.Slug, Title: c.Title, At: s.Now(), Exercises: mapExercises(content),
		Rows: []wire.MapRow{}, Total: int(total)}
	if len(list) > page.Limit {
		list = list[:page.Limit]
		out.Next = &list[page.Limit-1].Name
	}
	people := make([]uint64, len(list))
	rows, columns := map[uint64]int{}, map[string]int{}
	for i, e := range content.Exercises {
		columns[e.Name] = i
	}
	for i := range list {
		people[i] = list[i].PersonID
		rows[list[i].PersonID] = i
		out.Rows = append(out.Rows, wire.MapRow{Name: list[i].Name, Display: list[i].Display, Group: list[i].GroupName,
			Cells: make([]*wire.MapCell, len(content.Exercises))})
	}
	standing, err := s.StandingOf(ctx, c.ID, people)
	if err != nil {
		return nil, err
	}
	for i := range standing {
		x := &standing[i]
		column, listed := columns[x.Exercise]
		if !listed {
			continue // of an earlier revision
		}
		row := &out.Rows[rows[x.PersonID]]
		row.Cells[column] = &wire.MapCell{State: x.Verdict, Tries: x.Tries, Best: x.Best, Attempt: x.NewestID,
			Code: x.LeadCode, Output: x.LeadOut}
		if row.Last == nil || x.NewestAt.After(*row.Last) {
			row.Last = &x.NewestAt
		}
	}
	open, err := s.OpenAttempts(ctx, c.ID, among...)
	if err != nil {
		return nil, err
	}
	for i := range open {
		wait(out, &open[i], rows, columns)
	}
	for i := range out.Rows {
		for _, cell := range out.Rows[i].Cells {
			if cell != nil {
				out.Rows[i].Tries += cell.Tries
				if cell.State == "agrees" {
					out.Rows[i].Agreed++
				}
			}
		}
	}
	return out, nil
}

// wait puts an attempt that has no verdict yet into its cell.
func wait(m *wire.ClassMap, o *store.OpenAttempt, rows map[uint64]int, columns map[string]int) {
	at, shown := rows[o.PersonID]
	column, listed := columns[o.Exercise]
	if !shown || !listed {
		return
	}
	row := &m.Rows[at]
	cell := row.Cells[column]
	switch {
	case cell == nil:
		cell = &wire.MapCell{}
		row.Cells[column] = cell
	case o.ID <= cell.Attempt:
		return // it is checked again, or an older one is stuck
	}
	cell.State, cell.Tries, cell.Attempt, cell.Code, cell.Output = "waiting", o.Number, o.ID, "", ""
	if row.Last == nil || o.CreatedAt.After(*row.Last) {
		row.Last = &o.CreatedAt
	}
}

func mapExercises(content *exercise.Course) []wire.MapExercise {
	out := []wire.MapExercise{}
	for _, e := range content.Exercises {
		out = append(out, wire.MapExercise{Name: e.Name, Title: e.Title, Possible: e.Possible()})
	}
	return out
}

// Causes computes which leading codes a course's students ever had, exercise by exercise, those that most had first.
// says puts a code into words.
func Causes(ctx context.Context, s *store.Store, c *store.Course, content *exercise.Course, says func(string) string,
	among ...string) (*wire.CauseMap, error) {
	students, err := s.CountStudents(ctx, c.ID, among...)
	if err != nil {
		return nil, err
	}
	had, err := s.EverHad(ctx, c.ID, among...)
	if err != nil {
		return nil, err
	}
	out := &wire.CauseMap{Course: c.Slug, Title: c.Title, Students: int(students), Exercises: mapExercises(content),
		Rows: []wire.CauseRow{}}
	columns := map[string]int{}
	for i, e := range content.Exercises {
		columns[e.Name] = i
	}
	rows := map[string]int{}
	for _, x := range had {
		column, listed := columns[x.Exercise]
		if !listed {
			continue
		}
		at, known := rows[x.LeadCode]
		if !known {
			at = len(out.Rows)
			rows[x.LeadCode] = at
			out.Rows = append(out.Rows, wire.CauseRow{Code: x.LeadCode, Says: says(x.LeadCode),
				Cells: make([]wire.CauseCell, len(columns))})
		}
		out.Rows[at].Cells[column] = wire.CauseCell{Ever: x.People, Now: x.Now}
		out.Rows[at].Total += x.People
	}
	slices.SortFunc(out.Rows, func(a, b wire.CauseRow) int {
		return cmp.Or(cmp.Compare(b.Total, a.Total), strings.Compare(a.Code, b.Code))
	})
	return out, nil
}
