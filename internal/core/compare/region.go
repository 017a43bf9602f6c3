package compare

import "nimbusreach/internal/core/array"

// RegionKind names the part of an array that differences lie in.
type RegionKind string

// The kinds of region, the plainest first.
const (
	Everything RegionKind = "everything"
	OnePlace   RegionKind = "element"
	Position   RegionKind = "position"
	Range      RegionKind = "range"
	EveryKth   RegionKind = "every"
	Diagonal   RegionKind = "diagonal"
	Above      RegionKind = "above"
	Below      RegionKind = "below"
	MaskTrue   RegionKind = "mask_true"
	MaskFalse  RegionKind = "mask_false"
	Scattered  RegionKind = "scattered"
)

// Mask is an array of truth values of the reference, with the words it is written in.
type Mask struct {
	Words  string
	Values *array.Array
}

// Region is the smallest plain part of an array that holds all differences and
// little else. Positions count from 0.
type Region struct {
	Kind        RegionKind
	Axis        int    // for position, range and every
	First, Last int    // positions on the axis
	Step        int    // for every
	Words       string // of the mask
}

// little is how much of a region must differ for the region to be reported.
const little = 0.5

// locate finds the region of the places marked wrong: the smallest that holds them
// all and little else.
func locate(shape []int, wrong []bool, count int, masks []Mask) Region {
	if count == len(wrong) {
		return Region{Kind: Everything}
	}
	if count == 1 {
		return Region{Kind: OnePlace}
	}
	best := Region{Kind: Scattered}
	bestSize := len(wrong) + 1
	consider := func(r Region, size int) {
		if size < bestSize && float64(count) >= little*float64(size) {
			best, bestSize = r, size
		}
	}
	for axis, used := range usedPlaces(shape, wrong) {
		if r, places, ok := onAxis(used); ok {
			r.Axis = axis
			consider(r, places*(len(wrong)/shape[axis]))
		}
	}
	if len(shape) >= 2 {
		triangles(shape, wrong, consider)
	}
	for _, m := range masks {
		byMask(m, shape, wrong, count, consider)
	}
	return best
}

// usedPlaces marks, axis by axis, the positions at which something is wrong.
func usedPlaces(shape []int, wrong []bool) [][]bool {
	used := make([][]bool, len(shape))
	for axis, n := range shape {
		used[axis] = make([]bool, n)
	}
	last := len(shape) - 1
	at := make([]int, len(shape))
	row := 1
	if last >= 0 {
		row = shape[last]
	}
	for start := 0; start < len(wrong); start += row {
		differs := false
		for k, w := range wrong[start : start+row] {
			if w {
				differs = true
				if last >= 0 {
					used[last][k] = true
				}
			}
		}
		if differs {
			for axis := range last {
				used[axis][at[axis]] = true
			}
		}
		for axis := last - 1; axis >= 0; axis-- {
			if at[axis]++; at[axis] < shape[axis] {
				break
			}
			at[axis] = 0
		}
	}
	return used
}

// byMask tries the places where a mask of the reference is true, and those where it
// is false.
func byMask(m Mask, shape []int, wrong []bool, count int, consider func(Region, int)) {
	if m.Values.Rank() > len(shape) {
		return
	}
	if got, err := array.BroadcastShape(shape, m.Values.Shape()); err != nil || !array.SameLengths(got, shape) ||
		len(got) != len(shape) {
		return
	}
	values := m.Values.Stretch(shape).Bools()
	trues, hits := 0, 0
	for i, v := range values {
		if v {
			trues++
			if wrong[i] {
				hits++
			}
		}
	}
	switch {
	case hits == count:
		consider(Region{Kind: MaskTrue, Words: m.Words}, trues)
	case hits == 0:
		consider(Region{Kind: MaskFalse, Words: m.Words}, len(values)-trues)
	}
}

// onAxis describes the positions used on one axis, and counts those described.
func onAxis(used []bool) (r Region, places int, ok bool) {
	first, last, count := -1, -1, 0
	for i, u := range used {
		if !u {
			continue
		}
		if first < 0 {
			first = i
		}
		last = i
		count++
	}
	switch {
	case count == len(used):
		return r, 0, false
	case count == 1:
		return Region{Kind: Position, First: first, Last: last}, 1, true
	case last-first+1 == count:
		return Region{Kind: Range, First: first, Last: last}, count, true
	case count >= 3 && (last-first)%(count-1) == 0:
		step := (last - first) / (count - 1)
		for i := first; i <= last; i += step {
			if !used[i] {
				return Region{Kind: Range, First: first, Last: last}, last - first + 1, true
			}
		}
		return Region{Kind: EveryKth, First: first, Last: last, Step: step}, count, true
	}
	return Region{Kind: Range, First: first, Last: last}, last - first + 1, last-first+1 < len(used)
}

// triangles tries the diagonal of the last two axes and what lies above or below it.
func triangles(shape []int, wrong []bool, consider func(Region, int)) {
	rows, columns := shape[len(shape)-2], shape[len(shape)-1]
	if rows*columns == 0 {
		return
	}
	tables := len(wrong) / (rows * columns)
	on, above, below := 0, 0, 0
	row, column := 0, 0
	for _, w := range wrong {
		if w {
			switch {
			case row == column:
				on++
			case column > row:
				above++
			default:
				below++
			}
		}
		if column++; column == columns {
			column = 0
			if row++; row == rows {
				row = 0
			}
		}
	}
	diagonal := min(rows, columns)
	over := 0
	for i := range rows {
		over += max(columns-i-1, 0)
	}
	switch {
	case above == 0 && below == 0:
		consider(Region{Kind: Diagonal}, tables*diagonal)
	case on == 0 && below == 0:
		consider(Region{Kind: Above}, tables*over)
	case on == 0 && above == 0:
		consider(Region{Kind: Below}, tables*(rows*columns-diagonal-over))
	}
}
