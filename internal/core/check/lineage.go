package check

import (
	"context"
	"maps"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/lineage"
	"nimbusreach/internal/core/notation"
)

// MadeFrom says from which cells of the inputs one cell of an output was made: the worst of those that differ, or the
// first where shapes do.
type MadeFrom struct {
	Cell     []int  `json:"cell"`               // its position, in the course's counting
	Yours    string `json:"yours"`              // in the attempt, in words
	Expected string `json:"expected,omitempty"` // in the reference
	Same     bool   `json:"same"`               // both from the same cells
}

// Traced is a program's run on a case, whose cells can be asked where they came from; nil where it cannot be traced.
func (p *Prepared) Traced(ctx context.Context, program *notation.Program, c *PreparedCase) *lineage.Run {
	run, err := lineage.Trace(ctx, program, c.Inputs, p.Options(c))
	if err != nil {
		return nil
	}
	return run
}

// Reference is Traced for the reference, which is traced once.
func (p *Prepared) Reference(ctx context.Context, c *PreparedCase) *lineage.Run {
	if run, is := p.traces.Load(c.Name); is {
		return run.(*lineage.Run)
	}
	run := p.Traced(ctx, p.Program, c)
	if ctx.Err() == nil && (run == nil || run.Kept() <= mostRemembered) { // else it stopped early, or is large
		p.traces.Store(c.Name, run)
	}
	return run
}

const (
	// mostRemembered bounds a trace of the reference that is remembered, in numbers of four bytes.
	mostRemembered = 1 << 18
	// tracedStatements and tracedCells bound a run that is traced for a finding: a trace takes some times as long.
	tracedStatements = 2_000
	tracedCells      = 300_000
)

// madeFrom adds to findings of shown cases where the cells come from that they speak of.
func (t *attempt) madeFrom(ctx context.Context) {
	runs := map[string]*lineage.Run{}
	for i := range t.verdict.Findings {
		f := &t.verdict.Findings[i]
		if f.Case == nil || f.Output == nil || f.Actual == nil || f.Code != codes.ValueDiffers &&
			f.Code != codes.ShapeDiffers {
			continue
		}
		c, out := t.p.find(*f.Case, *f.Output)
		if out == nil || !c.Shown || out.Freedom != (exercise.Freedom{}) || !t.isShort(c.Name) {
			continue
		}
		run, known := runs[c.Name]
		if !known {
			run = t.p.Traced(ctx, t.program, c)
			runs[c.Name] = run
		}
		f.MadeFrom = made(run, t.p.Reference(ctx, c), c.Inputs, c.Expected[out.Name], f, t.p.Exercise.Counting)
	}
}

// isShort reports whether the attempt's run on a case is short enough to be traced beside the check.
func (t *attempt) isShort(name string) bool {
	at := slices.IndexFunc(t.verdict.Cases, func(l CaseLine) bool { return l.Name == name })
	return at >= 0 && t.verdict.Cases[at].Statements <= tracedStatements && t.verdict.Cases[at].Cells <= tracedCells
}

// made says of a finding where the cell comes from that it speaks of; nil where either side cannot be told.
func made(yours, reference *lineage.Run, inputs map[string]*array.Array, expected *array.Array, f *Finding,
	counting int) *MadeFrom {
	if yours == nil || reference == nil {
		return nil
	}
	at := make([]int, len(f.Expected.Shape)) // of the first, where shapes differ
	if f.Differences != nil && len(f.Differences.Worst) > 0 {
		for i, p := range f.Differences.Worst[0].Position {
			at[i] = p - counting
		}
	}
	cell := 0
	m := &MadeFrom{Cell: []int{}}
	for i, p := range at {
		cell = cell*f.Expected.Shape[i] + p
		m.Cell = append(m.Cell, p+counting)
	}
	actual := yours.Result.Value(*f.Output)
	if actual == nil || cell >= actual.Size() || expected == nil || cell >= expected.Size() {
		return nil
	}
	mine, is := yours.Of(*f.Output, cell)
	theirs, was := reference.Of(*f.Output, cell)
	if !is || !was {
		return nil
	}
	m.Yours, m.Expected = mine.Told(inputs, counting), theirs.Told(inputs, counting)
	m.Same = maps.EqualFunc(mine.Inputs, theirs.Inputs, slices.Equal[lineage.Cells])
	return m
}

// madeOn is the same for the first finding on made-up data.
func (t *attempt) madeOn(ctx context.Context, one trial) *MadeFrom {
	f := &one.verdict.Findings[0]
	if f.Output == nil || f.Actual == nil || f.Code != codes.ValueDiffers && f.Code != codes.ShapeDiffers {
		return nil
	}
	return made(t.p.Traced(ctx, t.program, one.c), t.p.Traced(ctx, t.p.Program, one.c), one.c.Inputs,
		one.c.Expected[*f.Output], f, t.p.Exercise.Counting)
}

// Origins are where one cell of an output came from, on both sides; nil for a side that has no such cell, or was not
// traced.
type Origins struct {
	Inputs          map[string]*array.Array
	Cell            []int // its position, from 0
	Yours, Expected *lineage.Origin
	YourText        *notation.Source
}

// Origins says where a cell of an output in a case came from, on both sides at the same position; nil when there is
// no such case or output. text is the attempt, "" for one of arrays; the cell is a place in the attempt's array
// where got is said, else in the reference's.
func (p *Prepared) Origins(ctx context.Context, text, caseName, output string, cell int, got bool) *Origins {
	c, out := p.find(caseName, output)
	if out == nil || c.Expected[output] == nil {
		return nil
	}
	o := &Origins{Inputs: c.Inputs}
	expected := c.Expected[output]
	var actual *array.Array
	var yours *lineage.Run
	if program, errs := Read(p, text); len(errs) == 0 && out.Freedom == (exercise.Freedom{}) {
		o.YourText = program.Source
		if yours = p.Traced(ctx, program, c); yours != nil {
			actual = yours.Result.Value(output)
		}
	}
	from := expected
	if got && actual != nil {
		from = actual
	}
	if cell >= from.Size() {
		return o
	}
	o.Cell = lineage.PositionOf(from.Shape(), cell, 0)
	if at := placeOf(expected, o.Cell); at >= 0 {
		o.Expected = originOf(p.Reference(ctx, c), output, at)
	}
	if at := placeOf(actual, o.Cell); at >= 0 {
		o.Yours = originOf(yours, output, at)
	}
	return o
}

// placeOf is the flat place of a position in an array; below 0 where it has none.
func placeOf(a *array.Array, position []int) int {
	if a == nil || a.Rank() != len(position) {
		return -1
	}
	at := 0
	for axis, p := range position {
		if p >= a.Len(axis) {
			return -1
		}
		at = at*a.Len(axis) + p
	}
	return at
}

func originOf(run *lineage.Run, name string, cell int) *lineage.Origin {
	if run == nil {
		return nil
	}
	origin, _ := run.Of(name, cell)
	return origin
}
