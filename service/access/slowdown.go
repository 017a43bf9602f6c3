package access

import (
	"sync"
	"time"
)

// slowdown makes guessing slow: after a few failures for a name from an address, or many
// from an address, the next try has to wait, longer each time. A name is never slowed by
// itself, so that a stranger elsewhere cannot keep its owner out; and where the owner has
// signed in from an address before, more failures are free there.
//
// Tries that are being worked on count as failures until they end, so that the bound holds
// however many come at once.
type slowdown struct {
	mu    sync.Mutex
	seen  map[tried]*failures
	known map[tried]time.Time // names that signed in from an address, and when
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
	shortWait        = time.Second // while tries are being worked on
	forgetAfter      = 30 * time.Minute
	rememberFor      = 30 * 24 * time.Hour
	mostRemembered   = 10_000
)

func newSlowdown() *slowdown {
	return &slowdown{seen: map[tried]*failures{}, known: map[tried]time.Time{}, now: time.Now, limit: mostRemembered}
}

// begin admits a try, or says how long it must wait; an admitted one must end.
func (s *slowdown) begin(name, address string) time.Duration {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.forget()
	now := s.now()
	pair, all := tried{name, address}, tried{"", address}
	wait := max(s.wait(pair, s.free(pair), now), s.wait(all, freeAddressTries, now))
	if wait > 0 {
		return wait
	}
	s.at(pair).working++
	s.at(all).working++
	return 0
}

// free is how many failures cost nothing.
func (s *slowdown) free(pair tried) int {
	if s.now().Sub(s.known[pair]) < rememberFor {
		return freeKnownTries
	}
	return freeTries
}

func (s *slowdown) wait(key tried, free int, now time.Time) time.Duration {
	f := s.seen[key]
	switch {
	case f == nil:
		return 0
	case f.until.After(now):
		return f.until.Sub(now)
	case f.working > 0 && f.count+f.working >= free:
		return shortWait
	}
	return 0
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
	s.at(tried{name, address}).working--
	s.at(tried{"", address}).working--
}

// end says how an admitted try ended.
func (s *slowdown) end(name, address string, right bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	now := s.now()
	pair, all := tried{name, address}, tried{"", address}
	s.at(pair).working--
	s.at(all).working--
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
