package check

import (
	"context"
	"hash/fnv"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/smallest"
)

// Example is the smallest data that were found on which an attempt differs in the way of its
// first finding. They are made from what is public of the exercise alone.
type Example struct {
	Output   *string                `json:"output"` // nil for a program that stops
	Code     codes.Code             `json:"code"`
	Inputs   map[string]dataio.JSON `json:"inputs"`
	Expected map[string]dataio.JSON `json:"expected"` // by output: the one that differs, or all
	Actual   map[string]dataio.JSON `json:"actual"`
	Error    *notation.Diagnostic   `json:"error"` // that the program stops with
	MadeFrom *MadeFrom              `json:"made_from,omitempty"`
}

// Bounds on the search for an example: how often it is asked whether data tell, the cells that
// one run makes, and all of them, with the work of slow functions and the statements that run.
const (
	exampleTrials = 400
	exampleCells  = 20_000
	exampleSpent  = 1_500_000
)

// statementCells is how many cells a statement that runs counts as.
const statementCells = 4

var exampleLimits = evaluate.Limits{Statements: 5_000, Cells: exampleCells * 10, Bytes: 8 << 20, Depth: 32,
	Work: exampleCells * 100}

// ExampleName is what the example is called among the cases.
const ExampleName = "example"

// example looks for the smallest data on which the attempt differs as it does.
func (t *attempt) example(ctx context.Context) *Example {
	e := t.p.Exercise
	var wanted *Finding
	for i := range t.verdict.Findings {
		if f := &t.verdict.Findings[i]; f.Code != codes.StepDiffers && f.Code != codes.ExpectsMissed && f.Case != nil {
			wanted = f
			break
		}
	}
	if wanted == nil || len(e.Inputs) == 0 {
		return nil
	}
	h := fnv.New64a()
	_, _ = h.Write([]byte(notation.Print(t.program)))
	search := smallest.Search{Seed: h.Sum64(), Trials: exampleTrials}
	for _, in := range e.Inputs {
		search.Inputs = append(search.Inputs, smallest.Input{Name: in.Name, Kind: in.Kind, Axes: in.Axes,
			Missing: in.Missing})
	}
	for i := range e.Cases {
		if c := &e.Cases[i]; c.Shown && c.Expects == "" {
			search.Seen = append(search.Seen, c.Inputs)
		}
	}
	spent := int64(0)
	search.Happens = func(data smallest.Data) bool {
		if spent > exampleSpent || ctx.Err() != nil {
			return false
		}
		one := t.on(ctx, data, true)
		spent += one.cells + 200
		return one.differsLike(wanted)
	}
	data := search.Find()
	if data == nil {
		return nil
	}
	return t.shownOn(ctx, data, wanted)
}

// trial is the attempt on made-up data.
type trial struct {
	c       *PreparedCase // nil where the reference does not run on them
	verdict *Verdict
	cells   int64
}

// on runs reference and attempt on data, within the bounds of an example; brief where the codes of what differs are
// enough.
func (t *attempt) on(ctx context.Context, data smallest.Data, brief bool) trial {
	for _, a := range data {
		if a.Size() > exampleCells {
			return trial{}
		}
	}
	p := &Prepared{Exercise: t.p.Exercise, Program: t.p.Program, Calls: t.p.Calls, Holds: t.p.Holds, limits: exampleLimits}
	w := &preparer{p: p, brief: brief}
	w.oneCase(ctx, &exercise.Case{Name: ExampleName, Group: ExampleName, Shown: true, Inputs: data})
	one := trial{}
	if len(p.Cases) > 0 {
		one.cells = p.Cases[0].Cost.Cells + statementCells*int64(p.Cases[0].Cost.Statements)
	}
	if len(w.problems) > 0 || len(p.Cases) == 0 {
		return one
	}
	one.c = &p.Cases[0]
	for _, v := range one.c.Expected {
		if !array.AllFinite(v) {
			return trial{cells: one.cells} // an answer that nobody would look at
		}
	}
	one.verdict = newVerdict(p, "program")
	run := newAttempt(p, t.program, one.verdict)
	run.brief = brief
	err := run.oneCase(ctx, one.c, nil)
	one.cells += run.cost.Cells + statementCells*int64(run.cost.Statements)
	if err != nil || ranOut(one.verdict) {
		return trial{cells: one.cells}
	}
	run.finish(1)
	return one
}

// ranOut reports whether a program stopped at a bound, which says nothing of it.
func ranOut(v *Verdict) bool {
	for _, f := range v.Findings {
		if f.Code == codes.RunLimit {
			return true
		}
	}
	return false
}

// differsLike reports whether the first finding is of the same output, with the same code.
func (one trial) differsLike(wanted *Finding) bool {
	if one.verdict == nil || len(one.verdict.Findings) == 0 {
		return false
	}
	f := &one.verdict.Findings[0]
	return f.Code == wanted.Code && (f.Output == nil) == (wanted.Output == nil) &&
		(f.Output == nil || *f.Output == *wanted.Output)
}

// shownOn is the example of some data, with both results.
func (t *attempt) shownOn(ctx context.Context, data smallest.Data, wanted *Finding) *Example {
	one := t.on(ctx, data, false)
	if !one.differsLike(wanted) {
		return nil
	}
	x := &Example{Output: wanted.Output, Code: wanted.Code, Inputs: map[string]dataio.JSON{},
		Expected: map[string]dataio.JSON{}, Actual: map[string]dataio.JSON{}}
	err := guard.Call("tracing where values come from", func() error { x.MadeFrom = t.madeOn(ctx, one); return nil })
	if err != nil { // the example stands without it
		t.verdict.Fault = guard.As(err)
	}
	for name, v := range data {
		x.Inputs[name] = dataio.JSON{Array: v}
	}
	result := evaluate.Run(ctx, t.program, data, t.p.Options(one.c))
	x.Error = result.Error
	for name, v := range one.c.Expected {
		if x.Output == nil || *x.Output == name {
			x.Expected[name] = dataio.JSON{Array: v}
			if got := result.Value(name); got != nil && result.Error == nil {
				x.Actual[name] = dataio.JSON{Array: got}
			}
		}
	}
	t.calls(ctx, one.c, x)
	return x
}

// calls adds to the example of a function the first call that differs, with both results.
func (t *attempt) calls(ctx context.Context, c *PreparedCase, x *Example) {
	for i, fn := range t.p.Exercise.Functions {
		if x.Output == nil || *x.Output != fn.Name || x.Error != nil {
			continue
		}
		for k, call := range t.p.Calls[i] {
			value, d := t.p.Ask(ctx, c, t.program, call, c.Inputs)
			if expected := c.Calls[i][k]; d == nil && !compare.Agree(expected, value, fn.Tolerance, compare.Freedom{}) {
				x.Expected[fn.Calls[k]], x.Actual[fn.Calls[k]] = dataio.JSON{Array: expected}, dataio.JSON{Array: value}
				return
			}
		}
	}
}
