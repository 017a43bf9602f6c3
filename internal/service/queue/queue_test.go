package queue_test

import (
	"context"
	"encoding/json"
	"io"
	"log/slog"
	"os"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/demo"
	"nimbusreach/e2e/testdb"
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/service/budget"
	"nimbusreach/internal/service/library"
	"nimbusreach/internal/service/queue"
	"nimbusreach/internal/service/store"
)

func TestMain(m *testing.M) { os.Exit(testdb.Main(m)) }

var quiet = slog.New(slog.NewTextHandler(io.Discard, nil))

const right = "per_rope = mean(growth over [week, depth])\nbest_week = max(growth over week)\n" +
	"spread = extent(growth over [rope, depth])\n"

// published is a store with the demo course and one person.
func published(t *testing.T) (*store.Store, *store.Course, *store.Person) {
	t.Helper()
	ctx := context.Background()
	s, err := store.Open(ctx, testdb.New(t), nil)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	p := &store.Person{Name: "imke", Display: "Imke", PasswordHash: "x"}
	require.NoError(t, s.AddPerson(ctx, nil, p))
	archive, err := exercise.Pack(demo.Course())
	require.NoError(t, err)
	c, _, err := s.Publish(ctx, p.ID, "kelp", "Kelp", archive, 0)
	require.NoError(t, err)
	return s, c, p
}

func handIn(t *testing.T, s *store.Store, c *store.Course, p *store.Person, exercise, program string) uint64 {
	t.Helper()
	a := &store.Attempt{CourseID: c.ID, RevisionID: *c.CurrentRevisionID, Exercise: exercise, PersonID: p.ID,
		Program: program}
	_, err := s.HandIn(context.Background(), a, store.Bounds{})
	require.NoError(t, err)
	return a.ID
}

// run works with a queue until every attempt has left it.
func run(t *testing.T, s *store.Store, queues ...*queue.Queue) {
	t.Helper()
	ctx, stop := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	for _, q := range queues {
		wg.Go(func() { q.Run(ctx, 3) })
	}
	deadline := time.Now().Add(time.Minute)
	for {
		n, err := s.QueueLength(ctx)
		require.NoError(t, err)
		if n == 0 {
			break
		}
		require.True(t, time.Now().Before(deadline), "%d attempts still wait", n)
		time.Sleep(5 * time.Millisecond)
	}
	stop()
	wg.Wait()
}

func TestTwoProcessesCheckEachAttemptOnce(t *testing.T) {
	s, c, p := published(t)
	var ids []uint64
	for i := range 40 {
		program := right
		if i%2 == 1 {
			program = "per_rope = 1\nbest_week = 1\nspread = 1\n"
		}
		ids = append(ids, handIn(t, s, c, p, "rope-means", program))
	}
	var mu sync.Mutex
	seen := map[string]int{}
	queues := []*queue.Queue{queue.New(s, library.New(s), budget.New(0, 0), quiet), queue.New(s, library.New(s),
		budget.New(0, 0), quiet)}
	for _, q := range queues {
		q.Observe = func(v *check.Verdict, waited, took time.Duration) {
			mu.Lock()
			defer mu.Unlock()
			seen[string(v.Verdict)]++
			assert.GreaterOrEqual(t, waited, took)
		}
	}
	run(t, s, queues...)
	assert.Equal(t, map[string]int{"agrees": 20, "differs": 20}, seen)
	line, err := s.AttemptByID(context.Background(), ids[1])
	require.NoError(t, err)
	assert.Equal(t, "constant.answer", *line.LeadCode)
	assert.Equal(t, "per_rope", *line.LeadOutput)
	assert.Equal(t, 4.0, *line.Possible)
	var v check.Verdict
	require.NoError(t, json.Unmarshal([]byte(*line.Body), &v))
	assert.Equal(t, check.Differs, v.Verdict)
	assert.NotEmpty(t, v.Findings)
}

func TestARefusalLeadsWithItsRule(t *testing.T) {
	s, c, p := published(t)
	id := handIn(t, s, c, p, "rope-means", right+"each w in growth {\n  n = 1\n}\n")
	run(t, s, queue.New(s, library.New(s), budget.New(0, 0), quiet))
	line, err := s.AttemptByID(context.Background(), id)
	require.NoError(t, err)
	assert.Equal(t, "refused", *line.Verdict)
	assert.Equal(t, "rule.loop", *line.LeadCode)
}

// TestWhatCannotBeCheckedIsToldAsStuck hands in for an exercise the revision does
// not have, as a fault of ours might.
func TestWhatCannotBeCheckedIsToldAsStuck(t *testing.T) {
	s, c, p := published(t)
	id := handIn(t, s, c, p, "no-such-exercise", right)
	fine := handIn(t, s, c, p, "rope-means", right)
	run(t, s, queue.New(s, library.New(s), budget.New(0, 0), quiet))
	line, err := s.AttemptByID(context.Background(), id)
	require.NoError(t, err)
	assert.Equal(t, store.Stuck, line.State)
	assert.Equal(t, 3, line.Tries)
	line, err = s.AttemptByID(context.Background(), fine)
	require.NoError(t, err)
	assert.Equal(t, "agrees", *line.Verdict, "others go on")
}

// TestAFaultEndsOneAttempt damages what an exercise was prepared to, so that checking it
// fails here: after three tries the attempt is stuck and reported, and others go on.
func TestAFaultEndsOneAttempt(t *testing.T) {
	s, c, p := published(t)
	kept := library.New(s)
	q := queue.New(s, kept, budget.New(0, 0), quiet)
	var faults, stuck atomic.Int64
	q.Faulted = func(f *guard.Fault) {
		assert.Equal(t, "checking an attempt", f.Doing)
		assert.Contains(t, string(f.Stack), "core/check")
		faults.Add(1)
	}
	q.Stuck = func(a *store.Attempt) { stuck.Add(int64(a.ID)) }
	broken, err := kept.Exercise(context.Background(), *c.CurrentRevisionID, "rope-means")
	require.NoError(t, err)
	for i := range broken.Cases {
		broken.Cases[i].Expected = nil
	}
	bad := handIn(t, s, c, p, "rope-means", right)
	fine := handIn(t, s, c, p, "shapes-first", "by_day = 1\n")
	run(t, s, q)
	assert.EqualValues(t, 3, faults.Load())
	assert.EqualValues(t, bad, stuck.Load())
	line, err := s.AttemptByID(context.Background(), bad)
	require.NoError(t, err)
	assert.Equal(t, store.Stuck, line.State)
	assert.Nil(t, line.Verdict, "a fault of ours is no verdict on the student's program")
	line, err = s.AttemptByID(context.Background(), fine)
	require.NoError(t, err)
	assert.Equal(t, "differs", *line.Verdict)
}

// TestAFaultInTheSearchForCausesLeavesTheVerdict has the comparison of one output fail
// while causes are searched for.
func TestAFaultInTheSearchForCausesLeavesTheVerdict(t *testing.T) {
	s, c, p := published(t)
	kept := library.New(s)
	q := queue.New(s, kept, budget.New(0, 0), quiet)
	var faults atomic.Int64
	q.Faulted = func(f *guard.Fault) {
		assert.Equal(t, "searching for causes", f.Doing)
		faults.Add(1)
	}
	prepared, err := kept.Exercise(context.Background(), *c.CurrentRevisionID, "rope-means")
	require.NoError(t, err)
	prepared.Question().Targets[0].Freedom = func(*array.Array) compare.Freedom { panic("broken") }
	id := handIn(t, s, c, p, "rope-means", "per_rope = 1\nbest_week = 1\nspread = 1\n")
	run(t, s, q)
	assert.EqualValues(t, 1, faults.Load())
	line, err := s.AttemptByID(context.Background(), id)
	require.NoError(t, err)
	assert.Equal(t, "differs", *line.Verdict)
	assert.Equal(t, "shape.differs", *line.LeadCode, "a finding leads where no cause does")
}

// TestPredictionsCountInTheVerdict adds their points, for the person who made them alone.
func TestPredictionsCountInTheVerdict(t *testing.T) {
	s, c, imke := published(t)
	ctx := context.Background()
	ada := &store.Person{Name: "ada", Display: "Ada", PasswordHash: "x"}
	require.NoError(t, s.AddPerson(ctx, nil, ada))
	said := func(n int, right bool) store.Prediction {
		return store.Prediction{PersonID: ada.ID, CourseID: c.ID, Exercise: "shapes-first", Ordinal: n, Answer: "a",
			IsRight: right}
	}
	require.NoError(t, s.Predict(ctx, []store.Prediction{said(0, true), said(1, false), said(2, true)}))
	program := "by_day = reshape(readings, [auto, depths])\nby_depth = mean(by_day over 0)\n"
	hers, his := handIn(t, s, c, ada, "shapes-first", program), handIn(t, s, c, imke, "shapes-first", program)
	run(t, s, queue.New(s, library.New(s), budget.New(0, 0), quiet))
	for id, earned := range map[uint64]float64{hers: 5, his: 3} {
		line, err := s.AttemptByID(ctx, id)
		require.NoError(t, err)
		assert.Equal(t, "agrees", *line.Verdict)
		assert.Equal(t, earned, *line.Earned)
		assert.Equal(t, 6.0, *line.Possible)
	}
}

// TestAnAttemptIsStoredAsClaimed: a process with a free worker checks what it takes itself; without
// one, or when the person has another on its way, the line decides.
func TestAnAttemptIsStoredAsClaimed(t *testing.T) {
	s, c, p := published(t)
	q := queue.New(s, library.New(s), budget.New(0, 0), quiet)
	assert.Zero(t, q.Reserve(), "nobody works here")

	ctx, stop := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	wg.Go(func() { q.Run(ctx, 2) })
	reserved := func() time.Duration {
		var life time.Duration
		require.Eventually(t, func() bool { life = q.Reserve(); return life > 0 }, 10*time.Second, time.Millisecond)
		return life
	}
	stored := func(claim time.Duration) *store.Attempt {
		a := &store.Attempt{CourseID: c.ID, RevisionID: *c.CurrentRevisionID, Exercise: "rope-means", PersonID: p.ID,
			Program: right}
		_, err := s.HandIn(ctx, a, store.Bounds{Claim: claim})
		require.NoError(t, err)
		return a
	}
	mine := stored(reserved())
	require.Equal(t, store.Checking, mine.State)
	require.Equal(t, 1, mine.Tries)
	require.NotNil(t, mine.ClaimedUntil)
	next := stored(reserved())
	assert.Equal(t, store.Waiting, next.State, "one of a person is checked at a time")
	q.Release()
	q.Give(mine)
	q.Wake()
	for _, id := range []uint64{mine.ID, next.ID} {
		require.Eventually(t, func() bool {
			line, err := s.AttemptByID(ctx, id)
			return err == nil && line.Verdict != nil
		}, 20*time.Second, 5*time.Millisecond)
	}

	// What is given while the process stops is brought to its end.
	life := reserved()
	last := stored(life)
	require.Equal(t, store.Checking, last.State)
	stop()
	q.Give(last)
	wg.Wait()
	line, err := s.AttemptByID(context.Background(), last.ID)
	require.NoError(t, err)
	if line.Verdict == nil { // it came after the workers had left: another process takes it over
		assert.Equal(t, store.Checking, line.State)
	}
}
