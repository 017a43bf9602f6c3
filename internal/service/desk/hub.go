// Package desk is the team's view of a course: who has handed in what, where a
// class is stuck, and the stream that keeps it live.
package desk

import (
	"context"
	"log/slog"
	"sync"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/service/store"
)

const (
	pollEvery = 300 * time.Millisecond
	// lookBack covers transactions that commit out of order.
	lookBack    = 3 * time.Second
	keepChanges = 10 * time.Minute
	sweepEvery  = time.Minute
	perListener = 64
)

// Hub tells listeners what changed in their course. Work of this process is reported
// at once; work of others is found by reading the changes from the database.
type Hub struct {
	store     *store.Store
	log       *slog.Logger
	mu        sync.Mutex
	listeners map[*Listener]bool
	told      map[event]time.Time // told at once, so not again when read
}

// event is one change of one attempt.
type event struct {
	attempt uint64
	kind    string
}

// Listener gets the events of one course.
type Listener struct {
	course uint64
	Events chan wire.Event
	behind bool // an event was lost; the next is a refresh
}

// NewHub makes a hub; Run starts it.
func NewHub(s *store.Store, log *slog.Logger) *Hub {
	return &Hub{store: s, log: log, listeners: map[*Listener]bool{}, told: map[event]time.Time{}}
}

// Tell passes a change that this process made on, without the way through the
// database.
func (h *Hub) Tell(course, attempt uint64, kind string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.told[event{attempt, kind}] = time.Now()
	h.pass(course, wire.Event{Kind: kind, Attempt: &attempt})
}

// Listen begins to hear of a course; end stops it.
func (h *Hub) Listen(course uint64) (l *Listener, end func()) {
	l = &Listener{course: course, Events: make(chan wire.Event, perListener)}
	h.mu.Lock()
	h.listeners[l] = true
	h.mu.Unlock()
	return l, func() {
		h.mu.Lock()
		delete(h.listeners, l)
		h.mu.Unlock()
	}
}

// Run passes other processes' changes on, and forgets old ones, until the context ends.
func (h *Hub) Run(ctx context.Context) {
	seen := map[uint64]time.Time{}
	tick := time.NewTicker(pollEvery)
	defer tick.Stop()
	began := time.Now().UTC()
	swept := time.Time{}
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		if time.Since(swept) > sweepEvery {
			swept = time.Now()
			h.report(ctx, "forgetting changes", h.store.ForgetChanges(ctx, swept.UTC().Add(-keepChanges)))
		}
		if !h.anyone() {
			began = time.Now().UTC()
			continue
		}
		since := time.Now().UTC().Add(-lookBack)
		if began.After(since) {
			since = began
		}
		h.report(ctx, "reading changes", h.readSince(ctx, since, seen))
		for id, at := range seen {
			if at.Before(since.Add(-lookBack)) {
				delete(seen, id)
			}
		}
	}
}

// report logs an error that is not the database's absence, which the store logs once.
func (h *Hub) report(ctx context.Context, what string, err error) {
	if !h.store.Away(err) && err != nil && ctx.Err() == nil {
		h.log.Warn(what, "error", err)
	}
}

// readSince reads all changes since a time, page by page.
func (h *Hub) readSince(ctx context.Context, since time.Time, seen map[uint64]time.Time) error {
	after := uint64(0)
	for {
		changes, whole, err := h.store.ChangesSince(ctx, since, after)
		if err != nil {
			return err
		}
		h.read(changes, seen)
		if whole {
			return nil
		}
		last := changes[len(changes)-1]
		since, after = last.CreatedAt, last.ID
	}
}

// read passes changes on that were neither read nor told before.
func (h *Hub) read(changes []store.Change, seen map[uint64]time.Time) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, c := range changes {
		if _, known := seen[c.ID]; known {
			continue
		}
		seen[c.ID] = c.CreatedAt
		if c.AttemptID != nil {
			if _, told := h.told[event{*c.AttemptID, c.Kind}]; told {
				continue
			}
		}
		h.pass(c.CourseID, wire.Event{Kind: c.Kind, Attempt: c.AttemptID})
	}
	for e, at := range h.told {
		if time.Since(at) > 3*lookBack {
			delete(h.told, e)
		}
	}
}

func (h *Hub) anyone() bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	return len(h.listeners) > 0
}

// pass gives an event to a course's listeners; the caller holds the lock.
func (h *Hub) pass(course uint64, e wire.Event) {
	for l := range h.listeners {
		if l.course != course {
			continue
		}
		mine := e
		if l.behind {
			mine = wire.Event{Kind: "refresh"}
		}
		select {
		case l.Events <- mine:
			l.behind = false
		default:
			l.behind = true
		}
	}
}
