package causes

import (
	"math"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/functions"
)

// pair is one target's expected and given array in a case.
type pair struct{ r, a *array.Array }

// transformations looks for what turns the expected result into the attempt's, the
// same in all cases.
func (f *finder) transformations() {
	for _, target := range f.wrong {
		t := &f.q.Targets[target]
		if t.Calls != nil || t.Holds != nil || f.failed || slices.ContainsFunc(f.found[target],
			func(c Cause) bool { return c.Evidence != Transformation }) {
			continue
		}
		var pairs []pair
		for i := range f.q.Cases {
			if f.q.Cases[i].Error != nil {
				continue
			}
			r, a := f.q.Cases[i].Expected[t.Name], f.got[i].Values[t.Name]
			if r == nil || a == nil || r.Kind() == array.Bool != (a.Kind() == array.Bool) {
				pairs = nil
				break
			}
			pairs = append(pairs, pair{r, a})
		}
		if len(pairs) > 0 {
			f.turned(target, t, pairs)
		}
	}
}

// transformation turns an expected array into another; nil where it cannot.
type transformation struct {
	code  codes.Code
	words string
	turn  func(r *array.Array) *array.Array
}

func (f *finder) turned(target int, t *Target, pairs []pair) {
	if !varied(pairs) || f.vanishes(target) {
		return
	}
	for _, x := range f.candidates(pairs) {
		fits, tells := true, false
		for _, p := range pairs {
			v := x.turn(p.r)
			if v == nil || !near(t, v, p.a) {
				fits = false
				break
			}
			tells = tells || !near(t, p.r, p.a)
		}
		if fits && tells {
			f.note(target, Cause{Code: x.code, Evidence: Transformation, Changes: 1, Change: x.words,
				chance: !f.stillTurns(t, x.turn)})
		}
	}
}

// stillTurns reports whether a transformation gives the attempt's results on further data.
func (f *finder) stillTurns(t *Target, turn func(r *array.Array) *array.Array) bool {
	if f.program == nil {
		return true
	}
	for i := range f.q.further {
		v, a := turn(f.q.further[i].Expected[t.Name]), f.attempted(i).Values[t.Name]
		if v == nil || !near(t, v, a) {
			return false
		}
	}
	return true
}

// varied reports whether there are at least three elements whose expected values are
// not all equal.
func varied(pairs []pair) bool {
	n := 0
	var first complex128
	differs := false
	for _, p := range pairs {
		for i := range p.r.Size() {
			v := p.r.ComplexAt(i)
			if n == 0 {
				first = v
			}
			differs = differs || v != first
			n++
		}
	}
	return n >= 3 && differs
}

// candidates lists the transformations that could fit, with parameters read off the
// first elements that tell them.
func (f *finder) candidates(pairs []pair) []transformation {
	var out []transformation
	add := func(code codes.Code, words string, turn func(r *array.Array) *array.Array) {
		out = append(out, transformation{code, words, turn})
	}
	r := pairs[0].r
	for axis := range r.Rank() {
		add(codes.SelectReversed, "reversed along axis "+functions.AxisWord(r, axis, f.q.Material.Counting),
			func(r *array.Array) *array.Array {
				if axis >= r.Rank() {
					return nil
				}
				picks := make([]array.Pick, r.Rank())
				for i := range picks {
					picks[i] = array.WholeAxis(r.Len(i))
				}
				picks[axis] = array.Pick{Kind: array.PickRange, Start: r.Len(axis) - 1, Step: -1, Count: r.Len(axis)}
				return r.Select(picks)
			})
	}
	for _, order := range orders(r.Rank()) {
		add(codes.AxisOrder, "the axes in another order", func(r *array.Array) *array.Array {
			if r.Rank() != len(order) {
				return nil
			}
			return r.Transpose(order)
		})
	}
	add(codes.AxisKept, "axes of length 1 too many", func(r *array.Array) *array.Array {
		return f.likeShape(pairs, r,
			true)
	})
	add(codes.AxisDropped, "axes of length 1 lost", func(r *array.Array) *array.Array {
		return f.likeShape(pairs, r,
			false)
	})
	add(codes.AxisFlat, "the same values in another shape", func(r *array.Array) *array.Array {
		return f.reshaped(pairs,
			r)
	})
	if r.Kind() == array.Bool {
		add(codes.MaskInverted, "true for false", func(r *array.Array) *array.Array {
			return array.Map1(r, array.EachCell(func(v bool) bool { return !v }))
		})
		return out
	}
	add(codes.SignFlipped, "× −1", scaledBy(-1))
	if k, ok := factor(pairs); ok {
		switch {
		case closeTo(k, 180/math.Pi) || closeTo(k, math.Pi/180):
			add(codes.AngleUnit, "degrees against radians", scaledBy(k))
		case closeTo(k, math.Ln10) || closeTo(k, math.Ln2) || closeTo(k, 1/math.Ln10) || closeTo(k, 1/math.Ln2) ||
			closeTo(k, math.Ln10/math.Ln2) || closeTo(k, math.Ln2/math.Ln10):
			add(codes.LogBase, "another base of the logarithm", scaledBy(k))
		default:
			add(codes.ScaleFactor, "× "+dataio.FormatReal(k), scaledBy(k))
		}
	}
	if k, ok := offset(pairs); ok {
		add(codes.OffsetConstant, "+ "+dataio.FormatReal(k), mapReal(func(v float64) float64 { return v + k }))
	}
	for _, d := range []int{0, 1, 2, 3, 4} {
		unit := math.Pow(10, float64(d))
		add(codes.Rounding, "rounded", mapReal(func(v float64) float64 { return math.Round(v*unit) / unit }))
	}
	add(codes.Rounding, "rounded down", mapReal(math.Floor))
	add(codes.Rounding, "rounded up", mapReal(math.Ceil))
	add(codes.Rounding, "truncated", mapReal(math.Trunc))
	add(codes.PowerMissing, "squared", mapReal(func(v float64) float64 { return v * v }))
	add(codes.PowerMissing, "its root", mapReal(math.Sqrt))
	if r.Kind() == array.Complex {
		add(codes.ComplexPart, "conjugated", func(r *array.Array) *array.Array {
			return array.Map1(r.Widen(array.Complex), array.EachCell(func(z complex128) complex128 {
				return complex(real(z),
					-imag(z))
			}))
		})
		add(codes.ComplexPart, "the real part alone", func(r *array.Array) *array.Array {
			return array.Map1(r.Widen(array.Complex), array.EachCell(func(z complex128) float64 { return real(z) }))
		})
		add(codes.ComplexPart, "the modulus", func(r *array.Array) *array.Array {
			return array.Map1(r.Widen(array.Complex), array.EachCell(func(z complex128) float64 {
				return math.Hypot(real(z),
					imag(z))
			}))
		})
	}
	return out
}

func closeTo(a, b float64) bool { return math.Abs(a-b) <= 1e-9*math.Abs(b) }

func scaledBy(k float64) func(r *array.Array) *array.Array {
	return func(r *array.Array) *array.Array {
		if r.Kind() == array.Complex {
			return array.Map1(r, array.EachCell(func(z complex128) complex128 { return z * complex(k, 0) }))
		}
		return mapReal(func(v float64) float64 { return v * k })(r)
	}
}

func mapReal(g func(float64) float64) func(r *array.Array) *array.Array {
	return func(r *array.Array) *array.Array {
		if r.Kind() == array.Complex || r.Kind() == array.Bool {
			return nil
		}
		return array.Map1(r.Widen(array.Real), array.EachCell(g))
	}
}

// factor reads the quotient of the largest elements off; it is no 1, -1 or 0.
func factor(pairs []pair) (float64, bool) {
	best, k := 0.0, 0.0
	for _, p := range pairs {
		if !array.SameShape(p.r, p.a) || p.r.Kind() == array.Complex || p.a.Kind() == array.Complex {
			return 0, false
		}
		for i := range p.r.Size() {
			if v := math.Abs(p.r.RealAt(i)); v > best && v-v == 0 {
				best, k = v, p.a.RealAt(i)/p.r.RealAt(i)
			}
		}
	}
	return k, best > 0 && k != 0 && k != 1 && k != -1 && k-k == 0
}

func offset(pairs []pair) (float64, bool) {
	for _, p := range pairs {
		if !array.SameShape(p.r, p.a) || p.r.Kind() == array.Complex || p.a.Kind() == array.Complex {
			return 0, false
		}
		if p.r.Size() > 0 {
			k := p.a.RealAt(0) - p.r.RealAt(0)
			return k, k != 0 && k-k == 0
		}
	}
	return 0, false
}

// likeShape gives an expected array the attempt's axes of length 1.
func (f *finder) likeShape(pairs []pair, r *array.Array, more bool) *array.Array {
	for _, p := range pairs {
		if p.r != r || (p.a.Rank() > r.Rank()) != more || p.a.Rank() == r.Rank() || p.a.Size() != r.Size() {
			continue
		}
		ones := func(n int) bool { return n == 1 }
		if slices.Equal(slices.DeleteFunc(slices.Clone(p.a.Shape()), ones), slices.DeleteFunc(slices.Clone(r.Shape()),
			ones)) {
			return r.Reshape(p.a.Shape())
		}
	}
	return nil
}

// reshaped gives an expected array the attempt's shape, elements in the same order.
func (f *finder) reshaped(pairs []pair, r *array.Array) *array.Array {
	for _, p := range pairs {
		if p.r == r && p.a.Size() == r.Size() && !array.SameShape(p.a, r) {
			ones := func(n int) bool { return n == 1 }
			if slices.Equal(slices.DeleteFunc(slices.Clone(p.a.Shape()), ones), slices.DeleteFunc(slices.Clone(r.Shape()),
				ones)) {
				return nil
			}
			return r.Reshape(p.a.Shape())
		}
	}
	return nil
}

// orders lists the orders of so many axes but their own.
func orders(rank int) [][]int {
	if rank < 2 || rank > 4 {
		return nil
	}
	var out [][]int
	var build func(order []int)
	build = func(order []int) {
		if len(order) == rank {
			if !slices.IsSorted(order) {
				out = append(out, slices.Clone(order))
			}
			return
		}
		for i := range rank {
			if !slices.Contains(order, i) {
				build(append(slices.Clone(order), i))
			}
		}
	}
	build(nil)
	return out
}
