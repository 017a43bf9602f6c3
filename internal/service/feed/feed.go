// Package feed reads what changes in the database, once for all that a process has to tell of it:
// desks, workers that wait for attempts, sign-ins that are kept.
//
// Changes are read by position. Transactions commit in another order than they take their ids, and the
// nodes of a cluster take ids of their own between each other's, so each reading looks back: a little
// often, and further once in a while.
package feed

import (
	"context"
	"log/slog"
	"time"

	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/service/store"
)

const (
	every    = 50 * time.Millisecond
	farEvery = time.Second
	near     = 64   // ids looked back at each reading
	far      = 6000 // and each second
)

// Kept is how long changes are kept. Whoever has not read for so long may have missed some.
const Kept = 10 * time.Minute

// Gap is the kind of change that stands for those that a process has missed: all may be other.
const Gap = "gap"

// Feed is the one reader of a process.
type Feed struct {
	store  *store.Store
	log    *slog.Logger
	hear   []func(store.Change)
	begun  bool
	newest uint64
	seen   map[uint64]bool
	read   time.Time
}

// New makes a feed; what happens from Begin on is heard once Run runs.
func New(s *store.Store, log *slog.Logger) *Feed {
	return &Feed{store: s, log: log, seen: map[uint64]bool{}}
}

// Hear has a function told of each change, in the order of reading. It is called before Run is, and
// what it does is short.
func (f *Feed) Hear(tell func(store.Change)) { f.hear = append(f.hear, tell) }

// Begin takes the position that is read from.
func (f *Feed) Begin(ctx context.Context) error {
	newest, err := f.store.NewestChange(ctx)
	if err != nil {
		return err
	}
	if newest > far {
		f.newest = newest - far
	}
	// What is there already is old: it is seen, and told to nobody.
	if err := f.pages(ctx, f.newest, func(store.Change) {}); err != nil {
		return err
	}
	f.begun, f.read = true, time.Now()
	return nil
}

// Run reads until the context ends.
func (f *Feed) Run(ctx context.Context) {
	tick := time.NewTicker(every)
	defer tick.Stop()
	looked := time.Time{}
	for {
		err := guard.Call("reading changes", func() error {
			if !f.begun {
				return f.Begin(ctx)
			}
			back := uint64(near)
			if time.Since(looked) > farEvery {
				back, looked = far, time.Now()
			}
			return f.next(ctx, back)
		})
		if !f.store.Away(err) && err != nil && ctx.Err() == nil {
			f.log.Warn("reading changes", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// next tells of what came since, and of what came late among some ids before.
func (f *Feed) next(ctx context.Context, back uint64) error {
	missed := time.Since(f.read) > Kept
	after := uint64(0)
	if f.newest > back {
		after = f.newest - back
	}
	if err := f.pages(ctx, after, f.tell); err != nil {
		return err
	}
	f.read = time.Now()
	if missed {
		f.tell(store.Change{Kind: Gap})
	}
	if len(f.seen) > 4*far {
		for id := range f.seen {
			if id+2*far < f.newest {
				delete(f.seen, id)
			}
		}
	}
	return nil
}

// pages passes on what has not been seen of all changes after an id.
func (f *Feed) pages(ctx context.Context, after uint64, tell func(store.Change)) error {
	for {
		list, whole, err := f.store.ChangesAfter(ctx, after)
		if err != nil {
			return err
		}
		for _, c := range list {
			if f.seen[c.ID] {
				continue
			}
			f.seen[c.ID] = true
			f.newest = max(f.newest, c.ID)
			tell(c)
		}
		if whole {
			return nil
		}
		after = list[len(list)-1].ID
	}
}

func (f *Feed) tell(c store.Change) {
	for _, tell := range f.hear {
		tell(c)
	}
}
