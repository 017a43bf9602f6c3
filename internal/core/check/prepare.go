package check

import (
	"context"
	"fmt"
	"path"
	"slices"
	"sync"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/causes"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// Prepared is an exercise with its reference's results for every case, computed
// once and used for every attempt.
type Prepared struct {
	Exercise *exercise.Exercise
	Program  *notation.Program // the reference
	Cases    []PreparedCase
	Calls    [][]notation.Expr // of each function that is checked
	Holds    []notation.Expr   // of each property

	limits   evaluate.Limits // zero for those of a check
	from     *Prepared       // what it was made of by Own; nil where its cases are the exercise's
	cost     Cost
	once     sync.Once
	question *causes.Question

	traces sync.Map // of the reference, by case

	shownOnce sync.Once
	shown     *causes.Question
}

// PreparedCase is a case with what the reference makes of it.
type PreparedCase struct {
	*exercise.Case
	Expected map[string]*array.Array // by output
	Steps    map[string]*array.Array
	Calls    [][]*array.Array     // by function, by call
	Error    *notation.Diagnostic // what the reference ends in, where that is right
	Masks    []compare.Mask       // truth values that the reference works with
	Values   map[string]*array.Array
	Cost     Cost
}

// Options bound a run on the case and fix what it draws.
func (p *Prepared) Options(c *PreparedCase) evaluate.Options {
	limits := p.limits
	if limits == (evaluate.Limits{}) {
		limits = evaluate.CheckLimits
	}
	return evaluate.Options{Counting: p.Exercise.Counting, Limits: limits, Draw: c.CaseKey()}
}

// Freedom is an output's freedom in axes from 0; the expected array resolves labels.
func Freedom(f exercise.Freedom, expected *array.Array, counting int) compare.Freedom {
	axis := func(word string) *int {
		if word == "" {
			return nil
		}
		for i := range expected.Rank() {
			if expected.Label(i) == word || functions.AxisNumber(word, counting) == i {
				return &i
			}
		}
		return nil
	}
	return compare.Freedom{Ones: f.Ones, AnyOrder: axis(f.AnyOrder), FreeSign: axis(f.FreeSign),
		FreeScale: axis(f.FreeScale)}
}

// preparer collects what keeps an exercise from being published.
type preparer struct {
	p        *Prepared
	file     string // of the reference
	problems []exercise.Problem
	brief    bool // masks that may say where outputs differ are not asked for
}

// Prepare runs the reference on every case. What keeps an exercise from being
// published comes back as problems.
func Prepare(ctx context.Context, e *exercise.Exercise) (*Prepared, []exercise.Problem) {
	w := &preparer{p: &Prepared{Exercise: e}, file: path.Join(e.Dir, "reference.nra")}
	program, errs := notation.Parse(e.Reference)
	if len(errs) == 0 {
		errs = evaluate.Check(program, e.InputNames())
	}
	for _, d := range errs {
		w.diagnostic(d, "the reference cannot run: ")
	}
	if len(w.problems) > 0 {
		return nil, w.problems
	}
	w.p.Program = program
	w.expressions()
	w.rules()
	for i := range e.Cases {
		w.oneCase(ctx, &e.Cases[i])
	}
	if len(w.problems) == 0 {
		w.predictions(ctx)
		w.ownData(ctx)
	}
	if len(w.problems) > 0 {
		return nil, dedupe(w.problems)
	}
	return w.p, nil
}

func (w *preparer) diagnostic(d *notation.Diagnostic, about string) {
	w.problems = append(w.problems, exercise.Problem{File: w.file, Line: max(d.Place.Line, 1),
		Column: max(d.Place.Column, 1), Message: about + d.Message, Hint: d.Hint})
}

// at reports a problem at a place of exercise.yaml.
func (w *preparer) at(m exercise.Mark, message, hint string) {
	w.problems = append(w.problems, exercise.Problem{File: w.p.Exercise.File(), Line: max(m.Line, 1),
		Column: max(m.Column, 1), Message: message, Hint: hint})
}

func (w *preparer) inReference(message, hint string) {
	w.problems = append(w.problems, exercise.Problem{File: w.file, Line: 1, Column: 1, Message: message, Hint: hint})
}

// expressions parses calls and properties, and holds their names against what there
// is.
func (w *preparer) expressions() {
	e := w.p.Exercise
	own := w.p.Program.Functions()
	for _, f := range e.Functions {
		if own[f.Name] == nil {
			w.inReference(fmt.Sprintf("the reference does not define the function `%s`", f.Name),
				"define it, or take it out of exercise.yaml")
			continue
		}
		var calls []notation.Expr
		for _, text := range f.Calls {
			value := expressionOf(text)
			if !callsFunction(value, f.Name) {
				w.at(f.At, fmt.Sprintf("the call `%s` does not call `%s`", text, f.Name), fmt.Sprintf("write `%s(...)`", f.Name))
			}
			if errs := evaluate.Check(w.p.Program.Asking(askedName, value), e.InputNames()); len(errs) > 0 {
				w.at(f.At, fmt.Sprintf("the call `%s` cannot run: %s", text, errs[0].Message), errs[0].Hint)
			}
			calls = append(calls, value)
		}
		w.p.Calls = append(w.p.Calls, calls)
	}
	known := slices.Concat(e.InputNames(), notation.Bound(w.p.Program.Statements))
	for _, q := range e.Properties {
		value := expressionOf(q.Holds)
		if errs := evaluate.Check(w.p.Program.Asking(askedName, value), known); len(errs) > 0 {
			w.at(q.At, fmt.Sprintf("the property `%s` cannot run: %s", q.Holds, errs[0].Message), errs[0].Hint)
		}
		w.p.Holds = append(w.p.Holds, value)
	}
	for _, q := range e.Predictions {
		if errs := evaluate.Check(w.p.Program.Asking(askedName, expressionOf(q.Of)), known); len(errs) > 0 {
			w.at(q.At, fmt.Sprintf("the prediction's `of`, `%s`, cannot run: %s", q.Of, errs[0].Message), errs[0].Hint)
		}
	}
}

// askedName is what a call or a property is bound to; no text can spell it.
const askedName = "the answer"

// expressionOf parses an expression that the loader has parsed before.
func expressionOf(text string) notation.Expr {
	program, errs := notation.ParseExpression(text)
	if len(errs) > 0 {
		return &notation.Truth{}
	}
	return program.Statements[0].(*notation.Assign).Value
}

func callsFunction(e notation.Expr, name string) bool {
	found := false
	notation.Walk(e, func(n notation.Node) bool {
		if c, ok := n.(*notation.Call); ok && c.Name.Name == name {
			found = true
		}
		return !found
	})
	return found
}

// mostMasks bounds how many masks of a case are kept to say where differences lie.
const mostMasks = 12

func (w *preparer) oneCase(ctx context.Context, c *exercise.Case) {
	e, p := w.p.Exercise, w.p
	pc := PreparedCase{Case: c, Expected: map[string]*array.Array{}, Steps: map[string]*array.Array{}}
	options := p.Options(&pc)
	watch := func(x notation.Expr, v *array.Array) {
		if v.Kind() == array.Bool && v.Rank() > 0 && len(pc.Masks) < mostMasks {
			if _, isName := notation.Strip(x).(*notation.Name); !isName && x.Pos() != (notation.Span{}) {
				words := p.Program.Source.Slice(x.Pos())
				if !slices.ContainsFunc(pc.Masks, func(m compare.Mask) bool { return m.Words == words }) {
					pc.Masks = append(pc.Masks, compare.Mask{Words: words, Values: v})
				}
			}
		}
	}
	if !w.brief {
		options.Watch = watch
	}
	result := evaluate.Run(ctx, p.Program, c.Inputs, options)
	pc.Cost = Cost{Statements: result.Statements, Cells: result.Cells}
	pc.Values = result.Values()
	switch {
	case result.Error != nil && result.Error.Code == c.Expects:
		pc.Error = result.Error
		p.Cases = append(p.Cases, pc)
		p.cost = p.cost.plus(pc.Cost)
		return
	case c.Expects != "":
		got := "runs to its end"
		if result.Error != nil {
			got = fmt.Sprintf("ends in %s", result.Error.Code)
		}
		w.at(c.At, fmt.Sprintf("the case `%s` expects %s, and the reference %s", c.Name, c.Expects, got),
			"fix the case's data, or take `expects` out")
		return
	case result.Error != nil:
		w.diagnostic(result.Error, fmt.Sprintf("in the case `%s` the reference stops: ", c.Name))
		return
	}
	for i := range e.Outputs {
		if value := w.output(&e.Outputs[i], c, pc.Values); value != nil {
			pc.Expected[e.Outputs[i].Name] = value
		}
	}
	for _, s := range e.Steps {
		value := result.Value(s.Name)
		if value == nil {
			w.inReference(fmt.Sprintf("the reference never binds the step `%s`", s.Name),
				"bind it, or take the step out of exercise.yaml")
			continue
		}
		pc.Steps[s.Name] = value
	}
	if e.InputsUnchanged && len(result.Changed) > 0 {
		w.inReference(fmt.Sprintf("the reference breaks the exercise's own rule: it changes the input `%s`",
			result.Changed[0]), "copy it first, or take `inputs_unchanged` out")
	}
	w.calls(ctx, &pc)
	w.properties(ctx, &pc, pc.Values)
	p.Cases = append(p.Cases, pc)
	p.cost = p.cost.plus(pc.Cost)
}

// predictions runs each prediction on the first shown case, as its students will be asked.
func (w *preparer) predictions(ctx context.Context) {
	for i, q := range w.p.Exercise.Predictions {
		v, d := w.p.predicted(ctx, i)
		switch {
		case d != nil && d.Code == codes.TextName:
			w.at(q.At, "a prediction is asked of the first shown case, and "+d.Message,
				"show a case, or take the prediction out")
		case d != nil && q.What != "error":
			w.at(q.At, fmt.Sprintf("the prediction's `of`, `%s`, stops on the shown case with %s: %s", q.Of, d.Code,
				d.Message), "fix it, or ask for it: `what: error`")
		case d == nil && q.What == "value" && v.Size() > mostPredicted:
			w.at(q.At, fmt.Sprintf("the prediction's `of`, `%s`, gives %d elements, and a student would have to write them "+
				"all", q.Of, v.Size()), "ask for its shape, or for one element")
		}
	}
}

// mostPredicted bounds the elements of a value that a student is asked to write.
const mostPredicted = 100

func (w *preparer) output(out *exercise.Output, c *exercise.Case, values map[string]*array.Array) *array.Array {
	value, ok := values[out.Name]
	if !ok {
		w.inReference(fmt.Sprintf("the reference never binds the output `%s`", out.Name),
			"bind it, or take the output out of exercise.yaml")
		return nil
	}
	if out.HasAxes && value.Rank() != len(out.Axes) {
		w.inReference(fmt.Sprintf("in the case `%s` the output `%s` has the shape %s, and %d axes are declared", c.Name,
			out.Name, functions.ShapeOf(value), len(out.Axes)), "fix the reference, or the output's `axes`")
		return nil
	}
	if out.Kind != nil && value.Kind() != *out.Kind {
		w.at(out.At, fmt.Sprintf("in the case `%s` the output `%s` is %s, and its `kind` says %s", c.Name, out.Name,
			value.Kind(), *out.Kind), "fix `kind`, or convert in the reference: `"+out.Kind.String()+"(...)`")
		return nil
	}
	if out.HasAxes && value.Labels() == nil {
		value = value.WithLabels(out.Axes)
	}
	for i, axis := range out.Axes {
		if label := value.Label(i); axis != "" && label != "" && label != axis {
			w.at(out.At, fmt.Sprintf("in the case `%s` the output `%s` has the shape %s, and its `axes` say `%s` where the "+
				"reference has `%s`", c.Name, out.Name, functions.ShapeOf(value), axis, label), "fix `axes`, or the reference")
			return nil
		}
	}
	return value
}

// calls evaluates the calls of checked functions.
func (w *preparer) calls(ctx context.Context, pc *PreparedCase) {
	p := w.p
	pc.Calls = make([][]*array.Array, len(p.Calls))
	for i, calls := range p.Calls {
		for k, call := range calls {
			value, d := p.Ask(ctx, pc, p.Program, call, pc.Inputs)
			if d != nil {
				w.at(p.Exercise.Functions[i].At, fmt.Sprintf("in the case `%s` the reference's call `%s` stops: %s", pc.Name,
					p.Exercise.Functions[i].Calls[k], d.Message), d.Hint)
				return
			}
			pc.Calls[i] = append(pc.Calls[i], value)
		}
	}
}

// Ask evaluates an expression with the functions a program defines.
func (p *Prepared) Ask(ctx context.Context, c *PreparedCase, program *notation.Program, e notation.Expr,
	names map[string]*array.Array) (*array.Array, *notation.Diagnostic) {
	result := evaluate.Run(ctx, program.Asking(askedName, e), names, p.Options(c))
	return result.Value(askedName), result.Error
}

func (w *preparer) properties(ctx context.Context, pc *PreparedCase, values map[string]*array.Array) {
	p := w.p
	for i, q := range p.Exercise.Properties {
		if i >= len(p.Holds) {
			return
		}
		v, d := p.Ask(ctx, pc, p.Program, p.Holds[i], withInputs(pc.Case, values))
		switch {
		case d != nil:
			w.at(q.At, fmt.Sprintf("in the case `%s` the property `%s` stops: %s", pc.Name, q.Holds, d.Message), d.Hint)
		case v.Kind() != array.Bool || v.Rank() != 0:
			w.at(q.At, fmt.Sprintf("in the case `%s` the property `%s` gives %s, and not one truth value", pc.Name, q.Holds,
				functions.Describe(v)), "reduce it with `all(...)`")
		case !v.BoolAt(0):
			w.at(q.At, fmt.Sprintf("in the case `%s` the reference itself does not fulfil the property `%s`", pc.Name,
				q.Holds), "fix the property, its tolerance, or the reference")
		}
	}
}

// withInputs is what properties see: the inputs as they were given, and what the
// program bound to other names.
func withInputs(c *exercise.Case, values map[string]*array.Array) map[string]*array.Array {
	out := make(map[string]*array.Array, len(values)+len(c.Inputs))
	for name, v := range values {
		out[name] = v
	}
	for name, v := range c.Inputs {
		out[name] = v
	}
	return out
}

// rules compares the reference with the exercise's own rules.
func (w *preparer) rules() {
	p := w.p
	for _, r := range treeRules(p.Exercise, p.Program) {
		if r.Code == codes.RuleLoop && p.Exercise.Loops != exercise.LoopsRefuse {
			continue
		}
		place := notation.Place{Line: 1, Column: 1}
		if r.Span != nil {
			place = *r.Span
		}
		w.problems = append(w.problems, exercise.Problem{File: w.file, Line: place.Line, Column: place.Column,
			Message: "the reference breaks the exercise's own rule: " + r.Message,
			Hint:    "write the reference otherwise, or fix `rules`"})
	}
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
