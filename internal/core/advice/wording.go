package advice

import (
	"fmt"
	"math"
	"path"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// inputs looks for inputs that no output, step, property or call is computed from.
func (w *inspector) inputs() {
	f := flowOf(w.p.Program)
	reached := f.reached(w.asked()...)
	stands := map[string]bool{}
	w.reference(func(n notation.Node, _ []notation.Node) {
		if name, ok := n.(*notation.Name); ok {
			stands[name.Name] = true
		}
	})
	for _, in := range w.e.Inputs {
		switch {
		case reached[in.Name]:
		case stands[in.Name]:
			w.advise(codes.AdviceUnusedInput, "inputs."+in.Name,
				fmt.Sprintf("the reference uses the input `%s` only for what reaches no output", in.Name),
				"take it out, or let an output come from it")
		default:
			w.advise(codes.AdviceUnusedInput, "inputs."+in.Name, fmt.Sprintf("the reference never uses the input `%s`",
				in.Name), "take it out, or use it")
		}
	}
}

func notLetter(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != '_' }

func (w *inspector) outputs() {
	for i := range w.e.Outputs {
		out := &w.e.Outputs[i]
		first := w.cases[0].Expected[out.Name]
		if len(w.cases) > 1 && w.every(func(c *check.PreparedCase) bool {
			v := c.Expected[out.Name]
			return array.SameShape(first, v) && compare.Agree(first, v, out.Tolerance, compare.Freedom{})
		}) {
			w.advise(codes.AdviceConstantOutput, "outputs."+out.Name,
				fmt.Sprintf("`%s` is the same in every case, so it can be written in", out.Name),
				"choose data that give other results, or take the output out")
		}
		for _, c := range w.cases {
			if v := c.Expected[out.Name]; v.Kind() >= array.Real && nonFinite(v) {
				w.advise(codes.AdviceNonFinite, "outputs."+out.Name,
					fmt.Sprintf("in the case `%s` `%s` holds NaN or an infinite value, with which much else agrees", c.Name,
						out.Name), "fix the data, or let the case expect an error")
				break
			}
		}
	}
}

func (w *inspector) prompt() {
	text := strings.ToLower(w.e.Prompt)
	words := map[string]bool{}
	for _, word := range strings.FieldsFunc(text, notLetter) {
		words[word] = true
		words[strings.TrimSuffix(word, "s")] = true
	}
	names := func(word string) bool {
		word = strings.ToLower(word)
		if words[word] || words[strings.TrimSuffix(word, "s")] {
			return true
		}
		return regexp.MustCompile(`(^|[^\pL\pN])` + regexp.QuoteMeta(word) + `($|[^\pL\pN])`).MatchString(text)
	}
	for _, out := range w.e.Outputs {
		place := "outputs." + out.Name
		if !names(out.Name) {
			w.advise(codes.AdvicePromptSilent, place, fmt.Sprintf("the prompt never names the output `%s`", out.Name),
				fmt.Sprintf("say in %s that `%s` is to be bound", path.Join(w.e.Dir, "prompt.md"), out.Name))
			continue
		}
		var silent []string
		for _, axis := range out.Axes {
			if axis != "" && !names(axis) {
				silent = append(silent, "its axis `"+axis+"`")
			}
		}
		if out.Unit != "" && !names(out.Unit) {
			silent = append(silent, "its unit `"+out.Unit+"`")
		}
		if len(silent) > 0 {
			w.advise(codes.AdvicePromptSilent, place, fmt.Sprintf("the prompt names `%s`, but not %s", out.Name,
				notation.JoinWords(silent, "or")), "say it in prompt.md")
		}
	}
}

// writtenLengths looks for numbers in the reference that are an axis's length in every
// case, or its last position, where such a one is spelled.
func (w *inspector) writtenLengths() {
	w.reference(func(n notation.Node, parents []notation.Node) {
		num, ok := n.(*notation.Number)
		if v := valueOf(num); !ok || v < 2 || v != math.Trunc(v) {
			return
		}
		switch last, selected := selectsLast(num, parents); {
		case selected:
			w.writtenLast(num, last)
		case spellsLength(num, parents), w.namesLength(parents):
			w.writtenLength(num)
		}
	})
}

// valueOf is a number as a real; NaN where it is complex.
func valueOf(num *notation.Number) float64 {
	switch {
	case num == nil || num.Kind == array.Complex:
		return math.NaN()
	case num.Kind == array.Int:
		return float64(num.Int)
	}
	return num.Real
}

func (w *inspector) writtenLength(num *notation.Number) {
	for _, in := range w.e.Inputs {
		first := w.cases[0].Inputs[in.Name]
		if first == nil {
			continue
		}
		for axis := range first.Rank() {
			if w.every(func(c *check.PreparedCase) bool {
				a := c.Inputs[in.Name]
				return a != nil && axis < a.Rank() && float64(a.Len(axis)) == valueOf(num)
			}) {
				word := functions.AxisWord(first, axis, w.e.Counting)
				w.advise(codes.AdviceFreeShape, w.line(num),
					fmt.Sprintf("the reference writes the length %s of the axis %s of `%s` in, which every case happens to have",
						num.Text, word, in.Name), fmt.Sprintf("write `length(%s along %s)`, and give the cases other lengths", in.Name,
						word))
				return
			}
		}
	}
}

// writtenLast reports a position that is the last of what it selects from in every case.
func (w *inspector) writtenLast(num *notation.Number, at selectedAxis) {
	past := w.e.Counting
	if !at.before {
		past--
	}
	if w.everySeen(at.of, func(a *array.Array) bool {
		axis := at.axis
		if at.label != "" {
			axis = slices.Index(a.Labels(), at.label)
		}
		return axis >= 0 && axis < a.Rank() && a.Len(axis) > 2 && float64(a.Len(axis)+past) == valueOf(num)
	}) {
		w.advise(codes.AdviceFreeShape, w.line(num),
			fmt.Sprintf("the reference writes the last position %s in, which every case happens to have", num.Text),
			"write `last`, or leave the end of the range out, and give the cases other lengths")
	}
}

// everySeen reports whether f holds of an expression's value in every case.
func (w *inspector) everySeen(e notation.Expr, f func(a *array.Array) bool) bool {
	for i := range w.cases {
		if a := w.seen[i][e]; a == nil || !f(a) {
			return false
		}
	}
	return len(w.cases) > 0
}

// namesLength reports whether a number is bound to a name that is where a length does.
func (w *inspector) namesLength(parents []notation.Node) bool {
	if len(parents) == 0 {
		return false
	}
	a, ok := parents[len(parents)-1].(*notation.Assign)
	if !ok || a.Selection != nil || a.Op != "=" {
		return false
	}
	found := false
	w.reference(func(n notation.Node, parents []notation.Node) {
		if name, ok := n.(*notation.Name); ok && name.Name == a.Target.Name && name != a.Target {
			found = found || spellsLength(name, parents)
		}
	})
	return found
}

// selectedAxis is where a number that ends a range is in a selection.
type selectedAxis struct {
	of     notation.Expr
	axis   int
	label  string
	before bool
}

// selectsLast finds the axis whose last position a number might spell: it ends a range of
// a selection.
func selectsLast(num *notation.Number, parents []notation.Node) (selectedAxis, bool) {
	n := len(parents)
	if n < 4 {
		return selectedAxis{}, false
	}
	r, isRange := parents[n-1].(*notation.RangeExpr)
	if !isRange || r.End == nil || notation.Strip(r.End) != notation.Expr(num) || r.By != nil {
		return selectedAxis{}, false
	}
	for i := n - 2; i > 1; i-- {
		s, ok := parents[i].(*notation.Selection)
		if !ok {
			continue
		}
		of, ok := parents[i-1].(*notation.Select)
		if !ok || s.Paired {
			return selectedAxis{}, false
		}
		for axis, sel := range s.Selectors {
			if sel.Kind == notation.SelectNew || sel.Kind == notation.SelectRest {
				return selectedAxis{}, false
			}
			if !contains(sel, num) {
				continue
			}
			out := selectedAxis{of: of.Of, axis: axis, before: r.Before}
			if sel.Label != nil {
				out.label = sel.Label.Name
			}
			return out, true
		}
	}
	return selectedAxis{}, false
}

// spellsLength reports whether a number is where a length does: in a shape, at the
// end of a range of values, or as a divisor.
func spellsLength(num notation.Expr, parents []notation.Node) bool {
	for i := len(parents) - 1; i >= 0; i-- {
		switch p := parents[i].(type) {
		case *notation.List, *notation.Paren:
			continue
		case *notation.Call:
			f := functions.Lookup(p.Name.Name)
			if f == nil {
				return false
			}
			switch p.Name.Name {
			case "filled", "draw_uniform", "draw_normal", "draw_integers":
				return len(p.Args) > 0 && contains(p.Args[0], num)
			case "reshape":
				return !contains(p.Args[0], num)
			case "spaced":
				return len(p.Args) == 3 && contains(p.Args[2], num)
			case "repeated":
				return len(p.Args) > 1 && contains(p.Args[1], num)
			case "zeros", "ones", "identity":
				return true
			}
			return false
		case *notation.RangeExpr:
			return p.End != nil && contains(p.End, num) && !inSelection(parents[:i])
		case *notation.Binary:
			return p.Op == "/" && notation.Strip(p.Right) == num
		default:
			return false
		}
	}
	return false
}

func inSelection(parents []notation.Node) bool {
	return slices.ContainsFunc(parents, func(n notation.Node) bool { _, ok := n.(*notation.Selection); return ok })
}

func contains(n notation.Node, what notation.Node) bool {
	found := false
	notation.Walk(n, func(m notation.Node) bool {
		found = found || m == what
		return !found
	})
	return found
}
