package teaching

import (
	"context"
	"math/big"
	"slices"
	"strings"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/store"
)

// Asked says which gradebook is asked for.
type Asked struct {
	Course  *store.Course
	Content *exercise.Course // as it was at the time
	At      time.Time
	Past    bool     // At is not now: verdicts are those of then
	Groups  []string // none: all
	Person  uint64   // one student alone; 0: all
}

// Book is a gradebook with its exact fractions.
type Book struct {
	Exercises []*exercise.Exercise
	Opened    []bool // those that count in the totals
	Rows      []Row
}

// Row is one student with a grade for each exercise.
type Row struct {
	Member           store.Member
	Grades           []Grade
	Points, Possible *big.Rat // of the exercises that have opened
}

// who is a person in an exercise.
type who struct {
	person   uint64
	exercise string
}

// maker gathers what the grades of a course depend on.
type maker struct {
	store *store.Store
	Asked
	roll       []store.Member
	extensions []store.Extension
	adjusted   map[who]*store.AdjustmentLine
	possible   []*big.Rat
}

// Grades computes the gradebook of a course.
func Grades(ctx context.Context, s *store.Store, a Asked) (*Book, error) {
	m := &maker{store: s, Asked: a, adjusted: map[who]*store.AdjustmentLine{}}
	var err error
	if m.roll, err = s.Roll(ctx, a.Course.ID, a.Person, a.Groups...); err != nil {
		return nil, err
	}
	if m.extensions, err = s.ExtensionsAt(ctx, a.Course.ID, a.At); err != nil {
		return nil, err
	}
	adjustments, err := s.Adjustments(ctx, a.Course.ID, a.Person, a.At)
	if err != nil {
		return nil, err
	}
	for i := range adjustments {
		x := &adjustments[i]
		m.adjusted[who{x.PersonID, x.Exercise}] = x
	}
	b := &Book{Exercises: a.Content.Exercises}
	for _, e := range b.Exercises {
		m.possible = append(m.possible, exact(e.Possible()))
		b.Opened = append(b.Opened, e.Opens == nil || !a.At.Before(*e.Opens))
	}
	tries, err := m.tries(ctx)
	if err != nil {
		return nil, err
	}
	for _, x := range m.roll {
		b.Rows = append(b.Rows, m.row(b, x, tries))
	}
	return b, nil
}

// rules are those of an exercise for one student.
func (m *maker) rules(i int, given []store.Extension) *Rules {
	e := m.Content.Exercises[i]
	return &Rules{Terms: TermsOf(e, given), Takes: m.Content.Takes, Possible: m.possible[i]}
}

// given are a student's extensions, the newest first.
func (m *maker) given(x *store.Member) []store.Extension {
	var out []store.Extension
	for _, g := range m.extensions {
		if g.PersonID != nil && *g.PersonID == x.PersonID || g.PersonID == nil && g.GroupName == x.GroupName &&
			x.GroupName != "" {
			out = append(out, g)
		}
	}
	return out
}

func (m *maker) row(b *Book, x store.Member, tries map[who][]store.Try) Row {
	row := Row{Member: x}
	given := m.given(&x)
	var opened []Grade
	for i, e := range b.Exercises {
		at := who{x.PersonID, e.Name}
		g := m.rules(i, given).Of(tries[at], m.adjusted[at])
		row.Grades = append(row.Grades, g)
		if b.Opened[i] {
			opened = append(opened, g)
		}
	}
	row.Points, row.Possible = Sum(opened)
	return row
}

// tries finds for each student and exercise the attempts that the grade can depend on.
func (m *maker) tries(ctx context.Context) (map[who][]store.Try, error) {
	out := map[who][]store.Try{}
	add := func(list []store.Try) {
		for _, t := range list {
			at := who{t.PersonID, t.Exercise}
			out[at] = append(out[at], t)
		}
	}
	switch {
	case m.Past:
		const page = 5000
		for after := uint64(0); ; {
			list, err := m.store.TriesAsOf(ctx, m.Course.ID, m.At, after, page)
			if err != nil {
				return nil, err
			}
			add(list)
			if len(list) < page {
				return out, nil
			}
			after = list[len(list)-1].ID
		}
	case m.Person != 0:
		list, err := m.store.TriesOf(ctx, m.Course.ID, m.Person)
		add(list)
		return out, err
	}
	counted, err := m.store.CountedIn(ctx, m.Course.ID, m.Groups...)
	if err != nil {
		return nil, err
	}
	return out, m.counted(ctx, counted, out, add)
}

// counted takes what stands where all attempts came in time: the best and the newest alone decide then. Of the others
// every attempt is read.
func (m *maker) counted(ctx context.Context, list []store.Counted, out map[who][]store.Try, add func([]store.Try)) error {
	closes := map[who]*time.Time{}
	for i := range m.roll {
		given := m.given(&m.roll[i])
		for _, e := range m.Content.Exercises {
			t := TermsOf(e, given)
			closes[who{m.roll[i].PersonID, e.Name}] = t.Closes
		}
	}
	whole := map[string][]uint64{}
	for i := range list {
		c := &list[i]
		at := who{c.PersonID, c.Exercise}
		end, known := closes[at]
		switch {
		case !known: // of the team, or of an exercise that is gone
		case end != nil && !c.NewestAt.Before(*end):
			whole[c.Exercise] = append(whole[c.Exercise], c.PersonID)
		default:
			best := store.Try{ID: c.BestID, PersonID: c.PersonID, Exercise: c.Exercise, CreatedAt: c.FirstAt,
				Earned: c.BestEarned, Possible: c.BestPossible}
			newest := store.Try{ID: c.NewestID, PersonID: c.PersonID, Exercise: c.Exercise, CreatedAt: c.NewestAt,
				Earned: c.NewestEarned, Possible: c.NewestPossible}
			if out[at] = []store.Try{best}; c.NewestID != c.BestID {
				out[at] = append(out[at], newest)
			}
		}
	}
	for exercise, people := range whole {
		tries, err := m.store.Tries(ctx, m.Course.ID, exercise, people)
		if err != nil {
			return err
		}
		add(tries)
	}
	return nil
}

// Wire is the gradebook as the API shows it.
func (b *Book) Wire(a Asked) *wire.Gradebook {
	out := &wire.Gradebook{Course: a.Course.Slug, Title: a.Course.Title, At: a.At, Takes: a.Content.Takes,
		Exercises: []wire.GradedExercise{}, Rows: []wire.GradeRow{}}
	for i, e := range b.Exercises {
		out.Exercises = append(out.Exercises, wire.GradedExercise{Name: e.Name, Title: e.Title, Possible: e.Possible(),
			Opened: b.Opened[i], Median: b.median(i)})
	}
	for i := range b.Rows {
		out.Rows = append(out.Rows, b.Rows[i].wire())
	}
	return out
}

func (r *Row) wire() wire.GradeRow {
	out := wire.GradeRow{Name: r.Member.Name, Display: r.Member.Display, Group: r.Member.GroupName,
		State: string(r.Member.State), Points: Shown(r.Points), Possible: Shown(r.Possible), Exact: r.Points.RatString(),
		Grades: []wire.Grade{}}
	if r.Member.Number != nil {
		out.Number = *r.Member.Number
	}
	if r.Possible.Sign() > 0 {
		percent := Shown(new(big.Rat).Quo(new(big.Rat).Mul(r.Points, big.NewRat(100, 1)), r.Possible))
		out.Percent = &percent
	}
	for i := range r.Grades {
		out.Grades = append(out.Grades, r.Grades[i].Wire())
	}
	return out
}

// Wire is a grade as the API shows it.
func (g *Grade) Wire() wire.Grade {
	out := wire.Grade{Points: Shown(g.Points), Exact: g.Points.RatString(), Late: g.Late, Excused: g.Excused,
		Review: g.Review}
	if g.Attempt != nil {
		out.Attempt = &g.Attempt.ID
	}
	if x := g.Adjusted; x != nil {
		out.Adjusted = &wire.Adjustment{Kind: string(x.Kind), Points: x.Points, Beyond: x.Beyond, Reason: x.Reason,
			At: x.CreatedAt, Earned: Shown(g.Earned)}
		if x.By != nil {
			out.Adjusted.By = *x.By
		}
	}
	return out
}

// median is the middle of the points that those have who tried an exercise; nil where nobody has.
func (b *Book) median(i int) *float64 {
	var list []*big.Rat
	for j := range b.Rows {
		if g := &b.Rows[j].Grades[i]; !g.Excused && (g.Attempt != nil || g.Adjusted != nil) {
			list = append(list, g.Points)
		}
	}
	if len(list) == 0 {
		return nil
	}
	slices.SortFunc(list, func(a, b *big.Rat) int { return a.Cmp(b) })
	middle := new(big.Rat).Add(list[len(list)/2], list[(len(list)-1)/2])
	out := Shown(middle.Quo(middle, big.NewRat(2, 1)))
	return &out
}

// Search narrows a gradebook to students of whom a part of the name or the number is given.
func (b *Book) Search(text string) {
	text = strings.ToLower(text)
	b.Rows = slices.DeleteFunc(b.Rows, func(r Row) bool {
		number := ""
		if r.Member.Number != nil {
			number = strings.ToLower(*r.Member.Number)
		}
		return !strings.Contains(strings.ToLower(r.Member.Display), text) && !strings.Contains(r.Member.Name, text) &&
			!strings.Contains(number, text)
	})
}
