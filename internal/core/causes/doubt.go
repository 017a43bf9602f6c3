package causes

import (
	"context"
	"math/rand/v2"
	"strconv"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/redraw"
	"nimbusreach/internal/core/slips"
)

// What fits the cases of an exercise may fit by chance, above all where an output is one small
// number. So every explanation is put to further data of the same sort: a repair must be right
// there too, and a slip must still give what the attempt gives.

// mostFurther is how many sets of further data an exercise has.
const mostFurther = 8

// mostTries bounds the sets that are drawn for them: the reference may not run on some.
const mostTries = 32

// furtherCells is how many cells a run of the reference may make for its data to be redrawn.
const furtherCells = 50_000

// redrawn makes the further data: the lengths of the exercise's cases, with other values.
func (q *Question) redrawn() []Case {
	var bases []int
	for i := range q.Cases {
		if q.Cases[i].Error == nil && hasElements(q.Cases[i].Inputs) {
			bases = append(bases, i)
		}
	}
	if len(bases) == 0 {
		return nil
	}
	r := rand.New(rand.NewPCG(1, uint64(len(q.Targets))))
	var out []Case
	for try := 0; try < mostTries && len(out) < mostFurther; try++ {
		base := bases[try%len(bases)]
		c := Case{Inputs: map[string]*array.Array{}, Options: q.Cases[base].Options}
		for _, in := range q.Exercise.Inputs {
			if a := q.Cases[base].Inputs[in.Name]; a == nil || a.Rank() == 0 {
				c.Inputs[in.Name] = a // what a scalar says, other data may rely on
			} else {
				c.Inputs[in.Name] = redraw.Alike(r, a, a.Shape())
			}
		}
		ctx := context.Background()
		o := q.outcomeOn(ctx, q.Reference, evaluate.Run(ctx, q.Reference, c.Inputs, c.Options), c.Inputs, c.Options)
		if o.Cells > furtherCells {
			return nil
		}
		if o.Error != nil || !finite(q.Cases[base].Expected, o.Values) {
			continue
		}
		c.Expected = o.Values
		out = append(out, c)
	}
	return out
}

func hasElements(inputs map[string]*array.Array) bool {
	for _, a := range inputs {
		if a.Size() == 0 {
			return false
		}
	}
	return len(inputs) > 0
}

// finite reports whether values have NaN or infinities only where a case's have some.
func finite(usual, values map[string]*array.Array) bool {
	for name, u := range usual {
		if v := values[name]; v == nil || !array.AllFinite(v) && array.AllFinite(u) {
			return false
		}
	}
	return true
}

// furtherRun runs a program on further data.
func (f *finder) furtherRun(i int, program *notation.Program) Outcome {
	c := &f.q.further[i]
	options := c.Options
	options.Limits.Cells = min(options.Limits.Cells, 20*furtherCells)
	options.Limits.Work = 20 * furtherCells * workOfCell
	o := f.q.outcomeOn(f.ctx, program, evaluate.Run(f.ctx, program, c.Inputs, options), c.Inputs, options)
	f.runs--
	f.cells -= o.Cells
	f.nodes -= f.size + 2*o.Steps
	return o
}

// attempted is what the attempt gives on further data.
func (f *finder) attempted(i int) Outcome {
	if f.beyond == nil {
		f.beyond = make([]*Outcome, len(f.q.further))
	}
	if f.beyond[i] == nil {
		o := f.furtherRun(i, f.program)
		f.beyond[i] = &o
	}
	return *f.beyond[i]
}

// holds reports for each of some targets whether a mended attempt is right on further data.
func (f *finder) holds(program *notation.Program, targets []int) map[int]bool {
	if len(targets) == 0 {
		return nil
	}
	out := map[int]bool{}
	for _, t := range targets {
		out[t] = true
	}
	for i := range f.q.further {
		o := f.furtherRun(i, program)
		for _, t := range targets {
			out[t] = out[t] && o.Error == nil && f.q.agrees(&f.q.Targets[t], f.q.further[i].Expected, o.Values)
		}
	}
	return out
}

// stillGives reports whether outcomes on further data are the attempt's; nobody knows of arrays
// what they would be there.
func (f *finder) stillGives(target int, give func(i int) Outcome) bool {
	if f.program == nil {
		return true
	}
	for i := range f.q.further {
		if !f.q.same(&f.q.Targets[target], give(i), f.attempted(i)) {
			return false
		}
	}
	return true
}

// slipBeyond is what a slip of the reference gives on further data.
func (q *Question) slipBeyond(k int) []Outcome {
	q.lock.Lock()
	defer q.lock.Unlock()
	if known, ok := q.slipped[k]; ok {
		return known
	}
	if q.mirror == nil {
		q.mirror = notation.CopyProgram(q.Reference)
		q.mirrored = slips.Of(q.mirror, q.Material)
		q.slipped = map[int][]Outcome{}
	}
	undo := q.mirrored[q.table[k].slip].Apply()
	defer undo()
	out := make([]Outcome, len(q.further))
	for i := range q.further {
		c := &q.further[i]
		options := c.Options
		options.Limits.Cells = min(options.Limits.Cells, 20*furtherCells)
		options.Limits.Work = 20 * furtherCells * workOfCell
		ctx := context.Background()
		out[i] = q.trimmed(q.outcomeOn(ctx, q.mirror, evaluate.Run(ctx, q.mirror, c.Inputs, options), c.Inputs, options))
	}
	q.slipped[k] = out
	return out
}

// little is how many elements of a target's differing cases say too little to rule out
// chance; of arrays, which cannot be put to further data, a slip asks for three at least.
const (
	little         = 8
	littleOfArrays = 3
)

// tellsLittle reports whether a target has few elements where it differs.
func (f *finder) tellsLittle(target int) bool {
	t, n := &f.q.Targets[target], 0
	for i := range f.q.Cases {
		if v := f.q.Cases[i].Expected[t.Name]; v != nil && !f.q.right(i, t, f.got[i]) {
			n += v.Size()
		}
	}
	if f.program == nil {
		return n < littleOfArrays
	}
	return t.Calls == nil && n < little
}

func slipKey(k int) string { return "slip " + strconv.Itoa(k) }
