package functions

import (
	"slices"

	"nimbusreach/internal/core/array"
)

// Form is what diagnostics ask of a value: an array at a run, an Outline before it.
type Form interface {
	Kind() array.Kind
	Labels() []string
	Rank() int
	Len(axis int) int
	Label(axis int) string
}

// Outline is what is known of a value before any run: its kind, its lengths, its
// labels, and, for ints that give lengths or positions, the ints themselves.
// The zero Outline knows nothing.
type Outline struct {
	lengths []Dim
	labels  []string
	numbers []Dim

	kind                              array.Kind
	knowsKind, knowsRank, knowsLabels bool
}

// Outlined makes an outline whose kind and shape are known.
func Outlined(kind array.Kind, lengths []int, labels []string) Outline {
	return outlined(kind, dimsOf(lengths), labels)
}

// OfDims makes an outline whose kind and number of axes are known.
func OfDims(kind array.Kind, lengths []Dim, labels []string) Outline {
	return outlined(kind, lengths, labels)
}

func outlined(kind array.Kind, lengths []Dim, labels []string) Outline {
	return Outline{kind: kind, lengths: lengths, labels: labels, knowsKind: true, knowsRank: true, knowsLabels: true}
}

// OutlineOf is the outline of a value that is there; small ints are taken along.
func OutlineOf(a *array.Array) Outline {
	o := Outlined(a.Kind(), a.Shape(), a.Labels())
	if a.Kind() == array.Int && a.Rank() <= 1 && a.Size() <= mostNumbers {
		numbers := make([]Dim, a.Size())
		for i := range numbers {
			v, ok := dimOf(a.IntAt(i))
			if !ok {
				return o
			}
			numbers[i] = v
		}
		return o.WithNumbers(numbers)
	}
	return o
}

// mostNumbers bounds how many ints an outline carries.
const mostNumbers = 32

// Kind is the kind, when KnowsKind.
func (o *Outline) Kind() array.Kind { return o.kind }

// KnowsKind reports whether the kind is known.
func (o *Outline) KnowsKind() bool { return o.knowsKind }

// KnowsRank reports whether the number of axes is known.
func (o *Outline) KnowsRank() bool { return o.knowsRank }

// KnowsLabels reports whether the labels are known.
func (o *Outline) KnowsLabels() bool { return o.knowsRank && o.knowsLabels }

// Is reports whether the kind is known and is this one.
func (o *Outline) Is(kind array.Kind) bool { return o.knowsKind && o.kind == kind }

// Dims lists the lengths.
func (o *Outline) Dims() []Dim { return o.lengths }

// Dim is an axis's length.
func (o *Outline) Dim(axis int) Dim { return o.lengths[axis] }

// Labels lists the labels; nil when there are none.
func (o *Outline) Labels() []string { return o.labels }

// Rank is the number of axes, when KnowsRank.
func (o *Outline) Rank() int { return len(o.lengths) }

// Len is an axis's length, -1 when it is not known.
func (o *Outline) Len(axis int) int { return o.lengths[axis].Length() }

// Label is an axis's label or "".
func (o *Outline) Label(axis int) string {
	if axis < len(o.labels) {
		return o.labels[axis]
	}
	return ""
}

// Numbers are the elements of an int scalar or list, when they are known; a symbol is one
// that is some length.
func (o *Outline) Numbers() []Dim { return o.numbers }

// Number is the value of an int scalar.
func (o *Outline) Number() (int, bool) {
	if o.knowsRank && len(o.lengths) == 0 && len(o.numbers) == 1 && o.numbers[0].Known() {
		return int(o.numbers[0]), true
	}
	return 0, false
}

// IsScalar reports whether the value is known to have no axes.
func (o *Outline) IsScalar() bool { return o.knowsRank && len(o.lengths) == 0 }

// Size is the number of elements; false when it is not known.
func (o *Outline) Size() (int, bool) {
	if !o.knowsRank {
		return 0, false
	}
	lengths := make([]int, len(o.lengths))
	for i, n := range o.lengths {
		if n < 0 {
			return 0, slices.Contains(o.lengths, 0)
		}
		lengths[i] = int(n)
	}
	return array.Size(lengths)
}

// maybeEmptyReal reports whether the value may be the list [], whose kind gives way.
func (o *Outline) maybeEmptyReal() bool {
	if o.knowsKind && o.kind != array.Real {
		return false
	}
	n, ok := o.Size()
	return !ok || n == 0
}

// OutlineOfInt is the outline of an int that is there.
func OutlineOfInt(v int64) Outline {
	o := Outlined(array.Int, nil, nil)
	if d, ok := dimOf(v); ok {
		o.numbers = []Dim{d}
	}
	return o
}

// WithNumbers returns the outline with its ints, where none is too large to be followed.
func (o Outline) WithNumbers(numbers []Dim) Outline {
	o.numbers = nil
	for _, n := range numbers {
		if n >= mostFollowed || n.Known() && n <= -mostFollowed {
			return o
		}
	}
	o.numbers = numbers
	return o
}

// WithoutNumbers returns the outline of a value whose elements may have changed.
func (o Outline) WithoutNumbers() Outline {
	o.numbers = nil
	return o
}

// WithKind returns the outline with another kind.
func (o Outline) WithKind(k KindOutline) Outline {
	o.kind, o.knowsKind = k.Kind, k.Known
	return o.WithoutNumbers()
}

// WithShape returns the outline with another shape, labels unknown.
func (o Outline) WithShape(lengths []Dim) Outline {
	o.lengths, o.knowsRank, o.labels, o.knowsLabels, o.numbers = slices.Clip(lengths), true, nil, false, nil
	return o
}

// WithLabels returns the outline with its labels known.
func (o Outline) WithLabels(labels []string) Outline {
	o.labels, o.knowsLabels = slices.Clip(labels), true
	return o
}

// Without returns the outline with one axis taken out.
func (o Outline) Without(axis int) Outline {
	o.lengths = slices.Delete(slices.Clone(o.lengths), axis, axis+1)
	if axis < len(o.labels) {
		o.labels = slices.Delete(slices.Clone(o.labels), axis, axis+1)
	}
	return o.WithoutNumbers()
}

// Axes are lengths and labels that are gathered one by one from an outline's.
type Axes struct {
	Lengths []Dim
	Labels  []string // nil when the outline has none
}

// NewAxes makes lists for as many axes as an outline has, and some more.
func NewAxes(of *Outline, more ...int) Axes {
	n := len(of.lengths)
	for _, m := range more {
		n += m
	}
	if n <= mostNear {
		near := &struct {
			lengths [mostNear]Dim
			labels  [mostNear]string
		}{}
		a := Axes{Lengths: near.lengths[:0]}
		if of.labels != nil {
			a.Labels = near.labels[:0]
		}
		return a
	}
	a := Axes{Lengths: make([]Dim, 0, n)}
	if of.labels != nil {
		a.Labels = make([]string, 0, n)
	}
	return a
}

// mostNear is how many axes are allocated at once.
const mostNear = 4

// Add appends an axis.
func (a *Axes) Add(length Dim, label string) {
	a.Lengths = append(a.Lengths, length)
	if a.Labels != nil {
		a.Labels = append(a.Labels, label)
	}
}

// Join is what is known of a value that is one or the other.
func (o Outline) Join(p Outline, fresh func() Dim) Outline {
	if o.kind != p.kind || !p.knowsKind {
		o.kind, o.knowsKind = 0, false
	}
	if !slices.Equal(o.numbers, p.numbers) {
		o.numbers = nil
	}
	if !o.knowsRank || !p.knowsRank || len(o.lengths) != len(p.lengths) {
		o.lengths, o.labels, o.knowsRank, o.knowsLabels = nil, nil, false, false
		return o
	}
	if !slices.Equal(o.lengths, p.lengths) {
		lengths := slices.Clone(o.lengths)
		for i := range lengths {
			if lengths[i] != p.lengths[i] {
				lengths[i] = fresh()
			}
		}
		o.lengths = lengths
	}
	same := o.knowsLabels && p.knowsLabels
	for i := range o.lengths {
		same = same && o.Label(i) == p.Label(i)
	}
	if !same {
		o.labels, o.knowsLabels = nil, false
	}
	return o
}

// Same reports whether two outlines say the same.
func (o *Outline) Same(p *Outline) bool {
	return o.kind == p.kind && o.knowsKind == p.knowsKind && o.knowsRank == p.knowsRank &&
		o.knowsLabels == p.knowsLabels &&
		slices.Equal(o.lengths, p.lengths) && slices.Equal(o.labels, p.labels) && slices.Equal(o.numbers, p.numbers)
}

// Holds reports whether a value is one that the outline allows, names of lengths
// standing for any.
func (o *Outline) Holds(a *array.Array) bool {
	if o.knowsKind && a.Kind() != o.kind {
		return false
	}
	if !o.knowsRank {
		return true
	}
	if a.Rank() != len(o.lengths) {
		return false
	}
	for i, n := range o.lengths {
		if n >= 0 && a.Len(i) != int(n) {
			return false
		}
		if o.knowsLabels && a.Label(i) != o.Label(i) {
			return false
		}
	}
	for i, n := range o.numbers {
		if n.Known() && a.IntAt(i) != int64(n) {
			return false
		}
	}
	return true
}

// AutoOutline is the length that `auto` stands for in a shape.
func AutoOutline() Outline {
	o := Outlined(array.Int, nil, nil)
	o.numbers = []Dim{auto}
	return o
}
