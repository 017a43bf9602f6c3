package functions

import (
	"context"
	"math"
	"math/cmplx"

	"nimbusreach/core/algebra"
	"nimbusreach/core/array"
	"nimbusreach/core/notation"
)

// singular finds the singular values, falling.
func (c *Call) singular(a *array.Array) ([]float64, *notation.Diagnostic) {
	a, d := c.matrix(a, false, mostDecomposed)
	if d != nil {
		return nil, d
	}
	rows, columns := a.Len(0), a.Len(1)
	if min(rows, columns) == 0 {
		return nil, nil
	}
	if a.Kind() == array.Real {
		values := c.singularReal(a.Reals(), rows, columns)
		if values == nil {
			return nil, c.noConvergence()
		}
		return values, nil
	}
	twice := c.singularReal(algebra.Embed(a.Complexes(), rows, columns), 2*rows, 2*columns)
	if twice == nil {
		return nil, c.noConvergence()
	}
	values := make([]float64, min(rows, columns))
	for i := range values {
		values[i] = twice[2*i]
	}
	return values, nil
}

func (c *Call) singularReal(a []float64, rows, columns int) (values []float64) {
	c.Meter.Await(max(rows, columns), func() { _, values, _ = algebra.SVD(a, rows, columns) })
	return values
}

func singularValues(c *Call) (*array.Array, *notation.Diagnostic) {
	values, d := c.singular(c.Args[0])
	if d != nil {
		return nil, d
	}
	return array.FromReals(values, len(values)), nil
}

func matrixRank(c *Call) (*array.Array, *notation.Diagnostic) {
	values, d := c.singular(c.Args[0])
	if d != nil {
		return nil, d
	}
	least := algebra.RankTolerance(values, c.Args[0].Len(0), c.Args[0].Len(1))
	n := int64(0)
	for _, v := range values {
		if v > least {
			n++
		}
	}
	return array.Scalar(n), nil
}

func condition(c *Call) (*array.Array, *notation.Diagnostic) {
	values, d := c.singular(c.Args[0])
	if d != nil {
		return nil, d
	}
	if len(values) == 0 {
		return nil, fault("run.empty", "`condition` of a matrix without elements has no value", "give a matrix with elements", ShapeOf(c.Args[0]))
	}
	out := values[0] / values[len(values)-1]
	if values[len(values)-1] == 0 {
		out = math.Inf(1)
		c.Meter.Notice("notice.infinite", "the matrix is singular, and its condition infinite", "look at `rank(A)`")
	}
	return array.Scalar(out), nil
}

// eigen finds eigenvalues, or eigenvectors in their order.
func eigen(vectors bool) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		a, d := c.matrix(c.Args[0], true, mostDecomposed)
		if d != nil {
			return nil, d
		}
		n := a.Len(0)
		var reals []float64
		var complexes []complex128
		ok := true
		switch {
		case a.Kind() == array.Real && symmetric(a.Reals(), n):
			values, v, settled := awaited(c, n, a.Reals(), algebra.Symmetric)
			reals, ok = values, settled
			if vectors {
				return c.settled(array.FromReals(v, n, n), ok)
			}
		case a.Kind() == array.Real:
			values, v, settled := awaited(c, n, a.Reals(), algebra.General)
			complexes, ok = values, settled
			if vectors {
				return c.settled(array.FromComplexes(v, n, n), ok)
			}
		case hermitian(a.Complexes(), n):
			values, v, settled := awaited(c, n, a.Complexes(), algebra.Hermitian)
			reals, ok = values, settled
			if vectors {
				return c.settled(array.FromComplexes(v, n, n), ok)
			}
		default:
			values, v, settled := awaited(c, n, a.Complexes(), algebra.GeneralComplex)
			complexes, ok = values, settled
			if vectors {
				return c.settled(array.FromComplexes(v, n, n), ok)
			}
		}
		if complexes != nil {
			return c.settled(array.FromComplexes(complexes, n), ok)
		}
		return c.settled(array.FromReals(reals, n), ok)
	}
}

// awaited finds eigenvalues and vectors while the clock is watched.
func awaited[T, K, V any](c *Call, n int, a []T, find func(a []T, n int) ([]K, []V, bool)) (values []K, vectors []V, ok bool) {
	c.Meter.Await(n, func() { values, vectors, ok = find(a, n) })
	return values, vectors, ok
}

func (c *Call) settled(out *array.Array, ok bool) (*array.Array, *notation.Diagnostic) {
	if !ok {
		return nil, c.noConvergence()
	}
	return out, nil
}

func symmetric(a []float64, n int) bool {
	for i := range n {
		for j := range i {
			if a[i*n+j] != a[j*n+i] {
				return false
			}
		}
	}
	return true
}

func hermitian(a []complex128, n int) bool {
	for i := range n {
		for j := range i + 1 {
			if a[i*n+j] != cmplx.Conj(a[j*n+i]) {
				return false
			}
		}
	}
	return true
}

// ConditionOf is the spectral condition of a matrix; false when it has none.
func ConditionOf(a *array.Array) (float64, bool) {
	m := NewMeter(context.Background(), Limits{Statements: 1, Cells: 1e7, Bytes: 1 << 28, Depth: 1})
	c := &Call{Function: Lookup("condition"), Args: []*array.Array{a}, Meter: m}
	out, d := condition(c)
	if d != nil {
		return 0, false
	}
	return out.RealAt(0), true
}
