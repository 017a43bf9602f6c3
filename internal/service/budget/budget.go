// Package budget shares a process's cores and memory among all that runs programs:
// checking, trying, comparing, looking at drafts, publishing. Nothing runs a program
// without a place from here, so many at once wait, and one person's many do not keep
// others waiting.
//
// It bounds how much runs and waits in this process, and tells the collector of it. How long one run lasts and how much
// it holds is bounded by the run itself; who is checked next is the queue's to say.
package budget

import (
	"context"
	"fmt"
	"runtime"
	"sync"
	"time"

	"nimbusreach/internal/core/evaluate"
)

// Kind is what a place is for.
type Kind int

// The kinds of work.
const (
	Check Kind = iota // an attempt; whose turn it is the queue has decided
	Look              // something a person waits for: a try, shapes, both sides of an output
	Long              // a draft, a preview, publishing: seconds, and never all places
)

// Bounds of one person, in this process, and of all together.
const (
	mostLooks   = 3 // running and waiting
	mostLong    = 2
	mostWaiting = 200 // of all people
)

// Busy says that somebody asks for more than their share, or that too many wait.
type Busy struct {
	Mine  bool // it is the person's own work that fills their share
	After time.Duration
}

func (b *Busy) Error() string {
	if b.Mine {
		return "your last requests of this sort are still running"
	}
	return "too many requests of this sort wait already"
}

// Budget hands out places.
type Budget struct {
	places chan struct{}
	long   chan struct{}

	mu      sync.Mutex
	waiting int
	people  map[key]int
}

type key struct {
	person uint64
	kind   Kind
}

// New shares so many cores and bytes; 0 is every core of the machine, and for each of them
// what one check may hold.
func New(cores int, memory int64) *Budget {
	if cores <= 0 {
		cores = runtime.GOMAXPROCS(0)
	}
	if memory > 0 {
		cores = int(min(int64(cores), memory/evaluate.CheckLimits.Bytes))
	}
	cores = max(cores, 1)
	return &Budget{places: make(chan struct{}, cores), long: make(chan struct{}, max(1, cores/2)), people: map[key]int{}}
}

// LongPlaces is how many places, and so cores, long work may take.
func (b *Budget) LongPlaces() int { return cap(b.long) }

// Memory is how many bytes runs may hold together.
func (b *Budget) Memory() int64 { return int64(cap(b.places)) * evaluate.CheckLimits.Bytes }

// Enter waits for a place and returns what gives it back. It ends with the context's
// error, or with a *Busy at once.
func (b *Budget) Enter(ctx context.Context, person uint64, kind Kind) (leave func(), err error) {
	if err := b.line(person, kind); err != nil {
		return nil, err
	}
	out := func() { b.leaveLine(person, kind) }
	var taken []chan struct{}
	wanted := []chan struct{}{b.places}
	if kind == Long {
		wanted = []chan struct{}{b.long, b.places}
	}
	release := func() {
		for _, c := range taken {
			<-c
		}
		out()
	}
	for _, c := range wanted {
		select {
		case c <- struct{}{}:
			taken = append(taken, c)
		case <-ctx.Done():
			b.started(kind)
			release()
			return nil, fmt.Errorf("waiting for a core: %w", ctx.Err())
		}
	}
	b.started(kind)
	return sync.OnceFunc(release), nil
}

// line takes a person's share of a kind of work.
func (b *Budget) line(person uint64, kind Kind) error {
	if kind == Check {
		return nil
	}
	most := mostLooks
	if kind == Long {
		most = mostLong
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	k := key{person, kind}
	switch {
	case b.people[k] >= most:
		return &Busy{Mine: true, After: time.Second}
	case b.waiting >= mostWaiting:
		return &Busy{After: 2 * time.Second}
	}
	b.people[k]++
	b.waiting++
	return nil
}

// started takes somebody out of those that wait.
func (b *Budget) started(kind Kind) {
	if kind == Check {
		return
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	b.waiting--
}

func (b *Budget) leaveLine(person uint64, kind Kind) {
	if kind == Check {
		return
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	k := key{person, kind}
	if b.people[k]--; b.people[k] == 0 {
		delete(b.people, k)
	}
}
