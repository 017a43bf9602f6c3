package budget_test

import (
	"context"
	"errors"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/service/budget"
)

var ctx = context.Background()

func TestNoMoreRunThanThereArePlaces(t *testing.T) {
	b := budget.New(3, 0)
	var now, most atomic.Int64
	var wg sync.WaitGroup
	for person := range uint64(40) {
		wg.Go(func() {
			leave, err := b.Enter(ctx, person, []budget.Kind{budget.Check, budget.Look}[person%2])
			if !assert.NoError(t, err) {
				return
			}
			defer leave()
			for n := now.Add(1); ; {
				m := most.Load()
				if n <= m || most.CompareAndSwap(m, n) {
					break
				}
			}
			now.Add(-1)
		})
	}
	wg.Wait()
	assert.LessOrEqual(t, most.Load(), int64(3))
}

func TestMemoryBoundsPlaces(t *testing.T) {
	assert.EqualValues(t, 2, budget.New(8, 2*evaluate.CheckLimits.Bytes+1).Memory()/evaluate.CheckLimits.Bytes)
	assert.Equal(t, evaluate.CheckLimits.Bytes, budget.New(8, 1).Memory(), "one at least")
	assert.Equal(t, 4*evaluate.CheckLimits.Bytes, budget.New(4, 0).Memory())
}

func TestOnePersonsManyLeaveOthersRoom(t *testing.T) {
	b := budget.New(8, 0)
	var mine []func()
	for range 3 {
		leave, err := b.Enter(ctx, 1, budget.Look)
		require.NoError(t, err)
		mine = append(mine, leave)
	}
	_, err := b.Enter(ctx, 1, budget.Look)
	var busy *budget.Busy
	require.ErrorAs(t, err, &busy)
	assert.True(t, busy.Mine)
	assert.Positive(t, busy.After)
	other, err := b.Enter(ctx, 2, budget.Look)
	require.NoError(t, err)
	other()
	long, err := b.Enter(ctx, 1, budget.Long)
	require.NoError(t, err, "another sort of work has a share of its own")
	long()
	mine[0]()
	mine[0]() // giving back twice gives back once
	again, err := b.Enter(ctx, 1, budget.Look)
	require.NoError(t, err)
	again()
	_, err = b.Enter(ctx, 1, budget.Look)
	require.NoError(t, err)
}

func TestLongWorkNeverTakesAllPlaces(t *testing.T) {
	b := budget.New(2, 0)
	leave, err := b.Enter(ctx, 1, budget.Long)
	require.NoError(t, err)
	over, cancel := context.WithCancel(ctx)
	cancel()
	_, err = b.Enter(over, 2, budget.Long)
	require.ErrorIs(t, err, context.Canceled, "half of the places are for long work")
	look, err := b.Enter(ctx, 2, budget.Look)
	require.NoError(t, err)
	look()
	leave()
	leave, err = b.Enter(ctx, 2, budget.Long)
	require.NoError(t, err, "who went away while waiting holds nothing")
	leave()
}

func TestTooManyThatWaitAreTurnedAway(t *testing.T) {
	b := budget.New(1, 0)
	leave, err := b.Enter(ctx, 0, budget.Check)
	require.NoError(t, err)
	over, cancel := context.WithCancel(ctx)
	var wg sync.WaitGroup
	var waited, refused atomic.Int64
	for person := range uint64(300) {
		wg.Go(func() {
			_, err := b.Enter(over, person, budget.Look)
			var busy *budget.Busy
			if !errors.As(err, &busy) {
				waited.Add(1)
				return
			}
			assert.False(t, busy.Mine)
			if refused.Add(1) == 100 {
				cancel()
			}
		})
	}
	wg.Wait()
	cancel()
	assert.EqualValues(t, 200, waited.Load())
	assert.EqualValues(t, 100, refused.Load())
	leave()
}
