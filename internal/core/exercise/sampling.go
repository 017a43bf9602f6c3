package exercise

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/functions"
)

// kind is the kind a draw gives by itself.
func (d *Drawn) kind() array.Kind {
	switch {
	case d.From == "whole":
		return array.Int
	case d.Values != nil:
		return d.Values.Kind()
	case d.From == "one_of" || d.From == "shuffled":
		return array.Bool
	}
	return array.Real
}

// CaseKey is what a program's own draws in a case depend on.
func (c *Case) CaseKey() functions.DrawKey {
	return functions.NewDrawKey(c.Seed, c.Group, c.Repeat)
}

// Sample draws one repeat of a case: data for the inputs that are drawn. fixed holds
// the lengths that labels have already, and takes those that are drawn; take says
// whether so many cells may still be made.
func (d *Draw) Sample(e *Exercise, group string, repeat int, fixed map[string]int, take func(cells int) bool) (
	map[string]*array.Array, error) {
	out := map[string]*array.Array{}
	spans := map[string]Span{}
	for _, in := range e.Inputs {
		one := d.Inputs[in.Name]
		if one == nil || !in.HasAxes {
			continue
		}
		for i, s := range one.Shape {
			label := in.Axes[i]
			if label == "" {
				continue
			}
			if known, ok := spans[label]; ok {
				s = Span{max(s.Low, known.Low), min(s.High, known.High)}
				if s.Low > s.High {
					return nil, fmt.Errorf("the axis `%s` is drawn with lengths that have none in common", label)
				}
			}
			spans[label] = s
		}
	}
	key := functions.NewDrawKey(d.Seed, group, repeat)
	for _, in := range e.Inputs {
		one := d.Inputs[in.Name]
		if one == nil {
			continue
		}
		shape := make([]int, len(one.Shape))
		for i, s := range one.Shape {
			label := ""
			if in.HasAxes {
				label = in.Axes[i]
			}
			if label == "" {
				shape[i] = lengthFrom(functions.Stream(key, functions.Salt("length", in.Name, strconv.Itoa(i))), s)
				continue
			}
			if n, ok := fixed[label]; ok {
				if w := spans[label]; n < w.Low || n > w.High {
					return nil, fmt.Errorf("the axis `%s` has the length %d in this case, and the draw of `%s` gives %d to %d",
						label, n, in.Name, w.Low, w.High)
				}
				shape[i] = n
				continue
			}
			shape[i] = lengthFrom(functions.Stream(key, functions.Salt("length", label)), spans[label])
			fixed[label] = shape[i]
		}
		if size, ok := array.Extent(shape); !ok || !take(size) {
			return nil, fmt.Errorf("`%s` makes the data larger than they may be, %d elements of a course and %d of a ticket",
				in.Name,
				maxCells, MaxOwnCells)
		}
		a, err := one.array(functions.Stream(key, functions.Salt("values", in.Name)), shape)
		if err != nil {
			return nil, fmt.Errorf("`%s`: %w", in.Name, err)
		}
		out[in.Name] = a
	}
	return out, nil
}

func lengthFrom(g *rand.PCG, s Span) int {
	return s.Low + int(functions.Below(g, uint64(s.High-s.Low+1)))
}

// array draws one array.
func (d *Drawn) array(g *rand.PCG, shape []int) (*array.Array, error) {
	if d.From == "shuffled" && !d.HasShape {
		shape = d.Values.Shape()
	}
	n, ok := array.Size(shape)
	if !ok || n > dataio.MaxCells {
		return nil, fmt.Errorf("the draw of %d axes is too large", len(shape))
	}
	var next func() float64
	switch d.From {
	case "uniform":
		next = func() float64 { return d.Low + functions.Unit(g)*(d.High-d.Low) }
	case "normal":
		normal := functions.Normals(g)
		next = func() float64 { return d.Mean + d.Std*normal() }
	case "whole":
		next = func() float64 { return d.Low + float64(functions.Below(g, uint64(d.High-d.Low)+1)) }
	default:
		return d.chosen(g, shape, n)
	}
	values := make([]float64, n)
	for i := range values {
		values[i] = next()
	}
	if err := d.nudge(g, values, shape, next); err != nil {
		return nil, err
	}
	out := array.FromReals(values, shape...)
	if d.From == "whole" && d.Nudge != "some_missing" {
		ints := make([]int64, n)
		for i, v := range values {
			ints[i] = int64(v)
		}
		out = array.FromInts(ints, shape...)
	}
	return out, nil
}

// chosen draws from a list: any of its values, or all of them in another order.
func (d *Drawn) chosen(g *rand.PCG, shape []int, n int) (*array.Array, error) {
	size := d.Values.Size()
	places := make([]int, n)
	if d.From == "shuffled" || d.Nudge == "distinct" {
		if n > size {
			return nil, fmt.Errorf("%d distinct values are wanted, and the list has %d", n, size)
		}
		order := make([]int, size)
		for i := range order {
			order[i] = i
		}
		for i := size - 1; i > 0; i-- {
			k := int(functions.Below(g, uint64(i+1)))
			order[i], order[k] = order[k], order[i]
		}
		copy(places, order)
	} else {
		for i := range places {
			places[i] = int(functions.Below(g, uint64(size)))
		}
	}
	flat := d.Values.Reshape([]int{size})
	out := flat.Select([]array.Pick{{Kind: array.PickList, List: places}}).Reshape(shape)
	if d.Nudge == "" || d.Nudge == "distinct" || d.Values.Kind() > array.Real {
		return out, nil
	}
	values := slices.Clone(out.Widen(array.Real).Reals())
	if err := d.nudge(g, values, shape, func() float64 {
		return flat.RealAt(int(functions.Below(g,
			uint64(size))))
	}); err != nil {
		return nil, err
	}
	nudged := array.FromReals(values, shape...)
	if d.Values.Kind() <= array.Int && d.Nudge != "some_missing" {
		ints := make([]int64, len(values))
		for i, v := range values {
			ints[i] = int64(v)
		}
		nudged = array.FromInts(ints, shape...)
	}
	return nudged, nil
}

// nudge shapes drawn values.
func (d *Drawn) nudge(g *rand.PCG, values []float64, shape []int, next func() float64) error {
	n := len(values)
	switch d.Nudge {
	case "distinct":
		seen := map[float64]bool{}
		tries := 0
		for i := range values {
			for seen[values[i]] {
				if tries++; tries > 100*n+1000 {
					return fmt.Errorf("%d distinct values are wanted, and the draw has too few", n)
				}
				values[i] = next()
			}
			seen[values[i]] = true
		}
	case "sorted":
		row := n
		if len(shape) > 1 {
			row = shape[len(shape)-1]
		}
		for at := 0; row > 0 && at < n; at += row {
			slices.Sort(values[at : at+row])
		}
	case "some_equal":
		for range max(1, n/4) {
			if n < 2 {
				break
			}
			from := int(functions.Below(g, uint64(n)))
			to := int(functions.Below(g, uint64(n-1)))
			if to >= from {
				to++
			}
			values[to] = values[from]
		}
	case "some_missing":
		for range max(1, n/6) {
			if n < 2 {
				break
			}
			values[int(functions.Below(g, uint64(n)))] = math.NaN()
		}
	}
	return nil
}
