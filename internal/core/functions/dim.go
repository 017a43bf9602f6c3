package functions

// Dim is the length of an axis, or the value of an int, as far as it is known before a run: a
// number, or a symbol for one that only the run decides. Two equal symbols stand for the same
// number, whatever it is.
type Dim int

// Symbols are the Dims below this one, which no length and no int that is followed reaches.
const firstSymbol Dim = -1 << 40

// mostFollowed bounds the ints that are followed before a run: far less than the symbols.
const mostFollowed = 1 << 39

// Known reports whether the number is known, and is not only a symbol.
func (d Dim) Known() bool { return d > firstSymbol }

// Length is the number, or -1 for a symbol.
func (d Dim) Length() int {
	if d < 0 {
		return -1
	}
	return int(d)
}

// dimOf is an int as a Dim; false for one too large to be followed.
func dimOf(v int64) (Dim, bool) {
	return Dim(v), v < mostFollowed && v > -mostFollowed
}

// dimsOf are lengths that are known.
func dimsOf(lengths []int) []Dim {
	out := make([]Dim, len(lengths))
	for i, n := range lengths {
		out[i] = Dim(n)
	}
	return out
}

// Symbols hands out symbols: fresh ones, each unlike all others, and named ones, the same for
// the same name. The zero Symbols is ready to use.
type Symbols struct {
	fresh Dim
	named map[string]Dim
}

// Named symbols lie below all fresh ones: a program has far fewer expressions than that.
const firstNamed = firstSymbol * 2

// Fresh is a symbol unlike all before it.
func (s *Symbols) Fresh() Dim {
	s.fresh--
	return firstSymbol + s.fresh
}

// Named is the symbol of a name.
func (s *Symbols) Named(name string) Dim {
	if d, ok := s.named[name]; ok {
		return d
	}
	if s.named == nil {
		s.named = map[string]Dim{}
	}
	d := firstNamed - Dim(len(s.named)) - 1
	s.named[name] = d
	return d
}
