package jobs_test

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"os"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client/wire"
	"nimbusreach/e2e/testdb"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/budget"
	"nimbusreach/internal/service/jobs"
	"nimbusreach/internal/service/library"
	"nimbusreach/internal/service/queue"
	"nimbusreach/internal/service/store"
)

func TestMain(m *testing.M) { os.Exit(testdb.Main(m)) }

var (
	ctx   = context.Background()
	quiet = slog.New(slog.NewTextHandler(io.Discard, nil))
)

// packed is a course of one exercise, with what its reference is.
func packed(t *testing.T, reference string) []byte {
	t.Helper()
	folder := fstest.MapFS{}
	for file, text := range map[string]string{
		"course.yaml": "title: Kelp\nexercises: [means]\n", "exercises/means/prompt.md": "Bind per_rope.\n",
		"exercises/means/reference.nra": reference,
		"exercises/means/exercise.yaml": "title: Means\ninputs: {growth: {axes: [week, rope]}}\noutputs: {per_rope: " +
			"{axes: [rope]}}\ncases:\n  - {name: bay, shown: true, inputs: {growth: [[1, 2, 4], [3, 5, 7]]}}\n",
	} {
		folder[file] = &fstest.MapFile{Data: []byte(text)}
	}
	archive, err := exercise.Pack(folder)
	require.NoError(t, err)
	return archive
}

const reference = "per_rope = mean(growth over week)\n"

type school struct {
	*store.Store
	imke   *store.Person
	course *store.Course
}

func open(t *testing.T) *school {
	t.Helper()
	s, err := store.Open(ctx, testdb.New(t), nil)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	imke := &store.Person{Name: "imke", Display: "Imke", PasswordHash: "x"}
	require.NoError(t, s.AddPerson(ctx, nil, imke))
	c, _, err := s.Publish(ctx, imke.ID, "kelp", "Kelp", packed(t, reference), 0)
	require.NoError(t, err)
	return &school{s, imke, c}
}

// run has a runner at work until stop is called.
func (s *school) run(t *testing.T) (stop func()) {
	t.Helper()
	running, end := context.WithCancel(ctx)
	r := jobs.New(s.Store, budget.New(2, 0), quiet)
	var wg sync.WaitGroup
	wg.Go(func() { r.Run(running) })
	return sync.OnceFunc(func() { end(); wg.Wait() })
}

func (s *school) add(t *testing.T, kind string, args any, input []byte) *store.Job {
	t.Helper()
	text, err := json.Marshal(args)
	require.NoError(t, err)
	j := &store.Job{Kind: kind, Course: "kelp", CourseID: &s.course.ID, PersonID: s.imke.ID, Args: string(text),
		Input: input}
	require.NoError(t, s.AddJob(ctx, j, jobs.MostUnderWay))
	return j
}

// await waits for a job to be as is asked.
func (s *school) await(t *testing.T, id uint64, is func(*store.Job) bool) *store.Job {
	t.Helper()
	for deadline := time.Now().Add(3 * time.Minute); time.Now().Before(deadline); time.Sleep(10 * time.Millisecond) {
		j, err := s.JobByID(ctx, id)
		require.NoError(t, err)
		if is(j) {
			return j
		}
	}
	t.Fatal("the job is not what is waited for")
	return nil
}

func ended(j *store.Job) bool { return j.State.Ended() }

func answer[T any](t *testing.T, j *store.Job) T {
	t.Helper()
	var out T
	require.NotNil(t, j.Answer)
	require.NoError(t, json.Unmarshal([]byte(*j.Answer), &out))
	return out
}

// handIn stores so many attempts at the exercise that have a verdict, of several people.
func (s *school) handIn(t *testing.T, n int) {
	t.Helper()
	var people []uint64
	for i := range min(n, 20) {
		p := &store.Person{Name: fmt.Sprint("hand", i), Display: "Hand", PasswordHash: "x"}
		require.NoError(t, s.AddPerson(ctx, nil, p))
		people = append(people, p.ID)
	}
	for i := range n {
		a := &store.Attempt{CourseID: s.course.ID, RevisionID: *s.course.CurrentRevisionID, Exercise: "means",
			PersonID: people[i%len(people)], Program: reference}
		_, err := s.HandIn(ctx, a, store.Bounds{})
		require.NoError(t, err)
		require.NoError(t, s.Finish(ctx, store.Done{Attempt: a, Verdict: &store.Verdict{Verdict: "differs", Body: "{}"}}))
	}
}

func TestEachKindGivesItsAnswer(t *testing.T) {
	s := open(t)
	s.handIn(t, 3)
	defer s.run(t)()
	other := packed(t, "per_rope = max(growth over week)\n")

	preview := s.await(t, s.add(t, jobs.Preview, jobs.PublishArgs{}, other).ID, ended)
	require.Equal(t, store.JobDone, preview.State)
	seen := answer[wire.Published](t, preview)
	assert.True(t, seen.Preview)
	assert.Equal(t, 1, seen.Revision)
	assert.Equal(t, 3, seen.Checked)
	assert.Positive(t, seen.Slips)

	probed := answer[wire.Draft](t, s.await(t, s.add(t, jobs.Probe, nil, other).ID, ended))
	require.Len(t, probed.Exercises, 1)
	list, err := s.JobsOf(ctx, "kelp", 1)
	require.NoError(t, err)
	assert.Equal(t, list[0].Total, list[0].Done, "what is done is done to its end")
	assert.Positive(t, probed.Exercises[0].Slips)
	assert.False(t, probed.Stopped)

	published := answer[wire.Published](t, s.await(t, s.add(t, jobs.Publish, jobs.PublishArgs{From: 1}, other).ID, ended))
	assert.Equal(t, 2, published.Revision)
	assert.False(t, published.Unchanged)
	again := answer[wire.Published](t, s.await(t, s.add(t, jobs.Publish, jobs.PublishArgs{From: 2}, other).ID, ended))
	assert.True(t, again.Unchanged)

	faulty := s.await(t, s.add(t, jobs.Publish, jobs.PublishArgs{}, packed(t, "per_rope = mean(\n")).ID, ended)
	assert.Equal(t, store.JobFailed, faulty.State)
	problem := answer[wire.Problem](t, faulty)
	assert.Equal(t, 422, problem.Status)
	assert.NotEmpty(t, problem.Errors)

	late := s.await(t, s.add(t, jobs.Publish, jobs.PublishArgs{From: 1}, packed(t, reference)).ID, ended)
	assert.Equal(t, 409, answer[wire.Problem](t, late).Status)
	j, err := s.JobByID(ctx, late.ID)
	require.NoError(t, err)
	assert.Equal(t, 409, j.Status)
}

// TestWhatAKilledProcessBeganAnotherTakesUp: the row is as a process left it that gave no sign since.
func TestWhatAKilledProcessBeganAnotherTakesUp(t *testing.T) {
	s := open(t)
	kinds := []string{jobs.Publish}
	published := s.add(t, jobs.Publish, jobs.PublishArgs{From: 1}, packed(t, "per_rope = min(growth over week)\n"))
	taken, err := s.TakeJob(ctx, "dead", 0, time.Minute, 3, kinds)
	require.NoError(t, err)
	require.NotNil(t, taken)
	assert.NotEmpty(t, taken.Input)
	none, err := s.TakeJob(ctx, "another", 0, time.Minute, 3, kinds)
	require.NoError(t, err)
	assert.Nil(t, none, "its process lives, as far as one knows")
	mine, _, err := s.BeatJob(ctx, taken, false)
	require.NoError(t, err)
	assert.True(t, mine)

	// It had stored its revision and not its answer.
	_, _, err = s.Publish(ctx, s.imke.ID, "kelp", "Kelp", taken.Input, 1)
	require.NoError(t, err)
	over, err := s.TakeJob(ctx, "another", 0, -time.Second, 3, kinds)
	require.NoError(t, err)
	require.NotNil(t, over)
	assert.Equal(t, 2, over.Tries)
	mine, _, err = s.BeatJob(ctx, taken, false)
	require.NoError(t, err)
	assert.False(t, mine, "who was slow learns that the job is another's")
	taken.State = store.JobDone
	require.NoError(t, s.EndJob(ctx, taken))
	require.NoError(t, s.LeaveJob(ctx, over))

	defer s.run(t)()
	j := s.await(t, published.ID, ended)
	out := answer[wire.Published](t, j)
	assert.Equal(t, 2, out.Revision)
	assert.False(t, out.Unchanged, "the revision is this job's own")
}

// TestWhatIsStoppedKeepsWhatItWorksOn, and loses it when it is done.
func TestWhatIsStoppedKeepsWhatItWorksOn(t *testing.T) {
	s := open(t)
	kinds := []string{jobs.Probe}
	j := s.add(t, jobs.Probe, nil, packed(t, reference))
	take := func() *store.Job {
		taken, err := s.TakeJob(ctx, "me", 0, time.Minute, 3, kinds)
		require.NoError(t, err)
		return taken
	}
	taken := take()
	require.NoError(t, s.StopJob(ctx, taken))
	mine, stop, err := s.BeatJob(ctx, taken, false)
	require.NoError(t, err)
	assert.True(t, mine && stop)
	taken.State = store.JobStopped
	require.NoError(t, s.EndJob(ctx, taken))
	assert.Nil(t, take())
	resumed, err := s.ResumeJob(ctx, j)
	require.NoError(t, err)
	require.True(t, resumed)
	taken = take()
	require.NotNil(t, taken)
	assert.NotEmpty(t, taken.Input)
	assert.False(t, taken.Stop)
	taken.State = store.JobDone
	require.NoError(t, s.EndJob(ctx, taken))
	resumed, err = s.ResumeJob(ctx, j)
	require.NoError(t, err)
	assert.False(t, resumed)
}

func TestAJobThatEndsItsProcessFails(t *testing.T) {
	s := open(t)
	j := s.add(t, jobs.Probe, nil, packed(t, reference))
	for range 3 {
		taken, err := s.TakeJob(ctx, "dies", 0, -time.Second, 3, []string{jobs.Probe})
		require.NoError(t, err)
		require.NotNil(t, taken)
	}
	none, err := s.TakeJob(ctx, "dies", 0, -time.Second, 3, []string{jobs.Probe})
	require.NoError(t, err)
	assert.Nil(t, none)
	j, err = s.JobByID(ctx, j.ID)
	require.NoError(t, err)
	assert.Equal(t, store.JobFailed, j.State)
}

// TestAReCheckIsStoppedAndGoesOn: attempts are put into the line a few hundred at a time; what is in it
// when the job stops is checked, the rest stays as it is, and the job goes on from there.
func TestAReCheckIsStoppedAndGoesOn(t *testing.T) {
	const attempts = 700
	s := open(t)
	s.handIn(t, attempts)
	stop := s.run(t)
	defer func() { stop() }()
	added, err := jobs.AddRecheck(ctx, s.Store, s.imke.ID, s.course,
		jobs.RecheckArgs{Revision: *s.course.CurrentRevisionID, Number: 1,
			Exercises: []string{"means"}})
	require.NoError(t, err)
	assert.EqualValues(t, attempts, added.Total)
	// Nobody checks: the line fills as far as it may.
	s.await(t, added.ID, func(j *store.Job) bool { return j.Reached != "" && j.Total == attempts })
	require.Eventually(t, func() bool {
		n, err := s.Rechecking(ctx, s.course.ID, attempts)
		return err == nil && n == 400
	}, time.Minute, 10*time.Millisecond)
	require.NoError(t, s.StopJob(ctx, added))
	j := s.await(t, added.ID, ended)
	assert.Equal(t, store.JobStopped, j.State)
	assert.Zero(t, j.Done)
	n, err := s.Rechecking(ctx, s.course.ID, attempts)
	require.NoError(t, err)
	assert.EqualValues(t, 400, n, "no more is put into the line")

	resumed, err := s.ResumeJob(ctx, j)
	require.NoError(t, err)
	require.True(t, resumed)
	s.await(t, added.ID, func(j *store.Job) bool { return j.State == store.JobRunning })
	stop() // the process ends in good order, and leaves the job
	s.await(t, added.ID, func(j *store.Job) bool { return j.State == store.JobWaiting })

	stop = s.run(t)
	working, end := context.WithCancel(ctx)
	defer end()
	var wg sync.WaitGroup
	wg.Go(func() { queue.New(s.Store, library.New(s.Store), budget.New(2, 0), quiet).Run(working, 8) })
	defer wg.Wait()
	defer end()
	j = s.await(t, added.ID, ended)
	assert.Equal(t, store.JobDone, j.State)
	assert.EqualValues(t, attempts, j.Done)
	assert.Equal(t, wire.Rechecked{Revision: 1, Exercises: []string{"means"}, Attempts: attempts},
		answer[wire.Rechecked](t, j))
	groups, err := s.Groups(ctx, s.course.ID)
	require.NoError(t, err)
	for _, g := range groups {
		assert.Equal(t, "agrees", g.Verdict, "each was checked again")
	}
	list, err := s.Attempts(ctx, store.Filter{Course: s.course.ID, Verdict: "differs", Limit: 10})
	require.NoError(t, err)
	assert.Empty(t, list)
	resumed, err = s.ResumeJob(ctx, j)
	require.NoError(t, err)
	assert.False(t, resumed, "what is done does not go on")
}

// TestAFaultEndsOneJob: a panic in one is its own, and the next goes on.
func TestAFaultEndsOneJob(t *testing.T) {
	s := open(t)
	broken := &store.Job{Kind: jobs.Recheck, Course: "kelp", PersonID: s.imke.ID, Args: `{"exercises": ["means"]}`}
	require.NoError(t, s.AddJob(ctx, broken, jobs.MostUnderWay)) // of no course, which nobody makes
	defer s.run(t)()
	j := s.await(t, broken.ID, ended)
	assert.Equal(t, store.JobFailed, j.State)
	assert.Equal(t, 500, answer[wire.Problem](t, j).Status)
	next, err := jobs.AddRecheck(ctx, s.Store, s.imke.ID, s.course,
		jobs.RecheckArgs{Revision: *s.course.CurrentRevisionID, Number: 1,
			Exercises: []string{"means"}})
	require.NoError(t, err)
	assert.Equal(t, store.JobDone, s.await(t, next.ID, ended).State)
}

func TestAPersonHasAFewJobsUnderWay(t *testing.T) {
	s := open(t)
	var first *store.Job
	for i := range jobs.MostUnderWay {
		j := s.add(t, jobs.Probe, nil, packed(t, reference))
		if i == 0 {
			first = j
		}
	}
	j := &store.Job{Kind: jobs.Probe, Course: "kelp", PersonID: s.imke.ID}
	err := s.AddJob(ctx, j, jobs.MostUnderWay)
	require.ErrorIs(t, err, store.ErrTooManyJobs)
	assert.Equal(t, 429, jobs.Problem(err).Status)
	require.NoError(t, s.StopJob(ctx, first))
	stopped, err := s.JobByID(ctx, first.ID)
	require.NoError(t, err)
	assert.Equal(t, store.JobStopped, stopped.State, "one that waits stops at once")
	require.NoError(t, s.AddJob(ctx, j, jobs.MostUnderWay))
	list, err := s.JobsOf(ctx, "kelp", 3)
	require.NoError(t, err)
	require.Len(t, list, 3)
	assert.Equal(t, j.ID, list[0].ID)
	require.NoError(t, s.ForgetJobs(ctx, time.Now().UTC().Add(time.Hour)))
	_, err = s.JobByID(ctx, first.ID)
	assert.ErrorIs(t, err, store.ErrNotFound)
	assert.Nil(t, jobs.Problem(fmt.Errorf("another")))
}
