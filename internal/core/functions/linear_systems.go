package functions

import (
	"fmt"

	"nimbusreach/internal/core/algebra"
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// copiesOnTheWay is how often a decomposition holds its matrix, the triangles or
// reflectors and both sides' vectors counted.
const copiesOnTheWay = 6

// matrix reads a finite real or complex matrix that is not too large.
func (c *Call) matrix(a *array.Array, square bool, most int) (*array.Array, *notation.Diagnostic) {
	if square {
		if d := c.wantSquare(a); d != nil {
			return nil, d
		}
	} else if d := c.wantRank(a, 2); d != nil {
		return nil, d
	}
	if a.Kind() == array.Complex {
		most = min(most, mostDecomposed) // elimination without a library is slower
	}
	if side := min(a.Len(0), a.Len(1)); side > most {
		return nil, fault(codes.RunLimit, fmt.Sprintf("`%s` of a matrix with %d rows or columns exceeds its limit of %d",
			c.Function.Name, side, most), "work on a smaller matrix", ShapeOf(a))
	}
	a, d := Widen(c.Meter, a, array.Real)
	if d != nil {
		return nil, d
	}
	var finite bool
	if a.Kind() == array.Real {
		finite = array.Finite(a.Reals())
	} else {
		finite = allFiniteComplex(a.Complexes())
	}
	if !finite {
		return nil, fault(codes.RunValue, fmt.Sprintf("`%s` takes finite numbers, and the matrix holds NaN or an infinity",
			c.Function.Name), "look where with `positions(not is_finite(A))`")
	}
	if d := c.Meter.Take(a.Kind(), a.Size()); d != nil {
		return nil, d
	}
	return a, c.Meter.Borrow(a.Kind(), copiesOnTheWay*a.Size())
}

func det(c *Call) (*array.Array, *notation.Diagnostic) {
	a, d := c.matrix(c.Args[0], true, mostSolved)
	if d != nil {
		return nil, d
	}
	if a.Kind() == array.Real {
		return array.Scalar(algebra.Det(c.Meter, a.Reals(), a.Len(0))), nil
	}
	return array.Scalar(algebra.DetComplex(c.Meter, a.Complexes(), a.Len(0))), nil
}

// solved wraps a solution, or says that the matrix is singular.
func (c *Call) solved(out *array.Array, reciprocal float64, ok bool) (*array.Array, *notation.Diagnostic) {
	if !ok {
		return nil, fault(codes.RunSingular, fmt.Sprintf("`%s`: the matrix is singular: its rows depend on each other",
			c.Function.Name), "use `pseudo_inverse` or `least_squares`, or look at `rank(A)`")
	}
	if reciprocal < 1e-12 {
		c.Meter.Notice(codes.NoticeCondition, fmt.Sprintf("`%s`: the matrix is nearly singular, its reciprocal condition "+
			"about %.1e; few digits of the result are right", c.Function.Name, reciprocal),
			"look at `condition(A)`, and scale or rearrange the problem")
	}
	return out, nil
}

func inverse(c *Call) (*array.Array, *notation.Diagnostic) {
	a, d := c.matrix(c.Args[0], true, mostSolved)
	if d != nil {
		return nil, d
	}
	n := a.Len(0)
	if a.Kind() == array.Real {
		out, r, ok := algebra.Inverse(c.Meter, a.Reals(), n)
		return c.solved(array.FromReals(out, n, n), r, ok)
	}
	out, r, ok := algebra.SolveComplex(c.Meter, a.Complexes(), identityOf(n), n, n)
	return c.solved(array.FromComplexes(out, n, n), r, ok)
}

func identityOf(n int) []complex128 {
	unit := make([]complex128, n*n)
	for i := range n {
		unit[i*n+i] = 1
	}
	return unit
}

// sidesOf reads the matrix and right side of an equation, in one kind.
func (c *Call) sidesOf(square bool, most int) (a, b *array.Array, columns int, d *notation.Diagnostic) {
	a, b = c.Args[0], c.Args[1]
	if a, d = c.matrix(a, square, most); d != nil {
		return nil, nil, 0, d
	}
	if b.Rank() != 1 && b.Rank() != 2 {
		return nil, nil, 0, c.wantRank(b, 1)
	}
	if b.Len(0) != a.Len(0) {
		sa, sb := ShapeOf(a), ShapeOf(b)
		sa.Mark, sb.Mark = 0, 0
		return nil, nil, 0, fault(codes.ShapeInner, fmt.Sprintf("`%s`: the matrix has %d rows, and the right side %d",
			c.Function.Name, a.Len(0), b.Len(0)), "give one right side for each row", sa, sb)
	}
	columns = 1
	if b.Rank() == 2 {
		columns = b.Len(1)
	}
	_, wide, d := Unify(c.Meter, array.Real, a, b)
	if d != nil {
		return nil, nil, 0, d
	}
	return wide[0], wide[1], columns, c.take(wide[0].Kind(), []int{a.Len(1), columns})
}

func solve(c *Call) (*array.Array, *notation.Diagnostic) {
	a, b, m, d := c.sidesOf(true, mostSolved)
	if d != nil {
		return nil, d
	}
	n := a.Len(0)
	if a.Kind() == array.Real {
		out, r, ok := algebra.Solve(c.Meter, a.Reals(), b.Reals(), n, m)
		return c.solved(array.FromReals(out, b.Shape()...), r, ok)
	}
	out, r, ok := algebra.SolveComplex(c.Meter, a.Complexes(), b.Complexes(), n, m)
	return c.solved(array.FromComplexes(out, b.Shape()...), r, ok)
}

// pseudoOf is the pseudo-inverse of a real or complex matrix.
func (c *Call) pseudoOf(a *array.Array) (*array.Array, *notation.Diagnostic) {
	rows, columns := a.Len(0), a.Len(1)
	if a.Kind() == array.Real {
		out, ok := algebra.PseudoInverse(c.Meter, a.Reals(), rows, columns)
		if !ok {
			return nil, c.noConvergence()
		}
		return array.FromReals(out, columns, rows), nil
	}
	out, ok := algebra.PseudoInverseComplex(c.Meter, a.Complexes(), rows, columns)
	if !ok {
		return nil, c.noConvergence()
	}
	return array.FromComplexes(out, columns, rows), nil
}

func (c *Call) noConvergence() *notation.Diagnostic {
	return fault(codes.RunValue, fmt.Sprintf("`%s` did not settle for this matrix", c.Function.Name),
		"scale the matrix, and look at its elements")
}

func pseudoInverse(c *Call) (*array.Array, *notation.Diagnostic) {
	a, d := c.matrix(c.Args[0], false, mostDecomposed)
	if d != nil {
		return nil, d
	}
	return c.pseudoOf(a)
}

func leastSquares(c *Call) (*array.Array, *notation.Diagnostic) {
	a, b, _, d := c.sidesOf(false, mostDecomposed)
	if d != nil {
		return nil, d
	}
	p, d := c.pseudoOf(a)
	if d != nil {
		return nil, d
	}
	return Dot(c.Meter, p, b.WithLabels(nil))
}
