package advice

import (
	"fmt"
	"math"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/notation"
)

// facts holds what is true of an input's data in every case, and matters when a slip
// passes on all cases and is caught by data of which it is not true.
func (w *inspector) facts() {
	type fact struct {
		code         codes.Code
		message, try string
		holds        func(a *array.Array) bool
		uses         []string // functions and operators of the reference for which it matters
	}
	facts := []fact{
		{codes.AdviceSymmetric, "`%s` equals its transpose in every case",
			"give a case a matrix `%s` that is not symmetric", symmetric, nil},
		{codes.AdviceSorted, "`%s` is in order in every case", "give a case values of `%s` out of order, or draw without " +
			"`nudge: sorted`", func(a *array.Array) bool { return sorted(a, 1) },
			[]string{"sort", "sort_order", "unique", "unique_counts", "median", "percentile", "five_numbers", "max_at",
				"min_at", "running_max", "running_min", "max", "min", "first", "last"}},
		{codes.AdviceSorted, "`%s` is in order in every case", "give a case values of `%s` out of order, or draw without " +
			"`nudge: sorted`", func(a *array.Array) bool { return sorted(a, -1) },
			[]string{"sort", "sort_order", "unique", "unique_counts", "median", "percentile", "five_numbers", "max_at",
				"min_at", "running_max", "running_min", "max", "min", "first", "last"}},
		{codes.AdviceNoNegative, "`%s` is never negative", "give a case negative values of `%s`",
			func(a *array.Array) bool { return all(a, func(v float64) bool { return v >= 0 }) },
			[]string{"abs", "sign", "sqrt", "cbrt", "^", "floor", "ceil", "round", "truncated", "int", "div", "mod", "norm",
				"hypot", "angle", "atan2", "clipped", "<", "<=", ">", ">="}},
		{codes.AdviceNoRepeat, "no value of `%s` occurs twice",
			"give a case repeated values of `%s`, or `nudge: some_equal`", distinct,
			[]string{"unique", "unique_counts", "sort_order", "insertion_place", "is_in", "==", "!=", "counts_between"}},
		{codes.AdviceNoZero, "`%s` is never zero", "give a case a zero in `%s`", func(a *array.Array) bool {
			return all(a,
				func(v float64) bool { return v != 0 })
		},
			[]string{"sign", "count", "any", "all", "/", "div", "mod", "product", "==", "!=", "<", "<=", ">", ">=", "bool"}},
		{codes.AdviceIntegersOnly, "`%s` is real, and all its values are whole", "give a case decimals in `%s`",
			func(a *array.Array) bool {
				return a.Kind() == array.Real && all(a, func(v float64) bool { return v == math.Trunc(v) })
			}, []string{"floor", "ceil", "round", "truncated", "int", "div", "mod"}},
	}
	for _, in := range w.e.Inputs {
		for _, f := range facts {
			holds := w.every(func(c *check.PreparedCase) bool {
				a := c.Inputs[in.Name]
				return a != nil && f.holds(a)
			})
			if !holds || f.uses != nil && !w.uses(f.uses) {
				continue
			}
			slip, yaml := w.probe.Passes(w.ctx, in.Name, f.code, f.holds)
			if slip == "" {
				continue
			}
			w.advise(f.code, "inputs."+in.Name, fmt.Sprintf(f.message, in.Name)+", so a slip passes: "+slip, fmt.Sprintf(f.try,
				in.Name))
			w.out[len(w.out)-1].YAML = yaml
		}
	}
	w.boundaries()
}

// uses reports whether the reference has one of some functions or operators.
func (w *inspector) uses(words []string) bool {
	found := false
	w.reference(func(n notation.Node, _ []notation.Node) {
		switch n := n.(type) {
		case *notation.Call:
			found = found || slices.Contains(words, n.Name.Name)
		case *notation.Binary:
			found = found || slices.Contains(words, n.Op)
		case *notation.Compare:
			for _, op := range n.Ops {
				found = found || slices.Contains(words, op)
			}
		case *notation.Edge:
			found = found || slices.Contains(words, "first")
		}
	})
	return found
}

// boundaries looks for order comparisons that never meet equality, where that matters.
func (w *inspector) boundaries() {
	w.reference(func(n notation.Node, _ []notation.Node) {
		c, ok := n.(*notation.Compare)
		if !ok {
			return
		}
		for i, op := range c.Ops {
			if op != "<" && op != "<=" && op != ">" && op != ">=" {
				continue
			}
			met := false
			for k := range w.cases {
				a, b := w.seen[k][c.Operands[i]], w.seen[k][c.Operands[i+1]]
				met = met || a == nil || b == nil || meets(a, b)
			}
			if met {
				continue
			}
			if yaml, ok := w.probe.Boundary(w.ctx, c, i); ok {
				text := w.p.Program.Source.Slice(c.Span)
				w.advise(codes.AdviceNoBoundary, w.line(c),
					fmt.Sprintf("in no case are the two sides of `%s` equal, so strict and not strict give the same", text),
					"put the value that is compared with into the data of a held case")
				w.out[len(w.out)-1].YAML = yaml
			}
		}
	})
}

// meets reports whether two broadcast operands are equal anywhere.
func meets(a, b *array.Array) bool {
	shape, err := array.BroadcastShape(a.Shape(), b.Shape())
	if err != nil {
		return true
	}
	a, b = a.Stretch(shape), b.Stretch(shape)
	n, _ := array.Size(shape)
	for i := range n {
		if a.ComplexAt(i) == b.ComplexAt(i) {
			return true
		}
	}
	return false
}

func all(a *array.Array, f func(v float64) bool) bool {
	if a.Kind() != array.Int && a.Kind() != array.Real || a.Size() == 0 {
		return false
	}
	for i := range a.Size() {
		if v := a.RealAt(i); !f(v) && v == v {
			return false
		}
	}
	return true
}

func symmetric(a *array.Array) bool {
	return a.Rank() == 2 && a.Len(0) == a.Len(1) && a.Len(0) > 1 && array.Equal(a, a.Transpose([]int{1, 0}))
}

// sorted reports whether values rise along the last axis, or fall where direction is
// -1.
func sorted(a *array.Array, direction float64) bool {
	if a.Rank() == 0 || a.Len(a.Rank()-1) < 3 || a.Kind() == array.Complex || a.Kind() == array.Bool {
		return false
	}
	n := a.Len(a.Rank() - 1)
	for i := range a.Size() {
		if i%n > 0 && (a.RealAt(i)-a.RealAt(i-1))*direction < 0 {
			return false
		}
	}
	return true
}

func distinct(a *array.Array) bool {
	if a.Size() < 2 || a.Kind() == array.Complex || a.Kind() == array.Bool {
		return false
	}
	seen := map[float64]bool{}
	for i := range a.Size() {
		v := a.RealAt(i)
		if seen[v] {
			return false
		}
		seen[v] = true
	}
	return true
}

// missingValues looks for NaN that the reference does not handle, input by input, and for
// handling of NaN that never comes.
func (w *inspector) missingValues() {
	f := flowOf(w.p.Program)
	handled := map[string]bool{} // names that is_nan or is_finite is asked of, and what they come from
	asks := false
	w.reference(func(n notation.Node, _ []notation.Node) {
		c, ok := n.(*notation.Call)
		if !ok || c.Name.Name != "is_nan" && c.Name.Name != "is_finite" {
			return
		}
		asks = true
		for _, arg := range c.Args {
			notation.Walk(arg, func(n notation.Node) bool {
				if name, ok := n.(*notation.Name); ok {
					for from := range f.reached(name.Name) {
						handled[from] = true
					}
				}
				return true
			})
		}
	})
	used := f.reached(w.asked()...)
	has := false
	for _, in := range w.e.Inputs {
		holds := slices.ContainsFunc(w.cases, func(c *check.PreparedCase) bool {
			a := c.Inputs[in.Name]
			return a != nil && a.Kind() >= array.Real && anyNaN(a)
		})
		has = has || holds
		if holds && !handled[in.Name] && used[in.Name] {
			message := fmt.Sprintf("`%s` holds NaN, and the reference does not handle it", in.Name)
			if asks {
				message += ", though it handles another input's"
			}
			w.advise(codes.AdviceMissingValues, "inputs."+in.Name, message,
				"leave missing values out with `is_nan`, or fix the data")
		}
	}
	if asks && !has {
		w.advise(codes.AdviceMissingValues, "cases", "the reference handles NaN, and none is in the data of any case",
			"give a case a missing value, or `nudge: some_missing`")
	}
}

// signs looks for sign(...) that never meets 0.
func (w *inspector) signs() {
	w.reference(func(n notation.Node, _ []notation.Node) {
		c, ok := n.(*notation.Call)
		if !ok || c.Name.Name != "sign" || len(c.Args) != 1 {
			return
		}
		if w.everySeen(c.Args[0], func(a *array.Array) bool { return all(a, func(v float64) bool { return v != 0 }) }) {
			w.advise(codes.AdviceNoZero, w.line(c),
				fmt.Sprintf("`%s` is never asked of 0, so an answer that gives -1 or 1 there passes",
					w.p.Program.Source.Slice(c.Span)), "let a held case have a 0 there: equal values in a difference, say")
		}
	})
}

// commuting looks for matrix products whose operands commute in every case, so that their
// order goes unseen.
func (w *inspector) commuting() {
	w.reference(func(n notation.Node, _ []notation.Node) {
		b, ok := n.(*notation.Binary)
		if !ok || b.Op != "dot" || notation.PrintExpr(b.Left) == notation.PrintExpr(b.Right) {
			return
		}
		for i := range w.cases {
			x, y := w.seen[i][b.Left], w.seen[i][b.Right]
			if x == nil || y == nil || !commute(x, y) {
				return
			}
		}
		w.advise(codes.AdviceSymmetric, w.line(b),
			fmt.Sprintf("the operands of `%s` commute in every case, so their order goes unnoticed",
				w.p.Program.Source.Slice(b.Span)), "give a case matrices that do not commute: not two diagonal ones, nor two "+
				"turns of the plane")
	})
}

// commute reports whether two square matrices give one product in both orders.
func commute(x, y *array.Array) bool {
	n := 0
	if x.Rank() == 2 {
		n = x.Len(0)
	}
	if n < 2 || n > 200 || y.Rank() != 2 || x.Len(1) != n || y.Len(0) != n || y.Len(1) != n {
		return false
	}
	product := func(a, b *array.Array) *array.Array {
		out := make([]complex128, n*n)
		for i := range n {
			for j := range n {
				for k := range n {
					out[i*n+j] += a.ComplexAt(i*n+k) * b.ComplexAt(k*n+j)
				}
			}
		}
		return array.FromComplexes(out, n, n)
	}
	return compare.Agree(product(x, y), product(y, x), compare.Tolerance{Relative: 1e-9, Absolute: 1e-9, Written: true},
		compare.Freedom{})
}

func anyNaN(a *array.Array) bool {
	for i := range a.Size() {
		if array.HasNaN(a.ComplexAt(i)) {
			return true
		}
	}
	return false
}

// ties looks for extremes by position that are not unique.
func (w *inspector) ties() {
	w.reference(func(n notation.Node, _ []notation.Node) {
		c, ok := n.(*notation.Call)
		if !ok || len(c.Args) == 0 || c.Name.Name != "max_at" && c.Name.Name != "min_at" && c.Name.Name != "sort_order" {
			return
		}
		for i, one := range w.cases {
			a := w.seen[i][c.Args[0]]
			if a == nil || a.Kind() == array.Complex || !w.tied(c, a) {
				continue
			}
			w.advise(codes.AdviceTie, w.line(c), fmt.Sprintf("in the case `%s` what `%s` asks for is not unique, so an "+
				"answer that takes the other one is marked wrong", one.Name, w.p.Program.Source.Slice(c.Span)),
				"make the values differ there, or `nudge: distinct`; or say in the prompt which one counts")
			return
		}
	})
}

// tied reports whether an extreme, or an order, of a group is not unique.
func (w *inspector) tied(call *notation.Call, a *array.Array) bool {
	axes := []int{}
	for i := range a.Rank() {
		axes = append(axes, i)
	}
	if call.Clause != nil {
		axes = axes[:0]
		for _, x := range call.Clause.Axes {
			for i := range a.Rank() {
				if x.Label != "" && a.Label(i) == x.Label || x.Number != nil && int(x.Number.Int)-w.e.Counting == i ||
					x.Edge != nil && (x.Edge.Last && i == a.Rank()-1 || !x.Edge.Last && i == 0) {
					axes = append(axes, i)
				}
			}
		}
	}
	if a.Kind() == array.Bool || len(axes) == 0 {
		return false
	}
	found := false
	array.EachGroup(a.Widen(array.Real), axes, func(_ int, items []float64) {
		s := slices.Clone(items)
		slices.Sort(s)
		n := len(s)
		if n < 2 {
			return
		}
		switch call.Name.Name {
		case "max_at":
			found = found || s[n-1] == s[n-2]
		case "min_at":
			found = found || s[0] == s[1]
		default:
			for i := 1; i < n; i++ {
				found = found || s[i] == s[i-1]
			}
		}
	})
	return found
}
