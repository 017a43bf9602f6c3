package compare

import (
	"cmp"
	"math"
	"math/cmplx"
	"slices"

	"nimbusreach/internal/core/array"
)

// Freedom is what of an array may be otherwise and still agree. Axes count from 0;
// nil is none.
type Freedom struct {
	Ones      bool // axes of length 1 come and go
	AnyOrder  *int // the items along the axis are in any order
	FreeSign  *int // each item along the axis may have the other sign
	FreeScale *int // each item along the axis may be multiplied by a number
}

// mostMatched bounds how many items are matched one to one; beyond it both sides are
// sorted instead.
const mostMatched = 400

// Align turns a the way the freedom allows so that it lies as near to r as it can.
// The shapes may differ by axes of length 1 alone, where that is free; else a comes
// back as it is.
func (f Freedom) Align(r, a *array.Array, t Tolerance) *array.Array {
	if f.Ones && !array.SameShape(r, a) && sameButOnes(r.Shape(), a.Shape()) {
		a = a.Reshape(r.Shape()).WithLabels(r.Labels())
	}
	if !array.SameShape(r, a) || r.Kind() == array.Bool || a.Kind() == array.Bool {
		if f.AnyOrder == nil || !array.SameShape(r, a) {
			return a
		}
	}
	if f.AnyOrder != nil && *f.AnyOrder < r.Rank() {
		a = inAnyOrder(r, a, *f.AnyOrder, f, t)
	}
	return f.turn(r, a, t)
}

// turn applies free signs and scales.
func (f Freedom) turn(r, a *array.Array, t Tolerance) *array.Array {
	if f.FreeScale != nil && *f.FreeScale < r.Rank() {
		a = itemwise(r, a, *f.FreeScale, func(ri, ai *array.Array) complex128 { return bestScale(ri, ai) })
	}
	if f.FreeSign != nil && *f.FreeSign < r.Rank() {
		a = itemwise(r, a, *f.FreeSign, func(ri, ai *array.Array) complex128 {
			if wrongCount(ri, ai, t) == 0 {
				return 1
			}
			if minus := scaled(ai, -1); wrongCount(ri, minus, t) < wrongCount(ri, ai, t) {
				return -1
			}
			return 1
		})
	}
	return a
}

func sameButOnes(a, b []int) bool {
	ones := func(n int) bool { return n == 1 }
	return slices.Equal(slices.DeleteFunc(slices.Clone(a), ones), slices.DeleteFunc(slices.Clone(b), ones))
}

// itemPicks selects one item along an axis, keeping the axis.
func itemPicks(shape []int, axis, at int) []array.Pick {
	picks := make([]array.Pick, len(shape))
	for i, n := range shape {
		picks[i] = array.WholeAxis(n)
	}
	picks[axis] = array.Pick{Kind: array.PickRange, Start: at, Step: 1, Count: 1}
	return picks
}

// itemwise multiplies each item of a along an axis by what factor finds for it.
func itemwise(r, a *array.Array, axis int, factor func(ri, ai *array.Array) complex128) *array.Array {
	out := a
	changed := false
	for i := range r.Len(axis) {
		picks := itemPicks(r.Shape(), axis, i)
		ri, ai := r.Select(picks), a.Select(picks)
		k := factor(ri, ai)
		if k == 1 {
			continue
		}
		if !changed {
			kind := a.Kind()
			if kind < array.Real {
				kind = array.Real
			}
			if imag(k) != 0 {
				kind = array.Complex
			}
			out, changed = a.Widen(kind).Copy(), true
		}
		if imag(k) != 0 && out.Kind() != array.Complex {
			out = out.Widen(array.Complex).Copy()
		}
		out.Assign(picks, scaled(ai.Widen(out.Kind()), k))
	}
	return out
}

func scaled(a *array.Array, k complex128) *array.Array {
	switch {
	case a.Kind() == array.Complex:
		return array.Map1(a, array.EachCell(func(v complex128) complex128 { return v * k }))
	case a.Kind() == array.Real:
		return array.Map1(a, array.EachCell(func(v float64) float64 { return v * real(k) }))
	}
	return array.Map1(a.Widen(array.Real), array.EachCell(func(v float64) float64 { return v * real(k) }))
}

// bestScale is the factor that brings a nearest to r by least squares; 1 where none
// does.
func bestScale(r, a *array.Array) complex128 {
	var above complex128
	below := 0.0
	for i := range r.Size() {
		x, y := r.ComplexAt(i), a.ComplexAt(i)
		above += cmplx.Conj(y) * x
		below += real(y)*real(y) + imag(y)*imag(y)
	}
	k := above / complex(below, 0)
	if below == 0 || k == 0 || cmplx.IsNaN(k) || cmplx.IsInf(k) {
		return 1
	}
	if r.Kind() != array.Complex && a.Kind() != array.Complex {
		return complex(real(k), 0)
	}
	return k
}

func wrongCount(r, a *array.Array, t Tolerance) int {
	n := 0
	exact := exactly(r, a, t)
	for i := range r.Size() {
		if _, _, ok := element(r, a, i, t, exact); !ok {
			n++
		}
	}
	return n
}

// inAnyOrder puts the items of a along an axis where they agree with r's.
func inAnyOrder(r, a *array.Array, axis int, f Freedom, t Tolerance) *array.Array {
	n := r.Len(axis)
	var order []int
	if n > mostMatched {
		order = sortedOrder(r, a, axis)
	} else {
		order = matched(r, a, axis, f, t)
	}
	picks := make([]array.Pick, r.Rank())
	for i, m := range r.Shape() {
		picks[i] = array.WholeAxis(m)
	}
	picks[axis] = array.Pick{Kind: array.PickList, List: order}
	return a.Select(picks)
}

// matched pairs items one to one by augmenting paths, as many as can be; the others
// fill up in order.
func matched(r, a *array.Array, axis int, f Freedom, t Tolerance) []int {
	n := r.Len(axis)
	items := func(x *array.Array) []*array.Array {
		out := make([]*array.Array, n)
		for i := range out {
			out[i] = x.Select(itemPicks(x.Shape(), axis, i))
		}
		return out
	}
	rs, as := items(r), items(a)
	f.AnyOrder = nil
	fits := make([][]bool, n)
	for i := range fits {
		fits[i] = make([]bool, n)
		for k := range fits[i] {
			fits[i][k] = wrongCount(rs[i], f.turn(rs[i], as[k], t), t) == 0
		}
	}
	owner := make([]int, n) // which item of r holds item k of a
	for k := range owner {
		owner[k] = -1
	}
	var augment func(i int, seen []bool) bool
	augment = func(i int, seen []bool) bool {
		for k := range n {
			if !fits[i][k] || seen[k] {
				continue
			}
			seen[k] = true
			if owner[k] < 0 || augment(owner[k], seen) {
				owner[k] = i
				return true
			}
		}
		return false
	}
	for i := range n {
		if fits[i][i] && owner[i] < 0 {
			owner[i] = i
			continue
		}
		augment(i, make([]bool, n))
	}
	order := make([]int, n)
	for i := range order {
		order[i] = -1
	}
	var left []int
	for k, i := range owner {
		if i >= 0 {
			order[i] = k
		} else {
			left = append(left, k)
		}
	}
	for i := range order {
		if order[i] < 0 {
			order[i], left = left[0], left[1:]
		}
	}
	return order
}

// sortedOrder pairs items by their rank when both sides are sorted.
func sortedOrder(r, a *array.Array, axis int) []int {
	ranks := func(x *array.Array) []int {
		n := x.Len(axis)
		keys := make([][]float64, n)
		for i := range keys {
			item := x.Select(itemPicks(x.Shape(), axis, i))
			for k := range item.Size() {
				z := item.ComplexAt(k)
				keys[i] = append(keys[i], real(z), imag(z))
			}
		}
		order := make([]int, n)
		for i := range order {
			order[i] = i
		}
		slices.SortStableFunc(order, func(i, k int) int {
			return slices.CompareFunc(keys[i], keys[k], func(x, y float64) int {
				if math.IsNaN(x) || math.IsNaN(y) {
					return cmp.Compare(boolInt(math.IsNaN(x)), boolInt(math.IsNaN(y)))
				}
				return cmp.Compare(x, y)
			})
		})
		return order
	}
	ra, aa := ranks(r), ranks(a)
	order := make([]int, len(ra))
	for i := range ra {
		order[ra[i]] = aa[i]
	}
	return order
}

func boolInt(b bool) int {
	if b {
		return 1
	}
	return 0
}
