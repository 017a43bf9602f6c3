package advice

import (
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"nimbusreach/core/array"
	"nimbusreach/core/check"
	"nimbusreach/core/compare"
	"nimbusreach/core/functions"
	"nimbusreach/core/notation"
)

func (w *inspector) inputs() {
	used := map[string]bool{}
	w.reference(func(n notation.Node, _ []notation.Node) {
		if name, ok := n.(*notation.Name); ok {
			used[name.Name] = true
		}
	})
	for _, q := range w.e.Properties {
		for _, word := range strings.FieldsFunc(q.Holds, notLetter) {
			used[word] = true
		}
	}
	for _, f := range w.e.Functions {
		for _, call := range f.Calls {
			for _, word := range strings.FieldsFunc(call, notLetter) {
				used[word] = true
			}
		}
	}
	for _, in := range w.e.Inputs {
		if !used[in.Name] {
			w.advise("unused-input", "inputs."+in.Name, fmt.Sprintf("the reference never uses the input `%s`", in.Name), "take it out, or use it")
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
			w.advise("constant-output", "outputs."+out.Name, fmt.Sprintf("`%s` is the same in every case, so it can be written in", out.Name), "choose data that give other results, or take the output out")
		}
		for _, c := range w.cases {
			if v := c.Expected[out.Name]; v.Kind() >= array.Real && nonFinite(v) {
				w.advise("non-finite", "outputs."+out.Name, fmt.Sprintf("in the case `%s` `%s` holds NaN or an infinite value, with which much else agrees", c.Name, out.Name), "mend the data, or let the case expect an error")
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
			w.advise("prompt-silent", place, fmt.Sprintf("the prompt never names the output `%s`", out.Name), fmt.Sprintf("say in %s that `%s` is to be bound", path.Join(w.e.Dir, "prompt.md"), out.Name))
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
			w.advise("prompt-silent", place, fmt.Sprintf("the prompt names `%s`, but not %s", out.Name, notation.JoinWords(silent, "or")), "say it in prompt.md")
		}
	}
}

// writtenLengths looks for ints in the reference that are an axis's length in every
// case, where a length is spelled.
func (w *inspector) writtenLengths() {
	w.reference(func(n notation.Node, parents []notation.Node) {
		num, ok := n.(*notation.Number)
		if !ok || num.Kind != array.Int || num.Int < 2 || !spellsLength(num, parents) {
			return
		}
		for _, in := range w.e.Inputs {
			first := w.cases[0].Inputs[in.Name]
			if first == nil {
				continue
			}
			for axis := range first.Rank() {
				if w.every(func(c *check.PreparedCase) bool {
					a := c.Inputs[in.Name]
					return a != nil && axis < a.Rank() && a.Len(axis) == int(num.Int)
				}) {
					word := functions.AxisWord(first, axis, w.e.Counting)
					w.advise("free-shape", w.line(num), fmt.Sprintf("the reference writes the length %d of the axis %s of `%s` in", num.Int, word, in.Name), fmt.Sprintf("write `length(%s along %s)`, and give the cases other lengths", in.Name, word))
					return
				}
			}
		}
	})
}

// spellsLength reports whether a number stands where a length does: in a shape, at the
// end of a range of values, or as a divisor.
func spellsLength(num *notation.Number, parents []notation.Node) bool {
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
			case "zeros", "ones", "identity":
				return true
			}
			return false
		case *notation.RangeExpr:
			return p.End != nil && contains(p.End, num) && !inSelection(parents[:i])
		case *notation.Binary:
			return p.Op == "/" && notation.Strip(p.Right) == notation.Expr(num)
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
