package teaching

import (
	"cmp"
	"context"
	"maps"
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

	// Instead are the points of attempts by another revision; with it every attempt is read. Better takes them only
	// where they are the better ones.
	Instead map[uint64]store.Try
	Better  bool
}

// instead is an attempt with the points that are asked for.
func (a *Asked) instead(t store.Try) store.Try {
	by, known := a.Instead[t.ID]
	if known && (!a.Better || share(&by).Cmp(share(&t)) > 0) {
		t.Earned, t.Possible = by.Earned, by.Possible
	}
	return t
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

// maker gathers what the grades of a course depend on.
type maker struct {
	store *store.Store
	Asked
	roll       []store.Member
	extensions []store.Extension
	rows       map[uint64]int // of people
	columns    map[string]int // of exercises
	plain      []Rules        // of each exercise for who has no extension
	adjusted   map[int]*store.AdjustmentLine
	tries      [][]store.Try // of each student in each exercise, row by row
}

// Grades computes the gradebook of a course.
func Grades(ctx context.Context, s *store.Store, a Asked) (*Book, error) {
	m := &maker{store: s, Asked: a, adjusted: map[int]*store.AdjustmentLine{}, rows: map[uint64]int{},
		columns: map[string]int{}}
	var err error
	if m.roll, err = s.Roll(ctx, a.Course.ID, a.Person, a.Groups...); err != nil {
		return nil, err
	}
	if m.extensions, err = s.ExtensionsAt(ctx, a.Course.ID, a.At); err != nil {
		return nil, err
	}
	b := &Book{Exercises: a.Content.Exercises}
	for i, e := range b.Exercises {
		m.columns[e.Name] = i
		m.plain = append(m.plain, Rules{Terms: TermsOf(e, nil), Takes: a.Content.Takes, Possible: exact(e.Possible())})
		b.Opened = append(b.Opened, e.Opens == nil || !a.At.Before(*e.Opens))
	}
	for i := range m.roll {
		m.rows[m.roll[i].PersonID] = i
	}
	m.tries = make([][]store.Try, len(m.roll)*len(m.plain))
	adjustments, err := s.Adjustments(ctx, a.Course.ID, a.Person, a.At)
	if err != nil {
		return nil, err
	}
	for i := range adjustments {
		if at, known := m.place(adjustments[i].PersonID, adjustments[i].Exercise); known {
			m.adjusted[at] = &adjustments[i]
		}
	}
	rules := m.rules()
	if err := m.read(ctx, rules); err != nil {
		return nil, err
	}
	known := worths{}
	for i := range m.roll {
		b.Rows = append(b.Rows, m.row(b, i, rules[i], known))
	}
	return b, nil
}

// place is where a person's attempts at an exercise are; they may be of the team, and the exercise may be gone.
func (m *maker) place(person uint64, exercise string) (at int, known bool) {
	row, there := m.rows[person]
	column, listed := m.columns[exercise]
	return row*len(m.plain) + column, there && listed
}

// rules are those of each exercise for each student.
func (m *maker) rules() [][]Rules {
	out := make([][]Rules, len(m.roll))
	for i := range m.roll {
		out[i] = m.plain
		given := m.given(&m.roll[i])
		if len(given) == 0 {
			continue
		}
		out[i] = slices.Clone(m.plain)
		for j := range out[i] {
			out[i][j].Terms = TermsOf(m.Content.Exercises[j], given)
		}
	}
	return out
}

// given are a student's extensions, the newest first.
func (m *maker) given(x *store.Member) []store.Extension {
	var out []store.Extension
	for i := range m.extensions {
		g := &m.extensions[i]
		if g.PersonID != nil && *g.PersonID == x.PersonID || g.PersonID == nil && g.GroupName == x.GroupName &&
			x.GroupName != "" {
			out = append(out, *g)
		}
	}
	return out
}

func (m *maker) row(b *Book, i int, rules []Rules, known worths) Row {
	row := Row{Member: m.roll[i], Grades: make([]Grade, len(rules))}
	for j := range rules {
		at := i*len(rules) + j
		row.Grades[j] = rules[j].of(m.tries[at], m.adjusted[at], known)
	}
	row.Points, row.Possible = new(big.Rat), new(big.Rat)
	for j := range row.Grades {
		if b.Opened[j] {
			sum(&row.Grades[j], row.Points, row.Possible)
		}
	}
	return row
}

// read finds for each student and exercise the attempts that the grade can depend on.
func (m *maker) read(ctx context.Context, rules [][]Rules) error {
	add := func(list []store.Try) {
		for i := range list {
			if at, known := m.place(list[i].PersonID, list[i].Exercise); known {
				m.tries[at] = append(m.tries[at], m.instead(list[i]))
			}
		}
	}
	switch {
	case m.Past, m.Instead != nil:
		const page = 5000
		for after := uint64(0); ; {
			list, err := m.store.TriesAsOf(ctx, m.Course.ID, m.At, after, page)
			if err != nil {
				return err
			}
			add(list)
			if len(list) < page {
				return nil
			}
			after = list[len(list)-1].ID
		}
	case m.Person != 0:
		list, err := m.store.TriesOf(ctx, m.Course.ID, m.Person)
		add(list)
		return err
	}
	counted, err := m.store.CountedIn(ctx, m.Course.ID, slices.Collect(maps.Keys(m.columns)), m.Groups...)
	if err != nil {
		return err
	}
	return m.counted(ctx, counted, rules, add)
}

// counted takes what stands where all attempts came in time: the best or the newest alone decides then. Of the others
// every attempt is read.
func (m *maker) counted(ctx context.Context, list []store.Counted, rules [][]Rules, add func([]store.Try)) error {
	whole := map[string][]uint64{}
	one := make([]store.Try, len(list))
	for i := range list {
		c := &list[i]
		at, known := m.place(c.PersonID, c.Exercise)
		if !known {
			continue
		}
		closes := rules[at/len(m.plain)][at%len(m.plain)].Closes
		if closes != nil && !c.NewestAt.Before(*closes) {
			whole[c.Exercise] = append(whole[c.Exercise], c.PersonID)
			continue
		}
		one[i] = store.Try{ID: c.BestID, PersonID: c.PersonID, Exercise: c.Exercise, CreatedAt: c.FirstAt,
			Earned: c.BestEarned, Possible: c.BestPossible}
		if m.Content.Takes == "last" {
			one[i].ID, one[i].CreatedAt, one[i].Earned, one[i].Possible = c.NewestID, c.NewestAt, c.NewestEarned,
				c.NewestPossible
		}
		m.tries[at] = one[i : i+1 : i+1]
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

// Page is which rows of a gradebook are shown: those of whom a part of the name or number is given, behind a name to
// sign in with, so many.
type Page struct {
	Search, After string
	Limit         int
}

// Wire is a page of the gradebook as the API shows it.
func (b *Book) Wire(a Asked, p Page) *wire.Gradebook {
	out := &wire.Gradebook{Course: a.Course.Slug, Title: a.Course.Title, At: a.At, Takes: a.Content.Takes,
		Exercises: []wire.GradedExercise{}, Rows: []wire.GradeRow{}}
	for i, e := range b.Exercises {
		out.Exercises = append(out.Exercises, wire.GradedExercise{Name: e.Name, Title: e.Title, Possible: e.Possible(),
			Opened: b.Opened[i], Median: b.median(i)})
	}
	search := strings.ToLower(p.Search)
	for i := range b.Rows {
		r := &b.Rows[i]
		for j := range r.Grades {
			if r.Grades[j].Review {
				out.Review++
			}
		}
		if !r.fits(search) {
			continue
		}
		out.Total++
		switch {
		case r.Member.Name <= p.After:
		case len(out.Rows) < p.Limit:
			out.Rows = append(out.Rows, r.wire())
		case out.Next == nil:
			out.Next = &out.Rows[p.Limit-1].Name
		}
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
	type one struct {
		about float64
		exact *big.Rat
	}
	var list []one
	for j := range b.Rows {
		if g := &b.Rows[j].Grades[i]; !g.Excused && (g.Attempt != nil || g.Adjusted != nil) {
			about, _ := g.Points.Float64() // of two that differ the greater is never the smaller one here
			list = append(list, one{about, g.Points})
		}
	}
	if len(list) == 0 {
		return nil
	}
	slices.SortFunc(list, func(a, b one) int { return cmp.Compare(a.about, b.about) })
	middle := new(big.Rat).Add(list[len(list)/2].exact, list[(len(list)-1)/2].exact)
	out := Shown(middle.Quo(middle, big.NewRat(2, 1)))
	return &out
}

// fits reports whether a student's name or number holds a text in small letters.
func (r *Row) fits(text string) bool {
	number := ""
	if r.Member.Number != nil {
		number = strings.ToLower(*r.Member.Number)
	}
	return text == "" || strings.Contains(strings.ToLower(r.Member.Display), text) ||
		strings.Contains(r.Member.Name, text) || strings.Contains(number, text)
}
