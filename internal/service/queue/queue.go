// Package queue checks attempts: those that its process stores as claimed by itself, and those that wait
// in the line of the database. It claims these, checks them and stores
// their verdicts, in as many goroutines and processes as there are, against one
// database. A claim runs out unless its process keeps it, so what a killed process held is
// checked by another; what ends its process or its check three times is stuck.
package queue

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/service/budget"
	"nimbusreach/internal/service/feed"
	"nimbusreach/internal/service/library"
	"nimbusreach/internal/service/store"
)

const (
	claimLife = 7 * time.Second        // without a sign of its process
	beatEvery = 2 * time.Second        // signs of this process
	lookEvery = 250 * time.Millisecond // at the line, for what no change tells of
	caseTime  = 2 * time.Second

	retryEvery = 250 * time.Millisecond
	storeFor   = time.Minute // so long a verdict is kept that the database does not take
	mostTries  = 3

	// So many attempts are claimed at once, as far as workers are free.
	leastClaimed = 2
	mostClaimed  = 16
)

// Queue checks attempts.
type Queue struct {
	store   *store.Store
	log     *slog.Logger
	budget  *budget.Budget
	wake    chan struct{}
	library *library.Library

	// Told of what happens, for metrics and desks; each may be nil.
	Observe  func(v *check.Verdict, waited, took time.Duration)
	Finished func(a *store.Attempt) // a verdict is stored, or there will be none
	Faulted  func(f *guard.Fault)   // a fault of ours ended a check, or a search for causes
	Stuck    func(a *store.Attempt)

	mu       sync.Mutex
	claimed  []uint64 // being checked by this process
	idle     int      // workers that wait for an attempt
	reserved int      // places that attempts have at the workers
	workers  int
	given    chan *store.Attempt
	finished chan finished

	claims sync.Mutex
	ready  []store.Attempt // claimed, and no worker has taken them yet
	served uint64          // the course served last
	share  store.Share
	name   string      // of this process among those that check
	lined  atomic.Bool // something may wait in the line
}

// New makes a queue; Run starts it.
func New(s *store.Store, l *library.Library, b *budget.Budget, log *slog.Logger) *Queue {
	return &Queue{store: s, log: log, budget: b, wake: make(chan struct{}, 64), library: l,
		given: make(chan *store.Attempt, mostGiven), finished: make(chan finished, mostWritten), name: rand.Text()}
}

// mostGiven bounds the attempts that are given to a process's workers and that none has taken yet:
// few enough to be checked in a moment, whoever else waits.
const mostGiven = 32

// Reserve keeps a place at this process's workers for an attempt that is about to be stored, and
// gives the time that it may be claimed for; 0 where too many have one. Give or Release follows.
func (q *Queue) Reserve() time.Duration {
	q.mu.Lock()
	defer q.mu.Unlock()
	if q.workers == 0 || q.reserved >= mostGiven {
		return 0
	}
	q.reserved++
	return claimLife
}

// Release gives up a place that was reserved.
func (q *Queue) Release() {
	q.mu.Lock()
	defer q.mu.Unlock()
	q.reserved--
}

// Give has an attempt checked that was stored as claimed by this process.
func (q *Queue) Give(a *store.Attempt) {
	q.mu.Lock()
	q.claimed = append(q.claimed, a.ID)
	q.mu.Unlock()
	q.given <- a
}

// Wake tells a sleeping worker that an attempt came in.
func (q *Queue) Wake() {
	q.lined.Store(true)
	select {
	case q.wake <- struct{}{}:
	default:
	}
}

// Run checks attempts with some workers until the context ends; each finishes
// what it is at. Workers mostly wait for the database, so there are more of them
// than cores; no more check at a time than the budget has places.
func (q *Queue) Run(ctx context.Context, workers int) {
	if workers <= 0 {
		workers = 4 * runtime.NumCPU()
	}
	beating, stop := context.WithCancel(context.WithoutCancel(ctx))
	var beat, wg sync.WaitGroup
	beat.Go(func() { q.beat(beating) })
	beat.Go(func() { q.write(beating) })
	wg.Go(func() { q.look(ctx) })
	q.employ(workers)
	for range workers {
		wg.Go(func() { q.work(ctx) })
	}
	wg.Wait()
	q.employ(-workers)
	q.finishTaken(ctx)
	stop()
	beat.Wait()
	ctx = context.WithoutCancel(ctx)
	q.report(ctx, "leaving the line", q.store.Rest(ctx, q.name))
}

// beat keeps this process's claims, and gives back those that ran out.
func (q *Queue) beat(ctx context.Context) {
	tick := time.NewTicker(beatEvery)
	defer tick.Stop()
	for {
		q.mu.Lock()
		ids := slices.Clone(q.claimed)
		q.mu.Unlock()
		err := guard.Call("keeping claims", func() error {
			if err := q.store.Extend(ctx, ids, claimLife); err != nil {
				return err
			}
			return q.takePart(ctx)
		})
		q.fault(guard.As(err))
		var stuck []store.Attempt
		if err == nil {
			stuck, err = q.store.Expire(ctx, mostTries)
		}
		q.report(ctx, "keeping claims", err)
		for i := range stuck {
			q.stuck(&stuck[i], errors.New("its claim ran out: the processes that checked it died"))
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// Heard wakes a worker for an attempt that another process has stored, or put back into the line. More
// than one may be woken for it, here and elsewhere; one of them claims it.
func (q *Queue) Heard(c store.Change) {
	if c.Kind == feed.Gap || c.Kind == "attempt" && c.Subject == nil {
		q.Wake()
	}
}

// look wakes workers for attempts that wait in the line and that no change told of: those whose process
// died, those of another's share that are late, and those checked again.
func (q *Queue) look(ctx context.Context) {
	tick := time.NewTicker(lookEvery)
	defer tick.Stop()
	for {
		var n int
		err := guard.Call("looking at the line", func() (err error) {
			n, err = q.store.Wait(ctx, max(q.free(), 1)) // who is busy has a turn, too
			return err
		})
		q.fault(guard.As(err))
		q.report(ctx, "looking at the line", err)
		for range n {
			q.Wake()
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// free is how many workers wait for an attempt and are not promised one.
func (q *Queue) free() int {
	q.mu.Lock()
	defer q.mu.Unlock()
	return q.idle - q.reserved
}

// takePart gives a sign of life, and learns which part of the line is this process's own.
func (q *Queue) takePart(ctx context.Context) error {
	share, err := q.store.Work(ctx, q.name, claimLife)
	if err != nil {
		return err
	}
	q.claims.Lock()
	defer q.claims.Unlock()
	q.share = share
	return nil
}

// report logs an error that is not the database's absence, which the store logs once.
func (q *Queue) report(ctx context.Context, what string, err error) {
	if !q.store.Away(err) && err != nil && ctx.Err() == nil {
		q.log.Error(what, "error", err)
	}
}

func (q *Queue) work(ctx context.Context) {
	for {
		q.waits(1)
		select {
		case <-ctx.Done():
			q.waits(-1)
			return
		case a := <-q.given:
			q.waits(-1)
			q.Release()
			q.guarded(ctx, func() (bool, error) { return q.check(ctx, a) })
			if !q.lined.Load() {
				continue // nothing is known to wait
			}
		case <-q.wake:
			q.waits(-1)
		}
		for ctx.Err() == nil && q.guarded(ctx, func() (bool, error) { return q.one(ctx) }) {
		}
	}
}

// employ counts workers that are there.
func (q *Queue) employ(n int) {
	q.mu.Lock()
	defer q.mu.Unlock()
	q.workers += n
}

// waits counts a worker in or out that has nothing to do.
func (q *Queue) waits(n int) {
	q.mu.Lock()
	defer q.mu.Unlock()
	q.idle += n
}

// guarded works at one attempt; false when there was none, or it could not be done.
func (q *Queue) guarded(ctx context.Context, f func() (bool, error)) bool {
	var worked bool
	err := guard.Call("working off the queue", func() (err error) {
		worked, err = f()
		return err
	})
	q.fault(guard.As(err))
	q.report(ctx, "checking an attempt", err)
	return worked && err == nil
}

// finishTaken checks what was given to workers that have stopped, or claimed for them.
func (q *Queue) finishTaken(ctx context.Context) {
	for i := range q.ready {
		q.guarded(ctx, func() (bool, error) { return q.check(ctx, &q.ready[i]) })
	}
	for {
		select {
		case a := <-q.given:
			q.Release()
			q.guarded(ctx, func() (bool, error) { return q.check(ctx, a) })
		default:
			return
		}
	}
}

// one claims and checks one attempt; false when none waits.
func (q *Queue) one(ctx context.Context) (bool, error) {
	a, err := q.claim(ctx)
	if err != nil || a == nil {
		return false, err
	}
	return q.check(ctx, a)
}

// check checks an attempt that is claimed. That is brought to its end even while the process is
// asked to stop.
func (q *Queue) check(ctx context.Context, a *store.Attempt) (bool, error) {
	defer q.unclaim(a.ID)
	ctx = context.WithoutCancel(ctx)
	start := time.Now()
	v, took, err := q.verdict(ctx, a)
	if err != nil {
		q.fault(guard.As(err))
		q.log.Warn("no verdict", "attempt", a.ID, "try", a.Tries, "error", err)
		if err := q.store.GiveBack(ctx, a, mostTries); err != nil {
			return true, err
		}
		if a.Tries >= mostTries {
			q.stuck(a, err)
		}
		return true, nil
	}
	if v.Fault != nil {
		q.log.Error("a fault of ours in the search for causes; the verdict stands", "attempt", a.ID, "fault", v.Fault.Error())
		q.fault(v.Fault)
	}
	if err := q.finish(ctx, a, v, took); err != nil {
		return true, err
	}
	if q.Finished != nil {
		q.Finished(a)
	}
	if q.Observe != nil {
		q.Observe(v, start.Sub(a.CreatedAt)+time.Since(start), took)
	}
	return true, nil
}

// claim takes the next attempt; one goroutine of the process at a time, so that courses
// and people are served in turn. Several are claimed at once, for the workers that are free.
func (q *Queue) claim(ctx context.Context) (*store.Attempt, error) {
	q.claims.Lock()
	defer q.claims.Unlock()
	if len(q.ready) == 0 {
		q.lined.Store(false)
		most := min(max(q.free()+1, leastClaimed), mostClaimed)
		list, err := q.store.Claim(ctx, claimLife, q.served, q.share, most)
		if len(list) == 0 {
			return nil, err
		}
		q.report(ctx, "claiming attempts", err) // what was claimed before it is checked
		q.lined.Store(true)
		q.served, q.ready = list[len(list)-1].CourseID, list
		q.mu.Lock()
		for _, a := range list {
			q.claimed = append(q.claimed, a.ID)
		}
		q.mu.Unlock()
		for range len(list) - 1 {
			q.Wake()
		}
	}
	a := q.ready[0]
	q.ready = q.ready[1:]
	return &a, nil
}

func (q *Queue) unclaim(id uint64) {
	q.mu.Lock()
	defer q.mu.Unlock()
	q.claimed = slices.DeleteFunc(q.claimed, func(x uint64) bool { return x == id })
}

// fault logs a fault of ours with its stack; nil is none.
func (q *Queue) fault(f *guard.Fault) {
	if f == nil {
		return
	}
	q.log.Error("a fault of ours", f.Attrs()...)
	if q.Faulted != nil {
		q.Faulted(f)
	}
}

// stuck reports an attempt that will have no verdict.
func (q *Queue) stuck(a *store.Attempt, why error) {
	q.log.Error("an attempt is stuck", "attempt", a.ID, "exercise", a.Exercise, "tries", a.Tries, "why", why)
	if q.Stuck != nil {
		q.Stuck(a)
	}
	if q.Finished != nil {
		q.Finished(a)
	}
}

// verdict checks an attempt when there is a place for it.
func (q *Queue) verdict(ctx context.Context, a *store.Attempt) (*check.Verdict, time.Duration, error) {
	leave, err := q.budget.Enter(ctx, a.PersonID, budget.Check)
	if err != nil {
		return nil, 0, err
	}
	defer leave()
	start := time.Now()
	p, err := q.library.Exercise(ctx, a.RevisionID, a.Exercise)
	if err != nil {
		return nil, 0, fmt.Errorf("attempt %d: %w", a.ID, err)
	}
	v, err := q.checked(ctx, p, a)
	if err != nil {
		return nil, 0, err
	}
	if len(p.Exercise.Predictions) > 0 {
		if v, err = q.predicted(ctx, p, a, v); err != nil {
			return nil, 0, err
		}
	}
	return v, time.Since(start), nil
}

// predicted adds the points of what the person said before the first attempt.
func (q *Queue) predicted(ctx context.Context, p *check.Prepared, a *store.Attempt, v *check.Verdict) (*check.Verdict,
	error) {
	said, err := q.store.Predictions(ctx, a.CourseID, a.PersonID, a.Exercise)
	if err != nil {
		return nil, err
	}
	right := make([]bool, len(p.Exercise.Predictions))
	for _, s := range said {
		if s.Ordinal < len(right) {
			right[s.Ordinal] = s.IsRight
		}
	}
	own := *v // a verdict that is kept serves others too
	own.Predict(p.Exercise, right)
	return &own, nil
}

// checked checks a program, or arrays that were handed in.
func (q *Queue) checked(ctx context.Context, p *check.Prepared, a *store.Attempt) (*check.Verdict, error) {
	if a.Kind != "results" {
		key := a.Exercise + "\x00" + a.Program
		if v := q.library.Verdict(a.RevisionID, key); v != nil {
			return v, nil
		}
		v, err := check.Attempt(ctx, p, a.Program, BoundCase)
		if err == nil && v.Fault == nil {
			q.library.KeepVerdict(a.RevisionID, key, v)
		}
		return v, err
	}
	p, results, err := q.library.Arrays(ctx, a, p)
	if err != nil {
		return nil, err
	}
	return check.Arrays(ctx, p, results)
}

// BoundCase gives one case its seconds.
func BoundCase(ctx context.Context) (context.Context, context.CancelFunc) {
	return context.WithTimeout(ctx, caseTime)
}

func (q *Queue) finish(ctx context.Context, a *store.Attempt, v *check.Verdict, took time.Duration) error {
	body, err := json.Marshal(v)
	if err != nil {
		return err
	}
	row := &store.Verdict{Verdict: string(v.Verdict), Earned: v.Points.Earned, Possible: v.Points.Possible,
		Body: string(body), Seconds: took.Seconds()}
	var findings []store.Finding
	for i, f := range v.Findings {
		x := store.Finding{AttemptID: a.ID, Ordinal: i, Code: string(f.Code), Message: f.Message}
		if f.Case != nil {
			x.CaseName = *f.Case
		}
		if f.Output != nil {
			x.Output = *f.Output
		}
		findings = append(findings, x)
	}
	if len(v.Causes) > 0 {
		row.LeadCode = string(v.Causes[0].Code)
		if v.Causes[0].Output != nil {
			row.LeadOutput = *v.Causes[0].Output
		}
	} else if len(findings) > 0 {
		row.LeadCode, row.LeadOutput = findings[0].Code, findings[0].Output
	} else if len(v.Rules) > 0 {
		row.LeadCode = string(v.Rules[0].Code)
	}
	row.FromCause = len(v.Causes) > 0
	e, err := q.exercise(ctx, a)
	if err != nil {
		return err
	}
	open, output := v.OpenLead(e)
	row.OpenCode, row.OpenOutput = string(open), output
	// A verdict that could not be stored is stored again; its claim is kept meanwhile.
	for deadline := time.Now().Add(storeFor); ; time.Sleep(retryEvery) {
		err := q.stored(store.Done{Attempt: a, Verdict: row, Findings: findings})
		if err == nil && !a.Behind && !row.CreatedAt.IsZero() {
			q.library.KeepWritten(a.ID, &library.Written{Verdict: v, Seconds: row.Seconds, At: row.CreatedAt})
		}
		again := q.store.Away(err) || errors.Is(err, store.ErrBusy)
		if err == nil || !again || time.Now().After(deadline) {
			return err
		}
	}
}

// exercise is an attempt's, as its revision has it.
func (q *Queue) exercise(ctx context.Context, a *store.Attempt) (*exercise.Exercise, error) {
	p, err := q.library.Exercise(ctx, a.RevisionID, a.Exercise)
	if err != nil {
		return nil, err
	}
	return p.Exercise, nil
}
