package evaluate

import (
	"maps"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

// Result is what a run leaves.
type Result struct {
	Notices    []*notation.Diagnostic
	Error      *notation.Diagnostic // nil when the program ran to its end
	Statements int64
	Parts      int64 // expressions that were evaluated; operators of a chain count once
	Cells      int64
	Work       int64    // of slow functions, as functions.Meter counts it
	Draws      uint64   // calls that drew
	Changed    []string // inputs into whose cells another value was written

	top *frame
}

// Value is what a name holds that the program bound or assigned into; nil for all
// other names.
func (r *Result) Value(name string) *array.Array {
	if r.top == nil {
		return nil
	}
	if v := r.top.find(name); v != nil && v.turn > 0 {
		return v.value
	}
	return nil
}

// Given is the result of a program that was run elsewhere, of which only the values
// are known.
func Given(values map[string]*array.Array) *Result {
	top := &frame{}
	for _, name := range slices.Sorted(maps.Keys(values)) {
		v := top.add(name)
		v.value = values[name]
		top.touch(v)
	}
	return &Result{top: top}
}

// Values are all of them by name.
func (r *Result) Values() map[string]*array.Array {
	out := map[string]*array.Array{}
	if r.top != nil {
		r.top.each(func(v *variable) {
			if v.turn > 0 {
				out[v.name] = v.value
			}
		})
	}
	return out
}

// Order is every name bound or assigned into, in the order they first were.
func (r *Result) Order() []string {
	if r.top == nil {
		return nil
	}
	out := make([]string, r.top.touched)
	r.top.each(func(v *variable) {
		if v.turn > 0 {
			out[v.turn-1] = v.name
		}
	})
	return out
}
