package compare

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
	Scattered  RegionKind = "scattered"
)

// Region is the smallest plain part of an array that holds all differences and
// little else. Positions count from 0.
type Region struct {
	Kind        RegionKind
	Axis        int // for position, range and every
	First, Last int // positions on the axis
	Step        int // for every
}

// little is how much of a region must differ for the region to be told.
const little = 0.5

// locate finds the region of the places marked wrong.
func locate(shape []int, wrong []bool, count int) Region {
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
	inner := len(wrong)
	for axis, n := range shape {
		inner /= n
		used := make([]bool, n)
		for i, w := range wrong {
			if w {
				used[i/inner%n] = true
			}
		}
		part := len(wrong) / n
		if r, places, ok := onAxis(used); ok {
			r.Axis = axis
			consider(r, places*part)
		}
	}
	if len(shape) == 2 {
		triangles(shape, wrong, consider)
	}
	return best
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

// triangles tries the diagonal and what lies above or below it.
func triangles(shape []int, wrong []bool, consider func(Region, int)) {
	rows, columns := shape[0], shape[1]
	on, above, below := 0, 0, 0
	for i, w := range wrong {
		if !w {
			continue
		}
		switch row, column := i/columns, i%columns; {
		case row == column:
			on++
		case column > row:
			above++
		default:
			below++
		}
	}
	diagonal := min(rows, columns)
	over := 0
	for i := range rows {
		over += max(columns-i-1, 0)
	}
	switch {
	case above == 0 && below == 0:
		consider(Region{Kind: Diagonal}, diagonal)
	case on == 0 && below == 0:
		consider(Region{Kind: Above}, over)
	case on == 0 && above == 0:
		consider(Region{Kind: Below}, rows*columns-diagonal-over)
	}
}
