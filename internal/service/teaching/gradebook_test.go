package teaching_test

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"nimbusreach/client/wire"
	"nimbusreach/e2e/testdb"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/store"
	"nimbusreach/internal/service/teaching"
)

func TestMain(m *testing.M) { os.Exit(testdb.Main(m)) }

var ctx = context.Background()

// school is a course of some students whose attempts are checked by hand.
type school struct {
	t        *testing.T
	s        *store.Store
	c        *store.Course
	teacher  *store.Person
	students []*store.Person
	content  *exercise.Course
	attempts []*store.Attempt
}

func newSchool(t *testing.T, students int, content *exercise.Course) *school {
	t.Helper()
	s, err := store.Open(ctx, testdb.New(t), nil)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	x := &school{t: t, s: s, teacher: &store.Person{Name: "imke", Display: "Imke"}, content: content}
	require.NoError(t, s.AddPerson(ctx, nil, x.teacher))
	x.c, _, err = s.Publish(ctx, x.teacher.ID, "kelp", "Kelp", []byte("x"), 0)
	require.NoError(t, err)
	for i := range students {
		number := fmt.Sprintf("N%d", i)
		p := &store.Person{Name: fmt.Sprintf("s%d", i), Display: fmt.Sprintf("Student %d", i), Number: &number}
		require.NoError(t, s.AddPerson(ctx, nil, p))
		role, group := store.Student, string(rune('A'+i%2))
		require.NoError(t, s.SetSeat(ctx, nil, x.c, p, store.Seat{Role: &role, Group: &group}))
		x.students = append(x.students, p)
	}
	return x
}

// check stores the verdict of an attempt that waits.
func (x *school) check(a *store.Attempt, earned, possible float64) {
	x.t.Helper()
	word := map[bool]string{true: "agrees", false: "differs"}[earned == possible]
	require.NoError(x.t, x.s.Finish(ctx, store.Done{Attempt: a, Verdict: &store.Verdict{Verdict: word, Earned: earned,
		Possible: possible, Body: "{}"}}))
}

func (x *school) handIn(p *store.Person, exercise string, earned, possible float64) *store.Attempt {
	x.t.Helper()
	a := &store.Attempt{CourseID: x.c.ID, RevisionID: *x.c.CurrentRevisionID, Exercise: exercise, PersonID: p.ID,
		Program: "x"}
	_, err := x.s.HandIn(ctx, a, store.Bounds{})
	require.NoError(x.t, err)
	x.check(a, earned, possible)
	x.attempts = append(x.attempts, a)
	return a
}

// recheck puts an attempt back into the line and checks it again; keep lets the better verdict count.
func (x *school) recheck(a *store.Attempt, earned, possible float64, keep bool) {
	x.t.Helper()
	job := &store.Job{Kind: "recheck", Course: "kelp", CourseID: &x.c.ID, PersonID: x.teacher.ID, Owner: "me"}
	require.NoError(x.t, x.s.AddJob(ctx, job, 1000))
	taken, err := x.s.TakeJob(ctx, "me", 0, time.Minute, 3, []string{"recheck"})
	require.NoError(x.t, err)
	require.NotNil(x.t, taken)
	_, _, err = x.s.Recheck(ctx, taken, *x.c.CurrentRevisionID, a.Exercise, a.ID-1, 1, keep,
		func(uint64, int64) string { return "" })
	require.NoError(x.t, err)
	taken.State = store.JobDone
	require.NoError(x.t, x.s.EndJob(ctx, taken))
	again := *a
	again.Behind = true
	x.check(&again, earned, possible)
}

func (x *school) asked(at time.Time, past bool) teaching.Asked {
	return teaching.Asked{Course: x.c, Content: x.content, At: at, Past: past}
}

func (x *school) grades(a teaching.Asked) *wire.Gradebook {
	x.t.Helper()
	b, err := teaching.Grades(ctx, x.s, a)
	require.NoError(x.t, err)
	return b.Wire(a, teaching.Page{Limit: 1000})
}

func outputs(points float64) []exercise.Output { return []exercise.Output{{Name: "x", Points: points}} }

// TestTheGradebookIsWhatItWas plays random histories of hand-ins, re-checks, adjustments and extensions, keeps the
// gradebook after every few steps, and asks for all of them again at the end, as they were at those times. What is kept
// is computed from what stands; what is asked for at the end from every attempt there is.
func TestTheGradebookIsWhatItWas(t *testing.T) {
	for seed := range uint64(6) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			r := rand.New(rand.NewPCG(seed, 5))
			soon, past := time.Now().UTC().Add(600*time.Millisecond), time.Now().UTC().Add(-time.Hour)
			content := &exercise.Course{Takes: []string{"best", "last"}[seed%2], Exercises: []*exercise.Exercise{
				{Name: "open", Title: "Open", Outputs: outputs(3), Keeps: 1},
				{Name: "closing", Title: "Closing", Outputs: outputs(2.5), Closes: &soon, Late: time.Hour, Keeps: 0.7},
				{Name: "late", Title: "Late", Outputs: outputs(4), Closes: &past, Late: 48 * time.Hour, Keeps: 0.3},
			}}
			x := newSchool(t, 4, content)
			type kept struct {
				at   time.Time
				rows []wire.GradeRow
			}
			var list []kept
			for step := range 60 {
				p, e := x.students[r.IntN(4)], content.Exercises[r.IntN(3)].Name
				switch r.IntN(6) {
				case 0:
					if len(x.attempts) > 0 {
						x.recheck(x.attempts[r.IntN(len(x.attempts))], float64(r.IntN(4)), float64(3+r.IntN(3)),
							r.IntN(2) == 0)
					}
				case 1:
					kind := []store.AdjustmentKind{store.SetPoints, store.AddPoints, store.Excused}[r.IntN(3)]
					points := map[bool]string{true: "1.25"}[kind != store.Excused]
					require.NoError(t, x.s.Adjust(ctx, &store.Adjustment{CourseID: x.c.ID, PersonID: p.ID, Exercise: e, Kind: kind,
						Points: points, Reason: "r"}, "kelp", p.Name))
				case 2:
					at := time.Now().UTC().Add(time.Duration(r.IntN(2000)-1000) * time.Millisecond)
					g := &store.Extension{CourseID: x.c.ID, Exercise: e, Closes: &at, Reason: "r", PersonID: &p.ID}
					if r.IntN(2) == 0 {
						g.PersonID, g.GroupName = nil, "A"
					}
					require.NoError(t, x.s.GiveExtension(ctx, g, "kelp", p.Name))
				default:
					x.handIn(p, e, float64(r.IntN(4)), float64(3+r.IntN(3)))
				}
				if step%7 == 0 {
					at := time.Now().UTC()
					list = append(list, kept{at, x.grades(x.asked(at, false)).Rows})
					time.Sleep(2 * time.Millisecond) // what follows is later, to the microsecond
				}
			}
			now := time.Now().UTC()
			assert.Equal(t, x.grades(x.asked(now, false)).Rows, x.grades(x.asked(now, true)).Rows, "now, from what stands and "+
				"from every attempt")
			for i, k := range list {
				assert.Equal(t, k.rows, x.grades(x.asked(k.at, true)).Rows, "the gradebook kept as number %d", i)
			}
			one := x.asked(now, false)
			one.Person = x.students[2].ID
			assert.Equal(t, x.grades(x.asked(now, false)).Rows[2:3], x.grades(one).Rows, "one student alone")
			group := x.asked(now, false)
			group.Groups = []string{"B"}
			rows := x.grades(group).Rows
			require.Len(t, rows, 2)
			assert.Equal(t, x.grades(x.asked(now, false)).Rows[1], rows[0])
		})
	}
}

// TestARecheckKeepsTheBetter: the verdict is the new one, the grade by the better of both; what it was before stays so.
func TestARecheckKeepsTheBetter(t *testing.T) {
	x := newSchool(t, 1, &exercise.Course{Takes: "last", Exercises: []*exercise.Exercise{{Name: "one", Title: "One",
		Outputs: outputs(6)}}})
	p := x.students[0]
	points := func() float64 { return x.grades(x.asked(time.Now().UTC(), false)).Rows[0].Points }
	line := func(id uint64) *store.AttemptLine {
		a, err := x.s.AttemptByID(ctx, id)
		require.NoError(t, err)
		return a
	}
	a := x.handIn(p, "one", 2, 3)
	require.Equal(t, 4.0, points())
	x.recheck(a, 1, 3, true)
	assert.Equal(t, 4.0, points(), "the better one")
	got := line(a.ID)
	assert.Equal(t, 1.0, *got.Earned, "the verdict is the new one")
	assert.Equal(t, []float64{2, 3}, []float64{*got.KeptEarned, *got.KeptPossible})
	x.recheck(a, 0, 3, true)
	assert.Equal(t, 4.0, points(), "what was kept once is kept again")
	x.recheck(a, 6, 6, true)
	assert.Equal(t, 6.0, points(), "the new one is the better one")
	assert.Nil(t, line(a.ID).KeptEarned)
	x.recheck(a, 1, 2, false)
	assert.Equal(t, 3.0, points(), "nothing is kept unless it is asked for")
	x.handIn(p, "one", 0, 1)
	assert.Equal(t, 0.0, points(), "a further attempt counts as it is")
}

// TestGradesByAnotherRevision: points by another revision change the grades that are previewed, not those that are.
func TestGradesByAnotherRevision(t *testing.T) {
	x := newSchool(t, 2, &exercise.Course{Takes: "best", Exercises: []*exercise.Exercise{{Name: "one", Title: "One",
		Outputs: outputs(4)}}})
	first, second := x.handIn(x.students[0], "one", 3, 4), x.handIn(x.students[0], "one", 2, 4)
	asked := x.asked(time.Now().UTC(), false)
	asked.Instead = map[uint64]store.Try{first.ID: {ID: first.ID, Earned: 1, Possible: 4},
		second.ID: {ID: second.ID, Earned: 8, Possible: 16}}
	assert.Equal(t, 2.0, x.grades(asked).Rows[0].Points)
	asked.Better = true
	assert.Equal(t, 3.0, x.grades(asked).Rows[0].Points)
	assert.Equal(t, 3.0, x.grades(x.asked(time.Now().UTC(), false)).Rows[0].Points)
}

// TestTotalsAndMedians: what has not opened counts nowhere, nor does what somebody is excused from.
func TestTotalsAndMedians(t *testing.T) {
	later := time.Now().UTC().Add(time.Hour)
	content := &exercise.Course{Takes: "best", Exercises: []*exercise.Exercise{
		{Name: "one", Title: "=One", Outputs: outputs(3)}, {Name: "two", Title: "Two", Outputs: outputs(1)},
		{Name: "soon", Title: "Soon", Outputs: outputs(9), Opens: &later}}}
	x := newSchool(t, 3, content)
	x.handIn(x.students[0], "one", 1, 3)
	x.handIn(x.students[0], "one", 2, 3)
	x.handIn(x.students[1], "one", 3, 3)
	x.handIn(x.students[1], "two", 0, 1)
	require.NoError(t, x.s.Adjust(ctx, &store.Adjustment{CourseID: x.c.ID, PersonID: x.students[2].ID, Exercise: "one",
		Kind: store.Excused, Reason: "=ill", GivenBy: &x.teacher.ID}, "kelp", "s2"))
	a := x.asked(time.Now().UTC(), false)
	b := x.grades(a)
	assert.False(t, b.Exercises[2].Opened)
	assert.Equal(t, 2.5, *b.Exercises[0].Median)
	assert.Equal(t, 0.0, *b.Exercises[1].Median)
	assert.Nil(t, b.Exercises[2].Median)
	assert.Equal(t, []float64{2, 3, 0}, []float64{b.Rows[0].Points, b.Rows[1].Points, b.Rows[2].Points})
	assert.Equal(t, []float64{4, 4, 1}, []float64{b.Rows[0].Possible, b.Rows[1].Possible, b.Rows[2].Possible})
	assert.Equal(t, []float64{50, 75, 0}, []float64{*b.Rows[0].Percent, *b.Rows[1].Percent, *b.Rows[2].Percent})
	assert.True(t, b.Rows[2].Grades[0].Excused)
	assert.Equal(t, "Imke", b.Rows[2].Grades[0].Adjusted.By)
	assert.Nil(t, b.Rows[0].Grades[1].Attempt)

	book, err := teaching.Grades(ctx, x.s, a)
	require.NoError(t, err)
	text, err := book.Export("csv", x.c, "best")
	require.NoError(t, err)
	rows, err := csv.NewReader(bytes.NewReader(text)).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, []string{"name", "display", "number", "group", "one", "two", "soon", "points", "possible", "percent"},
		rows[0])
	assert.Equal(t, []string{"s0", "Student 0", "N0", "A", "2", "0", "0", "2", "4", "50"}, rows[1])
	assert.Equal(t, []string{"s2", "Student 2", "N2", "A", "", "0", "0", "0", "1", "0"}, rows[3])

	text, err = book.Export("xlsx", x.c, "best")
	require.NoError(t, err)
	f, err := excelize.OpenReader(bytes.NewReader(text))
	require.NoError(t, err)
	sheet, err := f.GetRows("Grades")
	require.NoError(t, err)
	assert.Equal(t, "=One", sheet[0][4])
	formula, err := f.GetCellFormula("Grades", "E1")
	require.NoError(t, err)
	assert.Empty(t, formula, "a title is no formula")
	assert.Equal(t, "2", sheet[1][4])
	kind, err := f.GetCellType("Grades", "E2")
	require.NoError(t, err)
	assert.Contains(t, []excelize.CellType{excelize.CellTypeNumber, excelize.CellTypeUnset}, kind, "a number is a number")

	text, err = book.Export("oneroster", x.c, "best")
	require.NoError(t, err)
	archive, err := zip.NewReader(bytes.NewReader(text), int64(len(text)))
	require.NoError(t, err)
	files := map[string][][]string{}
	for _, z := range archive.File {
		r, err := z.Open()
		require.NoError(t, err)
		body, err := io.ReadAll(r)
		require.NoError(t, err)
		files[z.Name], err = csv.NewReader(strings.NewReader(string(body))).ReadAll()
		require.NoError(t, err)
	}
	require.Len(t, files["lineItems.csv"], 4)
	assert.Equal(t, "'=One", files["lineItems.csv"][1][3])
	require.Len(t, files["results.csv"], 5, "who tried nothing has no result")
	assert.Equal(t, []string{"kelp-one", "N0", "fully graded", "2"}, files["results.csv"][1][3:7])
	assert.Equal(t, []string{"kelp-one", "N2", "exempt", ""}, files["results.csv"][3][3:7])
	assert.Equal(t, "'=ill", files["results.csv"][3][9])

	found := book.Wire(a, teaching.Page{Search: "N1", Limit: 10})
	require.Len(t, found.Rows, 1)
	assert.Equal(t, "s1", found.Rows[0].Name)
	page := book.Wire(a, teaching.Page{Limit: 2})
	require.Len(t, page.Rows, 2)
	assert.Equal(t, 3, page.Total)
	require.NotNil(t, page.Next)
	last := book.Wire(a, teaching.Page{After: *page.Next, Limit: 2})
	require.Len(t, last.Rows, 1)
	assert.Nil(t, last.Next)
	assert.Equal(t, "s2", last.Rows[0].Name)
}

// TestWhoHasGoneQuiet: those who never tried come first, then the longest silent; who has left is not listed.
func TestWhoHasGoneQuiet(t *testing.T) {
	x := newSchool(t, 4, &exercise.Course{})
	x.handIn(x.students[0], "one", 3, 3)
	x.handIn(x.students[1], "other", 3, 3)
	quiet := func(since time.Time, among ...string) string {
		list, err := x.s.QuietIn(ctx, x.c.ID, []string{"one", "two"}, since, 10, among...)
		require.NoError(t, err)
		out := ""
		for _, q := range list {
			out += fmt.Sprintf("%s:%t:%d/%d ", q.Name, q.Last != nil, q.Agreed, q.Tried)
		}
		return out
	}
	past, future := time.Now().UTC().Add(-time.Hour), time.Now().UTC().Add(time.Hour)
	assert.Equal(t, "s1:false:0/0 s2:false:0/0 s3:false:0/0 ", quiet(past),
		"an attempt at another exercise does not count")
	assert.Equal(t, "s1:false:0/0 s2:false:0/0 s3:false:0/0 s0:true:1/1 ", quiet(future))
	assert.Equal(t, "s1:false:0/0 s3:false:0/0 ", quiet(future, "B"))
	gone := store.Left
	require.NoError(t, x.s.SetSeat(ctx, nil, x.c, x.students[2], store.Seat{State: &gone}))
	assert.Equal(t, "s1:false:0/0 s3:false:0/0 ", quiet(past))
}
