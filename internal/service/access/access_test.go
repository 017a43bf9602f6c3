package access

import (
	"context"
	"fmt"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestPasswords(t *testing.T) {
	hash, err := HashPassword("kelp-and-ropes")
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(hash, "$argon2id$v=19$m=19456,t=2,p=1$"))
	assert.True(t, CheckPassword(hash, "kelp-and-ropes"))
	assert.False(t, CheckPassword(hash, "kelp-and-rope"))
	other, err := HashPassword("kelp-and-ropes")
	require.NoError(t, err)
	assert.NotEqual(t, hash, other, "every hash has a salt of its own")
	for _, broken := range []string{"", "x", "$argon2id$v=19$m=1$$", strings.Replace(hash, "argon2id", "argon2i", 1)} {
		t.Run(broken, func(t *testing.T) {
			assert.False(t, CheckPassword(broken, "kelp-and-ropes"))
		})
	}
}

// clock is a slowdown whose time a test moves.
func clock() (*slowdown, *time.Time) {
	now := time.Unix(1_900_000_000, 0)
	s := newSlowdown()
	s.now = func() time.Time { return now }
	return s, &now
}

// fails ends a try that was let through as wrong.
func fails(t *testing.T, s *slowdown, name, address string) {
	t.Helper()
	admitted(t, s, name, address)
	s.end(name, address, false)
}

// admitted begins a try that need not wait.
func admitted(t *testing.T, s *slowdown, name, address string) {
	t.Helper()
	wait, err := s.begin(context.Background(), name, address)
	require.NoError(t, err)
	require.Zero(t, wait)
}

// waits says how long a try would have to wait.
func waits(s *slowdown, name, address string) time.Duration {
	wait, err := s.begin(context.Background(), name, address)
	if wait == 0 && err == nil {
		s.withdraw(name, address)
	}
	return wait
}

func TestFailuresSlowANameFromAnAddress(t *testing.T) {
	s, now := clock()
	for range freeTries {
		fails(t, s, "ada", "1.2.3.4")
	}
	first := waits(s, "ada", "1.2.3.4")
	assert.Positive(t, first)
	assert.Zero(t, waits(s, "ada", "9.9.9.9"), "a stranger elsewhere keeps nobody out")
	assert.Zero(t, waits(s, "bree", "1.2.3.4"), "others behind the address go on")
	*now = now.Add(first)
	fails(t, s, "ada", "1.2.3.4")
	assert.Greater(t, waits(s, "ada", "1.2.3.4"), first, "longer each time")
	*now = now.Add(longestWait)
	admitted(t, s, "ada", "1.2.3.4")
	s.end("ada", "1.2.3.4", true)
	assert.Zero(t, waits(s, "ada", "1.2.3.4"))
	for range freeTries + 3 {
		fails(t, s, "ada", "1.2.3.4")
	}
	assert.Zero(t, waits(s, "ada", "1.2.3.4"), "who signed in from there before has more tries")
}

func TestFailuresSlowAnAddress(t *testing.T) {
	s, _ := clock()
	for i := range freeAddressTries {
		fails(t, s, fmt.Sprint("name", i), "1.2.3.4")
	}
	assert.Positive(t, waits(s, "fresh", "1.2.3.4"))
	assert.Zero(t, waits(s, "fresh", "4.3.2.1"))
}

// TestTheBoundHoldsInParallel lets many guesses at one name come before the first of them
// has ended.
func TestTheBoundHoldsInParallel(t *testing.T) {
	for right, want := range map[bool]int64{false: freeTries, true: 55} {
		s, _ := clock()
		var worked atomic.Int64
		var wg sync.WaitGroup
		for range 55 {
			wg.Go(func() {
				wait, err := s.begin(context.Background(), "ada", "1.2.3.4")
				if !assert.NoError(t, err) || wait > 0 {
					return
				}
				worked.Add(1)
				runtime.Gosched()
				s.end("ada", "1.2.3.4", right)
			})
		}
		wg.Wait()
		assert.Equal(t, want, worked.Load(), "right: %v", right)
		if !right {
			assert.Positive(t, waits(s, "ada", "1.2.3.4"))
		}
	}
	s, _ := clock()
	for range freeTries {
		admitted(t, s, "ada", "x")
	}
	over, cancel := context.WithCancel(context.Background())
	cancel()
	_, err := s.begin(over, "ada", "x")
	assert.ErrorIs(t, err, context.Canceled, "who leaves waits no longer")
}

func TestWaitingIsBoundedAndForgotten(t *testing.T) {
	s, now := clock()
	for range 60 {
		*now = now.Add(longestWait)
		fails(t, s, "ada", "x")
	}
	assert.LessOrEqual(t, waits(s, "ada", "x"), longestWait)
	*now = now.Add(forgetAfter + longestWait)
	fails(t, s, "ada", "x")
	assert.Zero(t, waits(s, "ada", "x"))
}

func TestMemoryOfFailuresIsBounded(t *testing.T) {
	s, _ := clock()
	s.limit = 100
	for i := range 1000 {
		name, address := fmt.Sprint("n", i), fmt.Sprint("a", i)
		admitted(t, s, name, address)
		s.end(name, address, i%2 == 0)
	}
	assert.LessOrEqual(t, len(s.seen), 104)
	assert.LessOrEqual(t, len(s.known), 102)
}
