package advice

import (
	"fmt"
	"math"
	"math/cmplx"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

func (w *inspector) tolerances() {
	for i := range w.e.Outputs {
		out := &w.e.Outputs[i]
		place := "outputs." + out.Name
		if out.Tolerance.Written {
			if slip := w.probe.Loose(w.ctx, i); slip != "" {
				w.advise(codes.AdviceLoose, place, fmt.Sprintf("the tolerance of `%s` accepts a slip: %s", out.Name, slip),
					"tighten it, to the error that rounding makes")
			}
			wide := w.every(func(c *check.PreparedCase) bool {
				spread, size := spreadOf(c.Expected[out.Name])
				return spread > 0 && out.Tolerance.Absolute+out.Tolerance.Relative*size >= spread
			})
			if wide {
				w.advise(codes.AdviceLoose, place, fmt.Sprintf("the tolerance of `%s` is wider than the spread of its values",
					out.Name), "tighten it, to the error that rounding makes")
			}
		}
		if words := w.otherOrders(out); words != "" {
			w.advise(codes.AdviceTight, place, fmt.Sprintf("`%s` differs by more than its tolerance when the reference is "+
				"computed in another order that is as right: %s", out.Name, words),
				"allow the rounding: `tolerance: {relative: 1e-9, absolute: 1e-12}`")
		}
	}
}

// spreadOf is the largest less the smallest finite value, and the largest size.
func spreadOf(a *array.Array) (spread, size float64) {
	if a == nil || a.Kind() == array.Complex || a.Kind() == array.Bool || a.Size() < 2 {
		return 0, 0
	}
	low, high := math.Inf(1), math.Inf(-1)
	for i := range a.Size() {
		v := a.RealAt(i)
		if math.IsNaN(v) || math.IsInf(v, 0) {
			continue
		}
		low, high, size = min(low, v), max(high, v), max(size, math.Abs(v))
	}
	if high < low {
		return 0, 0
	}
	return high - low, size
}

// otherOrders evaluates the reference in other orders that are as right, and says the
// first whose result the tolerance does not take.
func (w *inspector) otherOrders(out *exercise.Output) string {
	for _, r := range reorderings(w.p.Program) {
		for _, c := range w.cases {
			got := w.p.Run(w.ctx, c, r.program, 0)
			value := got.Values[out.Name]
			if got.Error != nil || value == nil || value.Kind() != c.Expected[out.Name].Kind() || !array.SameShape(value,
				c.Expected[out.Name]) {
				continue
			}
			if !nearly(c.Expected[out.Name], value) {
				break // no rounding explains it, so the order is not as right after all
			}
			if !w.p.AgreesOn(c, out, value) {
				return r.words
			}
		}
	}
	return ""
}

// nearly reports whether two results differ by no more than rounding could explain.
func nearly(a, b *array.Array) bool {
	return compare.Agree(a, b, compare.Tolerance{Relative: 1e-6, Absolute: 1e-9, Written: true}, compare.Freedom{})
}

func (w *inspector) conditions() {
	for i, list := range w.notes {
		for _, n := range list {
			if n.Code == codes.NoticeCondition {
				w.advise(codes.AdviceIllConditioned, fmt.Sprintf("reference.nra, line %d", n.Place.Line),
					fmt.Sprintf("in the case `%s` a matrix is nearly singular: its results depend on rounding", w.cases[i].Name),
					"choose a better conditioned matrix; a larger diagonal helps")
			}
		}
	}
	w.reference(func(n notation.Node, _ []notation.Node) {
		c, ok := n.(*notation.Call)
		if !ok || len(c.Args) == 0 || !slices.Contains([]string{"inverse", "solve", "least_squares", "det", "mat_power"},
			c.Name.Name) {
			return
		}
		least := math.Inf(1)
		for _, o := range w.e.Outputs {
			if t := o.Tolerance.Relative; t > 0 {
				least = min(least, t)
			}
		}
		for i, one := range w.cases {
			a := w.seen[i][c.Args[0]]
			if a == nil || a.Rank() != 2 || a.Size() == 0 {
				continue
			}
			if k, ok := functions.ConditionOf(a); ok && k*0x1p-52 > least/2 {
				w.advise(codes.AdviceIllConditioned, w.line(c),
					fmt.Sprintf("in the case `%s` the matrix of `%s` has the condition %.1e, so rounding alone can pass the "+
						"tolerance", one.Name, w.p.Program.Source.Slice(c.Span), k),
					"choose a better conditioned matrix; a larger diagonal helps")
				return
			}
		}
	})
}

func nonFinite(a *array.Array) bool {
	for i := range a.Size() {
		v := a.ComplexAt(i)
		if array.HasNaN(v) || cmplx.IsInf(v) {
			return true
		}
	}
	return false
}
