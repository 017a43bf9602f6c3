package causes

import (
	"context"
	"math"
	"math/rand/v2"
	"slices"
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
		if o.Error != nil || !finite(q.Cases[base].Expected, o.Values) || !q.firm(&c, o) {
			continue
		}
		c.Expected = o.Values
		out = append(out, c)
	}
	return out
}

// wobble is how much values of further data are moved, to see what hangs on rounding.
const wobble = 1e-11

// firm reports whether the reference's results on some data are the same when the data are moved
// a little: the position of the greatest of values that differ by rounding alone is not, and
// programs that are right differ there. What is whole is computed with exactly, and stays.
func (q *Question) firm(c *Case, o Outcome) bool {
	inputs := map[string]*array.Array{}
	for name, a := range c.Inputs {
		inputs[name] = a
		if a != nil && a.Kind() == array.Real && a.Rank() > 0 {
			inputs[name] = redraw.Rebuilt(a, a.Shape(), moved(redraw.Values(a))).WithLabels(a.Labels())
		}
	}
	ctx := context.Background()
	m := q.outcomeOn(ctx, q.Reference, evaluate.Run(ctx, q.Reference, inputs, c.Options), inputs, c.Options)
	if m.Error != nil {
		return false
	}
	for i := range q.Targets {
		t := q.Targets[i]
		t.Tolerance.Relative, t.Tolerance.Absolute = max(t.Tolerance.Relative, 1e-6), max(t.Tolerance.Absolute, 1e-6)
		if !q.agrees(&t, o.Values, m.Values) {
			return false
		}
	}
	return true
}

// moved moves values that are not whole, those that are equal alike.
func moved(values []float64) []float64 {
	out := slices.Clone(values)
	for i, v := range out {
		if v != math.Trunc(v) {
			bits := math.Float64bits(v) * 0x9e3779b97f4a7c15
			out[i] = v * (1 + wobble*(float64(bits>>12)/(1<<51)-1))
		}
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
	f.ran(&o)
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

// usable reports whether further data are of the attempt's sort: on data where what agrees in the
// cases differs, nothing follows from what else differs.
func (f *finder) usable(i int) bool {
	if f.program == nil || f.failed {
		return true
	}
	if f.fit == nil {
		f.fit = make([]int8, len(f.q.further))
	}
	if f.fit[i] == 0 {
		f.fit[i] = 1
		o := f.attempted(i)
		if o.Error != nil {
			f.fit[i] = -1
		}
		for t := range f.q.Targets {
			target := &f.q.Targets[t]
			if o.Error == nil && !target.Step && target.Calls == nil && target.Holds == nil && !slices.Contains(f.wrong, t) &&
				!f.q.agrees(target, f.q.further[i].Expected, o.Values) {
				f.fit[i] = -1
			}
		}
	}
	return f.fit[i] > 0
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
		if !f.usable(i) {
			continue
		}
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
		if f.usable(i) && !f.q.same(&f.q.Targets[target], give(i), f.attempted(i)) {
			return false
		}
	}
	return true
}

// mirrorNow makes the copy of the reference that slips are made in; q.lock is held.
func (q *Question) mirrorNow() {
	if q.mirror == nil {
		q.mirror = notation.CopyProgram(q.Reference)
		q.mirrored = slips.Of(q.mirror, q.Material)
		q.slipped, q.oddities = map[int][]Outcome{}, map[int]bool{}
	}
}

// slipBeyond is what a slip of the reference gives on further data.
func (q *Question) slipBeyond(k int) []Outcome {
	q.lock.Lock()
	defer q.lock.Unlock()
	if known, ok := q.slipped[k]; ok {
		return known
	}
	q.mirrorNow()
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

// oneTruth reports whether all that tells is a few truth values: half of all mistakes give any.
func (f *finder) oneTruth(target int) bool {
	t := &f.q.Targets[target]
	if t.Holds != nil || t.Calls != nil || !f.tellsLittle(target) {
		return false
	}
	for i := range f.q.Cases {
		if v := f.q.Cases[i].Expected[t.Name]; v != nil && v.Kind() != array.Bool {
			return false
		}
	}
	return true
}

func slipKey(k int) string { return "slip " + strconv.Itoa(k) }
