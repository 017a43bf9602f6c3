package guard_test

import (
	"errors"
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/guard"
)

func overrun(list []int, i int) int { return list[i] }

func TestAPanicBecomesAnError(t *testing.T) {
	err := guard.Call("reading a list", func() error { overrun(nil, 3); return nil })
	f := guard.As(fmt.Errorf("attempt 7: %w", err))
	require.NotNil(t, f)
	assert.ErrorContains(t, err, "a fault of ours while reading a list: runtime error: index out of range [3]")
	assert.Contains(t, string(f.Stack), "overrun", "the stack is that of the panic")
	assert.Error(t, f.Unwrap())
}

func TestErrorsPass(t *testing.T) {
	wanted := errors.New("no room")
	err := guard.Call("working", func() error { return wanted })
	assert.Equal(t, wanted, err)
	assert.Nil(t, guard.As(err))
	assert.NoError(t, guard.Call("working", func() error { return nil }))
}

func TestAPanicOfAnotherGoroutineReachesTheOneThatWaits(t *testing.T) {
	err := guard.Call("the whole", func() error {
		var relay guard.Relay
		var wg sync.WaitGroup
		for i := range 4 {
			wg.Go(func() {
				defer relay.Catch()
				if i > 1 {
					overrun(nil, i)
				}
			})
		}
		wg.Wait()
		relay.Raise()
		return nil
	})
	f := guard.As(err)
	require.NotNil(t, f)
	assert.Contains(t, string(f.Stack), "overrun")
	var quiet guard.Relay
	assert.NotPanics(t, quiet.Raise)
}

func ExampleCall() {
	err := guard.Call("adding", func() error { panic("no such column") })
	fmt.Println(err)
	// Output: a fault of ours while adding: no such column
}
