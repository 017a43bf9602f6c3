package desk_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/desk"
	"nimbusreach/internal/service/store"
)

var means = &exercise.Course{Exercises: []*exercise.Exercise{{Name: "means", Title: "Means",
	Inputs: []exercise.Input{{Name: "growth"}}, Outputs: []exercise.Output{{Name: "x"}}}}}

// at sets the clock of a class's store.
func (c *class) at(t time.Time) { store.SetClock(c.Store, func() time.Time { return t }) }

// checkedAs hands a program in and stores its verdict.
func (c *class) checkedAs(t *testing.T, student int, program, word, lead string) uint64 {
	t.Helper()
	ctx := context.Background()
	a := &store.Attempt{CourseID: c.course.ID, RevisionID: *c.course.CurrentRevisionID, Exercise: "means",
		PersonID: c.students[student].ID, Program: program}
	_, err := c.HandIn(ctx, a, store.Bounds{})
	require.NoError(t, err)
	v := &store.Verdict{Verdict: word, Possible: 1, Body: "{}"}
	if word == "agrees" {
		v.Earned = 1
	} else {
		v.LeadCode, v.LeadOutput = lead, "x"
	}
	require.NoError(t, c.Finish(ctx, store.Done{Attempt: a, Verdict: v}))
	return a.ID
}

func (c *class) knot(t *testing.T, code string, among ...string) *wire.KnotPage {
	t.Helper()
	p, err := desk.Knot(context.Background(), c.Store, c.course, means, store.Knot{Exercise: "means", LeadCode: code,
		LeadOutput: "x"}, among...)
	require.NoError(t, err)
	return p
}

// past is an attempt as the plain grouping sees it.
type past struct {
	id         uint64
	word, lead string
	at         time.Time
}

func (p past) in(code string) bool { return p.word != "agrees" && p.lead == code }

// TestKnotsAreAPlainGrouping plays attempts over two days, some of which change when they are checked again, and
// compares every knot, its page and its trend with a grouping of each student's own list.
func TestKnotsAreAPlainGrouping(t *testing.T) {
	const students = 12
	c := open(t, students)
	draw := rand.New(rand.NewPCG(7, 11))
	begin := time.Now().UTC().Truncate(time.Microsecond).Add(-100 * time.Hour)
	lists := make([][]past, students)
	codes := []string{"axis.other", "shape.differs", "axes.swapped"}
	for round := range 90 {
		now := begin.Add(time.Duration(round) * 37 * time.Minute)
		c.at(now)
		s := draw.IntN(students)
		p := past{word: []string{"agrees", "differs", "failed", "differs"}[draw.IntN(4)], lead: codes[draw.IntN(3)], at: now}
		p.id = c.checkedAs(t, s, "x = 1", p.word, p.lead)
		lists[s] = append(lists[s], p)
		if round%7 == 6 { // an attempt is checked again, and differs in another way
			i := draw.IntN(len(lists[s]))
			old := &lists[s][i]
			old.word, old.lead = "differs", codes[draw.IntN(3)]
			c.again(t, old.id, lists[s], s)
		}
		if round%5 == 0 {
			for _, code := range codes {
				compareKnot(t, c, code, lists, now)
			}
		}
	}
}

// again checks an attempt again, with another verdict.
func (c *class) again(t *testing.T, id uint64, list []past, student int) {
	t.Helper()
	ctx := context.Background()
	j := &store.Job{Kind: "recheck", Course: "kelp", CourseID: &c.course.ID, PersonID: c.students[0].ID}
	require.NoError(t, c.AddJob(ctx, j, 1000))
	j, err := c.TakeJob(ctx, "me", 0, time.Minute, 3, []string{"recheck"})
	require.NoError(t, err)
	_, n, err := c.Recheck(ctx, j, *c.course.CurrentRevisionID, "means", id-1, 1, false, func(uint64, int64) string {
		return "there"
	})
	require.NoError(t, err)
	require.EqualValues(t, 1, n)
	j.State = store.JobDone
	require.NoError(t, c.EndJob(ctx, j))
	for _, p := range list {
		if p.id != id {
			continue
		}
		require.NoError(t, c.Finish(ctx, store.Done{Attempt: &store.Attempt{ID: id, CourseID: c.course.ID,
			RevisionID: *c.course.CurrentRevisionID, Exercise: "means", PersonID: c.students[student].ID, Behind: true},
			Verdict: &store.Verdict{Verdict: p.word, LeadCode: p.lead, LeadOutput: "x", Possible: 1, Body: "{}"}}))
	}
}

// compareKnot holds a knot's page and its line on the desk against plain loops over all attempts.
func compareKnot(t *testing.T, c *class, code string, lists [][]past, now time.Time) {
	t.Helper()
	page := c.knot(t, code)
	want := wire.KnotPage{}
	arrivals, hourAgo := make([]int, 24), 0
	in, left := map[string]wire.KnotMember{}, map[string]wire.KnotLeaver{}
	for s, list := range lists {
		name, within, since, stood := fmt.Sprintf("s%d", s), 0, time.Time{}, false
		var out *past
		for i := range list {
			p := &list[i]
			before := i > 0 && list[i-1].in(code)
			switch {
			case p.in(code):
				within, out = within+1, nil
				if !before {
					since = p.at
					if ago := now.Sub(p.at); ago < 24*time.Hour {
						arrivals[23-int(ago/time.Hour)]++
					}
				}
			case before:
				out = p
			}
			if now.Sub(p.at) >= time.Hour {
				stood = p.in(code)
			}
		}
		if stood {
			hourAgo++
		}
		if len(list) == 0 || within == 0 {
			continue
		}
		newest := list[len(list)-1]
		if newest.in(code) {
			in[name] = wire.KnotMember{Name: name, Display: fmt.Sprintf("Student %d", s), Attempt: newest.id, Since: since,
				Newest: newest.at, Tries: len(list), Within: within}
			if want.Since == nil || since.Before(*want.Since) {
				want.Since = &since
			}
			continue
		}
		l := wire.KnotLeaver{Name: name, Display: fmt.Sprintf("Student %d", s), Attempt: out.id, At: out.at, Within: within,
			Agrees: newest.word == "agrees"}
		if !l.Agrees {
			l.Now = &wire.KnotRef{Exercise: "means", Code: newest.lead, Says: desk.Says(newest.lead), Output: "x"}
		} else {
			want.Agreed++
		}
		left[name] = l
	}
	require.Equal(t, len(in), page.People, code)
	require.Equal(t, want.Since, page.Since, code)
	require.Equal(t, arrivals, page.Arrivals, code)
	require.Equal(t, hourAgo, page.HourAgo, code)
	require.Equal(t, want.Agreed, page.Agreed, code)
	require.Len(t, page.In, len(in))
	for _, m := range page.In {
		require.Equal(t, in[m.Name], m, code)
	}
	require.Len(t, page.Left, len(left), code)
	for _, l := range page.Left {
		require.Equal(t, left[l.Name], l, code)
	}
	for _, k := range c.desk(t).Knots {
		if k.Code == code {
			assert.Equal(t, page.Trend, k.Trend)
			assert.Equal(t, page.People, k.People)
			assert.Equal(t, *page.Since, k.Since)
			assert.Equal(t, page.Tried, k.Tried)
		}
	}
}

// TestAKnotThatGrows is marked from five people more and half as many again within an hour.
func TestAKnotThatGrows(t *testing.T) {
	for _, x := range []struct {
		before, more int
		grows        bool
	}{{0, 4, false}, {0, 5, true}, {10, 5, true}, {11, 5, false}, {12, 6, true}} {
		t.Run(fmt.Sprint(x.before, " and ", x.more), func(t *testing.T) {
			c := open(t, x.before+x.more)
			now := time.Now().UTC().Truncate(time.Microsecond)
			c.at(now.Add(-2 * time.Hour))
			for s := range x.before {
				c.checkedAs(t, s, "x = 1", "differs", "axis.other")
			}
			c.at(now.Add(-10 * time.Minute))
			for s := range x.more {
				c.checkedAs(t, x.before+s, "x = 1", "differs", "axis.other")
			}
			c.at(now)
			k := c.desk(t).Knots[0]
			assert.Equal(t, x.before, k.HourAgo)
			assert.Equal(t, x.grows, k.Growing)
		})
	}
}

func TestWaysOfWritingAKnot(t *testing.T) {
	c := open(t, 4)
	first := c.checkedAs(t, 0, "x = mean(growth over week)", "differs", "axis.other")
	c.checkedAs(t, 1, "m = mean(growth over week)\nx = m", "differs", "axis.other")
	second := c.checkedAs(t, 2, "x  =  mean(growth over week)   # weeks", "differs", "axis.other")
	third := c.checkedAs(t, 3, "k = mean(growth over week)\nx = k", "differs", "axis.other")
	p := c.knot(t, "axis.other")
	require.Len(t, p.Ways, 2)
	assert.Equal(t, 4, p.Read)
	assert.Equal(t, 2, p.Ways[0].Count)
	assert.Equal(t, []uint64{third, third - 2}, p.Ways[0].Attempts, "the way of the newest attempt comes first")
	assert.Equal(t, "Student 3", p.Ways[0].Display)
	assert.Equal(t, "k = mean(growth over week)\nx = k", p.Ways[0].Program, "as it was written")
	assert.Equal(t, []uint64{second, first}, p.Ways[1].Attempts)
}

// TestAKnotOfSomeGroups: whoever is limited to groups sees nobody else of it.
func TestAKnotOfSomeGroups(t *testing.T) {
	c := open(t, 4)
	ctx := context.Background()
	for s := range 4 {
		group := fmt.Sprint("Lab ", s%2)
		require.NoError(t, c.SetSeat(ctx, nil, c.course, c.students[s], store.Seat{Group: &group}))
		c.checkedAs(t, s, "x = 1", "differs", "axis.other")
	}
	c.checkedAs(t, 2, "x = 1", "agrees", "")
	c.checkedAs(t, 3, "x = 1", "differs", "shape.differs")
	p := c.knot(t, "axis.other", "Lab 0")
	assert.Equal(t, 1, p.People)
	assert.Equal(t, "s0", p.In[0].Name)
	require.Len(t, p.Left, 1)
	assert.Equal(t, "s2", p.Left[0].Name)
	assert.Equal(t, 1, p.Agreed)
	assert.Empty(t, p.Into)
	assert.Equal(t, 2, p.Tried)
	p = c.knot(t, "axis.other")
	assert.Equal(t, []wire.KnotCount{{KnotRef: wire.KnotRef{Exercise: "means", Code: "shape.differs",
		Says: desk.Says("shape.differs"), Output: "x"}, People: 1}}, p.Into)
}
