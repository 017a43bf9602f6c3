package desk_test

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/service/desk"
)

// TestManyDesksShareAComputation that began after each of them asked.
func TestManyDesksShareAComputation(t *testing.T) {
	s := desk.NewShared()
	var clock, computed atomic.Int64
	begun := make(chan struct{}, 100)
	hold := make(chan struct{})
	compute := func(context.Context) ([]byte, error) {
		at := clock.Add(1)
		computed.Add(1)
		begun <- struct{}{}
		<-hold
		return fmt.Append(nil, at), nil
	}
	var wg sync.WaitGroup
	ask := func() {
		asked := clock.Load()
		wg.Go(func() {
			text, err := s.Do(context.Background(), "kelp", compute)
			assert.NoError(t, err)
			var at int64
			_, err = fmt.Sscan(string(text), &at)
			assert.NoError(t, err)
			assert.Greater(t, at, asked, "what was computed from before is not given")
		})
	}
	ask()
	<-begun
	for range 50 {
		ask()
	}
	hold <- struct{}{}
	<-begun
	close(hold)
	wg.Wait()
	assert.LessOrEqual(t, computed.Load(), int64(3), "fifty who ask at once share one or two")
	text, err := s.Do(context.Background(), "kelp", func(context.Context) ([]byte, error) { return []byte("new"), nil })
	require.NoError(t, err)
	assert.Equal(t, "new", string(text), "and nothing is kept")
}

// TestAComputationThatFails fails for those who share it, and keeps nobody waiting; a fault of ours is one.
func TestAComputationThatFails(t *testing.T) {
	s := desk.NewShared()
	_, err := s.Do(context.Background(), "kelp", func(context.Context) ([]byte, error) { panic("broken") })
	require.NotNil(t, guard.As(err))
	away := errors.New("away")
	_, err = s.Do(context.Background(), "kelp", func(context.Context) ([]byte, error) { return nil, away })
	require.ErrorIs(t, err, away)
	left, leave := context.WithCancel(context.Background())
	text, err := s.Do(left, "kelp", func(ctx context.Context) ([]byte, error) {
		leave()
		return []byte("there"), ctx.Err()
	})
	if err == nil {
		assert.Equal(t, "there", string(text), "it goes on though its asker has left")
	}
}
