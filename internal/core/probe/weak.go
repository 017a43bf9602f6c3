package probe

import (
	"context"
	"fmt"
	"slices"
	"strconv"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/slips"
)

// passed is a slip that every case lets through.
type passed struct {
	operator *slips.Operator
	change   string
	program  *notation.Program
}

// Passes finds a slip that every case lets through, and that an input's data catch
// once a weakness of theirs is fixed, and not before; with a held case that does. Both are "" when
// there is none.
func (r *Report) Passes(ctx context.Context, input string, weakness codes.Code, holds func(*array.Array) bool) (slip,
	yaml string) {
	for _, s := range r.passed {
		if s.operator.OnTop || r.caughtAnyway(ctx, s, input, holds) {
			continue
		}
		for i := range r.search.tries {
			t := &r.search.tries[i]
			if t.weakness == weakness && t.input == input && !r.search.p.Right(ctx, t.answer, s.program, costFactor) {
				return s.change, r.held(&t.data)
			}
		}
	}
	return "", ""
}

// caughtAnyway reports whether other values catch a slip that have the weakness too.
func (r *Report) caughtAnyway(ctx context.Context, s passed, input string, holds func(*array.Array) bool) bool {
	for i := range r.search.tries {
		t := &r.search.tries[i]
		if t.weakness == "" && holds(t.inputs[input]) && !r.search.p.Right(ctx, t.answer, s.program, costFactor) {
			return true
		}
	}
	return false
}

// Boundary reports whether it matters that a comparison's two sides are never equal:
// whether some data tell strict from not strict; with a held case that does.
func (r *Report) Boundary(ctx context.Context, c *notation.Compare, i int) (yaml string, ok bool) {
	program := notation.CopyProgram(r.search.p.Program)
	for _, s := range program.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			if x, is := n.(*notation.Compare); is && x.Span == c.Span {
				x.Ops[i] = map[string]string{"<": "<=", "<=": "<", ">": ">=", ">=": ">"}[x.Ops[i]]
			}
			return true
		})
	}
	for k := range r.search.tries {
		t := &r.search.tries[k]
		if t.weakness == codes.AdviceNoBoundary && !r.search.p.Right(ctx, t.answer, program, costFactor) {
			return r.held(&t.data), true
		}
	}
	return "", false
}

// Loose finds a slip that only an output's own tolerance accepts.
func (r *Report) Loose(ctx context.Context, output int) string {
	p := r.search.p
	out := p.Exercise.Outputs[output]
	for _, s := range r.passed {
		for i := range p.Cases {
			c := &p.Cases[i]
			if c.Error != nil {
				continue
			}
			got := p.Run(ctx, c, s.program, costFactor)
			v := got.Values[out.Name]
			if got.Error == nil && v != nil && !compare.Agree(c.Expected[out.Name], v, compare.Tolerance{Relative: 1e-6,
				Absolute: 1e-9, Written: true}, check.Freedom(out.Freedom, c.Expected[out.Name], p.Exercise.Counting)) {
				return s.change
			}
		}
	}
	return ""
}

// Held is a held case, written as YAML, made from the data tried against a weakness; the
// first that fits, "" for none.
func (r *Report) Held(weakness codes.Code, fits func(c *check.PreparedCase) bool) string {
	for i := range r.search.tries {
		if t := &r.search.tries[i]; t.weakness == weakness && fits(t.answer) {
			return r.held(&t.data)
		}
	}
	return ""
}

// ShapeTells reports whether some slip on another axis has the right shape in all
// cases, and another one where two lengths differ.
func (r *Report) ShapeTells(ctx context.Context, cases []*check.PreparedCase, other *check.PreparedCase) bool {
	p := r.search.p
	w := newWorker(p)
	for i := range w.slips {
		s := &w.slips[i]
		if !s.Operator.OtherAxes {
			continue
		}
		undo := s.Apply()
		same := true
		for _, c := range cases {
			same = same && sameShapes(p, c, p.Run(ctx, c, w.program, costFactor))
		}
		tells := same && !sameShapes(p, other, p.Run(ctx, other, w.program, costFactor))
		undo()
		if tells {
			return true
		}
	}
	return false
}

func sameShapes(p *check.Prepared, c *check.PreparedCase, got check.Outcome) bool {
	if got.Error != nil {
		return false
	}
	for _, out := range p.Exercise.Outputs {
		v := got.Values[out.Name]
		if v == nil || !array.SameShape(v, c.Expected[out.Name]) {
			return false
		}
	}
	return true
}

// held writes data as a held case: the same data under the same name throughout a
// report, and none under the name of a case that the exercise has.
func (r *Report) held(d *data) string {
	e := r.search.p.Exercise
	inputs := d.written(e)
	name := r.names[inputs]
	for i := len(r.names) + 1; name == ""; i++ {
		free := "extra-" + strconv.Itoa(i)
		if !slices.ContainsFunc(e.Cases, func(c exercise.Case) bool { return c.Group == free }) && !r.named(free) {
			name = free
		}
	}
	r.names[inputs] = name
	return fmt.Sprintf("- {name: %s, inputs: %s}", name, inputs)
}

func (r *Report) named(name string) bool {
	for _, n := range r.names {
		if n == name {
			return true
		}
	}
	return false
}
