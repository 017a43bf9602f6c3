// Package jobs runs long work: publishing a course, saying what publishing would change, probing,
// checking again. A job is a row of the database that any process takes up; it tells how far it is, may be
// stopped, and what a killed process had begun another takes up.
//
// The work itself is package courses' and the store's; here it is cut into steps that may be run again,
// and its outcome is put into the words of an answer.
package jobs

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"log/slog"
	"net/http"
	"sync"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/service/budget"
	"nimbusreach/internal/service/store"
)

// The kinds of jobs.
const (
	Publish = "publish"
	Preview = "preview"
	Probe   = "probe"
	Recheck = "recheck"
)

const (
	jobLife   = 8 * time.Second // without a sign of its process
	beatEvery = 500 * time.Millisecond
	takeEvery = 500 * time.Millisecond // for what no change tells of
	mostTries = 3

	// MostUnderWay bounds a person's jobs that have not ended.
	MostUnderWay = 4
)

var errStopped = errors.New("the job was stopped")

// lane is how many jobs of some kinds a process runs at once: re-checks mostly wait for others.
type lane struct {
	kinds []string
	many  int
}

// Runner takes up jobs.
type Runner struct {
	store  *store.Store
	log    *slog.Logger
	budget *budget.Budget
	wake   chan struct{}
	name   string

	// Waited is how long a job has waited when it is taken up here: some time where other processes
	// are to do so first.
	Waited time.Duration

	Faulted func(f *guard.Fault) // a fault of ours ended a job, for metrics; may be nil
}

// New makes a runner; Run starts it.
func New(s *store.Store, b *budget.Budget, log *slog.Logger) *Runner {
	return &Runner{store: s, log: log, budget: b, wake: make(chan struct{}, 1), name: rand.Text()}
}

// Reserve is how long jobs wait for another process where this one is to answer requests alone.
const Reserve = 2 * time.Second

// Heard looks at jobs when something is heard of one.
func (r *Runner) Heard(c store.Change) {
	if c.Kind == "job" {
		select {
		case r.wake <- struct{}{}:
		default:
		}
	}
}

// Run takes up jobs until the context ends. What runs then is given back.
func (r *Runner) Run(ctx context.Context) {
	var wg sync.WaitGroup
	lanes := []lane{{[]string{Publish, Preview, Probe}, max(1, r.budget.LongPlaces())}, {[]string{Recheck}, 4}}
	places := make([]chan struct{}, len(lanes))
	for i, l := range lanes {
		places[i] = make(chan struct{}, l.many)
	}
	tick := time.NewTicker(takeEvery)
	defer tick.Stop()
	for ctx.Err() == nil {
		for i, l := range lanes {
			for r.takeOne(ctx, &wg, l.kinds, places[i]) {
			}
		}
		select {
		case <-ctx.Done():
		case <-tick.C:
		case <-r.wake:
		}
	}
	wg.Wait()
}

// takeOne takes up a job where there is a place for one; false where there is none.
func (r *Runner) takeOne(ctx context.Context, wg *sync.WaitGroup, kinds []string, places chan struct{}) bool {
	select {
	case places <- struct{}{}:
	default:
		return false
	}
	var j *store.Job
	err := guard.Call("taking up a job", func() (err error) {
		if ctx.Err() != nil {
			return nil
		}
		// What is taken up is known to be, even while this process is asked to stop: else nobody would leave it.
		j, err = r.store.TakeJob(context.WithoutCancel(ctx), r.name, r.Waited, jobLife, mostTries, kinds)
		return err
	})
	if !r.store.Away(err) && err != nil && ctx.Err() == nil {
		r.log.Error("taking up a job", "error", err)
	}
	if err != nil || j == nil {
		<-places
		return false
	}
	wg.Go(func() {
		defer func() { <-places }()
		r.run(ctx, j)
	})
	return true
}

// run brings a job to its end, or gives it back where this process ends before.
func (r *Runner) run(ctx context.Context, j *store.Job) {
	work, end := context.WithCancelCause(ctx)
	defer end(nil)
	p := &progress{job: *j}
	var beats sync.WaitGroup
	beating, stop := context.WithCancel(context.WithoutCancel(ctx))
	beats.Go(func() { r.beat(beating, p, end) })
	var answer any
	err := guard.Call("working at a job", func() (err error) {
		answer, err = r.work(work, p)
		return err
	})
	stop()
	beats.Wait()
	last := p.now()
	cause := context.Cause(work)
	ctx = context.WithoutCancel(ctx)
	switch {
	case err != nil && errors.Is(cause, errLost):
		return // another process has it
	case err != nil && errors.Is(cause, errStopped):
		last.State = store.JobStopped
	case err != nil && (cause != nil || r.later(err)):
		r.report("leaving a job", j, r.store.LeaveJob(ctx, &last))
		return
	case err != nil:
		problem := r.problem(err)
		last.State, last.Status = store.JobFailed, problem.Status
		answer = problem
	default:
		last.State, last.Done = store.JobDone, max(last.Done, last.Total)
	}
	if answer != nil {
		text, err := json.Marshal(answer)
		r.report("writing an answer", j, err)
		s := string(text)
		last.Answer = &s
	}
	r.report("ending a job", j, r.store.EndJob(ctx, &last))
}

// later reports whether a job that ended early may go on in a moment: the database was away, or there was
// no place for it.
func (r *Runner) later(err error) bool {
	var busy *budget.Busy
	return r.store.Away(err) || errors.Is(err, store.ErrBusy) || errors.As(err, &busy)
}

// report logs an error that is not the database's absence, which the store logs once.
func (r *Runner) report(what string, j *store.Job, err error) {
	if !r.store.Away(err) && err != nil {
		r.log.Error(what, "job", j.ID, "kind", j.Kind, "error", err)
	}
}

var errLost = errors.New("another process has the job")

// beat gives signs of life of a job, with how far it is, and ends its work where it was stopped or lost.
func (r *Runner) beat(ctx context.Context, p *progress, end context.CancelCauseFunc) {
	tick := time.NewTicker(beatEvery)
	defer tick.Stop()
	var told store.Job
	alive := time.Now()
	for {
		j := p.now()
		moved := j.Stage != told.Stage || j.Done != told.Done || j.Total != told.Total
		var mine, stop bool
		err := guard.Call("telling of a job", func() (err error) {
			mine, stop, err = r.store.BeatJob(ctx, &j, moved)
			return err
		})
		switch {
		case ctx.Err() != nil:
			return
		case err == nil && !mine, time.Since(alive) > jobLife:
			end(errLost) // what cannot be told of may be another's by now
			return
		case err == nil && stop:
			end(errStopped)
		}
		if err == nil {
			told, alive = j, time.Now()
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// progress is how far a job is, told by its work and read by its beat.
type progress struct {
	mu  sync.Mutex
	job store.Job
}

func (p *progress) now() store.Job {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.job
}

// tell says how far a stage is.
func (p *progress) tell(stage string, done, total int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.job.Stage, p.job.Done, p.job.Total = stage, int64(done), int64(total)
}

// reach notes where to go on, as the job keeps it.
func (p *progress) reach(at string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.job.Reached = at
}

// problem is an error in the words of an answer; of a fault of ours the log has more.
func (r *Runner) problem(err error) *wire.Problem {
	if p := Problem(err); p != nil {
		return p
	}
	args := []any{"error", err}
	if f := guard.As(err); f != nil {
		args = []any{"doing", f.Doing, "fault", f.Value, "stack", string(f.Stack)}
		if r.Faulted != nil {
			r.Faulted(f)
		}
	}
	r.log.Error("a job failed", args...)
	return problem(http.StatusInternalServerError, "fault", "A fault of ours", "Something failed here that should not "+
		"have. Nothing was published.", "tell the operator when it was")
}

func problem(status int, kind, title, detail, hint string) *wire.Problem {
	return &wire.Problem{Type: wire.ProblemType + kind, Title: title, Status: status, Detail: detail, Hint: hint}
}
