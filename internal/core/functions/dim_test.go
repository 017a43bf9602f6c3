package functions

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestSymbolsAreUnlikeAllNumbersAndEachOther(t *testing.T) {
	var s Symbols
	seen := map[Dim]bool{}
	for i := range 1000 {
		for _, d := range []Dim{s.Fresh(), s.Named(fmt.Sprint(i))} {
			assert.False(t, d.Known())
			assert.Equal(t, -1, d.Length())
			assert.False(t, seen[d], "two symbols are one")
			seen[d] = true
		}
	}
	assert.Equal(t, s.Named("7"), s.Named("7"), "a name keeps its symbol")
	assert.NotEqual(t, s.Fresh(), s.Fresh())
	var other Symbols
	assert.Equal(t, s.Named("0"), other.Named("week"), "names are of one set of symbols")
}

func TestNumbersAreKnown(t *testing.T) {
	for _, v := range []int64{0, 1, -1, 7, mostFollowed - 1, -mostFollowed + 1} {
		d, ok := dimOf(v)
		assert.True(t, ok)
		assert.True(t, d.Known(), v)
		assert.EqualValues(t, v, d)
	}
	for _, v := range []int64{mostFollowed, -mostFollowed, 1 << 62, -1 << 63} {
		_, ok := dimOf(v)
		assert.False(t, ok, "%d is too large to be followed", v)
	}
	assert.Equal(t, 5, Dim(5).Length())
	assert.Equal(t, -1, Dim(-3).Length(), "no length is negative")
	assert.Equal(t, []Dim{2, 0, 3}, dimsOf([]int{2, 0, 3}))
}
