package evaluate

import (
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// Recorder is told how a run comes by its values, step by step: each expression after those inside it, and what
// statements do with them. What it is given is lent: arrays may be written into by later statements.
type Recorder interface {
	// Value: an expression was computed. Calls of built-in functions and selections come with their own word before.
	Value(e notation.Expr, v *array.Array)
	Call(e *notation.Call, c *functions.Call, v *array.Array)
	Select(e *notation.Select, of *array.Array, s Selected, v *array.Array)
	// Enter: the parameters of a function of the program's own hold the arguments. Leave: it has its value.
	Enter(e *notation.Call, f *notation.Function)
	Leave(e *notation.Call, f *notation.Function)
	// Return: the value of a function's long form was computed.
	Return(s *notation.Return)
	// Bind: a name holds a value, with an operator one made of it and of what it held, old.
	Bind(s *notation.Assign, old, v *array.Array)
	// Assign: cells of target were written into; value is what was computed on the right, broadcast to the selection.
	Assign(s *notation.Assign, target *array.Array, sel Selected, value *array.Array)
	// View: a name shares cells with another.
	View(s *notation.View, of *array.Array, sel Selected)
	// Item: a loop's names hold the items at one position of the axes.
	Item(s *notation.Each, values []*array.Array, axes []int, at int)
	// Branch: a condition was computed, and the block that it chose has run.
	Branch(s *notation.If)
	// Round: a round of a bounded loop is over, and its condition was computed. Rounds: so is the loop.
	Round(s *notation.Repeat)
	Rounds(s *notation.Repeat)
}

// Selected is a selection computed.
type Selected struct {
	s      selected
	source *notation.Selection
}

// Of takes the selected elements of an array of the same shape.
func (s Selected) Of(a *array.Array) *array.Array {
	switch {
	case s.s.mask != nil:
		return a.Where(s.s.mask)
	case s.s.paired != nil:
		return a.Paired(s.s.paired.axes, s.s.paired.lists)
	}
	return a.Select(s.s.picks)
}

// Mask is the mask of the whole shape; nil for another form.
func (s Selected) Mask() *array.Array { return s.s.mask }

// IsPaired reports whether lists are walked in step.
func (s Selected) IsPaired() bool { return s.s.paired != nil }

// Selector is one selector with the axis that it acts on, counted from 0, and the axis of the result that it makes; -1
// for a single position, which makes none.
type Selector struct {
	*notation.Selector
	Axis, Out int
	List      []int // the positions that an array chose
}

// Selectors are those that act on an axis, with their axes.
func (s Selected) Selectors(of *array.Array) []Selector {
	var out []Selector
	if s.s.mask != nil {
		return nil
	}
	axis := 0
	for _, sel := range s.source.Selectors {
		at := axis
		switch {
		case sel.Label != nil:
			for i := range of.Rank() {
				if of.Label(i) == sel.Label.Name {
					at = i
				}
			}
		case sel.Kind == notation.SelectNew:
			continue
		case sel.Kind == notation.SelectRest:
			axis += of.Rank() - consumed(s.source)
			continue
		}
		axis++
		one := Selector{Selector: sel, Axis: at, Out: -1}
		if s.s.paired == nil {
			out = append(out, s.placed(one))
		} else {
			one.Out = 0
			out = append(out, one)
		}
	}
	return out
}

// placed finds a selector's axis in the result.
func (s Selected) placed(one Selector) Selector {
	source, made := 0, 0
	for _, p := range s.s.picks {
		if p.Kind == array.PickNew {
			made++
			continue
		}
		if source == one.Axis {
			if p.Kind != array.PickPosition {
				one.Out = made
			}
			one.List = p.List
			return one
		}
		if p.Kind != array.PickPosition {
			made++
		}
		source++
	}
	return one
}
