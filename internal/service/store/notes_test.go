package store_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/e2e/testdb"
	"nimbusreach/internal/service/store"
)

// noted is a course with an assistant and some students, whose clock the test moves.
type noted struct {
	*store.Store
	course   *store.Course
	team     *store.Person
	students []*store.Person
	now      time.Time
}

func openNoted(t *testing.T, students int) *noted {
	t.Helper()
	ctx := context.Background()
	s, err := store.Open(ctx, testdb.New(t), nil)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	c := &noted{Store: s, now: time.Now().UTC().Truncate(time.Microsecond).Add(-1000 * time.Hour),
		team: &store.Person{Name: "aron", Display: "Aron", PasswordHash: "x"}}
	require.NoError(t, s.AddPerson(ctx, nil, c.team))
	c.course, _, err = s.Publish(ctx, c.team.ID, "kelp", "Kelp", []byte("source"), 0)
	require.NoError(t, err)
	require.NoError(t, s.SetRole(ctx, nil, c.course, c.team, store.Assistant))
	for i := range students {
		p := &store.Person{Name: fmt.Sprintf("s%02d", i), Display: fmt.Sprint("Student ", i), PasswordHash: "x",
			Email: fmt.Sprintf("s%02d@farm.example", i)}
		require.NoError(t, s.AddPerson(ctx, nil, p))
		c.students = append(c.students, p)
	}
	store.SetClock(s, func() time.Time { return c.now })
	return c
}

func (c *noted) seat(t *testing.T, student int, state store.PersonState, group string) {
	t.Helper()
	role := store.Student
	require.NoError(t, c.SetSeat(context.Background(), nil, c.course, c.students[student], store.Seat{Role: &role,
		State: &state, Group: &group}))
}

func (c *noted) attempt(t *testing.T, student int, exercise, word, lead string) uint64 {
	t.Helper()
	ctx := context.Background()
	a := &store.Attempt{CourseID: c.course.ID, RevisionID: *c.course.CurrentRevisionID, Exercise: exercise,
		PersonID: c.students[student].ID, Program: "x = 1"}
	_, err := c.HandIn(ctx, a, store.Bounds{})
	require.NoError(t, err)
	v := &store.Verdict{Verdict: word, Possible: 1, Body: "{}"}
	if word != "agrees" {
		v.LeadCode, v.LeadOutput = lead, "x"
	}
	require.NoError(t, c.Finish(ctx, store.Done{Attempt: a, Verdict: v}))
	return a.ID
}

func (c *noted) note(t *testing.T, n store.Note) *store.Note {
	t.Helper()
	n.CourseID, n.AuthorID, n.Text = c.course.ID, &c.team.ID, "Look at the axis"
	_, err := c.AddNote(context.Background(), &n, "kelp")
	require.NoError(t, err)
	return &n
}

// notes lists all notes, the oldest first.
func (c *noted) notes(t *testing.T, groups ...string) []store.NoteLine {
	t.Helper()
	require.NoError(t, c.ReachLate(context.Background(), c.course.ID))
	list, err := c.Notes(context.Background(), store.NoteFilter{Course: c.course.ID, Groups: groups, Withdrawn: true,
		Limit: 1000})
	require.NoError(t, err)
	slices.Reverse(list)
	return list
}

// told is a note as a plain account keeps it.
type told struct {
	store.Note
	got map[int]time.Time
}

// handed is an attempt as a plain account keeps it.
type handed struct {
	word, lead string
	at         time.Time
}

// account is a plain account of a course: who is in it, what they handed in, which notes were written.
type account struct {
	active map[int]bool
	group  map[int]string
	lists  map[int]map[string][]handed
	notes  []*told
}

func (a *account) stands(s int, exercise string) *handed {
	list := a.lists[s][exercise]
	if len(list) == 0 {
		return nil
	}
	return &list[len(list)-1]
}

func (a *account) in(s int, n *told) bool {
	h := a.stands(s, n.Exercise)
	return h != nil && h.word != "agrees" && h.lead == n.LeadCode
}

func (a *account) fits(s int, n *told) bool {
	return a.active[s] && (n.Among == "" || slices.Contains(n.Among.List(), a.group[s]))
}

// reach gives standing notes to whoever should get them at a time. first is when a note is written.
func (a *account) reach(n *told, s int, now time.Time, first bool) {
	if _, has := n.got[s]; has || n.WithdrawnAt != nil || !a.fits(s, n) {
		return
	}
	if n.Kind != store.NoteKnot || (first || n.Later) && a.in(s, n) {
		n.got[s] = now
	}
}

func (a *account) effect(n *told) store.Effect {
	e := store.Effect{NoteID: n.ID, Reached: len(n.got)}
	for s, at := range n.got {
		agreed := false
		for _, h := range a.lists[s][n.Exercise] {
			agreed = agreed || h.word == "agrees" && !h.at.Before(at)
		}
		if agreed {
			e.Agreed++
		}
		h := a.stands(s, n.Exercise)
		if a.active[s] && h != nil && h.word != "agrees" && (n.Kind != store.NoteKnot || h.lead == n.LeadCode) {
			e.Still++
		}
	}
	return e
}

// TestNotesAreAPlainAccount plays joins, leavings, moves between groups, attempts, notes and withdrawals, and compares
// who got which note and what it came to with the account.
func TestNotesAreAPlainAccount(t *testing.T) {
	const students = 10
	c := openNoted(t, students)
	ctx := context.Background()
	draw := rand.New(rand.NewPCG(5, 8))
	a := &account{active: map[int]bool{}, group: map[int]string{}, lists: map[int]map[string][]handed{}}
	exercises, leads := []string{"means", "masks"}, []string{"axis.other", "shape.differs"}
	for range 220 {
		c.now = c.now.Add(time.Hour)
		s := draw.IntN(students)
		switch draw.IntN(8) {
		case 0: // joins, comes back or leaves
			state := []store.PersonState{store.Active, store.Active, store.Left}[draw.IntN(3)]
			group := fmt.Sprint("Lab ", draw.IntN(2))
			c.seat(t, s, state, group)
			a.active[s], a.group[s] = state == store.Active, group
		case 1: // a note is written
			n := &told{got: map[int]time.Time{}}
			n.Kind = []store.NoteKind{store.NoteKnot, store.NoteKnot, store.NoteExercise, store.NoteCourse}[draw.IntN(4)]
			if n.Kind != store.NoteCourse {
				n.Exercise = exercises[draw.IntN(2)]
			}
			if n.Kind == store.NoteKnot {
				n.LeadCode, n.LeadOutput, n.Later = leads[draw.IntN(2)], "x", draw.IntN(2) == 0
			}
			if draw.IntN(3) == 0 {
				n.Among = store.GroupsText([]string{"Lab 1"})
			}
			n.Note = *c.note(t, n.Note)
			a.notes = append(a.notes, n)
			for s := range students {
				a.reach(n, s, c.now, true)
			}
		case 2: // one is withdrawn
			if len(a.notes) > 0 {
				n := a.notes[draw.IntN(len(a.notes))]
				require.NoError(t, c.WithdrawNote(ctx, c.team.ID, "kelp", &n.Note))
			}
		default:
			if a.lists[s] == nil {
				a.lists[s] = map[string][]handed{}
			}
			h := handed{[]string{"agrees", "differs", "failed"}[draw.IntN(3)], leads[draw.IntN(2)], c.now}
			e := exercises[draw.IntN(2)]
			c.attempt(t, s, e, h.word, h.lead)
			a.lists[s][e] = append(a.lists[s][e], h)
			for _, n := range a.notes { // a verdict gives the notes of the knot that it leads into
				if n.Kind == store.NoteKnot && n.Exercise == e && n.Later {
					a.reach(n, s, c.now, false)
				}
			}
		}
		list := c.notes(t)
		for _, n := range a.notes {
			for s := range students {
				if n.Kind != store.NoteKnot {
					a.reach(n, s, c.now, false)
				}
			}
		}
		require.Len(t, list, len(a.notes))
		for i, n := range a.notes {
			require.Equal(t, a.effect(n), list[i].Effect, "%s note to %s %s", n.Kind, n.Exercise, n.LeadCode)
		}
		var want []uint64
		for _, n := range a.notes {
			if _, got := n.got[s]; got && n.WithdrawnAt == nil && a.active[s] {
				want = append([]uint64{n.ID}, want...)
			}
		}
		var got []uint64
		received, err := c.ReceivedBy(ctx, c.students[s].ID, 0)
		require.NoError(t, err)
		for _, r := range received {
			got = append(got, r.ID)
		}
		require.Equal(t, want, got)
		unseen, err := c.CountUnseen(ctx, c.students[s].ID)
		require.NoError(t, err)
		require.EqualValues(t, len(want), unseen)
	}
	assert.Greater(t, len(a.notes), 10)
}

// TestAThreadBelowANote: answers reach the other side, are seen once, and count in the effect.
func TestAThreadBelowANote(t *testing.T) {
	c := openNoted(t, 2)
	ctx := context.Background()
	c.seat(t, 0, store.Active, "Lab 0")
	c.seat(t, 1, store.Active, "Lab 1")
	attempt := c.attempt(t, 0, "means", "differs", "axis.other")
	n := c.note(t, store.Note{Kind: store.NoteAttempt, Exercise: "means", AttemptID: &attempt})
	ada, aron := c.students[0].ID, c.team.ID
	say := func(thread, author uint64, text string) error {
		return c.Answer(ctx, &store.NoteAnswer{NoteID: n.ID, PersonID: thread, AuthorID: &author, Text: text}, "kelp", nil)
	}
	unseen := func() int64 {
		n, err := c.CountUnseen(ctx, ada)
		require.NoError(t, err)
		return n
	}
	assert.EqualValues(t, 1, unseen())
	require.NoError(t, c.SeeNotes(ctx, ada, []uint64{n.ID}))
	assert.EqualValues(t, 0, unseen())
	require.NoError(t, say(ada, ada, "Which axis?"))
	require.ErrorIs(t, say(c.students[1].ID, aron, "x"), store.ErrNotFound, "they have not got the note")
	line := c.notes(t)[0]
	assert.Equal(t, 1, line.Answered)
	assert.Equal(t, 1, line.Unread)
	assert.Equal(t, "Student 0", *line.Student)
	assert.Empty(t, c.notes(t, "Lab 1"), "a thread with a student of another group")
	require.NoError(t, c.SeeAnswers(ctx, n, "Lab 1"))
	assert.Equal(t, 1, c.notes(t)[0].Unread, "whom they do not see they have not read")
	require.NoError(t, c.SeeAnswers(ctx, n))
	assert.Zero(t, c.notes(t)[0].Unread)
	require.NoError(t, say(ada, aron, "The first"))
	assert.EqualValues(t, 1, unseen(), "the team's answer is new")
	require.NoError(t, c.Feel(ctx, ada, n.ID, "helped"))
	require.ErrorIs(t, c.Feel(ctx, c.students[1].ID, n.ID, "helped"), store.ErrNotFound)
	assert.Equal(t, 1, c.notes(t)[0].Helped)
	answers, err := c.Answers(ctx, []uint64{n.ID}, ada)
	require.NoError(t, err)
	require.Len(t, answers, 2)
	assert.Equal(t, []string{"Which axis?", "The first"}, []string{answers[0].Text, answers[1].Text})
	require.NoError(t, c.WithdrawNote(ctx, aron, "kelp", n))
	require.ErrorIs(t, say(ada, ada, "?"), store.ErrNotFound, "it is withdrawn")
	assert.EqualValues(t, 0, unseen())
}

// TestAnEditKeepsWhatWasThere, and refuses one that began from another text.
func TestAnEditKeepsWhatWasThere(t *testing.T) {
	c := openNoted(t, 1)
	ctx := context.Background()
	n := c.note(t, store.Note{Kind: store.NoteCourse})
	stale := *n
	require.NoError(t, c.EditNote(ctx, c.team.ID, "kelp", n, 1, "Second"))
	require.ErrorIs(t, c.EditNote(ctx, c.team.ID, "kelp", &stale, 1, "Third"), store.ErrEdited)
	assert.Equal(t, "Second", stale.Text, "as it is by now")
	require.NoError(t, c.EditNote(ctx, c.team.ID, "kelp", n, 2, "Third"))
	past, err := c.NoteHistory(ctx, n.ID)
	require.NoError(t, err)
	require.Len(t, past, 2)
	assert.Equal(t, "Second", past[0].Text)
	assert.Equal(t, "Look at the axis", past[1].Text)
	assert.Equal(t, "Aron", *past[1].By)
	require.ErrorIs(t, c.EditNote(ctx, c.team.ID, "kelp", &store.Note{ID: 999, CourseID: c.course.ID}, 1, "x"),
		store.ErrNotFound)
}

// TestNotesByMail: each goes once to whoever chose mail, and the team's answers again.
func TestNotesByMail(t *testing.T) {
	c := openNoted(t, 4)
	ctx := context.Background()
	for s := range 3 {
		c.seat(t, s, store.Active, "")
		if s != 1 {
			require.NoError(t, c.SetMail(ctx, c.students[s].ID, store.MailWishes{Notes: true}))
		}
	}
	n := c.note(t, store.Note{Kind: store.NoteCourse})
	c.seat(t, 2, store.Left, "")
	var sent []string
	mail := func() int {
		looked, err := c.MailNotes(ctx, 100, func(x *store.ToMail) (*store.Letter, error) {
			text := x.Text
			if x.Answered != nil {
				text = *x.Answered
			}
			sent = append(sent, x.Display+": "+text)
			return &store.Letter{Recipient: x.Email, Subject: "A note", Plain: text}, nil
		})
		require.NoError(t, err)
		return looked
	}
	assert.Equal(t, 3, mail())
	assert.Equal(t, []string{"Student 0: Look at the axis"}, sent, "student 1 did not choose it, student 2 has left")
	assert.Zero(t, mail())
	ada, aron := c.students[0].ID, c.team.ID
	require.NoError(t, c.Answer(ctx, &store.NoteAnswer{NoteID: n.ID, PersonID: ada, AuthorID: &ada, Text: "?"}, "kelp",
		nil))
	assert.Zero(t, mail(), "one's own words")
	require.NoError(t, c.Answer(ctx, &store.NoteAnswer{NoteID: n.ID, PersonID: ada, AuthorID: &aron, Text: "!"}, "kelp",
		nil))
	assert.Equal(t, 1, mail())
	assert.Equal(t, "Student 0: !", sent[1])
	letters, err := c.Letters(ctx, 0, 10)
	require.NoError(t, err)
	assert.Len(t, letters, 2)
	assert.True(t, strings.HasPrefix(letters[0].Recipient, "s00@"))
}

// TestARecheckThatSaysTheSame leaves the verdict as it is, and tells that it is there again.
func TestARecheckThatSaysTheSame(t *testing.T) {
	c := openNoted(t, 1)
	ctx := context.Background()
	c.seat(t, 0, store.Active, "")
	id := c.attempt(t, 0, "means", "differs", "axis.other")
	checkedAt := c.now
	again := func(lead string) *store.AttemptLine {
		c.now = c.now.Add(time.Hour)
		require.NoError(t, c.AddJob(ctx, &store.Job{Kind: "recheck", Course: "kelp", CourseID: &c.course.ID,
			PersonID: c.team.ID}, 99))
		j, err := c.TakeJob(ctx, "me", 0, time.Minute, 3, []string{"recheck"})
		require.NoError(t, err)
		_, n, err := c.Recheck(ctx, j, *c.course.CurrentRevisionID, "means", 0, 9, false,
			func(uint64, int64) string { return "there" })
		require.NoError(t, err)
		require.EqualValues(t, 1, n)
		j.State = store.JobDone
		require.NoError(t, c.EndJob(ctx, j))
		before, err := c.NewestChange(ctx)
		require.NoError(t, err)
		require.NoError(t, c.Finish(ctx, store.Done{Attempt: &store.Attempt{ID: id, CourseID: c.course.ID,
			RevisionID: *c.course.CurrentRevisionID, Exercise: "means", PersonID: c.students[0].ID, Behind: true},
			Verdict: &store.Verdict{Verdict: "differs", LeadCode: lead, LeadOutput: "x", Possible: 1, Body: "{}"}}))
		changes, _, err := c.ChangesAfter(ctx, before)
		require.NoError(t, err)
		require.Len(t, changes, 1)
		assert.Equal(t, "verdict", changes[0].Kind)
		line, err := c.AttemptByID(ctx, id)
		require.NoError(t, err)
		require.Equal(t, store.Checked, line.State)
		return line
	}
	assert.Equal(t, checkedAt, *again("axis.other").CheckedAt)
	line := again("shape.differs")
	assert.Equal(t, c.now, *line.CheckedAt, "another takes its place")
	assert.Equal(t, "shape.differs", *line.LeadCode)
}
