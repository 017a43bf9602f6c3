package dataio_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/dataio"
)

func TestLiteral(t *testing.T) {
	mask := array.New(array.Bool, []int{2})
	mask.Bools()[1] = true
	for _, c := range []struct {
		name, want string
		a          *array.Array
	}{
		{"a scalar", "2.0", array.FromReals([]float64{2})},
		{"ints", "[[1, -2], [3, 4]]", array.FromInts([]int64{1, -2, 3, 4}, 2, 2)},
		{"labels", "labelled([[0.5, 1.0]], axes: [week, _])",
			array.FromReals([]float64{0.5, 1}, 1, 2).WithLabels([]string{"week", ""})},
		{"truth", "[false, true]", mask},
		{"no number", "[nan, inf]", array.FromReals([]float64{math.NaN(), math.Inf(1)}, 2)},
		{"complex", "[complex(1.0, -2.0)]", array.FromReals([]float64{0}, 1)},
		{"nothing", "zeros(0, 3)", array.New(array.Real, []int{0, 3})},
	} {
		t.Run(c.name, func(t *testing.T) {
			if c.name == "complex" {
				c.a = c.a.Widen(array.Complex)
				c.a.Complexes()[0] = complex(1, -2)
			}
			assert.Equal(t, c.want, dataio.Literal(c.a))
		})
	}
}
