// Package queue checks attempts that wait: it claims them, checks them and stores
// their verdicts, in as many goroutines and processes as there are, against one
// database. A claim runs out, so what a killed process held is checked by another.
package queue

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"runtime"
	"sync"
	"time"

	"nimbusreach/core/array"
	"nimbusreach/core/check"
	"nimbusreach/core/dataio"
	"nimbusreach/core/exercise"
	"nimbusreach/service/store"
)

const (
	claimLife    = 90 * time.Second // longer than any check within its bounds
	pollEvery    = 500 * time.Millisecond
	caseTime     = 2 * time.Second
	mostTries    = 3
	keptPrepared = 64
)

// Queue checks attempts.
type Queue struct {
	store    *store.Store
	log      *slog.Logger
	wake     chan struct{}
	Prepared *Library
	Observe  func(v *check.Verdict, waited, took time.Duration) // for metrics; may be nil
	Finished func(a *store.Attempt)                             // called when a verdict is stored; may be nil
	cores    chan struct{}                                      // held while checking
}

// New makes a queue; Run starts it.
func New(s *store.Store, log *slog.Logger) *Queue {
	return &Queue{store: s, log: log, wake: make(chan struct{}, 64), Prepared: NewLibrary(s), cores: make(chan struct{}, runtime.NumCPU())}
}

// Wake tells a sleeping worker that an attempt came in.
func (q *Queue) Wake() {
	select {
	case q.wake <- struct{}{}:
	default:
	}
}

// Run checks attempts with some workers until the context ends; each finishes
// what it is at. Workers mostly wait for the database, so there are more of them
// than cores; no more than the cores check at a time.
func (q *Queue) Run(ctx context.Context, workers int) {
	if workers <= 0 {
		workers = 4 * runtime.NumCPU()
	}
	var wg sync.WaitGroup
	for range workers {
		wg.Go(func() { q.work(ctx) })
	}
	wg.Wait()
}

func (q *Queue) work(ctx context.Context) {
	timer := time.NewTimer(0)
	defer timer.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-q.wake:
		case <-timer.C:
		}
		for ctx.Err() == nil {
			worked, err := q.one(ctx)
			if err != nil && ctx.Err() == nil {
				q.log.Error("checking an attempt", "error", err)
			}
			if !worked || err != nil {
				break
			}
		}
		timer.Reset(pollEvery)
	}
}

// one claims and checks one attempt; false when none waits. A claim once made is
// brought to its end even while the process is asked to stop.
func (q *Queue) one(ctx context.Context) (bool, error) {
	a, err := q.store.Claim(ctx, claimLife)
	if err != nil || a == nil {
		return false, err
	}
	ctx = context.WithoutCancel(ctx)
	p, err := q.Prepared.Exercise(ctx, a.RevisionID, a.Exercise)
	if err != nil {
		return true, errors.Join(fmt.Errorf("attempt %d: %w", a.ID, err), q.store.GiveBack(ctx, a, mostTries))
	}
	q.cores <- struct{}{}
	start := time.Now()
	v, err := q.checked(ctx, p, a)
	took := time.Since(start)
	<-q.cores
	if err != nil {
		q.log.Warn("no verdict", "attempt", a.ID, "try", a.Tries, "error", err)
		return true, q.store.GiveBack(ctx, a, mostTries)
	}
	if err := q.finish(ctx, a, v, took); err != nil {
		return true, err
	}
	if q.Finished != nil {
		q.Finished(a)
	}
	if q.Observe != nil {
		q.Observe(v, time.Since(a.CreatedAt), took)
	}
	return true, nil
}

// checked checks a program, or arrays that were handed in.
func (q *Queue) checked(ctx context.Context, p *check.Prepared, a *store.Attempt) (*check.Verdict, error) {
	if a.Results == nil {
		kept, key := q.Prepared.revision(a.RevisionID), a.Exercise+"\x00"+a.Program
		if v := kept.remembered(key); v != nil {
			return v, nil
		}
		v, err := check.Attempt(ctx, p, a.Program, BoundCase)
		if err == nil {
			kept.remember(key, v)
		}
		return v, err
	}
	var given map[string]map[string]dataio.JSON
	if err := json.Unmarshal([]byte(*a.Results), &given); err != nil {
		return nil, err
	}
	results := check.Results{}
	for name, outputs := range given {
		results[name] = map[string]*array.Array{}
		for output, j := range outputs {
			results[name][output] = j.Array
		}
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
	row := &store.Verdict{AttemptID: a.ID, CourseID: a.CourseID, Verdict: string(v.Verdict), Earned: v.Points.Earned, Possible: v.Points.Possible, Body: string(body), Seconds: took.Seconds()}
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
		row.LeadCode = v.Causes[0].Code
		if v.Causes[0].Output != nil {
			row.LeadOutput = *v.Causes[0].Output
		}
	} else if len(findings) > 0 {
		row.LeadCode, row.LeadOutput = findings[0].Code, findings[0].Output
	} else if len(v.Rules) > 0 {
		row.LeadCode = v.Rules[0].Code
	}
	return q.store.Finish(ctx, row, findings)
}

// Library keeps courses read and references worked out, once for each revision.
type Library struct {
	store *store.Store
	mu    sync.Mutex
	kept  map[uint64]*revision
	order []uint64
}

// revision is a course read from its stored source. Exercises are prepared when
// they are first asked for.
type revision struct {
	once      sync.Once
	course    *exercise.Course
	err       error
	mu        sync.Mutex
	exercises map[string]*check.Prepared
	verdicts  map[string]*check.Verdict // of programs checked before, by exercise and text
}

// mostKept bounds the verdicts that a revision keeps.
const mostKept = 2000

// remembered finds the verdict of a program that was checked before: checking is a
// function of revision and text alone.
func (r *revision) remembered(key string) *check.Verdict {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.verdicts[key]
}

func (r *revision) remember(key string, v *check.Verdict) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.verdicts == nil || len(r.verdicts) >= mostKept {
		r.verdicts = map[string]*check.Verdict{}
	}
	r.verdicts[key] = v
}

// NewLibrary makes an empty library.
func NewLibrary(s *store.Store) *Library {
	return &Library{store: s, kept: map[uint64]*revision{}}
}

// Course returns a revision's course.
func (l *Library) Course(ctx context.Context, id uint64) (*exercise.Course, error) {
	r := l.revision(id)
	r.once.Do(func() { r.course, r.err = l.load(ctx, id) })
	if r.err != nil {
		l.forget(id)
	}
	return r.course, r.err
}

// Exercise returns an exercise of a revision with its reference's results.
func (l *Library) Exercise(ctx context.Context, id uint64, name string) (*check.Prepared, error) {
	c, err := l.Course(ctx, id)
	if err != nil {
		return nil, err
	}
	r := l.revision(id)
	r.mu.Lock()
	defer r.mu.Unlock()
	if p := r.exercises[name]; p != nil {
		return p, nil
	}
	e := c.Find(name)
	if e == nil {
		return nil, store.ErrNotFound
	}
	p, problems := check.Prepare(ctx, e)
	if len(problems) > 0 {
		return nil, fmt.Errorf("the published exercise %s does not run: %s", name, problems[0])
	}
	r.exercises[name] = p
	return p, nil
}

func (l *Library) revision(id uint64) *revision {
	l.mu.Lock()
	defer l.mu.Unlock()
	r := l.kept[id]
	if r == nil {
		r = &revision{exercises: map[string]*check.Prepared{}}
		l.kept[id] = r
		l.order = append(l.order, id)
		if len(l.order) > keptPrepared {
			delete(l.kept, l.order[0])
			l.order = l.order[1:]
		}
	}
	return r
}

// forget lets a revision that could not be read be tried again.
func (l *Library) forget(id uint64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	delete(l.kept, id)
	for i, kept := range l.order {
		if kept == id {
			l.order = append(l.order[:i], l.order[i+1:]...)
			return
		}
	}
}

func (l *Library) load(ctx context.Context, id uint64) (*exercise.Course, error) {
	r, err := l.store.RevisionByID(ctx, id)
	if err != nil {
		return nil, err
	}
	folder, err := exercise.Unpack(r.Source)
	if err != nil {
		return nil, err
	}
	c, problems := exercise.LoadCourse(folder)
	if len(problems) > 0 {
		return nil, fmt.Errorf("revision %d cannot be read: %s", id, problems[0])
	}
	return c, nil
}
