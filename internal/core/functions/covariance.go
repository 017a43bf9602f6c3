package functions

import (
	"math"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

func covariance(scaled bool) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		lost := 0
		sample, d := c.truth("sample")
		if d != nil {
			return nil, d
		}
		if sample {
			lost = 1
		}
		series, label, table, d := c.series()
		if d != nil {
			return nil, d
		}
		n := 0
		if len(series) > 0 {
			n = len(series[0])
		}
		if n < 1+lost {
			return nil, c.empty(c.Args[0], nil, n)
		}
		for _, s := range series {
			m := meanReals(s)
			for i := range s {
				s[i] -= m
			}
		}
		k := len(series)
		out := make([]float64, k*k)
		for i := range k {
			for j := range i + 1 {
				out[i*k+j] = meanProduct(series[i], series[j], n-lost)
				c.Meter.Worked(plain * n)
				out[j*k+i] = out[i*k+j]
			}
		}
		if scaled {
			scaleByDeviations(out, k)
		}
		result := array.FromReals(out, k, k).WithLabels([]string{label, label})
		if !table {
			result = array.Scalar(out[1])
		}
		c.noteMade(result, c.Args...)
		return result, nil
	}
}

// scaleByDeviations turns covariances into correlations.
func scaleByDeviations(table []float64, k int) {
	root := make([]float64, k)
	for i := range k {
		root[i] = math.Sqrt(table[i*k+i])
	}
	for i := range k {
		for j := range k {
			v := table[i*k+j] / root[i] / root[j]
			switch {
			case i == j && v == v:
				v = 1
			case v > 1:
				v = 1
			case v < -1:
				v = -1
			}
			table[i*k+j] = v
		}
	}
}

func meanProduct(a, b []float64, n int) float64 {
	p := make([]float64, len(a))
	for i := range a {
		p[i] = a[i] * b[i]
	}
	return array.PairwiseSum(p) / float64(n)
}

// series reads two arrays of one axis, or the lines of a matrix whose observations
// run along the call's axis; label is the other axis's.
func (c *Call) series() (series [][]float64, label string, table bool, d *notation.Diagnostic) {
	if len(c.Args) == 2 {
		for _, arg := range c.Args {
			a, d := c.realsOfRank(arg, 1)
			if d != nil {
				return nil, "", false, d
			}
			series = append(series, slices.Clone(a.Reals()))
		}
		return series, "", false, c.oneLength(c.Args[0], c.Args[1])
	}
	a, d := c.realsOfRank(c.Args[0], 2)
	if d != nil {
		return nil, "", false, d
	}
	axis, d := c.alongAxis()
	if d != nil {
		return nil, "", false, d
	}
	k := a.Len(1 - axis)
	if d := c.take(array.Real, []int{k, k}); d != nil {
		return nil, "", false, d
	}
	if d := c.Meter.Take(array.Bool, k*a.Size()); d != nil {
		return nil, "", false, d
	}
	array.EachGroup(a, []int{axis}, func(_ int, items []float64) { series = append(series, slices.Clone(items)) })
	return series, a.Label(1 - axis), true, nil
}
