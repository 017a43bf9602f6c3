// Package desk is the team's view of a course: who has handed in what, where a
// class is stuck, and the stream that keeps it live.
package desk

import (
	"sync"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/service/feed"
	"nimbusreach/internal/service/store"
)

const (
	perListener = 64

	// What was told at once is not told again when it is read, which happens soon or never.
	mostTold = 1024
	toldLife = time.Minute
)

// Hub tells listeners what changed in their course. Work of this process is reported
// at once; work of others is found by the process's feed of changes.
type Hub struct {
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
	course uint64 // 0: of jobs, whichever course they are of
	Events chan wire.Event
	behind bool // an event was lost; the next is a refresh
}

// NewHub makes a hub, which hears of others' work by a feed.
func NewHub(f *feed.Feed) *Hub {
	h := &Hub{listeners: map[*Listener]bool{}, told: map[event]time.Time{}}
	f.Hear(h.Heard)
	return h
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

// ListenJobs begins to hear of jobs; end stops it.
func (h *Hub) ListenJobs() (l *Listener, end func()) { return h.Listen(0) }

// Heard passes on a change that was read from the database, unless it was told before.
func (h *Hub) Heard(c store.Change) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if len(h.told) > mostTold {
		for e, at := range h.told {
			if time.Since(at) > toldLife {
				delete(h.told, e)
			}
		}
	}
	if c.AttemptID != nil {
		e := event{*c.AttemptID, c.Kind}
		if _, told := h.told[e]; told {
			delete(h.told, e)
			return
		}
	}
	switch {
	case c.Kind == feed.Gap:
		for l := range h.listeners {
			h.give(l, wire.Event{Kind: "refresh"})
		}
	case c.Kind == "job":
		e := wire.Event{Kind: c.Kind, Job: c.Subject}
		h.pass(0, e)
		if c.CourseID != nil {
			h.pass(*c.CourseID, e)
		}
	case c.CourseID != nil:
		h.pass(*c.CourseID, wire.Event{Kind: c.Kind, Attempt: c.AttemptID})
	}
}

// pass gives an event to a course's listeners; the caller holds the lock.
func (h *Hub) pass(course uint64, e wire.Event) {
	for l := range h.listeners {
		if l.course == course {
			h.give(l, e)
		}
	}
}

func (h *Hub) give(l *Listener, e wire.Event) {
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
