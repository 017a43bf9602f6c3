package desk_test

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"testing"
	"testing/synctest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/service/desk"
)

// TestManyDesksShareAComputation that began after each of them asked.
func TestManyDesksShareAComputation(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s := desk.NewShared()
		computed, hold := 0, make(chan struct{})
		compute := func(context.Context) ([]byte, error) {
			computed++ // one at a time
			n := computed
			<-hold
			return fmt.Append(nil, n), nil
		}
		var wg sync.WaitGroup
		ask := func(want string) {
			wg.Go(func() {
				text, err := s.Do(t.Context(), "kelp", compute)
				assert.NoError(t, err)
				assert.Equal(t, want, string(text), "what was computed from before is not given")
			})
		}
		ask("1")
		synctest.Wait()
		for range 50 {
			ask("2")
		}
		synctest.Wait()
		hold <- struct{}{}
		synctest.Wait()
		ask("3")
		synctest.Wait()
		hold <- struct{}{}
		hold <- struct{}{}
		wg.Wait()
		assert.Equal(t, 3, computed, "fifty who ask at once share one")
		text, err := s.Do(t.Context(), "kelp", func(context.Context) ([]byte, error) { return []byte("new"), nil })
		require.NoError(t, err)
		assert.Equal(t, "new", string(text), "and nothing is kept")
	})
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
