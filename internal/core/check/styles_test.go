package check_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// style writes a program in another way that gives the same; "" where it is written in that way already.
type style struct {
	name  string
	write func(p *check.Prepared, program *notation.Program) string
}

var styles = []style{
	{"in one expression each", inOneExpression},
	{"in small steps", inSmallSteps},
	{"with functions of one's own", withFunctions},
	{"with functions that have a body", withBodies},
}

// wholes are the statements of a program that binds each name once; nil for any other.
func wholes(p *check.Prepared, program *notation.Program) []*notation.Assign {
	seen := map[string]bool{}
	for _, in := range p.Exercise.Inputs {
		seen[in.Name] = true
	}
	var out []*notation.Assign
	for _, s := range program.Statements {
		a, ok := s.(*notation.Assign)
		if !ok || a.Selection != nil || a.Op != "=" || seen[a.Target.Name] {
			return nil
		}
		seen[a.Target.Name] = true
		out = append(out, a)
	}
	return out
}

// wanted reports whether an exercise asks for a name.
func wanted(p *check.Prepared, name string) bool {
	for _, o := range p.Exercise.Outputs {
		if o.Name == name {
			return true
		}
	}
	for _, s := range p.Exercise.Steps {
		if s.Name == name {
			return true
		}
	}
	for _, property := range p.Exercise.Properties {
		if strings.Contains(property.Holds, name) {
			return true
		}
	}
	return false
}

func uses(n notation.Node, name string) int {
	times := 0
	notation.Walk(n, func(n notation.Node) bool {
		if x, ok := n.(*notation.Name); ok && x.Name == name {
			times++
		}
		return true
	})
	return times
}

// inOneExpression writes what a name holds where the name stands.
func inOneExpression(p *check.Prepared, program *notation.Program) string {
	program = notation.CopyProgram(program)
	list := wholes(p, program)
	var kept []notation.Statement
	for i, a := range list {
		times := 0
		for _, later := range list[i+1:] {
			times += uses(later.Value, a.Target.Name)
		}
		if wanted(p, a.Target.Name) || times != 1 {
			kept = append(kept, a)
			continue
		}
		for _, later := range list[i+1:] {
			notation.EachExpr(later, func(slot *notation.Expr) {
				if n, ok := (*slot).(*notation.Name); ok && n.Name == a.Target.Name {
					*slot = &notation.Paren{Span: n.Span, Inner: a.Value}
				}
			})
		}
	}
	if len(kept) == len(list) {
		return ""
	}
	return notation.Print(&notation.Program{Source: program.Source, Statements: kept})
}

// inSmallSteps gives a name to what the calls and operators of a statement work on.
func inSmallSteps(p *check.Prepared, program *notation.Program) string {
	program = notation.CopyProgram(program)
	var out []notation.Statement
	parts := 0
	for _, a := range wholes(p, program) {
		var slots []*notation.Expr
		switch e := notation.Strip(a.Value).(type) {
		case *notation.Call:
			if len(e.Args) > 0 {
				slots = append(slots, &e.Args[0])
			}
		case *notation.Binary:
			slots = append(slots, &e.Left, &e.Right)
		case *notation.Select:
			slots = append(slots, &e.Of)
		}
		for _, slot := range slots {
			switch notation.Strip(*slot).(type) {
			case *notation.Call, *notation.Binary, *notation.Select:
				parts++
				name := &notation.Name{Span: (*slot).Pos(), Name: fmt.Sprintf("part_%d", parts)}
				out = append(out, &notation.Assign{Span: a.Span, Target: name, Op: "=", Value: *slot})
				*slot = &notation.Name{Span: name.Span, Name: name.Name}
			}
		}
		out = append(out, a)
	}
	if parts == 0 {
		return ""
	}
	return notation.Print(&notation.Program{Source: program.Source, Statements: out})
}

// throughFunctions puts each value into a function of the names that it comes from.
func throughFunctions(p *check.Prepared, program *notation.Program,
	write func(name, params, value string) string) string {
	known := map[string]bool{}
	for _, in := range p.Exercise.Inputs {
		known[in.Name] = true
	}
	var out strings.Builder
	for _, a := range wholes(p, program) {
		var params []string
		notation.Walk(a.Value, func(n notation.Node) bool {
			if x, ok := n.(*notation.Name); ok && known[x.Name] && !slices.Contains(params, x.Name) {
				params = append(params, x.Name)
			}
			return true
		})
		known[a.Target.Name] = true
		value := notation.PrintExpr(a.Value)
		if len(params) == 0 || strings.Contains(value, "\n") {
			out.WriteString(notation.PrintStatement(a) + "\n")
			continue
		}
		list := strings.Join(params, ", ")
		out.WriteString(write("made_"+a.Target.Name, list, value))
		fmt.Fprintf(&out, "%s = made_%s(%s)\n", a.Target.Name, a.Target.Name, list)
	}
	return out.String()
}

func withFunctions(p *check.Prepared, program *notation.Program) string {
	return throughFunctions(p, program, func(name, params, value string) string {
		return fmt.Sprintf("function %s(%s) = %s\n", name, params, value)
	})
}

func withBodies(p *check.Prepared, program *notation.Program) string {
	return throughFunctions(p, program, func(name, params, value string) string {
		return fmt.Sprintf("function %s(%s) {\n  result = %s\n  return result\n}\n", name, params, value)
	})
}

// TestACauseIsTheSameInAnotherStyle writes attempts of the corpus in other ways: verdict and first cause stay.
func TestACauseIsTheSameInAnotherStyle(t *testing.T) {
	folders := []string{"testdata/own", "testdata/own-from-one"}
	exercises := preparedCourses(t, folders...)
	samples := samplesOf(t, folders)
	told := func(v *check.Verdict) codes.Code {
		if len(v.Causes) == 0 {
			return ""
		}
		return v.Causes[0].Code
	}
	for _, st := range styles {
		t.Run(st.name, func(t *testing.T) {
			written, accepted, kept := 0, 0, 0
			for _, s := range samples {
				p := exercises[s.Exercise]
				program, errs := notation.Parse(s.Program)
				if len(errs) > 0 {
					continue
				}
				other := st.write(p, program)
				if other == "" || other == s.Program {
					continue
				}
				first, again := attempt(t, p, s.Program), attempt(t, p, other)
				written++
				assert.Equal(t, first.Verdict, again.Verdict, "%s:%d\n%s", s.Exercise, s.Line, other)
				if !slices.Contains(s.Accepted, told(first)) {
					continue
				}
				accepted++
				if slices.Contains(s.Accepted, told(again)) {
					kept++
					continue
				}
				t.Logf("%s:%d %s → %s\n%s", s.Exercise, s.Line, told(first), told(again), other)
			}
			assert.Greater(t, written, 20)
			assert.GreaterOrEqual(t, float64(kept), 0.97*float64(accepted), "of %d", accepted)
		})
	}
}
