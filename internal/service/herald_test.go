package service

import (
	"context"
	"io"
	"log/slog"
	"os"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/e2e/testdb"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/service/library"
	"nimbusreach/internal/service/outbox"
	"nimbusreach/internal/service/store"
)

func TestMain(m *testing.M) { os.Exit(testdb.Main(m)) }

func TestWhenADigestIsDue(t *testing.T) {
	monday := 1
	for _, c := range []struct {
		zone     string
		hour     int
		now, due string
	}{
		{"UTC", 7, "2031-09-15T07:00:00Z", "2031-09-15T07:00:00Z"}, // a Monday
		{"UTC", 7, "2031-09-15T06:59:59Z", "2031-09-08T07:00:00Z"},
		{"UTC", 7, "2031-09-21T23:00:00Z", "2031-09-15T07:00:00Z"},
		{"Europe/Oslo", 7, "2031-09-15T05:00:00Z", "2031-09-15T05:00:00Z"},
		{"Europe/Oslo", 7, "2031-11-03T05:30:00Z", "2031-10-27T06:00:00Z"}, // summer time has ended between
		{"Pacific/Auckland", 0, "2031-09-14T12:00:00Z", "2031-09-14T12:00:00Z"},
	} {
		t.Run(c.now+" "+c.zone, func(t *testing.T) {
			now, err := time.Parse(time.RFC3339, c.now)
			require.NoError(t, err)
			at, err := due(store.DigestTime{Day: &monday, Hour: c.hour, Zone: c.zone}, now)
			require.NoError(t, err)
			assert.Equal(t, c.due, at.Format(time.RFC3339))
		})
	}
	sunday := 0
	at, err := due(store.DigestTime{Day: &sunday, Zone: "America/Santiago"}, time.Date(2031, 9, 9, 0, 0, 0, 0, time.UTC))
	require.NoError(t, err)
	assert.Equal(t, "2031-09-07T03:00:00Z", at.Format(time.RFC3339), "midnight is skipped on that Sunday")
	_, err = due(store.DigestTime{Day: &monday, Zone: "Sea/Bed"}, time.Now())
	require.Error(t, err)
}

// bay is a course with a team and students, whose clock the test moves.
type bay struct {
	*store.Store
	course   *store.Course
	imke     *store.Person
	students []*store.Person
	now      time.Time
}

func openBay(t *testing.T) *bay {
	t.Helper()
	ctx := context.Background()
	s, err := store.Open(ctx, testdb.New(t), nil)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	b := &bay{Store: s, now: time.Now().UTC().Truncate(time.Microsecond)}
	store.SetClock(s, func() time.Time { return b.now })
	b.imke = &store.Person{Name: "imke", Display: "Imke", PasswordHash: "x", Email: "imke@farm.example"}
	require.NoError(t, s.AddPerson(ctx, nil, b.imke))
	folder, err := exercise.Pack(fstest.MapFS{"course.yaml": {Data: []byte("title: Kelp\nexercises: [means]\n")},
		"exercises/means/exercise.yaml": {Data: []byte("title: Means\noutputs: {x: {}}\ncases: [{name: a}]\n")},
		"exercises/means/prompt.md":     {Data: []byte("Bind x.\n")},
		"exercises/means/reference.nra": {Data: []byte("x = 1\n")}})
	require.NoError(t, err)
	_, _, err = s.Publish(ctx, b.imke.ID, "kelp", "Kelp", folder, 0)
	require.NoError(t, err)
	b.course, err = s.CourseBySlug(ctx, "kelp")
	require.NoError(t, err)
	for i := range 8 {
		p := &store.Person{Name: string(rune('a' + i)), Display: "Student", PasswordHash: "x"}
		require.NoError(t, s.AddPerson(ctx, nil, p))
		require.NoError(t, s.SetRole(ctx, nil, b.course, p, store.Student))
		b.students = append(b.students, p)
	}
	return b
}

// herald is one as a process has it.
func (b *bay) herald(t *testing.T) *herald {
	t.Helper()
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil))
	config, err := outbox.Parse("smtp://mail.example?from=nimbus@farm.example")
	require.NoError(t, err)
	return &herald{store: b.Store, library: library.New(b.Store), mail: outbox.New(b.Store, config, quiet),
		hooks: outbox.NewHooks(b.Store, true, quiet), address: "https://reach.example", log: quiet,
		faulted: func(f *guard.Fault) { t.Errorf("%v\n%s", f, f.Stack) }}
}

func (b *bay) letters(t *testing.T) []store.Letter {
	t.Helper()
	list, err := b.Letters(context.Background(), 0, 100)
	require.NoError(t, err)
	return list
}

// TestADigestIsSentOnce, though several processes do it at once, and not again until it is due again; whoever does not
// want it, or is limited to groups, gets none.
func TestADigestIsSentOnce(t *testing.T) {
	b := openBay(t)
	ctx := context.Background()
	for name, role := range map[string]store.Role{"aron": store.Assistant, "lim": store.Assistant} {
		p := &store.Person{Name: name, Display: name, PasswordHash: "x", Email: name + "@farm.example"}
		require.NoError(t, b.AddPerson(ctx, nil, p))
		groups := []string{"Lab 1"}
		seat := store.Seat{Role: &role}
		if name == "lim" {
			seat.Groups = &groups
		}
		require.NoError(t, b.SetSeat(ctx, nil, b.course, p, seat))
		if name == "aron" {
			require.NoError(t, b.SetMail(ctx, p.ID, store.MailWishes{}))
		}
	}
	today := int(b.now.Weekday())
	require.NoError(t, b.SetDigestTime(ctx, b.imke.ID, b.course, store.DigestTime{Day: &today, Hour: 0, Zone: "UTC"}))
	require.NoError(t, b.AddHook(ctx, &store.Hook{CourseID: b.course.ID, Address: "https://bay.example/",
		Secret: []byte("s"),
		Events: outbox.EventDigest}, "kelp", nil))
	var wg sync.WaitGroup
	for range 4 {
		h := b.herald(t)
		wg.Go(func() { assert.NoError(t, h.digests(ctx)) })
	}
	wg.Wait()
	list := b.letters(t)
	require.Len(t, list, 1)
	assert.Equal(t, "imke@farm.example", list[0].Recipient)
	assert.Equal(t, "The week in Kelp", list[0].Subject)
	calls, err := b.HookCalls(ctx, b.course.ID, 1, 0, 10)
	require.NoError(t, err)
	assert.Len(t, calls, 1)
	b.now = b.now.AddDate(0, 0, 6)
	require.NoError(t, b.herald(t).digests(ctx))
	assert.Len(t, b.letters(t), 1, "it is not due")
	b.now = b.now.AddDate(0, 0, 1)
	require.NoError(t, b.herald(t).digests(ctx))
	assert.Len(t, b.letters(t), 2, "a week later")
	b.now = b.now.AddDate(0, 0, 9)
	require.NoError(t, b.herald(t).digests(ctx))
	assert.Len(t, b.letters(t), 2, "nobody was there for two days: that week's is not sent late")
}

// TestOneCourseKeepsNoOtherBack: what cannot be read, or a fault of ours, ends the digest of one course alone; and a
// process that only checks does not take the turn of those that can tell.
func TestOneCourseKeepsNoOtherBack(t *testing.T) {
	b := openBay(t)
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	today := int(b.now.Weekday())
	broken, _, err := b.Publish(ctx, b.imke.ID, "broken", "Broken", []byte("no folder"), 0)
	require.NoError(t, err)
	kelp, err := b.RevisionByID(ctx, *b.course.CurrentRevisionID)
	require.NoError(t, err)
	later, _, err := b.Publish(ctx, b.imke.ID, "later", "Later", kelp.Source, 0)
	require.NoError(t, err)
	for _, c := range []*store.Course{broken, later} {
		require.NoError(t, b.SetDigestTime(ctx, b.imke.ID, c, store.DigestTime{Day: &today, Hour: 0, Zone: "UTC"}))
	}
	h := b.herald(t)
	mine, err := b.Turn(ctx, "upkeep", time.Hour)
	require.NoError(t, err)
	require.True(t, mine, "as a worker has it")
	done := make(chan bool)
	go func() { upkeep(ctx, b.Store, h, h.log); close(done) }()
	require.Eventually(t, func() bool {
		list, err := b.Letters(ctx, 0, 9)
		return err == nil && len(list) == 1 && list[0].Subject == "The week in Later"
	}, time.Minute, 20*time.Millisecond)
	stop()
	<-done
	faults := 0
	h.library, h.faulted = nil, func(*guard.Fault) { faults++ }
	require.NoError(t, h.digests(context.Background()))
	assert.Equal(t, 1, faults, "the other was sent")
}

// TestAGrowingKnotIsToldOnce within some hours.
func TestAGrowingKnotIsToldOnce(t *testing.T) {
	b := openBay(t)
	ctx := context.Background()
	require.NoError(t, b.SetMail(ctx, b.imke.ID, store.MailWishes{Knots: true}))
	stuck := func(some []*store.Person) {
		for _, p := range some {
			a := &store.Attempt{CourseID: b.course.ID, RevisionID: *b.course.CurrentRevisionID, Exercise: "means",
				PersonID: p.ID, Program: "x = 2"}
			_, err := b.HandIn(ctx, a, store.Bounds{})
			require.NoError(t, err)
			require.NoError(t, b.Finish(ctx, store.Done{Attempt: a, Verdict: &store.Verdict{Verdict: "differs",
				LeadCode: "axis.other", LeadOutput: "x", Body: "{}"}}))
		}
	}
	stuck(b.students[:4])
	require.NoError(t, b.herald(t).knots(ctx))
	assert.Empty(t, b.letters(t), "four are not many")
	stuck(b.students[4:])
	for range 3 {
		require.NoError(t, b.herald(t).knots(ctx))
	}
	list := b.letters(t)
	require.Len(t, list, 1)
	assert.Equal(t, "8 are stuck in Means", list[0].Subject)
	b.now = b.now.Add(5 * time.Minute)
	require.NoError(t, b.herald(t).knots(ctx))
	assert.Len(t, b.letters(t), 1, "and nothing has come in since")
}
