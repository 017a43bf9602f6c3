package functions

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

// truths reads any kind as truth values.
func truths(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	switch a.Kind() {
	case array.Bool:
		return a, nil
	case array.Int:
		return run1(c, a, func(v int64) bool { return v != 0 })
	case array.Real:
		return run1(c, a, func(v float64) bool { return v != 0 })
	}
	return run1(c, a, func(v complex128) bool { return v != 0 })
}

func overTruths[O array.Cell](f func(items []bool) O) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		a, d := truths(c)
		if d != nil {
			return nil, d
		}
		return grouped(c, a, 0, f)
	}
}

var (
	countTrue = overTruths(func(items []bool) int64 {
		n := int64(0)
		for _, v := range items {
			if v {
				n++
			}
		}
		return n
	})
	anyTrue = overTruths(func(items []bool) bool { return slices.Contains(items, true) })
	allTrue = overTruths(func(items []bool) bool { return !slices.Contains(items, false) })
)
