package causes

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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
