package causes

import (
	"math"
	"slices"

	"nimbusreach/core/array"
	"nimbusreach/core/compare"
	"nimbusreach/core/dataio"
	"nimbusreach/core/functions"
	"nimbusreach/core/notation"
)

// swapped finds two outputs that are exchanged.
func (f *finder) swapped() {
	for x, a := range f.wrong {
		for _, b := range f.wrong[x+1:] {
			ta, tb := &f.q.Targets[a], &f.q.Targets[b]
			if ta.Calls != nil || tb.Calls != nil {
				continue
			}
			fits := true
			for i := range f.q.Cases {
				if f.q.Cases[i].Error != nil {
					continue
				}
				if f.got[i].Error != nil {
					fits = false
					break
				}
				expected, values := f.q.Cases[i].Expected, f.got[i].Values
				fits = fits && near(ta, expected[tb.Name], values[ta.Name]) && near(tb, expected[ta.Name], values[tb.Name])
			}
			if fits {
				for _, t := range []int{a, b} {
					f.note(t, Cause{Code: "output.swapped", Evidence: Rule, Changes: 1, Change: ta.Name + " ↔ " + tb.Name})
				}
			}
		}
	}
}

func near(t *Target, r, a *array.Array) bool {
	return r != nil && a != nil && compare.Agree(r, a, t.Tolerance, compare.Freedom{})
}

// inputChanged reads the inputs as they were, where the attempt writes into them: in
// all that follows, or in one statement.
func (f *finder) inputChanged() {
	for _, name := range f.changed {
		for only := -1; only < len(f.program.Statements); only++ {
			if f.spent() {
				return
			}
			f.readAsGiven(name, only)
		}
	}
}

// readAsGiven tries one way of reading an input as it was given; only is the statement
// that does, or -1 for all after the write.
func (f *finder) readAsGiven(name string, only int) {
	kept := name + " as given"
	program := notation.CopyProgram(f.program)
	written, reads := false, false
	var at notation.Span
	for i, s := range program.Statements {
		before := written
		notation.Walk(s, func(n notation.Node) bool {
			switch n := n.(type) {
			case *notation.Assign:
				if n.Selection != nil && !written && writesTo(f.program, n.Target.Name, name) {
					written, at = true, n.Span
				}
			case *notation.Name:
				if before && n.Name == name && !isTarget(s, n) && (only < 0 || only == i) {
					n.Name, reads = kept, true
				}
			}
			return true
		})
	}
	if !reads {
		return
	}
	mended := f.mends(program, f.firstWrong(), func(i int) (*notation.Program, map[string]*array.Array) {
		inputs := map[string]*array.Array{kept: f.q.Cases[i].Inputs[name]}
		for k, v := range f.q.Cases[i].Inputs {
			inputs[k] = v
		}
		return program, inputs
	})
	for _, t := range mended {
		span := at
		f.note(t, Cause{Code: "input.changed", Evidence: Repair, Changes: 1, Change: "`" + name + "` is read as it was given", Span: &span})
	}
}

func isTarget(s notation.Statement, n *notation.Name) bool {
	a, ok := s.(*notation.Assign)
	return ok && a.Target == n
}

// writesTo reports whether a name is an input, or a view that comes from it.
func writesTo(p *notation.Program, target, input string) bool {
	names := map[string]bool{input: true}
	for _, s := range p.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			if v, ok := n.(*notation.View); ok && names[v.Of.Name] {
				names[v.Name.Name] = true
			}
			return true
		})
	}
	return names[target]
}

// lastResorts are told only where nothing else fits.
func (f *finder) lastResorts() {
	for _, target := range f.wrong {
		if len(f.found[target]) > 0 {
			continue
		}
		t := &f.q.Targets[target]
		switch {
		case f.fixedLength(t):
			f.note(target, Cause{Code: "length.fixed", Evidence: Rule, Changes: 1, Change: "right only where the lengths are those written in"})
		case f.failed:
		case t.Calls == nil && !usesInputs(f.program, f.q.Material.Inputs, t.Name):
			f.note(target, Cause{Code: "constant.answer", Evidence: Rule, Changes: 1, Change: "nothing of the inputs is used"})
		case f.shownOnly(t):
			f.note(target, Cause{Code: "shown.only", Evidence: Rule, Changes: 1, Change: "right in every shown case, wrong in held ones"})
		}
	}
}

// fixedLength: right in the cases of one shape, wrong in all others, with an int in the
// text that is a length of that shape.
func (f *finder) fixedLength(t *Target) bool {
	var right map[string]*array.Array
	for i := range f.q.Cases {
		c := &f.q.Cases[i]
		if c.Error == nil && f.q.right(i, t, f.got[i]) {
			if right != nil && !sameInputShapes(right, c.Inputs) {
				return false
			}
			right = c.Inputs
		}
	}
	if right == nil {
		return false
	}
	for i := range f.q.Cases {
		c := &f.q.Cases[i]
		if c.Error == nil && !f.q.right(i, t, f.got[i]) && sameInputShapes(right, c.Inputs) {
			return false
		}
	}
	written := false
	ends := endsOf(f.program)
	for _, s := range f.program.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			if x, ok := n.(*notation.Number); ok && x.Kind != array.Complex {
				v := x.Real
				if x.Kind == array.Int {
					v = float64(x.Int)
				}
				for _, a := range right {
					for axis := range a.Rank() {
						// The length itself, or the last position where positions stand.
						written = written || v >= 2 && (v == float64(a.Len(axis)) || ends[x] && v == float64(a.Len(axis)-1))
					}
					written = written || a.Rank() > 1 && v == float64(a.Size()) && v >= 2 || a.Rank() == 0 && a.Kind() == array.Int && v == a.RealAt(0) && v >= 2
					for _, b := range right {
						// So many rows, of a length that an input holds.
						written = written || v >= 2 && a.Rank() > 0 && b.Rank() == 0 && b.Kind() == array.Int && b.RealAt(0) > 0 && v == float64(a.Size())/b.RealAt(0)
					}
					for i := range a.Rank() {
						for k := i + 1; k < a.Rank(); k++ {
							written = written || v >= 2 && v == float64(a.Len(i)*a.Len(k))
						}
					}
				}
			}
			return !written
		})
	}
	return written
}

// endsOf finds the numbers of a program that stand for positions: in a selection, or at
// an end of a range.
func endsOf(p *notation.Program) map[*notation.Number]bool {
	out := map[*notation.Number]bool{}
	in := func(e notation.Expr) {
		if e != nil {
			notation.Walk(e, func(n notation.Node) bool {
				if x, ok := n.(*notation.Number); ok {
					out[x] = true
				}
				return true
			})
		}
	}
	for _, s := range p.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			switch n := n.(type) {
			case *notation.RangeExpr:
				in(n.From)
				in(n.End)
			case *notation.Selector:
				in(n.Value)
			}
			return true
		})
	}
	return out
}

func sameInputShapes(a, b map[string]*array.Array) bool {
	for name, x := range a {
		if y := b[name]; y == nil || !array.SameShape(x, y) || x.Rank() == 0 && x.Kind() == array.Int && !array.Equal(x, y) {
			return false
		}
	}
	return true
}

// usesInputs reports whether a name is worked out from an input, however far back.
func usesInputs(p *notation.Program, inputs []string, name string) bool {
	names := map[string]bool{name: true}
	for grown := true; grown; {
		grown = false
		for _, s := range p.Statements {
			binds := false
			notation.Walk(s, func(n notation.Node) bool {
				switch n := n.(type) {
				case *notation.Assign:
					binds = binds || names[n.Target.Name]
				case *notation.View:
					binds = binds || names[n.Name.Name]
				case *notation.Each:
					for _, x := range n.Names {
						binds = binds || names[x.Name]
					}
				}
				return true
			})
			if !binds {
				continue
			}
			notation.Walk(s, func(n notation.Node) bool {
				if x, ok := n.(*notation.Name); ok && !names[x.Name] {
					names[x.Name], grown = true, true
				}
				return true
			})
		}
	}
	return slices.ContainsFunc(inputs, func(in string) bool { return names[in] })
}

func (f *finder) shownOnly(t *Target) bool {
	shown, held := 0, 0
	for i := range f.q.Cases {
		right := f.q.right(i, t, f.got[i])
		switch {
		case f.q.Cases[i].Shown && !right:
			return false
		case f.q.Cases[i].Shown:
			shown++
		case !right:
			held++
		}
	}
	return shown > 0 && held > 0
}

// pair is one target's expected and given array in a case.
type pair struct{ r, a *array.Array }

// transformations looks for what turns the expected result into the attempt's, the
// same in all cases.
func (f *finder) transformations() {
	for _, target := range f.wrong {
		t := &f.q.Targets[target]
		if t.Calls != nil || f.failed || slices.ContainsFunc(f.found[target], func(c Cause) bool { return c.Evidence != Transformation }) {
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
	code, words string
	turn        func(r *array.Array) *array.Array
}

func (f *finder) turned(target int, t *Target, pairs []pair) {
	if !varied(pairs) {
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
			f.note(target, Cause{Code: x.code, Evidence: Transformation, Changes: 1, Change: x.words})
		}
	}
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
	add := func(code, words string, turn func(r *array.Array) *array.Array) {
		out = append(out, transformation{code, words, turn})
	}
	r := pairs[0].r
	for axis := range r.Rank() {
		add("select.reversed", "reversed along axis "+functions.AxisWord(r, axis, f.q.Material.Counting), func(r *array.Array) *array.Array {
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
		add("axis.order", "the axes in another order", func(r *array.Array) *array.Array {
			if r.Rank() != len(order) {
				return nil
			}
			return r.Transpose(order)
		})
	}
	add("axis.kept", "axes of length 1 too many", func(r *array.Array) *array.Array { return f.likeShape(pairs, r, true) })
	add("axis.dropped", "axes of length 1 lost", func(r *array.Array) *array.Array { return f.likeShape(pairs, r, false) })
	add("axis.flat", "the same values in another shape", func(r *array.Array) *array.Array { return f.reshaped(pairs, r) })
	if r.Kind() == array.Bool {
		add("mask.inverted", "true for false", func(r *array.Array) *array.Array {
			return array.Map1(r, array.EachCell(func(v bool) bool { return !v }))
		})
		return out
	}
	add("sign.flipped", "× −1", scaledBy(-1))
	if k, ok := factor(pairs); ok {
		switch {
		case closeTo(k, 180/math.Pi) || closeTo(k, math.Pi/180):
			add("angle.unit", "degrees against radians", scaledBy(k))
		case closeTo(k, math.Ln10) || closeTo(k, math.Ln2) || closeTo(k, 1/math.Ln10) || closeTo(k, 1/math.Ln2) || closeTo(k, math.Ln10/math.Ln2) || closeTo(k, math.Ln2/math.Ln10):
			add("log.base", "another base of the logarithm", scaledBy(k))
		default:
			add("scale.factor", "× "+dataio.FormatReal(k), scaledBy(k))
		}
	}
	if k, ok := offset(pairs); ok {
		add("offset.constant", "+ "+dataio.FormatReal(k), mapReal(func(v float64) float64 { return v + k }))
	}
	for _, d := range []int{0, 1, 2, 3, 4} {
		unit := math.Pow(10, float64(d))
		add("rounding", "rounded", mapReal(func(v float64) float64 { return math.Round(v*unit) / unit }))
	}
	add("rounding", "rounded down", mapReal(math.Floor))
	add("rounding", "rounded up", mapReal(math.Ceil))
	add("rounding", "truncated", mapReal(math.Trunc))
	add("power.missing", "squared", mapReal(func(v float64) float64 { return v * v }))
	add("power.missing", "its root", mapReal(math.Sqrt))
	if r.Kind() == array.Complex {
		add("complex.part", "conjugated", func(r *array.Array) *array.Array {
			return array.Map1(r.Widen(array.Complex), array.EachCell(func(z complex128) complex128 { return complex(real(z), -imag(z)) }))
		})
		add("complex.part", "the real part alone", func(r *array.Array) *array.Array {
			return array.Map1(r.Widen(array.Complex), array.EachCell(func(z complex128) float64 { return real(z) }))
		})
		add("complex.part", "the modulus", func(r *array.Array) *array.Array {
			return array.Map1(r.Widen(array.Complex), array.EachCell(func(z complex128) float64 { return math.Hypot(real(z), imag(z)) }))
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
		if slices.Equal(slices.DeleteFunc(slices.Clone(p.a.Shape()), ones), slices.DeleteFunc(slices.Clone(r.Shape()), ones)) {
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
			if slices.Equal(slices.DeleteFunc(slices.Clone(p.a.Shape()), ones), slices.DeleteFunc(slices.Clone(r.Shape()), ones)) {
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
