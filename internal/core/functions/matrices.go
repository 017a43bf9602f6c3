package functions

import (
	"fmt"
	"math/cmplx"

	"nimbusreach/internal/core/algebra"
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// Bounds on matrices whose work grows with the cube of their size, so that no call
// runs for long.
const (
	mostSolved     = 1200
	mostDecomposed = 400
)

// copiesOnTheWay is how often a decomposition holds its matrix, the triangles or
// reflectors and both sides' vectors counted.
const copiesOnTheWay = 6

func init() {
	f := func(name, signature, doc, shape, example string, relatives []string, args int, run func(*Call) (*array.Array, *notation.Diagnostic)) {
		register(&Function{Name: name, Topic: Algebra, Signature: signature, Doc: doc, Shape: shape, Example: example, Relatives: relatives, Min: args, Max: args, Run: run})
	}
	f("det", "det(A)", "The determinant, a real or complex number, by pivoted LU.", "a scalar", "det([[1, 2], [3, 4]])", []string{"inverse", "rank"}, 1, det)
	f("inverse", "inverse(A)", "The inverse, by pivoted LU. Singular, that is with no correct digit, is run.singular; a reciprocal condition under 1e-12 leaves notice.condition.", "the matrix's", "inverse([[2, 0], [0, 4]])", []string{"solve", "pseudo_inverse", "mat_power"}, 1, inverse)
	f("solve", "solve(A, b)", "The x with A dot x == b, by pivoted LU; b has one axis, or a column for each right side. More accurate and faster than multiplying by the inverse.", "that of b", "solve([[2, 0], [0, 4]], [2, 4])", []string{"inverse", "least_squares"}, 2, solve)
	f("pseudo_inverse", "pseudo_inverse(A)", "The Moore-Penrose inverse, by SVD; singular values up to max(rows, columns) 2^-52 of the largest count as 0.", "the axes exchanged", "pseudo_inverse([[1, 0], [0, 2], [0, 0]])", []string{"inverse", "least_squares", "rank"}, 1, pseudoInverse)
	f("least_squares", "least_squares(A, b)", "The x for which norm(A dot x - b) is smallest, and of several the shortest, by SVD.", "`[columns of A]`, with the columns of b behind", "least_squares([[1, 0], [1, 1], [1, 2]], [1, 3, 5])", []string{"solve", "fitted_polynomial"}, 2, leastSquares)
	f("trace", "trace(A)", "The sum of the diagonal of a square matrix; of ints exact.", "a scalar", "trace([[1, 2], [3, 4]])", []string{"diagonal_of", "det"}, 1, trace)
	f("rank", "rank(A)", "How many singular values are larger than max(rows, columns) 2^-52 of the largest.", "a scalar", "rank([[1, 2], [2, 4]])", []string{"singular_values", "det"}, 1, matrixRank)
	f("mat_power", "mat_power(A, n)", "The matrix multiplied by itself: n factors. Of ints with n of 0 or more exact; a negative n inverts.", "the matrix's", "mat_power([[1, 1], [0, 1]], 5)", []string{"inverse"}, 2, matPower)
	f("outer", "outer(a, b)", "Every element of a times every one of b; both have one axis.", "`[length of a, length of b]`", "outer([1, 2], [3, 4, 5])", []string{"cross", "kronecker"}, 2, outer)
	f("cross", "cross(a, b)", "The vector at right angles to both, of vectors of three along the last axis; leading axes broadcast.", broadcastShape, "cross([1, 0, 0], [0, 1, 0])", []string{"outer"}, 2, cross)
	f("kronecker", "kronecker(A, B)", "Each element of A replaced by its product with all of B.", "the lengths multiplied, axis by axis", "kronecker([[1, 2]], [[1], [1]])", []string{"outer", "tiled"}, 2, kronecker)
	f("conjugate_transpose", "conjugate_transpose(A)", "The transpose with every element conjugated.", "the axes reversed, labels with them", "conjugate_transpose([[1i, 2]])", []string{"transpose", "conjugate"}, 1, conjugateTranspose)
	f("eigenvalues", "eigenvalues(A)", "The numbers k with A dot v == k * v for some v: real and rising when A is symmetric or Hermitian, else complex by falling modulus, then rising angle in (-pi, pi].", "`[n]`", "eigenvalues([[2, 0], [0, 1]])", []string{"eigenvectors", "singular_values"}, 1, eigen(false))
	f("eigenvectors", "eigenvectors(A)", "The eigenvectors as columns of unit length, in the order of `eigenvalues`.", "`[n, n]`", "eigenvectors([[2, 0], [0, 1]])", []string{"eigenvalues"}, 1, eigen(true))
	f("singular_values", "singular_values(A)", "The roots of the eigenvalues of conjugate_transpose(A) dot A, falling.", "`[smaller side]`", "singular_values([[3, 0], [0, 4]])", []string{"rank", "condition", "norm"}, 1, singularValues)
	f("condition", "condition(A)", "The largest singular value over the smallest: how much solving can enlarge a relative error.", "a scalar", "condition([[1, 0], [0, 4]])", []string{"singular_values", "inverse"}, 1, condition)
}

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
		return nil, fault(codes.RunLimit, fmt.Sprintf("`%s` of a matrix with %d rows or columns passes its bound of %d", c.Function.Name, side, most), "work on a smaller matrix", ShapeOf(a))
	}
	a, d := Widen(c.Meter, a, array.Real)
	if d != nil {
		return nil, d
	}
	finite := true
	if a.Kind() == array.Real {
		finite = array.Finite(a.Reals())
	} else {
		finite = allFiniteComplex(a.Complexes())
	}
	if !finite {
		return nil, fault(codes.RunValue, fmt.Sprintf("`%s` takes finite numbers, and the matrix holds NaN or an infinity", c.Function.Name), "look where with `positions(not is_finite(A))`")
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

// solved wraps a solution, or tells that the matrix is singular.
func (c *Call) solved(out *array.Array, reciprocal float64, ok bool) (*array.Array, *notation.Diagnostic) {
	if !ok {
		return nil, fault(codes.RunSingular, fmt.Sprintf("`%s`: the matrix is singular: its rows depend on each other", c.Function.Name), "use `pseudo_inverse` or `least_squares`, or look at `rank(A)`")
	}
	if reciprocal < 1e-12 {
		c.Meter.Notice(codes.NoticeCondition, fmt.Sprintf("`%s`: the matrix is nearly singular, its reciprocal condition about %.1e; few digits of the result are right", c.Function.Name, reciprocal), "look at `condition(A)`, and scale or rearrange the problem")
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
		return nil, nil, 0, fault(codes.ShapeInner, fmt.Sprintf("`%s`: the matrix has %d rows, and the right side %d", c.Function.Name, a.Len(0), b.Len(0)), "give one right side for each row", sa, sb)
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
	return fault(codes.RunValue, fmt.Sprintf("`%s` did not settle for this matrix", c.Function.Name), "scale the matrix, and look at its elements")
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

func trace(c *Call) (*array.Array, *notation.Diagnostic) {
	if d := c.wantSquare(c.Args[0]); d != nil {
		return nil, d
	}
	call := *c
	call.Args = []*array.Array{c.Args[0]}
	diag, d := diagonalOf(&call)
	if d != nil {
		return nil, d
	}
	call.Args = []*array.Array{diag}
	return sum(&call)
}

func matPower(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	if d := c.wantSquare(a); d != nil {
		return nil, d
	}
	n, d := c.integer(c.Args[1], "the power")
	if d != nil {
		return nil, d
	}
	if a, d = Widen(c.Meter, a, array.Int); d != nil {
		return nil, d
	}
	if n < 0 {
		call := *c
		call.Args = []*array.Array{a}
		if a, d = inverse(&call); d != nil {
			return nil, d
		}
	}
	size := a.Len(0)
	if d := c.take(a.Kind(), a.Shape()); d != nil {
		return nil, d
	}
	unit := make([]int64, size*size)
	for i := range size {
		unit[i*size+i] = 1
	}
	out := array.FromInts(unit, size, size).Widen(a.Kind())
	for k := magnitude(int64(n)); k > 0; k >>= 1 {
		if k&1 == 1 {
			if out, d = Dot(c.Meter, out, a); d != nil {
				return nil, d
			}
		}
		if k > 1 {
			if a, d = Dot(c.Meter, a, a); d != nil {
				return nil, d
			}
		}
	}
	return out.WithLabels(c.Args[0].Labels()), nil
}

func outer(c *Call) (*array.Array, *notation.Diagnostic) {
	for _, a := range c.Args {
		if d := c.wantRank(a, 1); d != nil {
			return nil, d
		}
	}
	column := c.Args[0].Select([]array.Pick{array.WholeAxis(c.Args[0].Len(0)), {Kind: array.PickNew}})
	return Binary(c.Meter, "*", column, c.Args[1])
}

func cross(c *Call) (*array.Array, *notation.Diagnostic) {
	for _, a := range c.Args {
		if a.Rank() == 0 || a.Len(a.Rank()-1) != 3 {
			return nil, fault(codes.ShapeInner, fmt.Sprintf("`cross` takes vectors of three along the last axis, and got %s", Describe(a)), "lay vectors along the last axis", ShapeOf(a))
		}
	}
	part := func(a *array.Array, i int) *array.Array {
		picks := wholePicks(a.Shape())
		picks[len(picks)-1] = array.Pick{Kind: array.PickPosition, Start: i}
		return a.Select(picks)
	}
	items := make([]*array.Array, 3)
	for k := range items {
		i, j := (k+1)%3, (k+2)%3
		left, d := Binary(c.Meter, "*", part(c.Args[0], i), part(c.Args[1], j))
		if d != nil {
			return nil, d
		}
		right, d := Binary(c.Meter, "*", part(c.Args[0], j), part(c.Args[1], i))
		if d != nil {
			return nil, d
		}
		if items[k], d = Binary(c.Meter, "-", left, right); d != nil {
			return nil, d
		}
	}
	out, d := Stack(c.Meter, items)
	if d != nil {
		return nil, d
	}
	order := make([]int, out.Rank())
	for i := range order {
		order[i] = (i + 1) % out.Rank()
	}
	labels, _ := array.BroadcastLabels(out.Rank(), c.Args...)
	return out.Transpose(order).WithLabels(labels), nil
}

func kronecker(c *Call) (*array.Array, *notation.Diagnostic) {
	a, b := c.Args[0], c.Args[1]
	for _, x := range c.Args {
		if x.Rank() != 2 && !(a.Rank() == 1 && b.Rank() == 1) {
			return nil, c.wantRank(x, 2)
		}
	}
	var left, right []array.Pick
	var shape []int
	for i := range a.Rank() {
		left = append(left, array.WholeAxis(a.Len(i)), array.Pick{Kind: array.PickNew})
		right = append(right, array.Pick{Kind: array.PickNew}, array.WholeAxis(b.Len(i)))
		shape = append(shape, a.Len(i)*b.Len(i))
	}
	out, d := Binary(c.Meter, "*", a.WithLabels(nil).Select(left), b.WithLabels(nil).Select(right))
	if d != nil {
		return nil, d
	}
	return out.Reshape(shape), nil
}

func conjugateTranspose(c *Call) (*array.Array, *notation.Diagnostic) {
	out, d := transpose(c)
	if d != nil || out.Kind() != array.Complex {
		return out, d
	}
	return run1(c, out, cmplx.Conj)
}
