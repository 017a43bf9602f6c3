package access

import (
	"sync"
	"time"
)

// slowdown makes guessing slow: after a few failures for a name, or many from an
// address, the next try has to wait, longer each time.
type slowdown struct {
	mu    sync.Mutex
	seen  map[string]*failures
	now   func() time.Time
	limit int
}

type failures struct {
	count int
	until time.Time
	last  time.Time
}

const (
	freeTries        = 5  // for one name
	freeAddressTries = 60 // for one address, behind which a whole class may sit
	longestWait      = 5 * time.Minute
	forgetAfter      = 30 * time.Minute
	mostRemembered   = 10_000
)

func newSlowdown() *slowdown {
	return &slowdown{seen: map[string]*failures{}, now: time.Now, limit: mostRemembered}
}

// wait says how long a try must wait; 0 when it may go on.
func (s *slowdown) wait(name, address string) time.Duration {
	s.mu.Lock()
	defer s.mu.Unlock()
	longest := time.Duration(0)
	for _, key := range []string{"n:" + name, "a:" + address} {
		if f := s.seen[key]; f != nil {
			longest = max(longest, f.until.Sub(s.now()))
		}
	}
	return longest
}

func (s *slowdown) failed(name, address string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.forget()
	s.count("n:"+name, freeTries)
	s.count("a:"+address, freeAddressTries)
}

func (s *slowdown) count(key string, free int) {
	now := s.now()
	f := s.seen[key]
	if f == nil || now.Sub(f.last) > forgetAfter {
		f = &failures{}
		s.seen[key] = f
	}
	f.count++
	f.last = now
	if over := f.count - free; over >= 0 {
		f.until = now.Add(min(time.Second<<min(over, 20), longestWait))
	}
}

func (s *slowdown) succeeded(name string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.seen, "n:"+name)
}

// forget keeps memory bounded: old failures go first, then any.
func (s *slowdown) forget() {
	if len(s.seen) < s.limit {
		return
	}
	now := s.now()
	for key, f := range s.seen {
		if now.Sub(f.last) > forgetAfter {
			delete(s.seen, key)
		}
	}
	for key := range s.seen {
		if len(s.seen) < s.limit {
			break
		}
		delete(s.seen, key)
	}
}
