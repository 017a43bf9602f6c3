package functions

import (
	"fmt"
	"math/bits"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

func countsBetween(c *Call) (*array.Array, *notation.Diagnostic) {
	a, d := c.orderedReals()
	if d != nil {
		return nil, d
	}
	e, d := c.realsOfRank(c.Args[1], 1)
	if d != nil {
		return nil, d
	}
	edges := e.Reals()
	if len(edges) < 2 {
		return nil, fault(codes.RunValue, fmt.Sprintf("`counts_between` has %d edges", len(edges)),
			"a bin is between two edges; give two or more")
	}
	for i := 1; i < len(edges); i++ {
		if !(edges[i] > edges[i-1]) {
			return nil, fault(codes.RunValue, fmt.Sprintf("the edges do not ascend: %v follows %v", edges[i], edges[i-1]),
				"sort them with `sort`")
		}
	}
	if a.Size() > 0 {
		c.notePassedNaN(a, "which belongs to no bin")
	}
	return several(c, a, 0, len(edges)-1, func(items []float64, counts []int64) {
		for _, v := range items {
			c.Meter.Worked(plain * bits.Len(uint(len(edges))))
			at, exact := slices.BinarySearch(edges, v)
			switch {
			case v != v || v < edges[0] || v > edges[len(edges)-1]:
			case exact && at == len(edges)-1:
				counts[at-1]++
			case exact:
				counts[at]++
			default:
				counts[at-1]++
			}
		}
	})
}

func positions(c *Call) (*array.Array, *notation.Diagnostic) {
	mask := c.Args[0]
	if mask.Kind() != array.Bool {
		return nil, fault(codes.RunKind, fmt.Sprintf("`positions` takes a mask, and got %s", Describe(mask)),
			"compare to make one: `positions(x > 0)`")
	}
	if mask.Rank() == 0 {
		return nil, c.wantRank(mask, 1)
	}
	rank := mask.Rank()
	hits := mask.CountTrue()
	if d := c.take(array.Int, []int{hits, rank}); d != nil {
		return nil, d
	}
	out := make([]int64, 0, hits*rank)
	for flat, f := range mask.Bools() {
		if !f {
			continue
		}
		from := len(out)
		for i := rank - 1; i >= 0; i-- {
			out = append(out, int64(flat%mask.Len(i)+c.Counting))
			flat /= mask.Len(i)
		}
		slices.Reverse(out[from:])
	}
	if rank == 1 {
		return array.FromInts(out, hits), nil
	}
	return array.FromInts(out, hits, rank), nil
}
