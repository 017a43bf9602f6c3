// Package compare holds an array against a reference array: whether it agrees
// within a tolerance, and where and by how much it does not.
//
// It knows arrays and numbers, nothing of exercises, cases or words for people.
package compare

import (
	"math"
	"math/cmplx"
	"slices"
	"sort"

	"nimbusreach/internal/core/array"
)

// Tolerance says how far an element a may lie from the reference r:
// |a - r| <= Absolute + Relative * |r|.
type Tolerance struct {
	Relative, Absolute float64
	ULPs               float64 // in place of Relative when above 0: units in the last place of r
	Written            bool    // by the exercise; otherwise ints and bools compare exactly
	NaNNever           bool    // NaN does not agree with NaN
	ExactKind          bool    // int, real and complex differ even when values agree
}

// Default is the tolerance of an output that writes none.
var Default = Tolerance{Relative: 1e-9, Absolute: 1e-12}

// Outcome is the first thing that fails, in the order the checks are made.
type Outcome uint8

// The outcomes of a comparison.
const (
	Agrees Outcome = iota
	KindDiffers
	ShapeDiffers
	ValuesDiffer
)

// worstListed is how many elements are reported.
const worstListed = 10

// Element is one element that differs, by its row-major place.
type Element struct {
	Flat     int
	Absolute float64 // |a - r|; infinite where one side is no finite number
	Relative float64 // |a - r| / |r|
}

// Differences says how values differ.
type Differences struct {
	Count, Of        int
	GreatestAbsolute Element
	GreatestRelative Element
	Worst            []Element // by relative to the tolerance allowed, the worst first
	Where            Region
}

// Compare holds a against the reference r. masks are truth values of r's shape that
// may say where differences lie.
func Compare(r, a *array.Array, t Tolerance, f Freedom, masks ...Mask) (Outcome, *Differences) {
	if !kindAgrees(r.Kind(), a.Kind(), t.ExactKind) {
		return KindDiffers, nil
	}
	a = f.Align(r, a, t)
	if !array.SameShape(r, a) {
		return ShapeDiffers, nil
	}
	d := values(r, a, t, masks)
	if d.Count == 0 {
		return Agrees, nil
	}
	return ValuesDiffer, d
}

// Agree reports whether a agrees with the reference r.
func Agree(r, a *array.Array, t Tolerance, f Freedom) bool { return Judge(r, a, t, f) == Agrees }

// Judge is the outcome of Compare. It stops at the first element that does not agree.
func Judge(r, a *array.Array, t Tolerance, f Freedom) Outcome {
	if !kindAgrees(r.Kind(), a.Kind(), t.ExactKind) {
		return KindDiffers
	}
	if f != (Freedom{}) {
		a = f.Align(r, a, t)
	}
	if !array.SameShape(r, a) {
		return ShapeDiffers
	}
	exact := exactly(r, a, t)
	if near := quick(r, a, t); near != nil {
		for i := range r.Size() {
			if !near(i) {
				if _, _, ok := element(r, a, i, t, exact); !ok {
					return ValuesDiffer
				}
			}
		}
		return Agrees
	}
	for i := range r.Size() {
		if _, _, ok := element(r, a, i, t, exact); !ok {
			return ValuesDiffer
		}
	}
	return Agrees
}

// quick tells most elements that agree without looking further: equal ones, and reals
// within a plain tolerance. It is nil where only the long way serves.
func quick(r, a *array.Array, t Tolerance) func(i int) bool {
	switch {
	case r.Kind() == array.Real && a.Kind() == array.Real && t.ULPs == 0:
		x, y := r.Reals(), a.Reals()
		return func(i int) bool {
			d := y[i] - x[i]
			return d-d == 0 && math.Abs(d) <= t.Absolute+t.Relative*math.Abs(x[i]) // an infinite d is looked at
		}
	case r.Kind() == array.Int && a.Kind() == array.Int:
		x, y := r.Ints(), a.Ints()
		return func(i int) bool { return x[i] == y[i] }
	case r.Kind() == array.Bool && a.Kind() == array.Bool:
		x, y := r.Bools(), a.Bools()
		return func(i int) bool { return x[i] == y[i] }
	}
	return nil
}

func kindAgrees(r, a array.Kind, exact bool) bool {
	return r == a || (!exact && r != array.Bool && a != array.Bool)
}

func values(r, a *array.Array, t Tolerance, masks []Mask) *Differences {
	exact := exactly(r, a, t)
	d := &Differences{Of: r.Size()}
	var wrong []bool
	var found []scored
	near := quick(r, a, t)
	for i := range d.Of {
		if near != nil && near(i) {
			continue
		}
		e, excess, ok := element(r, a, i, t, exact)
		if ok {
			continue
		}
		if wrong == nil {
			wrong = make([]bool, d.Of)
		}
		wrong[i] = true
		d.Count++
		if d.Count == 1 || e.Absolute > d.GreatestAbsolute.Absolute {
			d.GreatestAbsolute = e
		}
		if d.Count == 1 || e.Relative > d.GreatestRelative.Relative {
			d.GreatestRelative = e
		}
		found = keepWorst(found, scored{e, excess})
	}
	if d.Count == 0 {
		return d
	}
	for _, s := range found {
		d.Worst = append(d.Worst, s.Element)
	}
	d.Where = locate(r.Shape(), wrong, d.Count, masks)
	return d
}

// exactly reports whether no tolerance applies: both sides are int or bool and
// none is written.
func exactly(r, a *array.Array, t Tolerance) bool {
	return !t.Written && r.Kind() <= array.Int && a.Kind() <= array.Int
}

// Within marks the elements of two arrays of one shape that are within tolerance.
func Within(r, a *array.Array, t Tolerance) *array.Array {
	exact := exactly(r, a, t)
	out := make([]bool, r.Size())
	for i := range out {
		_, _, out[i] = element(r, a, i, t, exact)
	}
	return array.FromBools(out, r.Shape()...).WithLabels(r.Labels())
}

type scored struct {
	Element
	excess float64
}

// keepWorst keeps the ten with the largest excess, earlier places first among equals.
func keepWorst(list []scored, s scored) []scored {
	if len(list) == worstListed && s.excess <= list[worstListed-1].excess {
		return list
	}
	at := sort.Search(len(list), func(i int) bool { return list[i].excess < s.excess })
	list = slices.Insert(list, at, s)
	return list[:min(len(list), worstListed)]
}

// element compares one element; excess is the difference over what was allowed.
func element(r, a *array.Array, i int, t Tolerance, exact bool) (e Element, excess float64, ok bool) {
	e.Flat = i
	if r.Kind() <= array.Int && a.Kind() <= array.Int {
		x, y := r.IntAt(i), a.IntAt(i)
		if x == y {
			return e, 0, true
		}
		e.Absolute = math.Abs(float64(x) - float64(y))
		e.Relative = e.Absolute / math.Abs(float64(x))
		if exact {
			return e, e.Absolute, false
		}
	}
	x, y := r.ComplexAt(i), a.ComplexAt(i)
	if x == y {
		return e, 0, true
	}
	xn, yn := cmplx.IsNaN(x), cmplx.IsNaN(y)
	if xn || yn || cmplx.IsInf(x) || cmplx.IsInf(y) {
		e.Absolute, e.Relative = math.Inf(1), math.Inf(1)
		return e, math.Inf(1), xn && yn && !t.NaNNever
	}
	size := cmplx.Abs(x)
	e.Absolute = cmplx.Abs(y - x)
	e.Relative = e.Absolute / size
	if math.IsNaN(e.Relative) {
		e.Relative = math.Inf(1)
	}
	allowed := t.Absolute + t.Relative*size
	if t.ULPs > 0 {
		allowed = t.Absolute + t.ULPs*ulp(size)
	}
	return e, e.Absolute / allowed, e.Absolute <= allowed
}

// ulp is the distance from x to the next larger double.
func ulp(x float64) float64 { return math.Nextafter(x, math.Inf(1)) - x }
