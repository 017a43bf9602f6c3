package causes

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/core/notation"
)

// TestAFaultCarriesItsTree: what a fault of ours says names the changed attempt that it came from.
func TestAFaultCarriesItsTree(t *testing.T) {
	program, errs := notation.Parse("y = mean(x over week)\n")
	require.Empty(t, errs)
	err := guard.Call("trying", func() error {
		defer withTree(program)
		var nobody *finder
		nobody.runs--
		return nil
	})
	require.Error(t, err)
	require.NotNil(t, guard.As(err))
	assert.Contains(t, guard.As(err).Value, "nil pointer")
	assert.Contains(t, guard.As(err).Value, "in the changed attempt\ny = mean(x over week)\n")
}

// TestAFaultInWhatIsMadeOnceEndsOneSearch: those that come after do not wait for it.
func TestAFaultInWhatIsMadeOnceEndsOneSearch(t *testing.T) {
	q := asked(t, "y = sum(x)\n")
	q.Exercise = nil // of which further data are asked
	q.Material.Inputs = []string{"x"}
	q.Cases[0].Inputs = map[string]*array.Array{"x": array.FromReals([]float64{1, 2, 4}, 3)}
	q.Cases[0].Expected = map[string]*array.Array{"y": array.Scalar(7.0)}
	program := parsed(t, "y = max(x)\n")
	got := []Outcome{q.run(context.Background(), program, q.Cases[0].Inputs, q.Cases[0].Options)}
	search := func() error {
		Find(context.Background(), q, program, got, nil, Default)
		return nil
	}
	require.NotNil(t, guard.As(guard.Call("the first search", search)))
	done := make(chan error)
	go func() { done <- guard.Call("the second search", search) }()
	select {
	case <-done:
	case <-time.After(time.Minute):
		t.Fatal("it waits for ever")
	}
}
