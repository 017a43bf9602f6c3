package desk

import (
	"context"
	"sync"

	"nimbusreach/internal/core/guard"
)

// Shared lets many who ask for the same at once wait for one computation: an attempt makes every open desk ask anew.
// Nobody gets what was computed from before they asked: whoever asks while it is computed waits for the next, which all
// of them share.
type Shared struct {
	mu      sync.Mutex
	running map[string]*flight
}

// flight is one computation, and the one that follows it.
type flight struct {
	done chan struct{}
	text []byte
	err  error
	next *flight
}

// NewShared makes one.
func NewShared() *Shared { return &Shared{running: map[string]*flight{}} }

// Do computes what a key stands for, or waits for whoever does. The computation goes on when its asker leaves: others
// may wait for it.
func (s *Shared) Do(ctx context.Context, key string, compute func(context.Context) ([]byte, error)) ([]byte, error) {
	s.mu.Lock()
	before := s.running[key]
	f, first := &flight{done: make(chan struct{})}, true
	switch {
	case before == nil:
		s.running[key] = f
	case before.next == nil:
		before.next = f
	default:
		f, first = before.next, false
	}
	s.mu.Unlock()
	if first {
		if before != nil {
			<-before.done
		}
		f.err = guard.Call("computing a desk", func() (err error) {
			f.text, err = compute(context.WithoutCancel(ctx))
			return err
		})
		s.mu.Lock()
		if f.next != nil {
			s.running[key] = f.next
		} else {
			delete(s.running, key)
		}
		s.mu.Unlock()
		close(f.done)
	}
	select {
	case <-f.done:
		return f.text, f.err
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}
