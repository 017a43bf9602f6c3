package functions

import (
	"fmt"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// Value is what an option was given: an array, or a bare word.
type Value struct {
	Array *array.Array
	Word  string
	Axes  []AxisRef // for options of axes
}

// AxisRef is one entry of an axes option: a label, "_", or an axis number from 0.
type AxisRef struct {
	Label  string
	Number int
}

// Call is one call, its arguments computed.
type Call struct {
	Function *Function
	Args     []*array.Array
	Axes     []int // the clause's axes, from 0; nil when there is no clause
	Options  map[string]Value
	Counting int // 0 or 1: what the first position is called
	Meter    *Meter
}

// fault makes a diagnostic without a place.
func fault(code codes.Code, message, hint string, shapes ...notation.Shape) *notation.Diagnostic {
	return &notation.Diagnostic{Code: code, Message: message, Hint: hint, Shapes: shapes}
}

// lengthsOf lists a form's lengths, -1 for one that is not known.
func lengthsOf(a Form) []int {
	out := make([]int, a.Rank())
	for i := range out {
		out[i] = a.Len(i)
	}
	return out
}

// ShapeOf is an array's shape as diagnostics hold it.
func ShapeOf(a Form) notation.Shape {
	// An array's own lengths lie beside its cells, and a shape that is kept must not
	// keep those.
	return notation.Shape{Lengths: lengthsOf(a), Labels: slices.Clone(a.Labels()), Mark: -1}
}

// Describe says an array's kind and shape in words: "a real array [rope=3]".
func Describe(a Form) string {
	if o, ok := a.(*Outline); ok && !o.KnowsKind() {
		return fmt.Sprintf("an array %s", ShapeOf(a))
	}
	article := "a"
	if a.Kind() == array.Int {
		article = "an"
	}
	if a.Rank() == 0 {
		return fmt.Sprintf("%s %s scalar", article, a.Kind())
	}
	return fmt.Sprintf("%s %s array %s", article, a.Kind(), ShapeOf(a))
}

// take asks the meter for a result's cells.
func (c *Call) take(kind array.Kind, shape []int) *notation.Diagnostic {
	return c.Meter.TakeShape(kind, shape)
}

// truth reads an option that is true or false.
func (c *Call) truth(name string) (bool, *notation.Diagnostic) {
	if !c.has(name) {
		return false, nil
	}
	v := c.Options[name]
	if v.Array.Kind() != array.Bool || v.Array.Rank() != 0 {
		return false, fault(codes.RunKind, fmt.Sprintf("the option `%s` is %s; it takes true or false", name,
			Describe(v.Array)), fmt.Sprintf("write `%s: true`", name))
	}
	return v.Array.BoolAt(0), nil
}

// has reports whether an option was given.
func (c *Call) has(option string) bool {
	if len(c.Options) == 0 {
		return false
	}
	_, ok := c.Options[option]
	return ok
}

// integer reads an argument or option that is one int.
func (c *Call) integer(a *array.Array, what string) (int, *notation.Diagnostic) {
	if a.Rank() != 0 || a.Kind() != array.Int {
		return 0, fault(codes.RunKind, fmt.Sprintf("%s of `%s` is %s; it takes one int", what, c.Function.Name,
			Describe(a)), "give a whole number, or convert with `int(...)`")
	}
	return int(a.IntAt(0)), nil
}

// lengths reads a shape: separate ints, or one list of them.
func (c *Call) lengths(args []*array.Array) ([]int, *notation.Diagnostic) {
	var out []int
	for _, a := range args {
		if a.Size() == 0 && a.Rank() == 1 && len(args) == 1 {
			return []int{}, nil
		}
		if a.Kind() != array.Int || a.Rank() > 1 || (a.Rank() == 1 && len(args) > 1) {
			return nil, fault(codes.RunKind, fmt.Sprintf("a length in `%s` is %s; a shape is whole numbers", c.Function.Name,
				Describe(a)), fmt.Sprintf("write `%s(2, 3)` or `%s([2, 3])`", c.Function.Name, c.Function.Name))
		}
		for _, n := range a.Ints() {
			if n < 0 {
				return nil, fault(codes.RunValue, fmt.Sprintf("the length %d is negative", n), "lengths are 0 or more")
			}
			out = append(out, int(n))
		}
	}
	if len(out) > maxRank {
		return nil, tooManyAxes(len(out))
	}
	return out, nil
}

// maxRank bounds the number of axes, so that no header is expensive.
const maxRank = 32

func tooManyAxes(n int) *notation.Diagnostic {
	return fault(codes.RunLimit, fmt.Sprintf("an array of %d axes was asked for; the limit is %d", n, maxRank),
		"give axes of length 1 up, or reshape")
}

// CheckRank refuses a shape of too many axes.
func CheckRank(rank int) *notation.Diagnostic {
	if rank > maxRank {
		return tooManyAxes(rank)
	}
	return nil
}

// overAxes returns the axes a reduction reduces: the clause's, or all. The caller must
// not change them.
func (c *Call) overAxes() []int {
	if c.Axes != nil {
		return c.Axes
	}
	if rank := c.Args[0].Rank(); rank > maxRank { // a new first axis can be one more
		return axesTo(rank)
	}
	return everyAxis[:c.Args[0].Rank()]
}

// everyAxis is axesTo of the most there are, but for few arrays.
var everyAxis = axesTo(maxRank)

func axesTo(rank int) []int {
	axes := make([]int, rank)
	for i := range axes {
		axes[i] = i
	}
	return axes
}

// number refuses an argument of a kind a function cannot take.
func (c *Call) atMost(a Form, kind array.Kind, hint string) *notation.Diagnostic {
	if a.Kind() <= kind {
		return nil
	}
	return fault(codes.RunKind, fmt.Sprintf("`%s` takes %s values at the widest, and got %s", c.Function.Name, kind,
		Describe(a)), hint)
}
