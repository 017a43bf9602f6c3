// Package desk is the team's view of a course: who has handed in what, where a
// class is stuck, and the stream that keeps it live.
package desk

import (
	"context"
	"log/slog"
	"sync"
	"time"

	"nimbusreach/service/store"
	"nimbusreach/service/wire"
)

const (
	pollEvery = 300 * time.Millisecond
	// lookBack covers transactions that commit out of order.
	lookBack    = 3 * time.Second
	keepChanges = 10 * time.Minute
	perListener = 64
)

// Hub tells listeners what changed in their course. Work of this process is told
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

// Run passes other processes' changes on until the context ends.
func (h *Hub) Run(ctx context.Context) {
	seen := map[uint64]time.Time{}
	tick := time.NewTicker(pollEvery)
	defer tick.Stop()
	began := time.Now().UTC()
	swept := began
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		if !h.anyone() {
			began = time.Now().UTC()
			continue
		}
		since := time.Now().UTC().Add(-lookBack)
		if began.After(since) {
			since = began
		}
		changes, err := h.store.ChangesSince(ctx, since)
		if err != nil {
			if ctx.Err() == nil {
				h.log.Warn("reading changes", "error", err)
			}
			continue
		}
		h.read(changes, seen)
		for id, at := range seen {
			if at.Before(since.Add(-lookBack)) {
				delete(seen, id)
			}
		}
		if time.Since(swept) > keepChanges {
			swept = time.Now().UTC()
			if err := h.store.ForgetChanges(ctx, swept.Add(-keepChanges)); err != nil {
				h.log.Warn("forgetting changes", "error", err)
			}
		}
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
