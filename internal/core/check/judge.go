package check

import (
	"context"
	"fmt"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// Outcome is what a program makes of one case.
type Outcome struct {
	Values map[string]*array.Array
	Error  *notation.Diagnostic
}

// Run runs a program on a case, at most for so many times the cells of the reference
// when factor is above 0.
func (p *Prepared) Run(ctx context.Context, c *PreparedCase, program *notation.Program, factor int64) Outcome {
	o := p.Options(c)
	if factor > 0 {
		o.Limits.Cells = min(o.Limits.Cells, factor*(c.Cost.Cells+10_000))
		o.Limits.Statements = min(o.Limits.Statements, factor*(c.Cost.Statements+100))
	}
	result := evaluate.Run(ctx, program, c.Inputs, o)
	return Outcome{result.Values(), result.Error}
}

// AgreesOn reports whether an output agrees in a case.
func (p *Prepared) AgreesOn(c *PreparedCase, out *exercise.Output, value *array.Array) bool {
	expected := c.Expected[out.Name]
	if value == nil || expected == nil {
		return false
	}
	return compare.Agree(expected, value, out.Tolerance, Freedom(out.Freedom, expected, p.Exercise.Counting))
}

// Right reports whether a program would be marked right in a case, its rules apart.
func (p *Prepared) Right(ctx context.Context, c *PreparedCase, program *notation.Program, factor int64) bool {
	got := p.Run(ctx, c, program, factor)
	if c.Error != nil {
		return got.Error != nil && got.Error.Code == c.Error.Code
	}
	if got.Error != nil {
		return false
	}
	for i := range p.Exercise.Outputs {
		out := &p.Exercise.Outputs[i]
		if !p.AgreesOn(c, out, got.Values[out.Name]) {
			return false
		}
	}
	for _, q := range p.Holds {
		v, d := p.Ask(ctx, c, p.Program, q, withInputs(c.Case, got.Values))
		if d != nil || v.Kind() != array.Bool || v.Rank() != 0 || !v.BoolAt(0) {
			return false
		}
	}
	for i, calls := range p.Calls {
		for k, call := range calls {
			v, d := p.Ask(ctx, c, program, call, c.Inputs)
			if d != nil || !compare.Agree(c.Calls[i][k], v, p.Exercise.Functions[i].Tolerance, compare.Freedom{}) {
				return false
			}
		}
	}
	return true
}

// With is the case with other inputs, as the reference answers them; false when it
// cannot.
func (p *Prepared) With(ctx context.Context, c *PreparedCase, inputs map[string]*array.Array) (*PreparedCase, bool) {
	plain := *c.Case
	plain.Inputs = inputs
	pc := &PreparedCase{Case: &plain, Expected: map[string]*array.Array{}}
	result := evaluate.Run(ctx, p.Program, inputs, p.Options(pc))
	if result.Error != nil {
		return nil, false
	}
	pc.Values = result.Values()
	pc.Cost = Cost{result.Statements, result.Cells}
	for _, out := range p.Exercise.Outputs {
		v := result.Value(out.Name)
		if v == nil {
			return nil, false
		}
		if out.HasAxes && v.Labels() == nil && v.Rank() == len(out.Axes) {
			v = v.WithLabels(out.Axes)
		}
		pc.Expected[out.Name] = v
	}
	for _, q := range p.Holds {
		if v, d := p.Ask(ctx, pc, p.Program, q, withInputs(&plain, pc.Values)); d != nil || v.Kind() != array.Bool ||
			v.Rank() != 0 || !v.BoolAt(0) {
			return nil, false
		}
	}
	pc.Calls = make([][]*array.Array, len(p.Calls))
	for i, calls := range p.Calls {
		for _, call := range calls {
			v, d := p.Ask(ctx, pc, p.Program, call, inputs)
			if d != nil {
				return nil, false
			}
			pc.Calls[i] = append(pc.Calls[i], v)
		}
	}
	return pc, true
}

// Outlines is what is known of the inputs before any run: lengths open, or those of
// the first case when written is set.
func (p *Prepared) Outlines(written bool) map[string]functions.Outline {
	out := map[string]functions.Outline{}
	var symbols functions.Symbols
	for _, in := range p.Exercise.Inputs {
		for i := range p.Cases {
			a := p.Cases[i].Inputs[in.Name]
			if a == nil || p.Cases[i].Error != nil {
				continue
			}
			o := functions.OutlineOf(a).WithoutNumbers()
			if !written {
				lengths := make([]functions.Dim, a.Rank())
				for k := range lengths {
					name := a.Label(k) // axes of one label have one length
					if name == "" {
						name = fmt.Sprintf("%s %d", in.Name, k)
					}
					lengths[k] = symbols.Named(name)
				}
				o = functions.OfDims(a.Kind(), lengths, a.Labels())
			}
			out[in.Name] = o
			break
		}
	}
	return out
}
