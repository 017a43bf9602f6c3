package teaching_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/store"
	"nimbusreach/internal/service/teaching"
)

// lived is an attempt as a plain count sees it.
type lived struct {
	student        int
	exercise, word string
	code           string
	at             time.Time
}

// play hands attempts in at times of their own.
func (x *school) play(r *rand.Rand, n int, begin time.Time, exercises []string) []lived {
	x.t.Helper()
	var out []lived
	now := begin
	store.SetClock(x.s, func() time.Time { return now })
	for range n {
		now = now.Add(time.Duration(r.IntN(300)) * time.Minute)
		l := lived{r.IntN(len(x.students)), exercises[r.IntN(len(exercises))], []string{"agrees", "differs",
			"failed"}[r.IntN(3)],
			[]string{"axis.other", "shape.differs"}[r.IntN(2)], now}
		a := &store.Attempt{CourseID: x.c.ID, RevisionID: *x.c.CurrentRevisionID, Exercise: l.exercise,
			PersonID: x.students[l.student].ID, Program: "x"}
		_, err := x.s.HandIn(ctx, a, store.Bounds{})
		require.NoError(x.t, err)
		v := &store.Verdict{Verdict: l.word, Possible: 2, Body: "{}"}
		if l.word == "agrees" {
			l.code, v.Earned = "", 2
		} else {
			v.LeadCode, v.LeadOutput = l.code, "x"
		}
		require.NoError(x.t, x.s.Finish(ctx, store.Done{Attempt: a, Verdict: v}))
		out = append(out, l)
	}
	return out
}

func (x *school) digest(from, to time.Time, groups ...string) *wire.Digest {
	x.t.Helper()
	d, err := teaching.Digest(ctx, x.s, teaching.DigestAsked{Course: x.c, Content: x.content, From: from, To: to,
		Groups: groups, Says: strings.ToUpper, Note: func(n *store.NoteLine) wire.TeamNote {
			return wire.TeamNote{ID: n.ID, Exercise: n.Exercise, Code: n.LeadCode, Output: n.LeadOutput, Text: n.Text,
				Effect: wire.NoteEffect{Reached: n.Reached, Agreed: n.Agreed}}
		}})
	require.NoError(x.t, err)
	return d
}

var twoExercises = &exercise.Course{Takes: "best", Exercises: []*exercise.Exercise{{Name: "one", Title: "One",
	Outputs: outputs(2)}, {Name: "two", Title: "Two", Outputs: outputs(2)}}}

// TestADigestIsAPlainCount over any span.
func TestADigestIsAPlainCount(t *testing.T) {
	x := newSchool(t, 7, twoExercises)
	r := rand.New(rand.NewPCG(4, 2))
	begin := time.Now().UTC().Truncate(time.Microsecond).Add(-2000 * time.Hour)
	list := x.play(r, 120, begin, []string{"one", "two"})
	for range 12 {
		from := begin.Add(time.Duration(r.IntN(300)) * time.Hour)
		to := from.Add(time.Duration(1+r.IntN(200)) * time.Hour)
		d := x.digest(from, to)
		active, attempts := map[int]bool{}, map[string]int{}
		type knot struct{ exercise, code string }
		sizes := func(at time.Time) (map[knot]int, map[string][]int, map[string]int) {
			newest, tries, knots, agrees := map[string]lived{}, map[string]int{}, map[knot]int{}, map[string]int{}
			for _, l := range list {
				if !l.at.After(at) {
					key := fmt.Sprint(l.student, l.exercise)
					newest[key] = l
					tries[key]++
				}
			}
			by := map[string][]int{}
			for key, l := range newest {
				by[l.exercise] = append(by[l.exercise], tries[key])
				if l.word == "agrees" {
					agrees[l.exercise]++
				} else {
					knots[knot{l.exercise, l.code}]++
				}
			}
			return knots, by, agrees
		}
		for _, l := range list {
			if !l.at.Before(from) && l.at.Before(to) {
				active[l.student] = true
				attempts[l.exercise]++
			}
		}
		was, _, _ := sizes(from)
		is, tries, agrees := sizes(to)
		require.Equal(t, []int{attempts["one"] + attempts["two"], len(active), 7 - len(active)}, []int{d.Attempts, d.Active,
			d.Quiet})
		got := map[knot][3]int{}
		for kind, some := range [][]wire.DigestKnot{d.Formed, d.Grew, d.Dissolved} {
			for _, k := range some {
				got[knot{k.Exercise, k.Code}] = [3]int{kind, k.Before, k.After}
			}
		}
		want := map[knot][3]int{}
		for _, k := range []knot{{"one", "axis.other"}, {"one", "shape.differs"}, {"two", "axis.other"}, {"two",
			"shape.differs"}} {
			b, a := was[k], is[k]
			switch {
			case max(a, b) < 2 || a == b || a < b && a > 0:
			case b == 0:
				want[k] = [3]int{0, b, a}
			case a == 0:
				want[k] = [3]int{2, b, a}
			default:
				want[k] = [3]int{1, b, a}
			}
		}
		require.Equal(t, want, got)
		for _, e := range d.Exercises {
			n := tries[e.Name]
			require.Equal(t, []int{attempts[e.Name], len(n), agrees[e.Name]}, []int{e.Attempts, e.Tried, e.Agrees})
			if len(n) > 0 {
				slices.Sort(n)
				require.Equal(t, float64(n[len(n)/2]+n[(len(n)-1)/2])/2, *e.Tries)
			}
		}
		require.Len(t, d.Sentences, 3)
	}
}

// TestWhatADigestSaysFirst: three sentences, whatever there is to say.
func TestWhatADigestSaysFirst(t *testing.T) {
	x := newSchool(t, 4, twoExercises)
	now := time.Now().UTC().Truncate(time.Microsecond)
	week := func() *wire.Digest { return x.digest(now.Add(-time.Hour), now.Add(time.Hour)) }
	assert.Equal(t, []string{"No mistake is shared by two students at the end of this span: there is nothing to teach " +
		"to all again.", "Everybody who tried an exercise masters it by now.", "Nobody handed anything in within this span."},
		week().Sentences)
	store.SetClock(x.s, func() time.Time { return now })
	stuck := func(p *store.Person, code string) {
		a := &store.Attempt{CourseID: x.c.ID, RevisionID: *x.c.CurrentRevisionID, Exercise: "one", PersonID: p.ID,
			Program: "x"}
		_, err := x.s.HandIn(ctx, a, store.Bounds{})
		require.NoError(t, err)
		require.NoError(t, x.s.Finish(ctx, store.Done{Attempt: a, Verdict: &store.Verdict{Verdict: "differs", LeadCode: code,
			LeadOutput: "x", Body: "{}"}}))
	}
	for _, p := range x.students[:3] {
		stuck(p, "axis.other")
	}
	assert.Equal(t, []string{"Teach again first: 3 students are stuck on “AXIS.OTHER” in One.",
		"One is the hardest: 0 of the 3 who tried it agree, with a median of one try; 3 of the others are stuck on `x`.",
		"“AXIS.OTHER” in One grew the most, from 0 to 3 students, and no note of this span is about it."}, week().Sentences)
	_, err := x.s.AddNote(ctx, &store.Note{CourseID: x.c.ID, Kind: store.NoteKnot, Exercise: "one", LeadCode: "axis.other",
		LeadOutput: "x", Text: "Look | *here*\nand there"}, "kelp")
	require.NoError(t, err)
	now = now.Add(time.Minute)
	x.handIn(x.students[0], "one", 2, 2)
	d := week()
	assert.Equal(t, "“AXIS.OTHER” in One grew the most, from 0 to 2 students; of the 3 whom the note about it reached, 1 "+
		"agrees by now.", d.Sentences[2])
	later := x.digest(now.Add(30*time.Second), now.Add(time.Hour))
	assert.Equal(t, "Nobody handed anything in within this span.", later.Sentences[2])

	now = now.Add(2 * time.Hour)
	for range 101 {
		_, err := x.s.AddNote(ctx, &store.Note{CourseID: x.c.ID, Kind: store.NoteCourse, Text: "Later"}, "kelp")
		require.NoError(t, err)
	}
	assert.Equal(t, d.Notes, x.digest(d.From, d.To).Notes, "notes of another time are not this span's")

	text := teaching.DigestMarkdown(d, time.UTC)
	assert.Contains(t, text, `| Look \| \*here\*… | 3 | 1 |`, "a note is no markup of the table")
	html, err := teaching.DigestHTML(d, time.UTC)
	require.NoError(t, err)
	assert.Equal(t, 3, strings.Count(html, "<table>"))
	assert.NotContains(t, html, "<em>here</em>")
	assert.Contains(t, teaching.DigestText(d, time.UTC), "reached 3, agreed since 1")
}

// TestTheClassMapIsAPlainCount: newest states, tries, best points, and who ever had which cause.
func TestTheClassMapIsAPlainCount(t *testing.T) {
	x := newSchool(t, 6, twoExercises)
	r := rand.New(rand.NewPCG(6, 1))
	list := x.play(r, 60, time.Now().UTC().Add(-1000*time.Hour), []string{"one", "two", "gone"})
	m, err := teaching.Map(ctx, x.s, x.c, x.content, teaching.MapPage{Limit: 100})
	require.NoError(t, err)
	require.Len(t, m.Rows, 6)
	for i, row := range m.Rows {
		agreed, tries := 0, 0
		for j, name := range []string{"one", "two"} {
			var want *wire.MapCell
			for _, l := range list {
				if l.student != i || l.exercise != name {
					continue
				}
				if want == nil {
					want = &wire.MapCell{}
				}
				want.State, want.Code, want.Output = l.word, l.code, map[bool]string{false: "x"}[l.word == "agrees"]
				want.Tries++
				tries++
				if l.word == "agrees" {
					want.Best = 2
				}
			}
			got := row.Cells[j]
			if want == nil {
				require.Nil(t, got)
				continue
			}
			require.NotZero(t, got.Attempt)
			want.Attempt = got.Attempt
			require.Equal(t, want, got)
			if want.State == "agrees" {
				agreed++
			}
		}
		require.Equal(t, []int{agreed, tries}, []int{row.Agreed, row.Tries})
	}
	causes, err := teaching.Causes(ctx, x.s, x.c, x.content, strings.ToUpper)
	require.NoError(t, err)
	assert.Equal(t, 6, causes.Students)
	for _, row := range causes.Rows {
		for j, name := range []string{"one", "two"} {
			ever, now := map[int]bool{}, map[int]bool{}
			for _, l := range list {
				if l.exercise == name {
					now[l.student] = l.code == row.Code
					ever[l.student] = ever[l.student] || l.code == row.Code
				}
			}
			count := func(m map[int]bool) (n int) {
				for _, yes := range m {
					if yes {
						n++
					}
				}
				return n
			}
			require.Equal(t, wire.CauseCell{Ever: count(ever), Now: count(now)}, row.Cells[j], row.Code)
		}
	}
	a := &store.Attempt{CourseID: x.c.ID, RevisionID: *x.c.CurrentRevisionID, Exercise: "one", PersonID: x.students[0].ID}
	_, err = x.s.HandIn(ctx, a, store.Bounds{})
	require.NoError(t, err)
	m, err = teaching.Map(ctx, x.s, x.c, x.content, teaching.MapPage{Limit: 2})
	require.NoError(t, err)
	assert.Equal(t, "waiting", m.Rows[0].Cells[0].State)
	assert.Equal(t, a.Number, m.Rows[0].Cells[0].Tries)
	assert.Equal(t, 6, m.Total)
	older := &store.Attempt{CourseID: x.c.ID, RevisionID: *x.c.CurrentRevisionID, Exercise: "two",
		PersonID: x.students[1].ID}
	newer := *older
	for _, a := range []*store.Attempt{older, &newer} {
		_, err = x.s.HandIn(ctx, a, store.Bounds{})
		require.NoError(t, err)
	}
	require.NoError(t, x.s.Finish(ctx, store.Done{Attempt: &newer, Verdict: &store.Verdict{Verdict: "failed", Possible: 2,
		Body: "{}"}}))
	m, err = teaching.Map(ctx, x.s, x.c, x.content, teaching.MapPage{Limit: 2})
	require.NoError(t, err)
	assert.Equal(t, "failed", m.Rows[1].Cells[1].State, "an older one that waits changes nothing")
	m, err = teaching.Map(ctx, x.s, x.c, x.content, teaching.MapPage{After: *m.Next, Limit: 9})
	require.NoError(t, err)
	assert.Len(t, m.Rows, 4)
	m, err = teaching.Map(ctx, x.s, x.c, x.content, teaching.MapPage{Limit: 9}, "B")
	require.NoError(t, err)
	assert.Len(t, m.Rows, 3)
}
