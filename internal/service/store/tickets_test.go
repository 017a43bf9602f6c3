package store_test

import (
	"bytes"
	"context"
	"errors"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/service/store"
)

func (c *noted) ticket(student int) *store.Ticket {
	return &store.Ticket{CourseID: c.course.ID, RevisionID: *c.course.CurrentRevisionID, Exercise: "means",
		PersonID: c.students[student].ID, ExpiresAt: c.now.Add(time.Hour)}
}

// TestATicketIsUsedOnce hands in for one ticket many times at once, and takes one many times at once.
func TestATicketIsUsedOnce(t *testing.T) {
	c := openNoted(t, 2)
	ctx := context.Background()
	made := make([]*store.Ticket, 8)
	var wg sync.WaitGroup
	for i := range made {
		made[i] = c.ticket(0)
		wg.Go(func() { assert.NoError(t, c.MakeTicket(ctx, made[i], 0)) })
	}
	wg.Wait()
	for _, m := range made {
		assert.Equal(t, made[0].ID, m.ID, "a person holds one at a time")
		assert.Equal(t, made[0].ExpiresAt, m.ExpiresAt)
	}
	digest, err := c.KeepArrays(ctx, []byte("arrays"))
	require.NoError(t, err)
	var mu sync.Mutex
	stored, used := 0, 0
	for range 8 {
		wg.Go(func() {
			a := &store.Attempt{CourseID: c.course.ID, RevisionID: *c.course.CurrentRevisionID, Exercise: "means",
				Kind: "results", PersonID: c.students[0].ID, Arrays: &digest, TicketID: &made[0].ID}
			_, err := c.HandIn(ctx, a, store.Bounds{})
			var bound *store.Refused
			mu.Lock()
			defer mu.Unlock()
			switch {
			case err == nil:
				stored++
			case errors.As(err, &bound) && bound.Ticket == "used":
				used++
			}
		})
	}
	wg.Wait()
	assert.Equal(t, []int{1, 7}, []int{stored, used})
	spent, err := c.TicketByID(ctx, made[0].ID)
	require.NoError(t, err)
	assert.NotNil(t, spent.AttemptID)
	assert.True(t, spent.Spent(c.now))
	next := c.ticket(0)
	require.NoError(t, c.MakeTicket(ctx, next, 0))
	assert.NotEqual(t, made[0].ID, next.ID)
	c.now = c.now.Add(2 * time.Hour)
	_, err = c.HandIn(ctx, &store.Attempt{CourseID: c.course.ID, RevisionID: *c.course.CurrentRevisionID,
		Exercise: "means", Kind: "results", PersonID: c.students[0].ID, Arrays: &digest, TicketID: &next.ID},
		store.Bounds{})
	var bound *store.Refused
	require.ErrorAs(t, err, &bound)
	assert.Equal(t, "expired", bound.Ticket)
}

// TestArraysAreKeptWhileNeeded stores large ones in parts, once for all that hand the same in, and forgets what no
// attempt names.
func TestArraysAreKeptWhileNeeded(t *testing.T) {
	c := openNoted(t, 1)
	ctx := context.Background()
	large := bytes.Repeat([]byte("kelp"), 5<<20/2) // 10 MiB, in three parts
	digest, err := c.KeepArrays(ctx, large)
	require.NoError(t, err)
	again, err := c.KeepArrays(ctx, large)
	require.NoError(t, err)
	assert.Equal(t, digest, again)
	got, err := c.Arrays(ctx, digest)
	require.NoError(t, err)
	assert.True(t, bytes.Equal(large, got))
	named, err := c.KeepArrays(ctx, []byte("named"))
	require.NoError(t, err)
	_, err = c.HandIn(ctx, &store.Attempt{CourseID: c.course.ID, RevisionID: *c.course.CurrentRevisionID,
		Exercise: "means", Kind: "results", PersonID: c.students[0].ID, Arrays: &named}, store.Bounds{})
	require.NoError(t, err)
	require.NoError(t, c.ForgetArrays(ctx, c.now))
	_, err = c.Arrays(ctx, digest)
	require.NoError(t, err, "they are not old enough")
	require.NoError(t, c.ForgetArrays(ctx, c.now.Add(time.Second)))
	_, err = c.Arrays(ctx, digest)
	assert.ErrorIs(t, err, store.ErrNotFound)
	_, err = c.Arrays(ctx, named)
	assert.NoError(t, err)
	one, err := c.Secret(ctx, "tickets")
	require.NoError(t, err)
	same, err := c.Secret(ctx, "tickets")
	require.NoError(t, err)
	assert.Equal(t, one, same)
	assert.Len(t, one, 32)
	other, err := c.Secret(ctx, "others")
	require.NoError(t, err)
	assert.NotEqual(t, one, other)
}
