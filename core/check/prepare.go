package check

import (
	"context"
	"fmt"
	"path"

	"nimbusreach/core/array"
	"nimbusreach/core/evaluate"
	"nimbusreach/core/exercise"
	"nimbusreach/core/functions"
	"nimbusreach/core/notation"
)

// Prepared is an exercise with its reference's results for every case, worked out
// once and used for every attempt.
type Prepared struct {
	Exercise *exercise.Exercise
	Cases    []PreparedCase
	cost     Cost
}

// PreparedCase is a case with what the reference makes of it.
type PreparedCase struct {
	*exercise.Case
	Expected map[string]*array.Array // by output
	index    int                     // among the exercise's cases
}

// options bound a run on the case and fix what it draws.
func (p *Prepared) options(index int) evaluate.Options {
	return evaluate.Options{Counting: p.Exercise.Counting, Limits: evaluate.CheckLimits, Draw: functions.DrawKey{Case: uint64(index)}}
}

// Prepare runs the reference on every case. What keeps an exercise from being
// published comes back as problems.
func Prepare(ctx context.Context, e *exercise.Exercise) (*Prepared, []exercise.Problem) {
	dir := path.Join("exercises", e.Name)
	file := path.Join(dir, "reference.nra")
	problem := func(d *notation.Diagnostic, about string) exercise.Problem {
		return exercise.Problem{File: file, Line: max(d.Place.Line, 1), Column: max(d.Place.Column, 1), Message: about + d.Message, Hint: d.Hint}
	}
	program, errs := notation.Parse(e.Reference)
	if len(errs) == 0 {
		errs = evaluate.Check(program, e.InputNames())
	}
	var problems []exercise.Problem
	for _, d := range errs {
		problems = append(problems, problem(d, "the reference cannot run: "))
	}
	if len(problems) > 0 {
		return nil, problems
	}
	if e.Loops == exercise.LoopsRefuse {
		for _, loop := range loops(program) {
			at := program.Source.Place(loop.span)
			problems = append(problems, exercise.Problem{File: file, Line: at.Line, Column: at.Column, Message: "the reference breaks the exercise's own rule: " + loop.what, Hint: "write it on whole arrays, or set `loops: allow`"})
		}
	}
	p := &Prepared{Exercise: e}
	for i := range e.Cases {
		c := &e.Cases[i]
		result := evaluate.Run(ctx, program, c.Inputs, p.options(i))
		if result.Error != nil {
			problems = append(problems, problem(result.Error, fmt.Sprintf("in the case `%s` the reference stops: ", c.Name)))
			continue
		}
		pc := PreparedCase{Case: c, Expected: map[string]*array.Array{}, index: i}
		for _, out := range e.Outputs {
			value, ok := result.Values[out.Name]
			if !ok {
				problems = append(problems, exercise.Problem{File: file, Line: 1, Column: 1, Message: fmt.Sprintf("the reference never binds the output `%s`", out.Name), Hint: "bind it, or take the output out of exercise.yaml"})
				continue
			}
			if out.HasAxes && value.Rank() != len(out.Axes) {
				problems = append(problems, exercise.Problem{File: file, Line: 1, Column: 1, Message: fmt.Sprintf("in the case `%s` the output `%s` has the shape %s, and %d axes are declared", c.Name, out.Name, functions.ShapeOf(value), len(out.Axes)), Hint: "mend the reference, or the output's `axes`"})
				continue
			}
			if out.HasAxes && value.Labels() == nil {
				value = value.WithLabels(out.Axes)
			}
			pc.Expected[out.Name] = value
		}
		p.Cases = append(p.Cases, pc)
		p.cost.Statements += result.Statements
		p.cost.Cells += result.Cells
	}
	if len(problems) > 0 {
		return nil, dedupe(problems)
	}
	return p, nil
}

func dedupe(problems []exercise.Problem) []exercise.Problem {
	seen := map[exercise.Problem]bool{}
	var out []exercise.Problem
	for _, p := range problems {
		if !seen[p] {
			seen[p] = true
			out = append(out, p)
		}
	}
	return out
}

// loop is one place where a program goes round.
type loop struct {
	span notation.Span
	what string
}

// loops finds every each, repeat and recursive function of a program.
func loops(program *notation.Program) []loop {
	var out []loop
	own := program.Functions()
	for _, s := range program.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			switch n := n.(type) {
			case *notation.Each:
				out = append(out, loop{n.Header, "`each` goes through items one at a time"})
			case *notation.Repeat:
				out = append(out, loop{n.Header, "`repeat` goes round"})
			case *notation.Function:
				if reaches(own, n, n.Name.Name, map[string]bool{}) {
					out = append(out, loop{n.Header, fmt.Sprintf("the function `%s` calls itself", n.Name.Name)})
				}
			}
			return true
		})
	}
	return out
}

// reaches reports whether a function's calls lead to a name.
func reaches(own map[string]*notation.Function, f *notation.Function, name string, seen map[string]bool) bool {
	found := false
	notation.Walk(f, func(n notation.Node) bool {
		if c, ok := n.(*notation.Call); ok && !found {
			called := c.Name.Name
			if called == name {
				found = true
			} else if next := own[called]; next != nil && !seen[called] {
				seen[called] = true
				found = reaches(own, next, name, seen)
			}
		}
		return !found
	})
	return found
}
