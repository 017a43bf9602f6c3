package store_test

import (
	"database/sql"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/e2e/testdb"
	"nimbusreach/internal/service/mariadb"
	"nimbusreach/internal/service/store"
)

// student makes a person who is in a course.
func student(t *testing.T, s *store.Store, c *store.Course, name string) *store.Person {
	t.Helper()
	p := &store.Person{Name: name, Display: name, PasswordHash: "x"}
	require.NoError(t, s.AddPerson(ctx, nil, p))
	require.NoError(t, s.SetRole(ctx, nil, c, p, store.Student))
	return p
}

func TestBoundsHoldHoweverManyComeAtOnce(t *testing.T) {
	s := open(t)
	_, c := course(t, s)
	ada := student(t, s, c, "ada")
	for _, bounds := range []store.Bounds{{Limit: 3}, {Waiting: 3}, {Wait: time.Hour}} {
		var taken, refused atomic.Int64
		var wg sync.WaitGroup
		exercise := fmt.Sprint("e", bounds)
		for range 40 {
			wg.Go(func() {
				_, err := s.HandIn(ctx, &store.Attempt{CourseID: c.ID, RevisionID: *c.CurrentRevisionID, Exercise: exercise,
					PersonID: ada.ID}, bounds)
				var bound *store.Refused
				switch {
				case err == nil:
					taken.Add(1)
				case assert.ErrorAs(t, err, &bound):
					refused.Add(1)
				}
			})
		}
		wg.Wait()
		want := int64(3)
		if bounds.Wait > 0 {
			want = 1
		}
		if bounds.Waiting > 0 {
			want = 0 // three of the first exercise wait already
		}
		assert.Equal(t, want, taken.Load(), "%+v", bounds)
		assert.Equal(t, 40-want, refused.Load())
	}
}

func TestAttemptsAreNumbered(t *testing.T) {
	s := open(t)
	p, c := course(t, s)
	for n := 1; n <= 3; n++ {
		assert.Equal(t, n, handIn(t, s, p, c, "").Number)
	}
	other := &store.Attempt{CourseID: c.ID, RevisionID: *c.CurrentRevisionID, Exercise: "masks", PersonID: p.ID}
	_, err := s.HandIn(ctx, other, store.Bounds{})
	require.NoError(t, err)
	assert.Equal(t, 1, other.Number, "each exercise by itself")
}

// TestNobodysFloodKeepsOthersWaiting: one person's many attempts are checked one at a
// time, and courses are served in turn.
func TestNobodysFloodKeepsOthersWaiting(t *testing.T) {
	s := open(t)
	p, c := course(t, s)
	for range 5 {
		handIn(t, s, p, c, "")
	}
	first, err := claimOne(s, time.Minute, 0, store.Share{})
	require.NoError(t, err)
	require.NotNil(t, first)
	none, err := claimOne(s, time.Minute, 0, store.Share{})
	require.NoError(t, err)
	assert.Nil(t, none, "one of a person is checked at a time")
	ada := student(t, s, c, "ada")
	hers := handIn(t, s, ada, c, "")
	next, err := claimOne(s, time.Minute, 0, store.Share{})
	require.NoError(t, err)
	require.NotNil(t, next)
	assert.Equal(t, hers.ID, next.ID)
	require.NoError(t, s.Finish(ctx, store.Done{Attempt: first, Verdict: &store.Verdict{Verdict: "agrees", Body: "{}"}}))
	next, err = claimOne(s, time.Minute, 0, store.Share{})
	require.NoError(t, err)
	require.NotNil(t, next)
	assert.Equal(t, p.ID, next.PersonID)
}

func TestAPersonsSecondAttemptStandsBehindOthersFirst(t *testing.T) {
	s := open(t)
	_, c := course(t, s)
	ada, bree := student(t, s, c, "ada"), student(t, s, c, "bree")
	a1, a2 := handIn(t, s, ada, c, ""), handIn(t, s, ada, c, "")
	b1 := handIn(t, s, bree, c, "")
	var order []uint64
	for range 3 {
		a, err := claimOne(s, time.Minute, 0, store.Share{})
		require.NoError(t, err)
		require.NotNil(t, a)
		order = append(order, a.ID)
		require.NoError(t, s.Finish(ctx, store.Done{Attempt: a, Verdict: &store.Verdict{Verdict: "agrees", Body: "{}"}}))
	}
	assert.Equal(t, []uint64{a1.ID, b1.ID, a2.ID}, order)
}

// TestANumberThatIsTaken: the block's error is told as what it is, and leaves no transaction behind. Two
// nodes number alike; here the rows are made so that every try does.
func TestANumberThatIsTaken(t *testing.T) {
	dsn := testdb.New(t)
	s, err := store.Open(ctx, dsn, nil)
	require.NoError(t, err)
	defer s.Close()
	p, c := course(t, s)
	first, second := handIn(t, s, p, c, ""), handIn(t, s, p, c, "")
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	for _, set := range []struct {
		number int
		id     uint64
	}{{9, first.ID}, {1, second.ID}, {2, first.ID}} {
		_, err := db.Exec("UPDATE attempts SET number = ? WHERE id = ?", set.number, set.id)
		require.NoError(t, err)
	}
	a := &store.Attempt{CourseID: c.ID, RevisionID: *c.CurrentRevisionID, Exercise: "means", PersonID: p.ID}
	_, err = s.HandIn(ctx, a, store.Bounds{})
	require.ErrorIs(t, err, store.ErrTaken)
	handIn(t, s, student(t, s, c, "ada"), c, "") // on the connections of before
}

// TestOneOfAPersonIsClaimed, however many are claimed at once; the next when that one has its verdict.
func TestOneOfAPersonIsClaimed(t *testing.T) {
	s := open(t)
	p, c := course(t, s)
	for range 3 {
		handIn(t, s, p, c, "")
	}
	handIn(t, s, student(t, s, c, "ada"), c, "")
	list, err := s.Claim(ctx, time.Minute, 0, store.Share{}, 8)
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.NotEqual(t, list[0].PersonID, list[1].PersonID)
	none, err := s.Claim(ctx, time.Minute, 0, store.Share{}, 8)
	require.NoError(t, err)
	assert.Empty(t, none)
	require.NoError(t, s.Finish(ctx, store.Done{Attempt: &list[0], Verdict: &store.Verdict{Verdict: "agrees",
		Body: "{}"}}))
	next, err := s.Claim(ctx, time.Minute, 0, store.Share{}, 8)
	require.NoError(t, err)
	require.Len(t, next, 1)
	assert.Equal(t, list[0].PersonID, next[0].PersonID)
}

func TestCoursesAreServedInTurn(t *testing.T) {
	s := open(t)
	p, c := course(t, s)
	other, _, err := s.Publish(ctx, p.ID, "salt", "Salt", []byte("source"), 0)
	require.NoError(t, err)
	for i := range 6 {
		handIn(t, s, student(t, s, c, fmt.Sprint("k", i)), c, "")
	}
	late := handIn(t, s, student(t, s, other, "late"), other, "")
	first, err := claimOne(s, time.Minute, 0, store.Share{})
	require.NoError(t, err)
	assert.Equal(t, c.ID, first.CourseID)
	next, err := claimOne(s, time.Minute, first.CourseID, store.Share{})
	require.NoError(t, err)
	assert.Equal(t, late.ID, next.ID, "another course's only attempt does not wait behind six")
}

// recheckOf is a re-check that a process has taken up.
func recheckOf(t *testing.T, s *store.Store, p *store.Person, c *store.Course) *store.Job {
	t.Helper()
	require.NoError(t, s.AddJob(ctx, &store.Job{Kind: "recheck", Course: c.Slug, CourseID: &c.ID, PersonID: p.ID}, 9))
	job, err := s.TakeJob(ctx, "me", 0, time.Minute, 3, []string{"recheck"})
	require.NoError(t, err)
	require.NotNil(t, job)
	return job
}

func TestReChecksGoBehindHandIns(t *testing.T) {
	s := open(t)
	p, c := course(t, s)
	old := handIn(t, s, p, c, "")
	claimed, err := claimOne(s, time.Minute, 0, store.Share{})
	require.NoError(t, err)
	require.NoError(t, s.Finish(ctx, store.Done{Attempt: claimed, Verdict: &store.Verdict{Verdict: "differs",
		Body: "{}"}}))
	job := recheckOf(t, s, p, c)
	keep := func(last uint64, n int64) string { return fmt.Sprint(last, " ", n) }
	last, n, err := s.Recheck(ctx, job, *c.CurrentRevisionID, "means", 0, 10, false, keep)
	require.NoError(t, err)
	assert.EqualValues(t, 1, n)
	assert.Equal(t, old.ID, last)
	kept, err := s.JobByID(ctx, job.ID)
	require.NoError(t, err)
	assert.Equal(t, fmt.Sprint(old.ID, " ", 1), kept.Reached, "it is kept with what was put back")
	last, n, err = s.Recheck(ctx, job, *c.CurrentRevisionID, "means", last, 10, false, keep)
	require.NoError(t, err)
	assert.Zero(t, last+uint64(n), "no more follow")
	count, err := s.CountRecheck(ctx, c.ID, []string{"means", "none"})
	require.NoError(t, err)
	assert.EqualValues(t, 1, count)
	open, err := s.Rechecking(ctx, c.ID, 10)
	require.NoError(t, err)
	assert.EqualValues(t, 1, open)
	fresh := handIn(t, s, student(t, s, c, "ada"), c, "")
	next, err := claimOne(s, time.Minute, 0, store.Share{})
	require.NoError(t, err)
	assert.Equal(t, fresh.ID, next.ID, "what is handed in goes first")
	next, err = claimOne(s, time.Minute, 0, store.Share{})
	require.NoError(t, err)
	assert.Equal(t, old.ID, next.ID)
	_, err = s.HandIn(ctx, &store.Attempt{CourseID: c.ID, RevisionID: *c.CurrentRevisionID, Exercise: "means",
		PersonID: p.ID}, store.Bounds{Waiting: 1})
	assert.NoError(t, err, "what is checked again does not count as waiting")
}

// TestAVerdictByAnOldRevisionIsNotStored: a worker that comes back late has nothing to say
// about an attempt that is to be checked again by another revision.
func TestAVerdictByAnOldRevisionIsNotStored(t *testing.T) {
	s := open(t)
	p, c := course(t, s)
	handIn(t, s, p, c, "")
	late, err := claimOne(s, time.Minute, 0, store.Share{})
	require.NoError(t, err)
	require.NoError(t, s.Finish(ctx, store.Done{Attempt: late, Verdict: &store.Verdict{Verdict: "differs", Body: "{}"}}))
	_, r, err := s.Publish(ctx, p.ID, "kelp", "Kelp", []byte("other"), 0)
	require.NoError(t, err)
	job := recheckOf(t, s, p, c)
	others := *job
	others.Owner = "another"
	_, _, err = s.Recheck(ctx, &others, r.ID, "means", 0, 10, false, func(uint64, int64) string { return "" })
	require.ErrorIs(t, err, store.ErrNotMine)
	line, err := s.AttemptByID(ctx, late.ID)
	require.NoError(t, err)
	require.Equal(t, store.Checked, line.State, "who has lost a job puts nothing back")
	_, _, err = s.Recheck(ctx, job, r.ID, "means", 0, 10, false, func(uint64, int64) string { return "" })
	require.NoError(t, err)
	require.NoError(t, s.Finish(ctx, store.Done{Attempt: late, Verdict: &store.Verdict{Verdict: "failed", Body: "{}"}}))
	line, err = s.AttemptByID(ctx, late.ID)
	require.NoError(t, err)
	assert.Equal(t, store.Waiting, line.State)
	assert.Equal(t, "differs", *line.Verdict)
}

// TestAnAttemptThatKillsItsProcessIsStuck: three claims that ran out, and no fourth.
func TestAnAttemptThatKillsItsProcessIsStuck(t *testing.T) {
	s := open(t)
	p, c := course(t, s)
	a := handIn(t, s, p, c, "")
	for range 2 {
		claimed, err := claimOne(s, -time.Second, 0, store.Share{})
		require.NoError(t, err)
		require.NotNil(t, claimed)
		stuck, err := s.Expire(ctx, 3)
		require.NoError(t, err)
		assert.Empty(t, stuck)
	}
	_, err := claimOne(s, -time.Second, 0, store.Share{})
	require.NoError(t, err)
	require.NoError(t, s.Extend(ctx, []uint64{a.ID}, time.Minute))
	stuck, err := s.Expire(ctx, 3)
	require.NoError(t, err)
	assert.Empty(t, stuck, "a claim whose process gives signs is kept")
	require.NoError(t, s.Extend(ctx, []uint64{a.ID}, -time.Second))
	stuck, err = s.Expire(ctx, 3)
	require.NoError(t, err)
	require.Len(t, stuck, 1)
	none, err := claimOne(s, time.Minute, 0, store.Share{})
	require.NoError(t, err)
	assert.Nil(t, none)
	waiting, stuckNow, err := s.Waiting(ctx, c.ID)
	require.NoError(t, err)
	assert.Zero(t, waiting)
	assert.EqualValues(t, 1, stuckNow, "it is counted")
}

func TestTwoPeoplePublish(t *testing.T) {
	s := open(t)
	imke, _ := course(t, s)
	ove := &store.Person{Name: "ove", Display: "Ove", PasswordHash: "x"}
	require.NoError(t, s.AddPerson(ctx, nil, ove))
	_, r, err := s.Publish(ctx, ove.ID, "kelp", "Kelp", []byte("by ove"), 1)
	require.NoError(t, err)
	assert.Equal(t, 2, r.Number)
	for from, source := range map[int]string{1: "by imke", 0: "by imke, who names nothing"} {
		_, _, err = s.Publish(ctx, imke.ID, "kelp", "Kelp", []byte(source), from)
		var conflict *store.Conflict
		require.ErrorAs(t, err, &conflict, "from %d", from)
		assert.Equal(t, 2, conflict.Current)
		assert.Equal(t, from, conflict.From)
		assert.Equal(t, "Ove", conflict.By)
	}
	_, r, err = s.Publish(ctx, imke.ID, "kelp", "Kelp", []byte("by ove"), 1)
	require.NoError(t, err, "the same folder is no conflict")
	assert.Equal(t, 2, r.Number)
	_, r, err = s.Publish(ctx, ove.ID, "kelp", "Kelp", []byte("by ove again"), 0)
	require.NoError(t, err, "one's own is no one else's")
	assert.Equal(t, 3, r.Number)
	_, r, err = s.Publish(ctx, imke.ID, "kelp", "Kelp", []byte("by imke"), store.AnyRevision)
	require.NoError(t, err)
	assert.Equal(t, 4, r.Number)
}

// TestNamesOfAnyScript: a database made with another character set holds every name.
func TestNamesOfAnyScript(t *testing.T) {
	dsn := testdb.New(t)
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	name := dsn[strings.LastIndex(dsn, "/")+1:]
	_, err = db.Exec("ALTER DATABASE " + name + " CHARACTER SET latin1")
	require.NoError(t, err)
	s, err := store.Open(ctx, dsn, nil)
	require.NoError(t, err)
	for i, display := range []string{"Jörg Åsa", "Ελένη", "Zoë 🌊", "海藻"} {
		t.Run(display, func(t *testing.T) {
			p := &store.Person{Name: fmt.Sprint("p", i), Display: display, PasswordHash: "x"}
			require.NoError(t, s.AddPerson(ctx, nil, p), display)
			got, err := s.PersonByName(ctx, p.Name)
			require.NoError(t, err)
			assert.Equal(t, display, got.Display)
		})
	}
	require.NoError(t, s.Close())
	_, err = db.Exec("ALTER TABLE audit CONVERT TO CHARACTER SET latin1")
	require.NoError(t, err)
	_, err = store.Open(ctx, dsn, nil)
	assert.ErrorContains(t, err, "the table `audit` has the character set latin1")
}

// TestAnOutageIsLoggedOnce stops the database under a store and starts it again.
func TestAnOutageIsLoggedOnce(t *testing.T) {
	folder := t.TempDir()
	server, err := mariadb.Start(ctx, folder)
	require.NoError(t, err)
	var log strings.Builder
	s, err := store.Open(ctx, server.DSN, slog.New(slog.NewTextHandler(&log, nil)))
	require.NoError(t, err)
	defer s.Close()
	store.SetPatience(s, time.Millisecond)
	require.NoError(t, server.Kill())
	for range 20 {
		_, err := s.QueueLength(ctx)
		assert.True(t, s.Away(err), "%v", err)
	}
	assert.Equal(t, 1, strings.Count(log.String(), "the database does not answer"))
	assert.False(t, s.Away(store.ErrNotFound), "an answer is no absence")
	s.Away(nil)
	s.Away(nil)
	assert.Equal(t, 1, strings.Count(log.String(), "the database answers again"))
}

func TestMembersComePageByPage(t *testing.T) {
	s := open(t)
	_, c := course(t, s)
	for i := range 7 {
		student(t, s, c, fmt.Sprint("s", i))
	}
	var names []string
	for after := ""; ; {
		page, err := s.Members(ctx, store.MemberFilter{Course: c.ID, After: after, Limit: 3})
		require.NoError(t, err)
		for _, m := range page {
			names = append(names, m.Name)
		}
		if len(page) < 3 {
			break
		}
		after = names[len(names)-1]
	}
	assert.Equal(t, []string{"imke", "s0", "s1", "s2", "s3", "s4", "s5", "s6"}, names)
	n, err := s.CountStudents(ctx, c.ID)
	require.NoError(t, err)
	assert.EqualValues(t, 7, n)
}

// TestProcessesShareTheLine: each claims its own part first, and of the others' what is late.
func TestProcessesShareTheLine(t *testing.T) {
	s := open(t)
	_, c := course(t, s)
	one, err := s.Work(ctx, "one", time.Minute)
	require.NoError(t, err)
	assert.Equal(t, store.Share{Index: 0, Of: 1}, one)
	two, err := s.Work(ctx, "two", time.Minute)
	require.NoError(t, err)
	assert.Equal(t, store.Share{Index: 1, Of: 2}, two)
	one, err = s.Work(ctx, "one", time.Minute)
	require.NoError(t, err)
	assert.Equal(t, store.Share{Index: 0, Of: 2}, one)
	for i := range 4 {
		handIn(t, s, student(t, s, c, fmt.Sprint("s", i)), c, fmt.Sprint("k", i))
	}
	for range 2 {
		a, err := claimOne(s, time.Minute, 0, two)
		require.NoError(t, err)
		require.NotNil(t, a)
		assert.EqualValues(t, 1, a.PersonID%2)
	}
	none, err := claimOne(s, time.Minute, 0, two)
	require.NoError(t, err)
	assert.Nil(t, none, "the rest is another's, and not late")
	time.Sleep(1100 * time.Millisecond)
	late, err := claimOne(s, time.Minute, 0, two)
	require.NoError(t, err)
	require.NotNil(t, late)
	assert.EqualValues(t, 0, late.PersonID%2)

	require.NoError(t, s.Rest(ctx, "two"))
	one, err = s.Work(ctx, "one", time.Minute)
	require.NoError(t, err)
	assert.Equal(t, store.Share{Index: 0, Of: 1}, one, "who has left has no share")
	_, err = s.Work(ctx, "dead", time.Minute)
	require.NoError(t, err)
	time.Sleep(20 * time.Millisecond)
	one, err = s.Work(ctx, "one", 10*time.Millisecond)
	require.NoError(t, err)
	assert.Equal(t, store.Share{Index: 0, Of: 1}, one, "nor who gives no sign of life")
}
