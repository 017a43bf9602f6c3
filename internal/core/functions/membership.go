package functions

import (
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

func isIn(c *Call) (*array.Array, *notation.Diagnostic) {
	kind, wide, d := Unify(c.Meter, array.Int, c.Args...)
	if d != nil {
		return nil, d
	}
	if d := c.Meter.Take(array.Bool, wide[0].Size()+wide[1].Size()); d != nil {
		return nil, d
	}
	switch kind {
	case array.Int:
		return member[int64](c.Meter, wide[0], wide[1]), nil
	case array.Real:
		return member[float64](c.Meter, wide[0], wide[1]), nil
	}
	return member[complex128](c.Meter, wide[0], wide[1]), nil
}

// lookup is the work of asking or adding to a set.
const lookup = 100

func member[T array.Cell](m *Meter, a, values *array.Array) *array.Array {
	set := map[T]bool{}
	for _, v := range array.Flat[T](values) {
		if v == v { // NaN is in nothing
			set[v] = true
		}
		m.Worked(lookup)
	}
	return array.Map1(a, paced1(m, lookup, array.EachCell(func(v T) bool { return set[v] })))
}
