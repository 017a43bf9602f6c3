package functions

import (
	"context"
	"math"
	"math/cmplx"

	"nimbusreach/internal/core/algebra"
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// singular finds the singular values, descending.
func (c *Call) singular(a *array.Array) ([]float64, *notation.Diagnostic) {
	a, d := c.matrix(a, false, mostDecomposed)
	if d != nil {
		return nil, d
	}
	rows, columns := a.Len(0), a.Len(1)
	var values []float64
	if a.Kind() == array.Real {
		_, values, _ = algebra.SVD(c.Meter, a.Reals(), rows, columns)
	} else {
		_, values, _ = algebra.SVDComplex(c.Meter, a.Complexes(), rows, columns)
	}
	if values == nil {
		return nil, c.noConvergence()
	}
	return values, nil
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
		return nil, fault(codes.RunEmpty, "`condition` of a matrix without elements has no value",
			"give a matrix with elements", ShapeOf(c.Args[0]))
	}
	out := values[0] / values[len(values)-1]
	if values[len(values)-1] == 0 {
		out = math.Inf(1)
		c.Meter.Notice(codes.NoticeInfinite, "the matrix is singular, and its condition infinite", "look at `rank(A)`")
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
		values, columns, ok := spectrum(c.Meter, a, n)
		if !ok {
			return nil, c.noConvergence()
		}
		if vectors {
			return columns, nil
		}
		return values, nil
	}
}

// spectrum finds eigenvalues and eigenvectors by the method for the matrix's symmetry.
func spectrum(m *Meter, a *array.Array, n int) (values, vectors *array.Array, ok bool) {
	switch {
	case a.Kind() == array.Real && symmetric(a.Reals(), n):
		k, v, ok := algebra.Symmetric(m, a.Reals(), n)
		return array.FromReals(k, n), array.FromReals(v, n, n), ok
	case a.Kind() == array.Real:
		k, v, ok := algebra.General(m, a.Reals(), n)
		return array.FromComplexes(k, n), array.FromComplexes(v, n, n), ok
	case hermitian(a.Complexes(), n):
		k, v, ok := algebra.Hermitian(m, a.Complexes(), n)
		return array.FromReals(k, n), array.FromComplexes(v, n, n), ok
	}
	k, v, ok := algebra.GeneralComplex(m, a.Complexes(), n)
	return array.FromComplexes(k, n), array.FromComplexes(v, n, n), ok
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
