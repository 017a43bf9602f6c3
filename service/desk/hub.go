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

// Hub tells listeners what changed in their course. It reads the changes from
// the database, so it hears of other processes' work too; Poke makes it look at
// once after work of this one.
type Hub struct {
	store     *store.Store
	log       *slog.Logger
	poke      chan struct{}
	mu        sync.Mutex
	listeners map[*Listener]bool
}

// Listener gets the events of one course.
type Listener struct {
	course uint64
	Events chan wire.Event
	behind bool // an event was lost; the next is a refresh
}

// NewHub makes a hub; Run starts it.
func NewHub(s *store.Store, log *slog.Logger) *Hub {
	return &Hub{store: s, log: log, poke: make(chan struct{}, 1), listeners: map[*Listener]bool{}}
}

// Poke makes the hub look for changes now.
func (h *Hub) Poke() {
	select {
	case h.poke <- struct{}{}:
	default:
	}
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

// Run passes changes on until the context ends.
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
		case <-h.poke:
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
		for _, c := range changes {
			if _, known := seen[c.ID]; known {
				continue
			}
			seen[c.ID] = c.CreatedAt
			h.tell(c.CourseID, wire.Event{Kind: c.Kind, Attempt: c.AttemptID})
		}
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

func (h *Hub) anyone() bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	return len(h.listeners) > 0
}

func (h *Hub) tell(course uint64, e wire.Event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for l := range h.listeners {
		if l.course != course {
			continue
		}
		if l.behind {
			e = wire.Event{Kind: "refresh"}
		}
		select {
		case l.Events <- e:
			l.behind = false
		default:
			l.behind = true
		}
	}
}
