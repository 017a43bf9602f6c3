package functions

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestEveryFunctionIsFoundByWhatItIsCalled compares the table of keywords with that of
// functions.
func TestEveryFunctionIsFoundByWhatItIsCalled(t *testing.T) {
	for _, name := range Names() {
		assert.NotEmpty(t, Lookup(name).Keywords(), name)
	}
	for name, list := range keywords {
		assert.NotNil(t, Lookup(name), name)
		for _, k := range list {
			assert.NotEmpty(t, k, name)
		}
	}
	for old, now := range Renamed {
		assert.Nil(t, Lookup(old), old)
		assert.NotNil(t, Lookup(now), now)
	}
}
