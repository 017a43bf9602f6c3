package array

// Cell is the Go type of one cell: one for each Kind.
type Cell interface {
	bool | int64 | float64 | complex128
}

// Cells is typed storage that several arrays may share. Exactly one of its
// slices is used, the one for the kind. Cells of reals have no others.
type Cells struct {
	reals []float64
	*rarer

	// Held storage belongs to a name already; a second name freezes it. Frozen
	// storage is shared by names that must not see each other's changes: a writer
	// copies first. Viewed storage is shared on purpose by a view; it is never
	// frozen at the same time.
	held, frozen, viewed bool
}

// rarer is the storage of the kinds that most arrays are not of, apart so that these
// have smaller headers.
type rarer struct {
	ints      []int64
	bools     []bool
	complexes []complex128
}

// Hold marks the cells as belonging to a name, and reports whether they did before.
func (c *Cells) Hold() (before bool) {
	if c.held { // and so nothing is written to what several runs read at once
		return true
	}
	c.held = true
	return false
}

// Freeze marks the cells as shared between copies.
func (c *Cells) Freeze() {
	if !c.frozen {
		c.frozen = true
	}
}

// Frozen reports whether a writer must copy first.
func (c *Cells) Frozen() bool { return c.frozen }

// MarkViewed marks the cells as shared by a view.
func (c *Cells) MarkViewed() { c.viewed = true }

// Viewed reports whether a view shares the cells.
func (c *Cells) Viewed() bool { return c.viewed }

// Bytes is the storage's size in bytes.
func (c *Cells) Bytes() int64 {
	n := 8 * int64(len(c.reals))
	if c.rarer != nil {
		n += int64(len(c.bools)) + 8*int64(len(c.ints)) + 16*int64(len(c.complexes))
	}
	return n
}

// storage returns the typed slice behind an array of that kind.
func storage[T Cell](c *Cells) []T {
	var zero T
	switch any(zero).(type) {
	case bool:
		return any(c.bools).([]T)
	case int64:
		return any(c.ints).([]T)
	case float64:
		return any(c.reals).([]T)
	default:
		return any(c.complexes).([]T)
	}
}

// KindOf returns the kind whose cells have Go type T.
func KindOf[T Cell]() Kind {
	var zero T
	switch any(zero).(type) {
	case bool:
		return Bool
	case int64:
		return Int
	case float64:
		return Real
	default:
		return Complex
	}
}
