package queue

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/e2e/testdb"
	"nimbusreach/internal/service/store"
)

func handed(t *testing.T, s *store.Store, n int) []*store.Attempt {
	t.Helper()
	ctx := context.Background()
	p := &store.Person{Name: "imke", Display: "Imke", PasswordHash: "x"}
	require.NoError(t, s.AddPerson(ctx, nil, p))
	c, _, err := s.Publish(ctx, p.ID, "kelp", "Kelp", []byte("x"), 0)
	require.NoError(t, err)
	var out []*store.Attempt
	for range n {
		a := &store.Attempt{CourseID: c.ID, RevisionID: *c.CurrentRevisionID, Exercise: "means", PersonID: p.ID}
		_, err := s.HandIn(ctx, a, store.Bounds{})
		require.NoError(t, err)
		out = append(out, a)
	}
	return out
}

// TestVerdictsAreStoredTogether: many at once are all stored, in fewer commits than there are; one that
// cannot be stored is told of, and keeps no other back.
func TestVerdictsAreStoredTogether(t *testing.T) {
	const many = 200
	ctx, stop := context.WithCancel(context.Background())
	s, err := store.Open(ctx, testdb.New(t), nil)
	require.NoError(t, err)
	defer s.Close()
	attempts := handed(t, s, many)
	q := New(s, nil, nil, slog.New(slog.NewTextHandler(io.Discard, nil)))
	var all, writing sync.WaitGroup
	errs := make([]error, many)
	for i, a := range attempts {
		word := "agrees"
		if i == 7 {
			word = "no word"
		}
		all.Go(func() {
			errs[i] = q.stored(store.Done{Attempt: a, Verdict: &store.Verdict{Verdict: word,
				Body: fmt.Sprintf("{%q: %q}", "x", strings.Repeat("y", 50_000))}})
		})
	}
	writing.Go(func() { q.write(ctx) })
	all.Wait()
	stop()
	writing.Wait()
	for i, err := range errs {
		if i == 7 {
			require.Error(t, err)
			continue
		}
		require.NoError(t, err, i)
	}
	ctx = context.Background()
	times := map[string]int{}
	for i, a := range attempts {
		line, err := s.AttemptByID(ctx, a.ID)
		require.NoError(t, err)
		assert.Equal(t, i != 7, line.Verdict != nil)
		if line.CheckedAt != nil {
			times[line.CheckedAt.String()]++
		}
	}
	assert.Less(t, len(times), many-10, "those of one commit have one time")
}
