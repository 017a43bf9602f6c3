package array

import "gonum.org/v1/gonum/floats"

// Arithmetic works `+ - * /` out on reals whose operands need no walk: equal shapes,
// a single number on one side, or an operand that is aligned with the last axes of the
// other, all without gaps. An int scalar counts as its real. ok is false where an
// operand needs more than that, or where labels must be merged; finite is false where
// the result holds NaN or an infinity.
func Arithmetic(arena *Arena, op byte, a, b *Array) (out *Array, finite, ok bool) {
	big, small := a, b
	if len(b.shape) > len(a.shape) || len(b.shape) == len(a.shape) && b.Size() > a.Size() {
		big, small = b, a
	}
	if big.kind != Real || len(big.shape) == 0 && small.kind != Real || !big.IsContiguous() {
		return nil, false, false
	}
	single := len(small.shape) == 0 && (small.kind == Real || small.kind == Int)
	if !single && (small.kind != Real || !small.IsContiguous() || !laidOn(small, big)) {
		return nil, false, false
	}
	n := big.Size()
	if n == 0 || !single && small.Size() == 0 {
		return nil, false, false
	}
	out = arena.Like(big)
	cells, x := out.cells.reals, big.cells.reals[big.offset:big.offset+n]
	switch {
	case single:
		v := 0.0
		if small.kind == Real {
			v = small.cells.reals[small.offset]
		} else if i := small.cells.ints[small.offset]; i > 1<<53 || i < -1<<53 {
			return nil, false, false // it may be another number as a real, which is reported
		} else {
			v = float64(i)
		}
		withNumber(op, cells, x, v, big == b)
	case small.Size() == n:
		y := small.cells.reals[small.offset : small.offset+n]
		if big == b {
			x, y = y, x
		}
		Pairwise(op, cells, x, y)
	default:
		m := small.Size()
		y := small.cells.reals[small.offset : small.offset+m]
		inRows(op, cells, x, y, big == b)
	}
	return out, Finite(cells), true
}

// ArithmeticWith is Arithmetic with a number, which is on the left when first.
func ArithmeticWith(arena *Arena, op byte, a *Array, v float64, first bool) (out *Array, finite, ok bool) {
	n := a.Size()
	if a.kind != Real || n == 0 || !a.IsContiguous() {
		return nil, false, false
	}
	out = arena.Like(a)
	withNumber(op, out.cells.reals, a.cells.reals[a.offset:a.offset+n], v, first)
	return out, Finite(out.cells.reals), true
}

// laidOn reports whether an array's shape is the last axes of another's, with labels
// that say nothing else.
func laidOn(small, big *Array) bool {
	shift := len(big.shape) - len(small.shape)
	for i, d := range small.shape {
		if d != big.shape[shift+i] {
			return false
		}
		if l := small.Label(i); l != "" && l != big.Label(shift+i) {
			return false
		}
	}
	return true
}

// inRows is one operator on rows of elements and one row, which is on the left
// when first.
func inRows(op byte, out, a, row []float64, first bool) {
	n := len(row)
	for from := 0; from+n <= len(out); from += n {
		o, x := out[from:from+n], a[from:from+n]
		switch {
		case op == '+':
			for i, v := range row {
				o[i] = x[i] + v
			}
		case op == '*':
			for i, v := range row {
				o[i] = x[i] * v
			}
		case first:
			Pairwise(op, o, row, x)
		case op == '-':
			for i, v := range row {
				o[i] = x[i] - v
			}
		default:
			for i, v := range row {
				o[i] = x[i] / v
			}
		}
	}
}

// Pairwise is one of the operators `+ - * /` on equally many elements.
func Pairwise(op byte, out, a, b []float64) {
	a, b = a[:len(out)], b[:len(out)]
	switch op {
	case '+':
		for i, v := range a {
			out[i] = v + b[i]
		}
	case '-':
		for i, v := range a {
			out[i] = v - b[i]
		}
	case '*':
		for i, v := range a {
			out[i] = v * b[i]
		}
	default:
		for i, v := range a {
			out[i] = v / b[i]
		}
	}
}

// withNumber is one operator with a number, which is on the left when first.
func withNumber(op byte, out, a []float64, v float64, first bool) {
	a = a[:len(out)]
	switch {
	case op == '+':
		for i := range out {
			out[i] = a[i] + v
		}
	case op == '*':
		for i := range out {
			out[i] = a[i] * v
		}
	case op == '-' && first:
		for i := range out {
			out[i] = v - a[i]
		}
	case op == '-':
		for i := range out {
			out[i] = a[i] - v
		}
	case first:
		for i := range out {
			out[i] = v / a[i]
		}
	default:
		for i := range out {
			out[i] = a[i] / v
		}
	}
}

// Finite reports whether no element is NaN or infinite. One that is spoils the sum, which
// is why elements are looked at one by one only where the sum is not finite.
func Finite(x []float64) bool {
	if s := floats.Sum(x); s-s == 0 {
		return true
	}
	for _, v := range x {
		if v-v != 0 {
			return false
		}
	}
	return true
}
