package desk_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client/wire"
	"nimbusreach/internal/service/store"
)

// history is an attempt as the plain count sees it; word is "" for one that is open.
type history struct {
	id         uint64
	student    int // -1: of the team
	word, lead string
}

// TestTheDeskIsAPlainCount draws what people hand in and what is checked of it, and compares the desk with
// a count over all of it.
func TestTheDeskIsAPlainCount(t *testing.T) {
	c := open(t, 6)
	ctx := context.Background()
	team, err := c.PersonByName(ctx, "aron")
	require.NoError(t, err)
	draw := rand.New(rand.NewPCG(3, 5))
	var all []history
	open := map[uint64]*store.Attempt{}
	handIn := func(student int) {
		who := team
		if student >= 0 {
			who = c.students[student]
		}
		a := &store.Attempt{CourseID: c.course.ID, RevisionID: *c.course.CurrentRevisionID, Exercise: "means",
			PersonID: who.ID, Program: "x = 1"}
		_, err := c.HandIn(ctx, a, store.Bounds{})
		require.NoError(t, err)
		open[a.ID] = a
		all = append(all, history{id: a.ID, student: student})
	}
	for range 60 {
		handIn(draw.IntN(7) - 1)
		for i := range all {
			if h := &all[i]; h.word == "" && draw.IntN(3) > 0 {
				h.word, h.lead = []string{"agrees", "differs", "failed"}[draw.IntN(3)], fmt.Sprint("c", draw.IntN(2))
				if h.word == "agrees" {
					h.lead = ""
				}
				require.NoError(t, c.Finish(ctx, store.Done{Attempt: open[h.id], Verdict: &store.Verdict{Verdict: h.word,
					LeadCode: h.lead, Body: "{}"}}))
			}
		}
		d := c.desk(t)
		want := wire.DeskExercise{Name: "means", Title: "Means", Topics: []string{}}
		knots := map[string][]uint64{}
		for student := range 6 {
			var own []history
			for _, h := range all {
				if h.student == student {
					own = append(own, h)
				}
			}
			want.Tries += len(own)
			if len(own) == 0 {
				want.None++
				continue
			}
			switch newest := own[len(own)-1]; newest.word {
			case "":
				want.Waiting++
			case "agrees":
				want.Agrees++
			case "differs":
				want.Differs++
				knots[newest.lead] = append(knots[newest.lead], newest.id)
			case "failed":
				want.Failed++
				knots[newest.lead] = append(knots[newest.lead], newest.id)
			}
		}
		require.Equal(t, want, d.Exercises[0])
		require.EqualValues(t, len(all), d.Attempts)
		require.Len(t, d.Knots, len(knots))
		for i, k := range d.Knots {
			ids := knots[k.Code]
			slices.Sort(ids)
			assert.Equal(t, ids, k.Attempts)
			assert.Equal(t, len(ids), k.People)
			if i > 0 {
				assert.LessOrEqual(t, k.People, d.Knots[i-1].People)
			}
		}
	}
}
