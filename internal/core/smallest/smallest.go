// Package smallest finds small data on which something happens: it makes data of an
// exercise's sort until it does, and shrinks them while it still does.
//
// It is handed what is public of an exercise, and asks its caller whether the thing happens;
// it runs no programs itself, and draws the same from the same seed.
package smallest

import (
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/redraw"
)

// Input declares one array: what of it is public.
type Input struct {
	Name    string
	Kind    array.Kind
	Axes    []string // a label for each axis, "" for one without
	Missing bool     // elements may be NaN
}

// Data are arrays by the names of the inputs.
type Data = map[string]*array.Array

// Search says where to look.
type Search struct {
	Inputs  []Input
	Seen    []Data // data that are public, as a pattern
	Seed    uint64
	Trials  int                  // bounds how often Happens is asked
	Happens func(data Data) bool // never changes the data
}

// Find returns the smallest data it can find on which the thing happens; nil where it finds
// none.
func (s *Search) Find() Data {
	f := &finder{Search: s, r: rand.New(rand.NewPCG(s.Seed, 1)), left: s.Trials}
	f.patterns()
	if len(f.base) == 0 {
		return nil
	}
	found := f.small()
	if found == nil {
		return nil
	}
	f.left = max(f.left, s.Trials/2) // shrinking has a part of its own
	return f.shrunk(found)
}

type finder struct {
	*Search
	r    *rand.Rand
	left int
	base []Data
	// linked says that axes without labels that are equally long in the pattern stay so.
	linked bool
}

// mostCells bounds an input of the patterns that are tried as they are.
const mostCells = 5000

// patterns are the data that are shown, or where none are, data as declared.
func (f *finder) patterns() {
	for _, d := range f.Seen {
		ok := true
		for _, in := range f.Inputs {
			ok = ok && d[in.Name] != nil && d[in.Name].Size() <= mostCells
		}
		if ok {
			f.base = append(f.base, d)
		}
	}
	if len(f.base) > 0 {
		return
	}
	lengths := map[string]int{}
	out := Data{}
	for _, in := range f.Inputs {
		shape := make([]int, len(in.Axes))
		for i, label := range in.Axes {
			if lengths[label] == 0 || label == "" {
				lengths[label] = 2 + (len(lengths)+i)%3
			}
			shape[i] = lengths[label]
		}
		n, _ := array.Size(shape)
		cells := make([]float64, n)
		for i := range cells {
			cells[i] = float64(f.r.IntN(9) + 1)
		}
		out[in.Name] = f.of(in, shape, cells)
	}
	f.base = []Data{out}
}

// of makes an input's array from whole numbers.
func (f *finder) of(in Input, shape []int, cells []float64) *array.Array {
	var a *array.Array
	switch in.Kind {
	case array.Bool:
		a = array.New(array.Bool, shape)
		for i, x := range cells {
			a.Bools()[i] = math.Mod(x, 2) != 0
		}
	case array.Int:
		a = redraw.Rebuilt(array.FromInts([]int64{0}, 1), shape, cells)
	default:
		a = array.FromReals(cells, shape...)
		if in.Kind == array.Complex {
			a = a.Widen(array.Complex)
		}
	}
	return a.WithLabels(in.labels())
}

func (in Input) labels() []string {
	if slices.ContainsFunc(in.Axes, func(l string) bool { return l != "" }) {
		return in.Axes
	}
	return nil
}

// happens asks, while there are trials left.
func (f *finder) happens(d Data) bool {
	if f.left <= 0 {
		return false
	}
	f.left--
	return f.Happens(d)
}

// small looks for data on which the thing happens, the small ones first.
func (f *finder) small() Data {
	for round := 0; f.left > f.Trials/2; round++ {
		base := f.base[round%len(f.base)]
		f.linked = round%2 == 1
		if d := f.redrawn(base, round); f.happens(d) {
			return d
		}
		if round == 24 { // data as they are shown are large, and most likely to tell
			for _, d := range f.base {
				if f.happens(d) {
					return d
				}
			}
		}
	}
	return nil
}

// redrawn makes data like a pattern's: short axes in the first rounds, and values of
// different sorts in turn.
func (f *finder) redrawn(base Data, round int) Data {
	lengths := map[string]int{}
	out := Data{}
	for _, in := range f.Inputs {
		a := base[in.Name]
		shape := slices.Clone(a.Shape())
		for axis := range shape {
			key := f.group(in, a, axis)
			if _, ok := lengths[key]; !ok {
				lengths[key] = f.length(shape[axis], round)
			}
			shape[axis] = lengths[key]
		}
		out[in.Name] = f.values(in, a, shape, round)
	}
	return out
}

// group names the axes that have one length.
func (f *finder) group(in Input, a *array.Array, axis int) string {
	if l := a.Label(axis); l != "" {
		return l
	}
	if f.linked {
		return "=" + strconv.Itoa(a.Len(axis))
	}
	return in.Name + "." + strconv.Itoa(axis)
}

func (f *finder) length(usual, round int) int {
	switch {
	case round < 12:
		return 1 + f.r.IntN(2)
	case round < 40:
		return 1 + f.r.IntN(3)
	case round%4 == 0:
		return f.r.IntN(4)
	case round%4 == 1:
		return usual
	}
	return 1 + f.r.IntN(5)
}

// values fills a shape: as the pattern is, with small whole numbers, with few values that
// repeat, or with some missing.
func (f *finder) values(in Input, a *array.Array, shape []int, round int) *array.Array {
	if a.Rank() == 0 && round%3 != 2 {
		return a
	}
	n, _ := array.Size(shape)
	if in.Kind == array.Complex || a.Size() == 0 {
		return redraw.Filled(f.r, a, shape)
	}
	sorted := redraw.Ascends(a)
	if sorted || round%4 == 0 || round%4 == 3 && in.Kind == array.Bool {
		return f.withMissing(in, redraw.Alike(f.r, a, shape), round)
	}
	from := redraw.Values(a)
	low, high := -3, 4
	if from != nil && (slices.Min(from) >= 0 || in.Kind == array.Int) && round%5 != 4 {
		low, high = int(max(slices.Min(from), -9)), int(min(slices.Max(from), 9))
		high = max(high, low+1)
	}
	cells := make([]float64, n)
	for i := range cells {
		span := high - low + 1
		if round%4 == 2 {
			span = min(span, 2)
		}
		cells[i] = float64(low + f.r.IntN(span))
	}
	return f.withMissing(in, f.of(in, shape, cells), round)
}

// withMissing takes some elements out, in every other round.
func (f *finder) withMissing(in Input, a *array.Array, round int) *array.Array {
	if !in.Missing || in.Kind != array.Real || round%2 == 0 || a.Size() == 0 {
		return a
	}
	cells := redraw.Values(a)
	cells[f.r.IntN(len(cells))] = math.NaN()
	return array.FromReals(cells, a.Shape()...).WithLabels(a.Labels())
}

// shrunk makes data smaller while the thing still happens: shorter axes first, then smaller
// and rounder numbers.
func (f *finder) shrunk(d Data) Data {
	for again := true; again && f.left > 0; {
		again = false
		for f.shorter(&d) {
			again = true
		}
		if f.rounder(&d) {
			again = true
		}
	}
	return d
}

// shorter takes positions out of one group of axes.
func (f *finder) shorter(d *Data) bool {
	for _, linked := range []bool{false, true} {
		f.linked = linked
		done := map[string]bool{}
		for _, in := range f.Inputs {
			a := (*d)[in.Name]
			for axis := range a.Rank() {
				key := f.group(in, a, axis)
				if done[key] || a.Len(axis) == 0 {
					continue
				}
				done[key] = true
				if f.without(d, key, a.Len(axis)) {
					return true
				}
			}
		}
	}
	return false
}

// without tries to take a half, and then each single position, out of a group of axes.
func (f *finder) without(d *Data, key string, length int) bool {
	var tries [][]int // the positions that stay
	all := make([]int, length)
	for i := range all {
		all[i] = i
	}
	if length > 2 {
		tries = append(tries, all[:length/2], all[length/2:])
	}
	if length > 1 {
		for i := range min(length, 6) {
			tries = append(tries, slices.Delete(slices.Clone(all), i, i+1))
		}
	}
	for _, keep := range tries {
		out := maps.Clone(*d)
		for _, in := range f.Inputs {
			a := out[in.Name]
			for axis := range a.Rank() {
				if f.group(in, (*d)[in.Name], axis) == key {
					a = taken(a, axis, keep)
				}
			}
			out[in.Name] = a
		}
		if f.happens(out) {
			*d = out
			return true
		}
	}
	return false
}

// taken keeps some positions of an axis.
func taken(a *array.Array, axis int, keep []int) *array.Array {
	picks := make([]array.Pick, a.Rank())
	for i := range picks {
		picks[i] = array.WholeAxis(a.Len(i))
	}
	picks[axis] = array.Pick{Kind: array.PickList, List: keep}
	return a.Select(picks).WithLabels(a.Labels())
}

// rounder tries smaller and rounder numbers: all of an array at once, then one by one.
func (f *finder) rounder(d *Data) bool {
	better := f.together(d)
	for _, in := range f.Inputs {
		a := (*d)[in.Name]
		cells := redraw.Values(a)
		if cells == nil {
			continue
		}
		try := func(next []float64) bool {
			if weight(next) >= weight(cells) {
				return false
			}
			out := maps.Clone(*d)
			out[in.Name] = redraw.Rebuilt(a, a.Shape(), next).WithLabels(a.Labels())
			if !f.happens(out) {
				return false
			}
			*d, cells, better = out, next, true
			return true
		}
		whole := slices.Clone(cells)
		for i, x := range whole {
			whole[i] = math.Round(x)
		}
		try(make([]float64, len(cells)))
		try(whole)
		for i := range cells {
			for _, x := range simpler(cells[i]) {
				next := slices.Clone(cells)
				for k := range next { // equal numbers together first: a tie may be what tells
					if next[k] == cells[i] {
						next[k] = x
					}
				}
				if try(next) {
					break
				}
				next = slices.Clone(cells)
				next[i] = x
				if try(next) {
					break
				}
			}
		}
	}
	return better
}

// together puts a simpler number in the place of one that stands in several inputs, in all of
// them: a value on a boundary is only told as one.
func (f *finder) together(d *Data) bool {
	in := map[float64]int{}
	for _, x := range f.Inputs {
		for _, v := range slices.Compact(slices.Sorted(slices.Values(redraw.Values((*d)[x.Name])))) {
			in[v]++
		}
	}
	better := false
	for _, v := range slices.Sorted(maps.Keys(in)) {
		if in[v] < 2 || math.IsNaN(v) {
			continue
		}
		for _, x := range simpler(v) {
			if weight([]float64{x}) >= weight([]float64{v}) {
				continue
			}
			out := maps.Clone(*d)
			for name, a := range out {
				cells := redraw.Values(a)
				if cells == nil || !slices.Contains(cells, v) {
					continue
				}
				for i := range cells {
					if cells[i] == v {
						cells[i] = x
					}
				}
				out[name] = redraw.Rebuilt(a, a.Shape(), cells).WithLabels(a.Labels())
			}
			if f.happens(out) {
				*d, better = out, true
				break
			}
		}
	}
	return better
}

// simpler lists numbers to try in a number's place.
func simpler(x float64) []float64 {
	return []float64{0, 1, 2, math.Round(x), math.Trunc(x / 2), math.Round(x*10) / 10}
}

// weight is how much there is to read in numbers.
func weight(cells []float64) float64 {
	w := 0.0
	for _, x := range cells {
		switch {
		case math.IsNaN(x):
			w += 20
		case x == 0:
		case x == math.Trunc(x):
			w += 1 + math.Log2(1+math.Abs(x))
			if x < 0 {
				w += 0.5
			}
		default:
			w += 20 + math.Log2(1+math.Abs(x)) + float64(len(strconv.FormatFloat(x, 'g', -1, 64)))
		}
	}
	return w
}
