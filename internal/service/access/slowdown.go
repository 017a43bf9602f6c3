package access

import (
	"context"
	"sync"
	"time"
)

// slowdown makes guessing slow: after a few failures for a name from an address, or many
// from an address, the next try has to wait, longer each time. A name is never slowed by
// itself, so that a stranger elsewhere cannot keep its owner out; and where the owner has
// signed in from an address before, more failures are free there.
//
// Tries that are being worked on count as failures until they end, and more wait for that,
// so that the bound holds however many come at once.
type slowdown struct {
	mu    sync.Mutex
	seen  map[tried]*failures
	known map[tried]time.Time // names that signed in from an address, and when
	ended chan struct{}       // closed, and made again, when a try ends
	now   func() time.Time
	limit int
}

// tried is a name from an address, or with an empty name all names from it.
type tried struct{ name, address string }

type failures struct {
	count   int
	working int
	until   time.Time
	last    time.Time
}

const (
	freeTries        = 5  // for a name from an address
	freeKnownTries   = 30 // where the name signed in before
	freeAddressTries = 60 // for one address, behind which a whole class may sit
	longestWait      = 5 * time.Minute
	forgetAfter      = 30 * time.Minute
	rememberFor      = 30 * 24 * time.Hour
	mostRemembered   = 10_000
)

func newSlowdown() *slowdown {
	return &slowdown{seen: map[tried]*failures{}, known: map[tried]time.Time{}, ended: make(chan struct{}),
		now: time.Now, limit: mostRemembered}
}

// begin admits a try, or says how long to wait before the next; an admitted one must end.
// While others that count are being worked on it waits for them.
func (s *slowdown) begin(ctx context.Context, name, address string) (time.Duration, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.forget()
	pair, all := tried{name, address}, tried{"", address}
	for {
		now := s.now()
		if wait := max(s.wait(pair, now), s.wait(all, now)); wait > 0 {
			return wait, nil
		}
		if !s.full(pair, s.free(pair)) && !s.full(all, freeAddressTries) {
			s.at(pair).working++
			s.at(all).working++
			return 0, nil
		}
		ended := s.ended
		s.mu.Unlock()
		select {
		case <-ended:
			s.mu.Lock()
		case <-ctx.Done():
			s.mu.Lock()
			return 0, ctx.Err()
		}
	}
}

// free is how many failures cost nothing.
func (s *slowdown) free(pair tried) int {
	if s.now().Sub(s.known[pair]) < rememberFor {
		return freeKnownTries
	}
	return freeTries
}

func (s *slowdown) wait(key tried, now time.Time) time.Duration {
	if f := s.seen[key]; f != nil {
		return max(f.until.Sub(now), 0)
	}
	return 0
}

// full reports whether the tries that are being worked on may use up what is free.
func (s *slowdown) full(key tried, free int) bool {
	f := s.seen[key]
	return f != nil && f.working > 0 && f.count+f.working >= free
}

// leave takes a try out of those being worked on; the caller holds the lock.
func (s *slowdown) leave(name, address string) {
	s.at(tried{name, address}).working--
	s.at(tried{"", address}).working--
	close(s.ended)
	s.ended = make(chan struct{})
}

func (s *slowdown) at(key tried) *failures {
	now := s.now()
	f := s.seen[key]
	if f == nil {
		f = &failures{last: now}
		s.seen[key] = f
	}
	if now.Sub(f.last) > forgetAfter {
		f.count = 0
	}
	return f
}

// withdraw takes an admitted try back that came to no end.
func (s *slowdown) withdraw(name, address string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.leave(name, address)
}

// end says how an admitted try ended.
func (s *slowdown) end(name, address string, right bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	now := s.now()
	pair, all := tried{name, address}, tried{"", address}
	s.leave(name, address)
	if right {
		s.known[pair] = now
		s.seen[pair].count, s.seen[pair].until = 0, time.Time{}
		return
	}
	for key, free := range map[tried]int{pair: s.free(pair), all: freeAddressTries} {
		f := s.at(key)
		f.count++
		f.last = now
		if over := f.count - free; over >= 0 {
			f.until = now.Add(min(time.Second<<min(over, 20), longestWait))
		}
	}
}

// forget keeps memory bounded: old failures go first, then any but those being worked on.
func (s *slowdown) forget() {
	now := s.now()
	if len(s.seen) >= s.limit {
		for key, f := range s.seen {
			if now.Sub(f.last) > forgetAfter && f.working == 0 {
				delete(s.seen, key)
			}
		}
		for key, f := range s.seen {
			if len(s.seen) < s.limit {
				break
			}
			if f.working == 0 {
				delete(s.seen, key)
			}
		}
	}
	for key := range s.known {
		if len(s.known) < s.limit {
			break
		}
		delete(s.known, key)
	}
}
