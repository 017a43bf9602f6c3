package access

import (
	"sync"
	"time"
)

const (
	keptFor  = time.Minute
	mostKept = 50_000
)

// kept is who was found by the secret they sent, so that the database is asked once a minute. What is
// revoked is dropped, by this process at once and by others when they read of it.
type kept struct {
	mu      sync.Mutex
	by      map[string]entry
	revoked int // how many times somebody's were
	now     func() time.Time
}

type entry struct {
	who   *Who
	until time.Time
}

func newKept() *kept { return &kept{by: map[string]entry{}, now: time.Now} }

// find gives who sent a secret, or asks and keeps the answer, no longer than it holds. What is asked
// while anything is revoked is not kept: it may be of the time before.
func (k *kept) find(secret string, ask func() (*Who, time.Time, error)) (*Who, error) {
	k.mu.Lock()
	e, known := k.by[secret]
	before := k.revoked
	k.mu.Unlock()
	if known && k.now().Before(e.until) {
		return e.who, nil
	}
	who, expires, err := ask()
	if err != nil {
		return nil, err
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.revoked == before {
		if len(k.by) >= mostKept {
			clear(k.by)
		}
		until := k.now().Add(keptFor)
		if expires.Before(until) {
			until = expires
		}
		k.by[secret] = entry{who, until}
	}
	return who, nil
}

// revoke drops what is kept of a person; 0 is everybody.
func (k *kept) revoke(person uint64) {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.revoked++
	for secret, e := range k.by {
		if person == 0 || e.who.Person.ID == person {
			delete(k.by, secret)
		}
	}
}
