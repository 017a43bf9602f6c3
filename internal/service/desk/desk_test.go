package desk_test

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client/wire"
	"nimbusreach/e2e/testdb"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/desk"
	"nimbusreach/internal/service/feed"
	"nimbusreach/internal/service/store"
)

func TestMain(m *testing.M) { os.Exit(testdb.Main(m)) }

var quiet = slog.New(slog.NewTextHandler(io.Discard, nil))

// class is a course with an assistant and some students.
type class struct {
	*store.Store
	course   *store.Course
	students []*store.Person
}

func open(t *testing.T, students int) *class {
	t.Helper()
	ctx := context.Background()
	s, err := store.Open(ctx, testdb.New(t), nil)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	team := &store.Person{Name: "aron", Display: "Aron", PasswordHash: "x"}
	require.NoError(t, s.AddPerson(ctx, nil, team))
	c, _, err := s.Publish(ctx, team.ID, "kelp", "Kelp", []byte("source"), 0)
	require.NoError(t, err)
	out := &class{Store: s, course: c}
	for i := range students {
		p := &store.Person{Name: fmt.Sprintf("s%d", i), Display: fmt.Sprintf("Student %d", i), PasswordHash: "x"}
		require.NoError(t, s.AddPerson(ctx, nil, p))
		require.NoError(t, s.SetRole(ctx, nil, c, p, store.Student))
		out.students = append(out.students, p)
	}
	return out
}

// handsIn stores an attempt and, unless the word is empty, its verdict.
func (c *class) handsIn(t *testing.T, student int, exercise, word, lead, output string) uint64 {
	t.Helper()
	ctx := context.Background()
	a := &store.Attempt{CourseID: c.course.ID, RevisionID: *c.course.CurrentRevisionID, Exercise: exercise,
		PersonID: c.students[student].ID, Program: "x = 1"}
	_, err := c.HandIn(ctx, a, store.Bounds{})
	require.NoError(t, err)
	if word != "" {
		require.NoError(t, c.Finish(ctx, store.Done{Attempt: a, Verdict: &store.Verdict{Verdict: word, LeadCode: lead,
			LeadOutput: output, Body: "{}"}}))
	}
	return a.ID
}

func (c *class) desk(t *testing.T) *wire.Desk {
	t.Helper()
	content := &exercise.Course{Exercises: []*exercise.Exercise{{Name: "means", Title: "Means"},
		{Name: "masks", Title: "Masks"}}}
	d, err := desk.View(context.Background(), c.Store, c.course, content)
	require.NoError(t, err)
	return d
}

func TestTheDeskCountsNewestAttempts(t *testing.T) {
	c := open(t, 5)
	c.handsIn(t, 0, "means", "differs", "shape.differs", "per_rope")
	c.handsIn(t, 0, "means", "agrees", "", "") // fixed
	one := c.handsIn(t, 1, "means", "differs", "shape.differs", "per_rope")
	c.handsIn(t, 2, "means", "failed", "text.name", "")
	two := c.handsIn(t, 2, "means", "differs", "shape.differs", "per_rope")
	c.handsIn(t, 3, "means", "", "", "") // waits
	c.handsIn(t, 3, "masks", "refused", "rule.loop", "")
	d := c.desk(t)
	assert.Equal(t, 5, d.Students)
	assert.EqualValues(t, 7, d.Attempts)
	assert.EqualValues(t, 1, d.Waiting)
	assert.Equal(t, wire.DeskExercise{Name: "means", Title: "Means", Topics: []string{}, Agrees: 1, Differs: 2, Waiting: 1,
		None:  1,
		Tries: 6}, d.Exercises[0])
	assert.Equal(t, wire.DeskExercise{Name: "masks", Title: "Masks", Topics: []string{}, Refused: 1, None: 4, Tries: 1},
		d.Exercises[1])
	require.Len(t, d.Knots, 2)
	assert.Equal(t, 2, d.Knots[0].People, "the largest knot comes first")
	assert.Equal(t, []uint64{one, two}, d.Knots[0].Attempts)
	assert.Equal(t, "per_rope", d.Knots[0].Output)
	assert.False(t, d.Knots[0].Since.After(d.Knots[0].Newest))
	assert.Len(t, d.Recent, 7)
	assert.Greater(t, d.Recent[0].ID, d.Recent[1].ID, "newest first")
}

// TestAKnotShowsHowOneKnows: the change of its newest attempt, where a cause of that code leads it.
func TestAKnotShowsHowOneKnows(t *testing.T) {
	c := open(t, 3)
	const body = `{"causes": [{"code": "axis.other", "evidence": "repair", "confidence": "certain",
		"change": "over week → over rope", "diff": {"before": "x = sum(a over week)", "after": "x = sum(a over rope)"}}]}`
	for student, lead := range []string{"axis.other", "axis.other", "shape.differs"} {
		a := &store.Attempt{CourseID: c.course.ID, RevisionID: *c.course.CurrentRevisionID, Exercise: "means",
			PersonID: c.students[student].ID}
		_, err := c.HandIn(context.Background(), a, store.Bounds{})
		require.NoError(t, err)
		require.NoError(t, c.Finish(context.Background(), store.Done{Attempt: a, Verdict: &store.Verdict{Verdict: "differs",
			LeadCode: lead, LeadOutput: "x", Body: body}}))
	}
	d := c.desk(t)
	require.Len(t, d.Knots, 2)
	shown := d.Knots[0].Evidence
	require.NotNil(t, shown)
	assert.Equal(t, d.Knots[0].Attempts[1], shown.Attempt, "the newest")
	assert.Equal(t, "over week → over rope", shown.Change)
	assert.Equal(t, "x = sum(a over rope)", shown.Diff.After)
	assert.Nil(t, d.Knots[1].Evidence, "its lead is a finding")
}

func TestAnEmptyDesk(t *testing.T) {
	d := open(t, 2).desk(t)
	assert.Empty(t, d.Knots)
	assert.NotNil(t, d.Knots)
	assert.NotNil(t, d.Recent)
	assert.Equal(t, 2, d.Exercises[0].None)
}

// next waits for an event; a test that waits too long has failed.
func next(t *testing.T, l *desk.Listener) wire.Event {
	t.Helper()
	select {
	case e := <-l.Events:
		return e
	case <-time.After(time.Minute):
		t.Fatal("nothing was heard")
		return wire.Event{}
	}
}

// hear makes a hub with its feed, which has begun.
func hear(t *testing.T, c *class) (*desk.Hub, *feed.Feed) {
	t.Helper()
	changes := feed.New(c.Store, quiet)
	hub := desk.NewHub(changes)
	require.NoError(t, changes.Begin(context.Background()))
	return hub, changes
}

func TestAHubHearsOfOtherProcesses(t *testing.T) {
	c := open(t, 1)
	hub, changes := hear(t, c)
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan struct{})
	go func() { changes.Run(ctx); close(ended) }()
	l, end := hub.Listen(c.course.ID)
	// Written to the database by somebody else: the hub is not told.
	id := c.handsIn(t, 0, "means", "agrees", "", "")
	kinds := map[string]bool{}
	for len(kinds) < 2 {
		e := next(t, l)
		if e.Attempt != nil && *e.Attempt == id {
			kinds[e.Kind] = true
		}
	}
	assert.Equal(t, map[string]bool{"attempt": true, "verdict": true}, kinds)
	end()
	stop()
	<-ended
}

func TestAHubTellsItsOwnWorkAtOnceAndOnce(t *testing.T) {
	c := open(t, 1)
	hub, changes := hear(t, c)
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan struct{})
	l, end := hub.Listen(c.course.ID)
	defer end()
	other, endOther := hub.Listen(c.course.ID + 1)
	defer endOther()
	id := c.handsIn(t, 0, "means", "", "", "")
	hub.Tell(c.course.ID, id, "attempt")
	e := next(t, l)
	assert.Equal(t, "attempt", e.Kind)
	assert.Equal(t, id, *e.Attempt)
	assert.Empty(t, other.Events, "other courses hear nothing")
	go func() { changes.Run(ctx); close(ended) }()
	later := c.handsIn(t, 0, "means", "", "", "")
	e = next(t, l)
	assert.Equal(t, later, *e.Attempt, "what was told is not told again when it is read")
	stop()
	<-ended
}

func TestAListenerThatFallsBehindIsToldToRefresh(t *testing.T) {
	c := open(t, 0)
	hub, _ := hear(t, c)
	l, end := hub.Listen(c.course.ID)
	defer end()
	for i := range 200 {
		hub.Tell(c.course.ID, uint64(i), "attempt")
	}
	for len(l.Events) > 0 {
		<-l.Events
	}
	hub.Tell(c.course.ID, 999, "attempt")
	assert.Equal(t, "refresh", (<-l.Events).Kind)
	hub.Tell(c.course.ID, 1000, "attempt")
	assert.Equal(t, "attempt", (<-l.Events).Kind)
}
