package store_test

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/e2e/testdb"
	"nimbusreach/internal/service/store"
)

func TestMain(m *testing.M) { os.Exit(testdb.Main(m)) }

var ctx = context.Background()

func open(t *testing.T) *store.Store {
	t.Helper()
	s, err := store.Open(ctx, testdb.New(t), nil)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	return s
}

// course makes a person and a published course.
func course(t *testing.T, s *store.Store) (*store.Person, *store.Course) {
	t.Helper()
	p := &store.Person{Name: "imke", Display: "Imke", PasswordHash: "x"}
	require.NoError(t, s.AddPerson(ctx, nil, p))
	c, _, err := s.Publish(ctx, p.ID, "kelp", "Kelp", []byte("source"), 0)
	require.NoError(t, err)
	return p, c
}

func handIn(t *testing.T, s *store.Store, p *store.Person, c *store.Course, key string) *store.Attempt {
	t.Helper()
	a := &store.Attempt{CourseID: c.ID, RevisionID: *c.CurrentRevisionID, Exercise: "means", PersonID: p.ID,
		Program: "x = 1"}
	if key != "" {
		a.RepeatKey = &key
	}
	_, err := s.HandIn(ctx, a, store.Bounds{})
	require.NoError(t, err)
	return a
}

// claimOne claims one attempt; nil where none waits.
func claimOne(s *store.Store, life time.Duration, after uint64, share store.Share) (*store.Attempt, error) {
	list, err := s.Claim(ctx, life, after, share, 1)
	if len(list) == 0 {
		return nil, err
	}
	return &list[0], err
}

func TestMigrationsFromEmptyAndAgain(t *testing.T) {
	dsn := testdb.New(t)
	var wg sync.WaitGroup
	for range 4 { // four processes starting at once on an empty database
		wg.Go(func() {
			s, err := store.Open(ctx, dsn, nil)
			if assert.NoError(t, err) {
				assert.NoError(t, s.Ping(ctx))
				_ = s.Close()
			}
		})
	}
	wg.Wait()
}

func TestPublishing(t *testing.T) {
	s := open(t)
	p, c := course(t, s)
	role, _, err := s.SeatIn(ctx, c.ID, p.ID)
	require.NoError(t, err)
	assert.Equal(t, store.Instructor, role)
	again, r, err := s.Publish(ctx, p.ID, "kelp", "Kelp", []byte("source"), 0)
	require.NoError(t, err)
	assert.Equal(t, *c.CurrentRevisionID, *again.CurrentRevisionID, "an unchanged folder makes no new revision")
	assert.Equal(t, 1, r.Number)
	_, r, err = s.Publish(ctx, p.ID, "kelp", "Kelp farm", []byte("other"), 0)
	require.NoError(t, err)
	assert.Equal(t, 2, r.Number)
	old, err := s.RevisionByID(ctx, *c.CurrentRevisionID)
	require.NoError(t, err)
	assert.Equal(t, "source", string(old.Source), "a revision never changes")
}

func TestNamesAreTakenOnce(t *testing.T) {
	s := open(t)
	course(t, s)
	assert.ErrorIs(t, s.AddPerson(ctx, nil, &store.Person{Name: "imke", PasswordHash: "x"}), store.ErrTaken)
	_, err := s.PersonByName(ctx, "nobody")
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestARepeatedHandInIsTheFirst(t *testing.T) {
	s := open(t)
	p, c := course(t, s)
	first := handIn(t, s, p, c, "key")
	var wg sync.WaitGroup
	for range 8 {
		wg.Go(func() {
			key := "key"
			a := &store.Attempt{CourseID: c.ID, RevisionID: *c.CurrentRevisionID, Exercise: "means", PersonID: p.ID,
				Program: "x = 1", RepeatKey: &key}
			repeated, err := s.HandIn(ctx, a, store.Bounds{})
			assert.NoError(t, err)
			assert.True(t, repeated)
			assert.Equal(t, first.ID, a.ID)
		})
	}
	wg.Wait()
	open, err := s.OpenAttempts(ctx, c.ID)
	require.NoError(t, err)
	assert.Len(t, open, 1)
}

// TestARepeatIsAnsweredWhereABoundWouldRefuseIt: what was stored once is not refused for being one too many.
func TestARepeatIsAnsweredWhereABoundWouldRefuseIt(t *testing.T) {
	s := open(t)
	p, c := course(t, s)
	first := handIn(t, s, p, c, "one")
	for _, bounds := range []store.Bounds{{Limit: 1}, {Wait: time.Hour}, {Waiting: 1}} {
		a := &store.Attempt{CourseID: c.ID, RevisionID: *c.CurrentRevisionID, Exercise: "means", PersonID: p.ID,
			Program: "x = 1"}
		key := "one"
		a.RepeatKey = &key
		repeated, err := s.HandIn(ctx, a, bounds)
		require.NoError(t, err)
		assert.True(t, repeated)
		assert.Equal(t, first.ID, a.ID)
		other := "two"
		a = &store.Attempt{CourseID: c.ID, RevisionID: *c.CurrentRevisionID, Exercise: "means", PersonID: p.ID,
			Program: "x = 1", RepeatKey: &other}
		_, err = s.HandIn(ctx, a, bounds)
		var refused *store.Refused
		assert.ErrorAs(t, err, &refused, "%+v", bounds)
	}
}

// TestAnAttemptBesideAnotherWaits: a process keeps for itself what it stores, unless its person has another that waits
// or is being checked: the line decides then.
func TestAnAttemptBesideAnotherWaits(t *testing.T) {
	s := open(t)
	p, c := course(t, s)
	other := &store.Person{Name: "ada", Display: "Ada", PasswordHash: "x"}
	require.NoError(t, s.AddPerson(ctx, nil, other))
	for i, want := range []struct {
		person uint64
		state  store.State
	}{{p.ID, store.Checking}, {p.ID, store.Waiting}, {other.ID, store.Checking}, {p.ID, store.Waiting}} {
		a := &store.Attempt{CourseID: c.ID, RevisionID: *c.CurrentRevisionID, Exercise: "means", PersonID: want.person,
			Program: "x = 1"}
		_, err := s.HandIn(ctx, a, store.Bounds{Claim: time.Minute})
		require.NoError(t, err)
		assert.Equal(t, want.state, a.State, i)
		line, err := s.AttemptByID(ctx, a.ID)
		require.NoError(t, err)
		assert.Equal(t, want.state, line.State, i)
	}
}

func TestEachAttemptIsClaimedOnce(t *testing.T) {
	s := open(t)
	p, c := course(t, s)
	const n = 60
	for i := range n {
		one := &store.Person{Name: fmt.Sprint("s", i), Display: "S", PasswordHash: "x"}
		require.NoError(t, s.AddPerson(ctx, &p.ID, one))
		handIn(t, s, one, c, "")
	}
	var mu sync.Mutex
	claimed := map[uint64]int{}
	var wg sync.WaitGroup
	for range 8 {
		wg.Go(func() {
			for {
				a, err := claimOne(s, time.Minute, 0, store.Share{})
				if !assert.NoError(t, err) || a == nil {
					return
				}
				mu.Lock()
				claimed[a.ID]++
				mu.Unlock()
			}
		})
	}
	wg.Wait()
	assert.Len(t, claimed, n)
	for id, times := range claimed {
		assert.Equal(t, 1, times, "attempt %d", id)
	}
}

func TestAnExpiredClaimIsTakenOver(t *testing.T) {
	s := open(t)
	p, c := course(t, s)
	a := handIn(t, s, p, c, "")
	lost, err := claimOne(s, -time.Second, 0, store.Share{}) // by a process that dies
	require.NoError(t, err)
	require.Equal(t, a.ID, lost.ID)
	stuck, err := s.Expire(ctx, 3)
	require.NoError(t, err)
	assert.Empty(t, stuck)
	again, err := claimOne(s, time.Minute, 0, store.Share{})
	require.NoError(t, err)
	require.NotNil(t, again)
	assert.Equal(t, a.ID, again.ID)
	assert.Equal(t, 2, again.Tries)
	none, err := claimOne(s, time.Minute, 0, store.Share{})
	require.NoError(t, err)
	assert.Nil(t, none)
}

func TestFinishingTwiceStoresOneVerdict(t *testing.T) {
	s := open(t)
	p, c := course(t, s)
	a := handIn(t, s, p, c, "")
	_, err := claimOne(s, time.Minute, 0, store.Share{})
	require.NoError(t, err)
	elsewhere := *a
	elsewhere.RevisionID++ // it is to be checked by another
	for _, one := range []struct {
		of     *store.Attempt
		word   string
		stored bool
	}{{&elsewhere, "failed", false}, {a, "differs", true}, {a, "agrees", false}} {
		t.Run(one.word, func(t *testing.T) {
			v := &store.Verdict{Verdict: one.word, LeadCode: "shape.differs", Body: "{}"}
			err := s.Finish(ctx, store.Done{Attempt: one.of, Verdict: v, Findings: []store.Finding{{AttemptID: a.ID,
				Code: "shape.differs", Message: "m"}}})
			require.NoError(t, err)
			assert.Equal(t, one.stored, !v.CreatedAt.IsZero())
		})
	}
	line, err := s.AttemptByID(ctx, a.ID)
	require.NoError(t, err)
	assert.Equal(t, "differs", *line.Verdict)
	assert.Equal(t, store.Checked, line.State)
}

func TestAnAttemptTriedTooOftenIsStuck(t *testing.T) {
	s := open(t)
	p, c := course(t, s)
	a := handIn(t, s, p, c, "")
	for range 3 {
		claimed, err := claimOne(s, time.Minute, 0, store.Share{})
		require.NoError(t, err)
		require.NotNil(t, claimed)
		require.NoError(t, s.GiveBack(ctx, claimed, 3))
	}
	line, err := s.AttemptByID(ctx, a.ID)
	require.NoError(t, err)
	assert.Equal(t, store.Stuck, line.State)
}

func TestListsAndTallies(t *testing.T) {
	s := open(t)
	p, c := course(t, s)
	other := &store.Person{Name: "ada", Display: "Ada", PasswordHash: "x"}
	require.NoError(t, s.AddPerson(ctx, nil, other))
	for i := range 5 {
		a := handIn(t, s, []*store.Person{p, other}[i%2], c, "")
		word := []string{"differs", "agrees"}[i%2]
		require.NoError(t, s.Finish(ctx, store.Done{Attempt: a, Verdict: &store.Verdict{Verdict: word, Earned: float64(i),
			Possible: 9, LeadCode: "c",
			Body: "{}"}}))
	}
	page, err := s.Attempts(ctx, store.Filter{Course: c.ID, Limit: 2})
	require.NoError(t, err)
	require.Len(t, page, 2)
	next, err := s.Attempts(ctx, store.Filter{Course: c.ID, Limit: 9, Before: page[1].ID})
	require.NoError(t, err)
	assert.Len(t, next, 3)
	mine, err := s.Attempts(ctx, store.Filter{Course: c.ID, Person: other.ID, Verdict: "agrees", Limit: 9})
	require.NoError(t, err)
	assert.Len(t, mine, 2)
	require.NoError(t, s.SetRole(ctx, nil, c, other, store.Student))
	groups, err := s.Groups(ctx, c.ID)
	require.NoError(t, err)
	require.Len(t, groups, 2)
	for _, g := range groups {
		assert.Equal(t, 1, g.People)
		assert.Equal(t, g.Verdict == "agrees", g.Student, "the team's own attempts are told apart")
		assert.Equal(t, map[bool]int{true: 2, false: 3}[g.Student], g.Tries)
	}
	list, err := s.MineIn(ctx, c.ID, other.ID, "")
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.True(t, list[0].Agrees)
	assert.Equal(t, 3.0, *list[0].Best)
	assert.Equal(t, "agrees", *list[0].Verdict)
	waits := handIn(t, s, other, c, "")
	list, err = s.MineIn(ctx, c.ID, other.ID, "means")
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, 3, list[0].Attempts)
	assert.Equal(t, waits.ID, list[0].Newest)
	assert.Nil(t, list[0].Verdict, "the newest has none yet")
}

func TestSignInsRunOut(t *testing.T) {
	s := open(t)
	p, _ := course(t, s)
	old, fresh := make([]byte, 32), make([]byte, 32)
	fresh[0] = 1
	require.NoError(t, s.AddSession(ctx, &store.Session{SecretHash: old, PersonID: p.ID, ExpiresAt: time.Now().UTC().
		Add(-time.Minute)}))
	require.NoError(t, s.AddSession(ctx, &store.Session{SecretHash: fresh, PersonID: p.ID, ExpiresAt: time.Now().UTC().
		Add(time.Minute)}))
	_, _, err := s.SessionPerson(ctx, old)
	assert.ErrorIs(t, err, store.ErrNotFound)
	_, who, err := s.SessionPerson(ctx, fresh)
	require.NoError(t, err)
	assert.Equal(t, "imke", who.Name)
}

func TestADatabaseThatIsNotThere(t *testing.T) {
	short, cancel := context.WithTimeout(ctx, 300*time.Millisecond)
	defer cancel()
	var log strings.Builder
	_, err := store.Open(short, "nimbus:x@tcp(127.0.0.1:1)/nimbus", slog.New(slog.NewTextHandler(&log, nil)))
	assert.ErrorContains(t, err, "does not answer")
	assert.Equal(t, 1, strings.Count(log.String(), "does not answer"), "it is logged once, however often it is asked")
	_, err = store.Open(ctx, "no address at all", nil)
	assert.ErrorContains(t, err, "cannot be read")
}

func ExampleFilter() {
	f := store.Filter{Course: 1, Verdict: "differs", Limit: 50}
	fmt.Println(f.Verdict, f.Limit)
	// Output: differs 50
}
