package access

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/service/store"
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
		assert.False(t, CheckPassword(broken, "kelp-and-ropes"))
	}
}

// clock is a slowdown whose time a test moves.
func clock() (*slowdown, *time.Time) {
	now := time.Unix(1_900_000_000, 0)
	s := newSlowdown()
	s.now = func() time.Time { return now }
	return s, &now
}

func TestFailuresSlowAName(t *testing.T) {
	s, now := clock()
	for range freeTries - 1 {
		s.failed("ada", "1.2.3.4")
		assert.Zero(t, s.wait("ada", "1.2.3.4"))
	}
	s.failed("ada", "1.2.3.4")
	first := s.wait("ada", "9.9.9.9")
	assert.Positive(t, first, "from any address")
	assert.Zero(t, s.wait("bree", "1.2.3.4"), "others behind the address go on")
	*now = now.Add(first)
	assert.Zero(t, s.wait("ada", "1.2.3.4"))
	s.failed("ada", "1.2.3.4")
	assert.Greater(t, s.wait("ada", "1.2.3.4"), first, "longer each time")
	s.succeeded("ada")
	assert.Zero(t, s.wait("ada", "1.2.3.4"))
}

func TestFailuresSlowAnAddress(t *testing.T) {
	s, _ := clock()
	for i := range freeAddressTries {
		s.failed(fmt.Sprint("name", i), "1.2.3.4")
	}
	assert.Positive(t, s.wait("fresh", "1.2.3.4"))
	assert.Zero(t, s.wait("fresh", "4.3.2.1"))
}

func TestWaitingIsBoundedAndForgotten(t *testing.T) {
	s, now := clock()
	for range 60 {
		s.failed("ada", "")
	}
	assert.LessOrEqual(t, s.wait("ada", "x"), longestWait)
	*now = now.Add(forgetAfter + longestWait)
	s.failed("ada", "")
	assert.Zero(t, s.wait("ada", "x"))
}

func TestMemoryOfFailuresIsBounded(t *testing.T) {
	s, _ := clock()
	s.limit = 100
	for i := range 1000 {
		s.failed(fmt.Sprint("n", i), fmt.Sprint("a", i))
	}
	assert.LessOrEqual(t, len(s.seen), 102)
}

func TestRights(t *testing.T) {
	for role, want := range map[store.Role][4]bool{
		store.Student:    {true, true, false, false},
		store.Assistant:  {true, true, true, false},
		store.Instructor: {true, true, true, true},
		"":               {},
	} {
		for right := See; right <= Publish; right++ {
			assert.Equal(t, want[right], Allows(role, right), "%s %d", role, right)
		}
	}
}
