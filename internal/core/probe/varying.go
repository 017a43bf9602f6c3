package probe

import (
	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/redraw"
)

// varier makes changed data.
type varier struct {
	p *check.Prepared
	*rand.Rand
}

// base takes the inputs of one of the cases that run to their end.
func (v *varier) base(round int) map[string]*array.Array {
	var good []*check.PreparedCase
	for i := range v.p.Cases {
		if v.p.Cases[i].Error == nil && !anyEmpty(v.p.Cases[i].Inputs) {
			good = append(good, &v.p.Cases[i])
		}
	}
	if len(good) == 0 {
		return nil
	}
	return good[round%len(good)].Inputs
}

func anyEmpty(inputs map[string]*array.Array) bool {
	for _, a := range inputs {
		if a.Size() == 0 {
			return true
		}
	}
	return false
}

// variations changes a set of inputs in each of the ways known.
func (v *varier) variations(base map[string]*array.Array, round int) []data {
	var out []data
	add := func(weakness codes.Code, input, words string, inputs map[string]*array.Array) {
		if inputs != nil {
			out = append(out, data{words, weakness, input, inputs})
		}
	}
	add(codes.AdviceEqualLengths, "", "a held case whose lengths all differ", v.relengthed(base, round))
	add("", "", "a held case with other values", v.redrawn(base))
	add(codes.AdviceNoBoundary, "", "a held case of few whole values, so that both sides of a comparison meet",
		v.coarse(base))
	for _, in := range v.p.Exercise.Inputs {
		a := base[in.Name]
		if a == nil {
			continue
		}
		one := func(weakness codes.Code, words string, changed *array.Array) {
			if changed == nil {
				return
			}
			inputs := maps.Clone(base)
			inputs[in.Name] = changed.WithLabels(a.Labels())
			add(weakness, in.Name, "a held case with "+fmt.Sprintf(words, in.Name), inputs)
		}
		one(codes.AdviceNoBoundary, "a value of `%s` that is on the boundary of a comparison", v.boundary(a, base))
		one(codes.AdviceSymmetric, "a matrix `%s` that is not symmetric", v.skewed(a))
		one(codes.AdviceSorted, "values of `%s` that are not in order", v.shuffled(a))
		one(codes.AdviceNoNegative, "negative values in `%s`", v.negated(a))
		one(codes.AdviceTie, "an extreme of `%s` that occurs twice", v.tied(a))
		one(codes.AdviceNoRepeat, "values of `%s` that repeat", v.repeatedValues(a))
		one(codes.AdviceNoZero, "a zero in `%s`", v.zeroed(a))
		one(codes.AdviceIntegersOnly, "values of `%s` with decimals", v.fractions(a))
		if in.Missing {
			one(codes.AdviceMissingValues, "a missing value in `%s`", v.missing(a))
		}
	}
	return out
}

// relengthed gives every axis another length, all unlike, taking values from the data.
func (v *varier) relengthed(base map[string]*array.Array, round int) map[string]*array.Array {
	lengths := map[string]int{}
	pool := []int{3, 4, 5, 2, 6, 7}
	v.Shuffle(len(pool), func(i, k int) { pool[i], pool[k] = pool[k], pool[i] })
	next := 0
	take := func() int {
		n := pool[next%len(pool)] + next/len(pool)
		next++
		return n
	}
	out := map[string]*array.Array{}
	for _, in := range v.p.Exercise.Inputs {
		a := base[in.Name]
		if a == nil {
			return nil
		}
		shape := slices.Clone(a.Shape())
		for axis := range shape {
			key := a.Label(axis)
			if key == "" {
				key = fmt.Sprintf("%s.%d", in.Name, axis)
				// Axes of one length without labels may have to stay equal.
				if round%2 == 1 {
					key = fmt.Sprintf("=%d", shape[axis])
				}
			}
			if _, ok := lengths[key]; !ok {
				lengths[key] = take()
			}
			shape[axis] = lengths[key]
		}
		out[in.Name] = redraw.Filled(v.Rand, a, shape)
	}
	return out
}

func (v *varier) redrawn(base map[string]*array.Array) map[string]*array.Array {
	out := map[string]*array.Array{}
	for _, name := range v.drawOrder(base) {
		out[name] = redraw.Filled(v.Rand, base[name], base[name].Shape())
	}
	return out
}

// drawOrder lists the inputs in the exercise's order, so that the same draws go to the same
// inputs in every run.
func (v *varier) drawOrder(base map[string]*array.Array) []string {
	var names []string
	for _, in := range v.p.Exercise.Inputs {
		if base[in.Name] != nil {
			names = append(names, in.Name)
		}
	}
	return names
}

// coarse gives every input few whole values.
func (v *varier) coarse(base map[string]*array.Array) map[string]*array.Array {
	out := map[string]*array.Array{}
	for _, name := range v.drawOrder(base) {
		a := base[name]
		cells := redraw.Values(a)
		out[name] = a
		if len(cells) < 2 {
			continue
		}
		low := math.Floor(slices.Min(cells))
		for i := range cells {
			cells[i] = low + float64(v.IntN(4))
		}
		out[name] = redraw.Rebuilt(a, a.Shape(), cells).WithLabels(a.Labels())
	}
	return out
}

// boundary puts the numbers that the reference compares with among the values.
func (v *varier) boundary(a *array.Array, base map[string]*array.Array) *array.Array {
	cells := redraw.Values(a)
	if len(cells) == 0 {
		return nil
	}
	var bounds []float64
	for _, s := range v.p.Program.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			c, ok := n.(*notation.Compare)
			if !ok {
				return true
			}
			for _, e := range c.Operands {
				switch x := notation.Strip(e).(type) {
				case *notation.Number:
					if x.Kind == array.Int {
						bounds = append(bounds, float64(x.Int))
					} else if x.Kind == array.Real {
						bounds = append(bounds, x.Real)
					}
				case *notation.Name:
					if b := base[x.Name]; b != nil && b != a && b.Rank() == 0 {
						bounds = append(bounds, b.RealAt(0))
					} else if b != nil && b != a && len(redraw.Values(b)) > 0 {
						bounds = append(bounds, b.RealAt(v.IntN(b.Size())))
					}
				}
			}
			return true
		})
	}
	if len(bounds) == 0 {
		return nil
	}
	for i := range min(len(cells), max(2, len(bounds))) {
		b := bounds[i%len(bounds)]
		if a.Kind() == array.Int && b != math.Trunc(b) {
			continue
		}
		cells[v.IntN(len(cells))] = b
	}
	return redraw.Rebuilt(a, a.Shape(), cells)
}

func (v *varier) skewed(a *array.Array) *array.Array {
	cells := redraw.Values(a)
	if !redraw.Symmetric(a) || cells == nil {
		return nil
	}
	cells[1] += 1
	return redraw.Rebuilt(a, a.Shape(), cells)
}

func (v *varier) shuffled(a *array.Array) *array.Array {
	cells := redraw.Values(a)
	if len(cells) < 2 {
		return nil
	}
	v.Shuffle(len(cells), func(i, k int) { cells[i], cells[k] = cells[k], cells[i] })
	return redraw.Rebuilt(a, a.Shape(), cells)
}

func (v *varier) negated(a *array.Array) *array.Array {
	cells := redraw.Values(a)
	if len(cells) == 0 {
		return nil
	}
	for i := range cells {
		if v.IntN(2) == 0 {
			cells[i] = -cells[i]
		}
	}
	return redraw.Rebuilt(a, a.Shape(), cells)
}

func (v *varier) tied(a *array.Array) *array.Array {
	cells := redraw.Values(a)
	if len(cells) < 2 {
		return nil
	}
	extreme := slices.Max(cells)
	if v.IntN(2) == 0 {
		extreme = slices.Min(cells)
	}
	for range 2 {
		cells[v.IntN(len(cells))] = extreme
	}
	return redraw.Rebuilt(a, a.Shape(), cells)
}

func (v *varier) repeatedValues(a *array.Array) *array.Array {
	cells := redraw.Values(a)
	if len(cells) < 2 {
		return nil
	}
	for range 1 + len(cells)/3 {
		cells[v.IntN(len(cells))] = cells[v.IntN(len(cells))]
	}
	return redraw.Rebuilt(a, a.Shape(), cells)
}

func (v *varier) zeroed(a *array.Array) *array.Array {
	cells := redraw.Values(a)
	if len(cells) == 0 {
		return nil
	}
	cells[v.IntN(len(cells))] = 0
	return redraw.Rebuilt(a, a.Shape(), cells)
}

func (v *varier) fractions(a *array.Array) *array.Array {
	if a.Kind() != array.Real {
		return nil
	}
	cells := redraw.Values(a)
	for i := range cells {
		cells[i] += float64(1+v.IntN(9)) / 10
	}
	return redraw.Rebuilt(a, a.Shape(), cells)
}

func (v *varier) missing(a *array.Array) *array.Array {
	if a.Kind() != array.Real || a.Size() < 2 {
		return nil
	}
	cells := redraw.Values(a)
	cells[v.IntN(len(cells))] = math.NaN()
	return redraw.Rebuilt(a, a.Shape(), cells)
}
