package api

import (
	"context"
	"net/http"
	"strconv"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/lineage"
	"nimbusreach/internal/core/trying"
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
	out := trying.NewLineage(r.Query("case"), r.Query("output"), found.Cell, found.Inputs, counting)
	if a.Kind != "results" {
		out.Yours = trying.NewOrigin(found.Yours, found.Inputs, counting, found.YourText)
	}
	out.Expected = trying.NewOrigin(found.Expected, found.Inputs, counting, nil)
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

// traceCell says where a cell came from of what a line of a tried program gives.
func traceCell(r *request) error {
	var in wire.TraceCell
	sheet, err := r.tried(&in, &in.Try)
	if err != nil {
		return err
	}
	ctx, done, err := r.looking()
	if err != nil {
		return err
	}
	defer done()
	traced, err := sheet.Trace(ctx, in.Program)
	if err != nil {
		return err
	}
	out, err := traced.Cell(&in)
	if err != nil {
		return err
	}
	return r.JSON(out)
}
