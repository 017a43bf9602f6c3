package access

import (
	"errors"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/service/feed"
	"nimbusreach/internal/service/store"
)

// asking counts how often the database would be asked.
type asking struct {
	times   int
	expires time.Time
	err     error
}

func (a *asking) person(id uint64) func() (*Who, time.Time, error) {
	return func() (*Who, time.Time, error) {
		a.times++
		return &Who{Person: &store.Person{ID: id}}, a.expires, a.err
	}
}

func TestASignInIsAskedOnceAMinute(t *testing.T) {
	now := time.Now()
	k := newKept()
	k.now = func() time.Time { return now }
	a := &asking{expires: now.Add(time.Hour)}
	find := func() *Who {
		who, err := k.find("token x", a.person(7))
		require.NoError(t, err)
		return who
	}
	for range 3 {
		assert.EqualValues(t, 7, find().Person.ID)
	}
	assert.Equal(t, 1, a.times)
	now = now.Add(59 * time.Second)
	find()
	assert.Equal(t, 1, a.times)
	now = now.Add(time.Second)
	find()
	assert.Equal(t, 2, a.times, "a minute is over")
	a.expires = now.Add(time.Minute + 10*time.Second)
	now = now.Add(time.Minute)
	find()
	now = now.Add(10 * time.Second)
	find()
	assert.Equal(t, 4, a.times, "it is kept no longer than it holds")
}

func TestARefusalIsNotKept(t *testing.T) {
	k, a := newKept(), &asking{err: errors.New("no")}
	for range 2 {
		_, err := k.find("token x", a.person(7))
		assert.Error(t, err)
	}
	assert.Equal(t, 2, a.times)
}

func TestWhatIsRevokedIsDroppedAtOnce(t *testing.T) {
	g := &Gate{kept: newKept()}
	a := &asking{expires: time.Now().Add(time.Hour)}
	for id := range uint64(3) {
		_, err := g.kept.find(fmt.Sprint("token ", id), a.person(id))
		require.NoError(t, err)
	}
	two := uint64(2)
	g.Heard(store.Change{Kind: "revoked", Subject: &two})
	g.Heard(store.Change{Kind: "job", Subject: new(uint64)})
	for id := range uint64(3) {
		_, err := g.kept.find(fmt.Sprint("token ", id), a.person(id))
		require.NoError(t, err)
	}
	assert.Equal(t, 4, a.times, "one was asked again")
	g.Heard(store.Change{Kind: feed.Gap})
	_, err := g.kept.find("token 0", a.person(0))
	require.NoError(t, err)
	assert.Equal(t, 5, a.times, "after a gap nobody knows")

	// What is asked while somebody is revoked may be of the time before.
	_, err = g.kept.find("token 9", func() (*Who, time.Time, error) {
		g.kept.revoke(9)
		return a.person(9)()
	})
	require.NoError(t, err)
	_, err = g.kept.find("token 9", a.person(9))
	require.NoError(t, err)
	assert.Equal(t, 7, a.times)
}

func TestThePlaceForSignInsIsBounded(t *testing.T) {
	k, a := newKept(), &asking{expires: time.Now().Add(time.Hour)}
	for i := range mostKept + 10 {
		_, err := k.find(fmt.Sprint(i), a.person(1))
		require.NoError(t, err)
	}
	assert.LessOrEqual(t, len(k.by), mostKept)
}
