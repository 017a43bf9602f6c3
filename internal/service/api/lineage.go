package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strconv"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/lineage"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/service/budget"
	"nimbusreach/internal/service/queue"
	"nimbusreach/internal/service/store"
)

// origins says where a cell of an output came from, in an attempt and in the reference. Students see it where they see
// both sides.
func origins(r *request) error {
	cell, err := r.number("cell", 0, 0, lineage.MostCells-1)
	if err != nil {
		return err
	}
	if side := r.Query("side"); side != "" && side != "got" && side != "expected" {
		return fail(http.StatusBadRequest, "query", "The request cannot be read", "The parameter side is "+
			strconv.Quote(side)+".", "the cell is one of `side=got` or of `side=expected`")
	}
	a, p, err := r.compared()
	if err != nil {
		return err
	}
	if a.Kind == "results" {
		if p, _, err = r.Library.Arrays(r.Context(), &a.Attempt, p); err != nil {
			return err
		}
	}
	ctx, done, err := r.looking()
	if err != nil {
		return err
	}
	defer done()
	found := p.Origins(ctx, a.Program, r.Query("case"), r.Query("output"), int(cell), r.Query("side") == "got")
	if found == nil {
		return store.ErrNotFound
	}
	counting := p.Exercise.Counting
	out := lineageOf(r.Query("case"), r.Query("output"), found.Cell, found.Inputs, counting)
	if a.Kind != "results" {
		out.Yours = originOf(found.Yours, found.Inputs, counting, found.YourText)
	}
	out.Expected = originOf(found.Expected, found.Inputs, counting, nil)
	return r.JSON(out)
}

// looking waits for a place to work for somebody who waits, with the seconds of a case.
func (r *request) looking() (context.Context, func(), error) {
	ctx, done, err := r.work(budget.Look)
	if err != nil {
		return nil, nil, err
	}
	ctx, cancel := queue.BoundCase(ctx)
	return ctx, func() { cancel(); done() }, nil
}

func lineageOf(caseName, name string, cell []int, inputs map[string]*array.Array, counting int) *wire.Lineage {
	out := &wire.Lineage{Case: caseName, Name: name, Counting: counting, Cell: []int{}, Inputs: map[string]dataio.JSON{}}
	for _, at := range cell {
		out.Cell = append(out.Cell, at+counting)
	}
	for name, a := range inputs {
		out.Inputs[name] = dataio.JSON{Array: a}
	}
	return out
}

// originOf is an origin as it is sent; its lines are those of a text, none without one.
func originOf(o *lineage.Origin, inputs map[string]*array.Array, counting int, text *notation.Source) *wire.Origin {
	if o == nil {
		return nil
	}
	out := &wire.Origin{Words: o.Told(inputs, counting), Value: map[string][]int{}, Choice: map[string][]int{},
		Lines: []wire.OriginLine{}}
	for name, cells := range o.Inputs {
		if at := cells.Places(lineage.Value); len(at) > 0 {
			out.Value[name] = at
		}
		if at := cells.Places(lineage.Choice); len(at) > 0 {
			out.Choice[name] = at
		}
	}
	if text == nil {
		return out
	}
	for _, s := range o.Steps {
		out.Lines = append(out.Lines, wire.OriginLine{Line: text.Place(s.Span).Line, Name: s.Name, Step: s.Step,
			Value: s.Cells.Places(lineage.Value), Choice: s.Cells.Places(lineage.Choice)})
	}
	return out
}

// traceCell says where a cell came from of what a line of a tried program gives.
func traceCell(r *request) error {
	var in wire.TraceCell
	c, p, err := r.tried(&in, &in.Try)
	if err != nil {
		return err
	}
	program, errs := check.Read(p, in.Program)
	if len(errs) > 0 {
		return fail(http.StatusUnprocessableEntity, "program", "The program does not run", errs[0].Message+".", errs[0].Hint)
	}
	ctx, done, err := r.looking()
	if err != nil {
		return err
	}
	defer done()
	run, err := lineage.Trace(ctx, program, c.Inputs, p.Options(c))
	var large *lineage.TooLarge
	if errors.As(err, &large) {
		return fail(http.StatusUnprocessableEntity, "too-large", "Too large to be traced", large.Error()+".",
			"take a smaller case, or data of your own")
	}
	if err != nil {
		return err
	}
	steps := run.Steps()
	if in.Step < 0 || in.Step >= len(steps) || in.Cell < 0 || in.Cell >= steps[in.Step].Value.Size() {
		return fail(http.StatusUnprocessableEntity, "cell", "There is no such cell",
			fmt.Sprintf("The program gives %d lines, and what was asked for is cell %d of line %d.", len(steps), in.Cell,
				in.Step), "try the program again")
	}
	s := steps[in.Step]
	out := lineageOf(c.Name, s.Name, lineage.PositionOf(s.Value.Shape(), in.Cell, 0), c.Inputs, p.Exercise.Counting)
	out.Value = &dataio.JSON{Array: s.Value}
	out.Yours = originOf(run.OfStep(in.Step, in.Cell), c.Inputs, p.Exercise.Counting, program.Source)
	for i := range out.Yours.Lines {
		l := &out.Yours.Lines[i]
		l.Array = &dataio.JSON{Array: steps[l.Step].Value}
	}
	return r.JSON(out)
}
