package causes

import (
	"cmp"
	"slices"

	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/core/lineage"
	"nimbusreach/internal/core/notation"
)

// Explanations that fit equally well are ordered by where the repaired program's cells come from: the one whose
// output is made of the same cells as the reference's goes first.

// Bounds of what is traced for that: explanations of a target, statements and cells of a run, cells of an output.
const (
	mostTraced       = 4
	tracedStatements = 2000
	tracedCells      = 300_000
	askedCells       = 8
)

// byOrigin orders repairs that better leaves to their codes' rank. list is sorted by better.
func (f *finder) byOrigin(target int, list []Cause) {
	for from := 0; from < len(list); {
		to := from + 1
		for to < len(list) && fits(list[from], list[to]) == 0 {
			to++
		}
		group := list[from:to]
		from = to
		if len(group) < 2 || len(group) > mostTraced || !f.compareOrigins(target, group) {
			continue
		}
		slices.SortStableFunc(group, func(a, b Cause) int { return cmp.Compare(a.mismatches, b.mismatches) })
	}
}

// compareOrigins is mismatch at an edge of its own: a fault in a rule of lineage takes the order alone.
func (f *finder) compareOrigins(target int, group []Cause) (compared bool) {
	err := guard.Call("comparing where repairs' cells come from", func() error {
		compared = f.mismatch(target, group)
		return nil
	})
	if err != nil {
		f.q.fault.CompareAndSwap(nil, guard.As(err))
	}
	return compared
}

// mismatch counts for each repair the cells by which its output's origin differs from the reference's; false where one
// cannot be traced.
func (f *finder) mismatch(target int, group []Cause) bool {
	t, in := &f.q.Targets[target], f.differsIn(target)
	if len(in) == 0 || t.Calls != nil || t.Holds != nil {
		return false
	}
	i := in[0]
	c, got := &f.q.Cases[i], &f.got[i]
	expected := c.Expected[t.Name]
	if expected == nil || expected.Size() == 0 || got.Steps > tracedStatements || got.Cells > tracedCells ||
		slices.ContainsFunc(group, func(c Cause) bool { return c.repaired == "" }) {
		return false
	}
	origins := func(program *notation.Program) []map[string]lineage.Cells {
		run, err := lineage.Trace(f.ctx, program, c.Inputs, c.Options)
		if err != nil || run.Result.Value(t.Name) == nil || run.Result.Value(t.Name).Size() != expected.Size() {
			return nil
		}
		var out []map[string]lineage.Cells
		for k := range min(askedCells, expected.Size()) {
			o, _ := run.Of(t.Name, k*expected.Size()/min(askedCells, expected.Size()))
			out = append(out, o.Inputs)
		}
		return out
	}
	wanted := origins(f.q.Reference)
	for k := range group {
		program, errs := notation.Parse(group[k].repaired)
		if len(errs) > 0 || wanted == nil {
			return false
		}
		made := origins(program)
		if made == nil {
			return false
		}
		group[k].mismatches = 0
		for cell := range wanted {
			group[k].mismatches += differing(wanted[cell], made[cell])
		}
	}
	return true
}

// differing counts the cells of inputs that take part in one origin in another way than in the other.
func differing(a, b map[string]lineage.Cells) int {
	n := 0
	for name, cells := range a {
		other := b[name]
		if other == nil {
			other = make(lineage.Cells, len(cells))
		}
		for k := range cells {
			if cells[k] != other[k] {
				n++
			}
		}
	}
	for name, cells := range b {
		if a[name] == nil {
			n += cells.Count(lineage.Value | lineage.Choice)
		}
	}
	return n
}
