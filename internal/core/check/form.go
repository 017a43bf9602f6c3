package check

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// Form says of each array that is wanted whether it is there and has the right kind and shape, and of what is there
// besides that nobody asked for it. It says nothing of values.
type Form struct {
	OK     bool       `json:"ok"`
	Arrays []FormLine `json:"arrays"`
}

// FormLine is one array as its form goes.
type FormLine struct {
	Case   string `json:"case"`
	Output string `json:"output"`
	Unit   string `json:"unit"`
	// False for a step, which is worth points and may be left out, and for what is not asked.
	Needed  bool   `json:"needed"`
	Wanted  *Side  `json:"wanted"`  // nil for what is not asked
	Found   *Side  `json:"found"`   // nil for what is not there
	Problem string `json:"problem"` // "" where it is as wanted
	Hint    string `json:"hint"`
	Remark  string `json:"remark"` // what is worth a look, and no fault of form
}

// FormOf compares the form of arrays with what the open cases want, and gives the arrays as they will be checked: of
// the kind that is wanted, where that loses nothing.
func FormOf(p *Prepared, results Results) (*Form, Results) {
	f := &Form{OK: true, Arrays: []FormLine{}}
	fitted := Results{}
	for i := range p.Cases {
		c := &p.Cases[i]
		if !openCase(c) {
			continue
		}
		given, out := results.of(c), map[string]*array.Array{}
		seen := map[string]bool{}
		one := func(o *exercise.Output, expected *array.Array, needed bool) {
			seen[o.Name] = true
			line, a := formLine(o, expected, given[o.Name], needed)
			line.Case = c.Name
			if a != nil {
				out[o.Name] = a
			}
			f.add(line)
		}
		for k := range p.Exercise.Outputs {
			one(&p.Exercise.Outputs[k], c.Expected[p.Exercise.Outputs[k].Name], true)
		}
		for _, s := range p.Exercise.Steps {
			one(&exercise.Output{Name: s.Name, Tolerance: s.Tolerance}, c.Steps[s.Name], false)
		}
		f.swapped(c.Name)
		for _, in := range p.Exercise.Inputs {
			seen[in.Name] = true // the data lie in the same folder
		}
		f.others(c.Name, given, seen)
		fitted[c.Name] = out
	}
	f.otherCases(p, results)
	return f, fitted
}

func (f *Form) add(line FormLine) {
	f.OK = f.OK && line.Problem == ""
	f.Arrays = append(f.Arrays, line)
}

// formLine looks at one array, and fits its kind.
func formLine(o *exercise.Output, expected, a *array.Array, needed bool) (FormLine, *array.Array) {
	line := FormLine{Output: o.Name, Unit: o.Unit, Needed: needed, Wanted: sideOf(expected)}
	if a == nil {
		if needed {
			line.Problem, line.Hint = "it is missing", "hand in every output of every case at once"
		}
		return line, nil
	}
	line.Found = sideOf(a)
	if line.Problem, line.Hint = shapeProblem(o, expected, a); line.Problem != "" {
		return line, a
	}
	fitted, problem := fitKind(expected, a, o.Tolerance.ExactKind)
	if problem != "" {
		line.Problem, line.Hint = problem, fmt.Sprintf("write it as %s", expected.Kind())
		return line, a
	}
	if n := countNaN(fitted); n > 0 && countNaN(expected) == 0 {
		line.Remark = fmt.Sprintf("%d of its %d elements are NaN", n, a.Size())
	}
	return line, fitted
}

func countNaN(a *array.Array) int {
	n := 0
	switch a.Kind() {
	case array.Real:
		for _, v := range array.Flat[float64](a) {
			if math.IsNaN(v) {
				n++
			}
		}
	case array.Complex:
		for _, v := range array.Flat[complex128](a) {
			if array.HasNaN(v) {
				n++
			}
		}
	}
	return n
}

// shapeProblem says how a shape is not the one wanted, with "" where it is: axes of length 1 apart, where those are
// free, and labels of no matter where an array has none.
func shapeProblem(o *exercise.Output, expected, a *array.Array) (problem, hint string) {
	want, got := expected.Shape(), a.Shape()
	if o.Freedom.Ones {
		want, got = withoutOnes(want), withoutOnes(got)
	}
	words := fmt.Sprintf("its shape is %s, and %s is wanted", functions.ShapeOf(a), functions.ShapeOf(expected))
	if !slices.Equal(want, got) {
		if len(want) == len(got) && len(want) > 1 {
			back := slices.Clone(got)
			slices.Reverse(back)
			if slices.Equal(back, want) {
				return words, "it looks transposed: write its axes in the order that is wanted"
			}
		}
		if len(want) != len(got) {
			return words, fmt.Sprintf("it has %d axes where %d are wanted", len(got), len(want))
		}
		return words, "see which axis has another length"
	}
	if a.Rank() != expected.Rank() {
		return "", ""
	}
	for i := range a.Rank() {
		if x, y := a.Label(i), expected.Label(i); x != "" && y != "" && x != y {
			hint := fmt.Sprintf("the axis `%s` stands where `%s` is wanted; leave labels out, or name axes as they are wanted",
				x, y)
			if slices.Contains(expected.Labels(), x) {
				hint = "it looks transposed: write its axes in the order that is wanted"
			}
			return words, hint
		}
	}
	return "", ""
}

func withoutOnes(shape []int) []int {
	return slices.DeleteFunc(slices.Clone(shape), func(n int) bool { return n == 1 })
}

// fitKind gives an array the kind that is wanted, where its values allow it: files of text do not say kinds. A wider
// kind stays where values need it and the exercise does not ask for the kind, since that is a matter of values.
func fitKind(expected, a *array.Array, exact bool) (fitted *array.Array, problem string) {
	want, got := expected.Kind(), a.Kind()
	switch {
	case got == want || a.Size() == 0:
		return a, ""
	case got < want:
		return a.Widen(want), ""
	}
	if narrow := narrowed(a, want); narrow != nil {
		return narrow, ""
	}
	if exact || got == array.Complex || want == array.Bool {
		return nil, fmt.Sprintf("it is %s, and %s is wanted", got, want)
	}
	return a, ""
}

// narrowed is an array as a narrower kind; nil where a value does not fit.
func narrowed(a *array.Array, kind array.Kind) *array.Array {
	var out *array.Array
	switch kind {
	case array.Bool:
		out = cellsAs(a, func(x float64) (bool, bool) { return x == 1, x == 0 || x == 1 })
	case array.Int:
		out = cellsAs(a, func(x float64) (int64, bool) { return int64(x), x == math.Trunc(x) && math.Abs(x) <= 1<<53 })
	default:
		out = cellsAs(a, func(x float64) (float64, bool) { return x, true })
	}
	if out != nil && a.Labels() != nil {
		out = out.WithLabels(a.Labels())
	}
	return out
}

// cellsAs makes an array of what each real element becomes; nil where one does not fit, or has an imaginary part.
func cellsAs[T array.Cell](a *array.Array, as func(x float64) (T, bool)) *array.Array {
	out := make([]T, a.Size())
	for i := range out {
		z := a.ComplexAt(i)
		v, fits := as(real(z))
		if !fits || imag(z) != 0 {
			return nil
		}
		out[i] = v
	}
	return array.From(out, a.Shape())
}

// swapped says of two arrays of a case that each has the shape that the other should have.
func (f *Form) swapped(name string) {
	for i := range f.Arrays {
		a := &f.Arrays[i]
		for k := range f.Arrays[:i] {
			b := &f.Arrays[k]
			if a.Case == name && b.Case == name && a.Problem != "" && b.Problem != "" && sameSide(a.Found, b.Wanted) &&
				sameSide(b.Found, a.Wanted) {
				hint := fmt.Sprintf("`%s` and `%s` each have the shape of the other: are their names swapped?", b.Output, a.Output)
				a.Hint, b.Hint = hint, hint
			}
		}
	}
}

func sameSide(a, b *Side) bool { return a != nil && b != nil && slices.Equal(a.Shape, b.Shape) }

// others tells of arrays that nobody asked for.
func (f *Form) others(name string, given map[string]*array.Array, seen map[string]bool) {
	var wanted, missing []string
	for _, l := range f.Arrays {
		if l.Case == name {
			wanted = append(wanted, l.Output)
			if l.Found == nil {
				missing = append(missing, l.Output)
			}
		}
	}
	for _, other := range slices.Sorted(maps.Keys(given)) {
		if seen[other] {
			continue
		}
		hint := notation.Offer(notation.Nearest(other, missing))
		if hint == "" {
			hint = "what is wanted is " + strings.Join(wanted, ", ")
		}
		f.add(FormLine{Case: name, Output: other, Found: sideOf(given[other]), Problem: "nothing of this name is wanted",
			Hint: hint})
	}
}

// otherCases tells of cases that are not those that were asked.
func (f *Form) otherCases(p *Prepared, results Results) {
	var open []string
	known := map[string]bool{}
	for i := range p.Cases {
		if c := &p.Cases[i]; openCase(c) {
			open = append(open, c.Name)
			known[c.Name], known[c.Group] = true, true
		}
	}
	for _, name := range slices.Sorted(maps.Keys(results)) {
		if known[name] {
			continue
		}
		for _, output := range slices.Sorted(maps.Keys(results[name])) {
			f.add(FormLine{Case: name, Output: output, Found: sideOf(results[name][output]),
				Problem: fmt.Sprintf("there is no case `%s` here", name), Hint: "the cases are " + strings.Join(open, ", ")})
		}
	}
}

// Words is the form in one line for each array that is not as wanted.
func (f *Form) Words() []string {
	var out []string
	for _, l := range f.Arrays {
		if l.Problem != "" {
			out = append(out, fmt.Sprintf("%s/%s: %s (%s)", l.Case, l.Output, l.Problem, l.Hint))
		}
	}
	return out
}
