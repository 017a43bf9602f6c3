package lineage

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/notation"
)

// Run is a run whose every cell can be asked where it came from.
type Run struct {
	Result *evaluate.Result

	recorder *recorder
	inputs   map[string]id
	nodes    map[string]id // what names hold at the end
}

// TooLarge is what cannot be traced: an array of too many cells, or a run of too many steps where Shape is nil.
type TooLarge struct{ Shape []int }

func (e *TooLarge) Error() string {
	if e.Shape == nil {
		return "the run takes too many steps to be traced"
	}
	return fmt.Sprintf("an array of the shape %s is too large to be traced; at most %d cells are",
		notation.Shape{Lengths: e.Shape, Mark: -1}, MostCells)
}

// Trace runs a program that has passed evaluate.Check, and keeps where its cells come from. A run that ends in an error
// is traced up to it. What is too large to be traced comes back as a *TooLarge, with the run's result all the same.
func Trace(ctx context.Context, program *notation.Program, inputs map[string]*array.Array,
	options evaluate.Options) (*Run, error) {
	r := &recorder{frame: newFrame(nil), around: conditionsAround(program)}
	run := &Run{recorder: r, inputs: map[string]id{}, nodes: map[string]id{}}
	for _, name := range slices.Sorted(maps.Keys(inputs)) {
		if !r.traced(inputs[name]) {
			break
		}
		n := r.input(name, inputs[name].Size())
		run.inputs[name] = n
		r.names[name] = variableOf(n, inputs[name])
	}
	top := r.frame
	options.Record = r
	told := options.Trace
	options.Trace = func(s evaluate.Step) {
		r.note(s)
		if told != nil {
			told(s)
		}
	}
	run.Result = evaluate.Run(ctx, program, inputs, options)
	r.frame = top // an error leaves calls open
	if r.stopped() {
		return run, &TooLarge{r.tooLarge}
	}
	for name, v := range r.names {
		run.nodes[name] = r.of(v)
	}
	return run, nil
}

// Kept is how many numbers of four bytes the run keeps.
func (r *Run) Kept() int { return r.recorder.kept }

// Cells are cells of one array: for each cell, flat, rows first, how it takes part.
type Cells []Relation

// Count is how many cells take part in a way.
func (c Cells) Count(in Relation) int {
	n := 0
	for _, r := range c {
		if r&in != 0 {
			n++
		}
	}
	return n
}

// Origin is where cells come from: for each input that takes part its cells, and the same for the arrays on the way.
type Origin struct {
	Inputs map[string]Cells
	Steps  []StepCells
}

// StepCells are the cells of what a statement made that lie on the way.
type StepCells struct {
	Step  int // which of Steps it is
	Span  notation.Span
	Name  string
	Value *array.Array
	Cells Cells
}

// Of says where cells of a name's last value came from; false where the program gave the name none. The cells count
// flat, rows first.
func (r *Run) Of(name string, cells ...int) (*Origin, bool) {
	if r.Result.Value(name) == nil {
		return nil, false
	}
	return r.origin(r.nodes[name], cells), true
}

// OfStep is Of for what a statement made, by its place among Steps.
func (r *Run) OfStep(i int, cells ...int) *Origin {
	return r.origin(r.recorder.steps[i].id, cells)
}

func (r *Run) origin(n id, cells []int) *Origin {
	m := r.recorder.back(n, cells)
	out := &Origin{Inputs: map[string]Cells{}, Steps: r.stepsOf(m)}
	for name, n := range r.inputs {
		if m[n] != nil {
			out.Inputs[name] = m[n]
		}
	}
	return out
}

// From says which cells of what the program made came from a cell of an input, by name.
func (r *Run) From(input string, cells ...int) (map[string]Cells, []StepCells) {
	m := r.recorder.forth(r.inputs[input], cells)
	out := map[string]Cells{}
	for name, n := range r.nodes {
		if n != none && m[n] != nil && r.Result.Value(name) != nil {
			out[name] = m[n]
		}
	}
	return out, r.stepsOf(m)
}

func (r *Run) stepsOf(m marks) []StepCells {
	var out []StepCells
	for i, s := range r.recorder.steps {
		if s.id != none && m[s.id] != nil {
			out = append(out, StepCells{i, s.span, s.name, s.value, m[s.id]})
		}
	}
	return out
}

// Steps lists what statements made, in order.
func (r *Run) Steps() []StepCells {
	out := make([]StepCells, len(r.recorder.steps))
	for i, s := range r.recorder.steps {
		out[i] = StepCells{Step: i, Span: s.span, Name: s.name, Value: s.value}
	}
	return out
}
