package functions

import (
	"fmt"
	"math"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// Range makes from, from + by, ... up to end: taken in, or left out when before.
// by is nil for a step of 1.
func Range(m *Meter, from, end, by *array.Array, before bool) (*array.Array, *notation.Diagnostic) {
	parts := []*array.Array{from, end}
	if by == nil {
		by = array.Scalar(int64(1))
	}
	parts = append(parts, by)
	kind := array.Int
	for i, p := range parts {
		if p.Rank() != 0 || p.Kind() == array.Bool || p.Kind() == array.Complex {
			return nil, fault(codes.RunKind, fmt.Sprintf("the range's %s is %s; it takes one int or real", []string{"start",
				"end", "step"}[i], Describe(p)), "give a single number, `size(x)` or `x[0]` say")
		}
		kind = array.Wider(kind, p.Kind())
	}
	if by.RealAt(0) == 0 {
		return nil, fault(codes.RunValue, "the range's step is 0, so it never reaches its end",
			"give a step other than 0, or make equal values with `filled`")
	}
	if kind == array.Int {
		return intRange(m, from.IntAt(0), end.IntAt(0), by.IntAt(0), before)
	}
	return realRange(m, from.RealAt(0), end.RealAt(0), by.RealAt(0), before)
}

func intRange(m *Meter, a, b, s int64, before bool) (*array.Array, *notation.Diagnostic) {
	count := RangeCount(a, b, s, before)
	if count == 0 {
		EmptyRange(m)
	}
	if count > 1<<40 {
		return nil, limit("cells made", fmt.Sprint(m.Limits.Cells), "the range has too many values")
	}
	if d := m.Take(array.Int, int(count)); d != nil {
		return nil, d
	}
	out := make([]int64, count)
	for k := range out {
		out[k] = a + int64(k)*s
	}
	return array.FromInts(out, len(out)), nil
}

// RangeCount is how many values an int range has; at most 2^62 is reported.
func RangeCount(a, b, s int64, before bool) int64 {
	if a == b {
		if before {
			return 0
		}
		return 1
	}
	if (b > a) != (s > 0) {
		return 0
	}
	// b - a can pass an int64, and its size never a uint64.
	gap, step := uint64(b)-uint64(a), uint64(s)
	if b < a {
		gap, step = -gap, -step
	}
	q := gap / step
	if q >= 1<<62 {
		return 1 << 62
	}
	if !before || gap%step != 0 {
		q++
	}
	return int64(q)
}

func realRange(m *Meter, a, b, s float64, before bool) (*array.Array, *notation.Diagnostic) {
	for _, v := range []float64{a, b, s} {
		if math.IsNaN(v) || math.IsInf(v, 0) {
			return nil, fault(codes.RunValue, fmt.Sprintf("a range from %v to %v by %v has no count", a, b, s),
				"start, end and step are finite")
		}
	}
	n := math.Floor((b-a)/s+1e-9) + 1
	if before {
		n = math.Ceil((b-a)/s - 1e-9)
	}
	if n <= 0 {
		n = 0
		EmptyRange(m)
	}
	if n > 1<<40 {
		return nil, limit("cells made", fmt.Sprint(m.Limits.Cells), "the range has too many values")
	}
	if d := m.Take(array.Real, int(n)); d != nil {
		return nil, d
	}
	out := make([]float64, int(n))
	for k := range out {
		out[k] = a + float64(float64(k)*s)
	}
	return array.FromReals(out, len(out)), nil
}

// EmptyRange leaves the notice of a range that cannot advance.
func EmptyRange(m *Meter) {
	m.Notice(codes.NoticeEmpty, "the range cannot advance from its start to its end, so it is empty",
		"to count down give a negative step: `5 to 1 by -1`")
}
