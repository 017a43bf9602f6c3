// Package library keeps published revisions ready: their courses read, their references run
// on every case, and the verdicts of programs that were checked before, each once for a
// revision and in memory alone; the verdicts that this process has just stored, for who waits
// for them; and the data of tickets, which follow from a secret, with what the reference makes
// of them.
//
// It reads what package store holds and changes nothing there. Which attempts wait, and who
// may see what, are not its matter.
package library

import (
	"context"
	"fmt"
	"sync"
	"time"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/service/store"
)

// keptPrepared bounds the revisions that are kept.
const keptPrepared = 64

// Library keeps revisions ready. It may be used by many goroutines.
type Library struct {
	store *store.Store
	mu    sync.Mutex
	kept  map[uint64]*revision
	order []uint64

	written map[uint64]*Written // by attempt

	tickets      map[uint64]*check.Prepared
	ticketSecret []byte
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

// Verdict finds the verdict of a program that was checked before, nil for none: checking is
// a function of revision and text alone. A key names an exercise and a text.
func (l *Library) Verdict(id uint64, key string) *check.Verdict {
	r := l.revision(id)
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.verdicts[key]
}

// KeepVerdict keeps a program's verdict.
func (l *Library) KeepVerdict(id uint64, key string, v *check.Verdict) {
	r := l.revision(id)
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.verdicts == nil || len(r.verdicts) >= mostKept {
		r.verdicts = map[string]*check.Verdict{}
	}
	r.verdicts[key] = v
}

// Written is a verdict as this process has stored it.
type Written struct {
	Verdict *check.Verdict
	Seconds float64 // that the check took
	At      time.Time
}

// mostWritten bounds the verdicts that are kept for who waits for them.
const mostWritten = 128

// KeepWritten keeps a verdict for whoever waits for it in this process, and need not read it then.
func (l *Library) KeepWritten(attempt uint64, w *Written) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.written == nil || len(l.written) >= mostWritten {
		l.written = map[uint64]*Written{}
	}
	l.written[attempt] = w
}

// TakeWritten takes a verdict that was kept, nil for none: it is given once.
func (l *Library) TakeWritten(attempt uint64) *Written {
	l.mu.Lock()
	defer l.mu.Unlock()
	w := l.written[attempt]
	delete(l.written, attempt)
	return w
}

// New makes an empty library.
func New(s *store.Store) *Library {
	return &Library{store: s, kept: map[uint64]*revision{}}
}

// Course returns a revision's course.
func (l *Library) Course(ctx context.Context, id uint64) (*exercise.Course, error) {
	r := l.revision(id)
	r.once.Do(func() {
		// Whoever asks first may leave; the course is read for all that follow.
		r.err = guard.Call("reading a course", func() (err error) {
			r.course, err = l.load(context.WithoutCancel(ctx), id)
			return err
		})
	})
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
	var p *check.Prepared
	var problems []exercise.Problem
	err = guard.Call("running a reference", func() error {
		p, problems = check.Prepare(context.WithoutCancel(ctx), e)
		return nil
	})
	if err != nil {
		return nil, err
	}
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
