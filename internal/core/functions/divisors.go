package functions

import (
	"math"
	"math/bits"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

// pairInts applies a function of two ints that may overflow.
func pairInts(f func(a, b int64) (int64, bool)) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		for _, a := range c.Args {
			if d := c.atMost(a, array.Int, "convert whole reals with `int(...)`"); d != nil {
				return nil, d
			}
		}
		shape, labels, wide, d := c.merged(array.Int, c.Args...)
		if d != nil {
			return nil, d
		}
		if d := c.take(array.Int, shape); d != nil {
			return nil, d
		}
		overflow := false
		out := array.Map2(shape, wide[0], wide[1], paced2(c.Meter, c.Function.work(), array.EachPair(func(a, b int64) int64 {
			v, ok := f(a, b)
			overflow = overflow || !ok
			return v
		})))
		if overflow {
			return nil, c.overflow()
		}
		return out.WithLabels(labels), nil
	}
}

func magnitude(a int64) uint64 {
	if a < 0 {
		return -uint64(a)
	}
	return uint64(a)
}

func gcdUnsigned(a, b uint64) uint64 {
	for b != 0 {
		a, b = b, a%b
	}
	return a
}

func gcd(a, b int64) (int64, bool) {
	g := gcdUnsigned(magnitude(a), magnitude(b))
	return int64(g), g <= math.MaxInt64
}

func lcm(a, b int64) (int64, bool) {
	if a == 0 || b == 0 {
		return 0, true
	}
	x, y := magnitude(a), magnitude(b)
	hi, lo := bits.Mul64(x/gcdUnsigned(x, y), y)
	return int64(lo), hi == 0 && lo <= math.MaxInt64
}
