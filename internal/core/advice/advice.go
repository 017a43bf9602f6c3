// Package advice looks at an exercise the way a distrustful colleague would: weak
// data, loose tolerances, silent prompts. Each piece of advice says where, why it
// matters and one change to try.
//
// It works from the cases, from how data are drawn, from the reference's tree and from
// its run; an exercise that a weakness cannot harm gets no advice for it.
package advice

import (
	"context"
	"fmt"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/probe"
)

// Advice is one piece of it.
type Advice struct {
	Exercise string     `json:"exercise"`
	Code     codes.Code `json:"code"`
	Place    string     `json:"place"`
	Message  string     `json:"message"`
	Try      string     `json:"try"`
	YAML     string     `json:"yaml,omitempty"` // a held case that fixes it, where one does
}

// Inspect gives the advice on an exercise, and its probe, which some of it rests on.
func Inspect(ctx context.Context, p *check.Prepared, o probe.Options) ([]Advice, *probe.Report) {
	w := &inspector{ctx: ctx, p: p, e: p.Exercise, out: []Advice{}}
	for i := range p.Cases {
		if p.Cases[i].Error == nil {
			w.cases = append(w.cases, &p.Cases[i])
		}
	}
	report := probe.Run(ctx, p, o)
	w.probe = report
	if !slices.ContainsFunc(p.Cases, func(c check.PreparedCase) bool { return c.Shown }) {
		w.advise(codes.AdviceNothingShown, "cases", "no case is shown, so students see neither data nor what differs",
			"show one: `shown: true`")
	}
	if len(w.cases) == 0 {
		return w.out, report
	}
	w.watch()
	w.heldCases()
	w.equalLengths()
	w.oneShape()
	if !slices.ContainsFunc(w.out, func(a Advice) bool { return a.Code == codes.AdviceOneShape }) {
		w.oneLength()
	}
	w.masks()
	w.facts()
	w.signs()
	w.commuting()
	w.missingValues()
	w.ties()
	w.tolerances()
	w.conditions()
	w.inputs()
	w.outputs()
	w.prompt()
	w.writtenLengths()
	return w.out, report
}

// OfCourse gives the advice on a course beside that on its exercises.
func OfCourse(c *exercise.Course) []Advice {
	out := []Advice{}
	for _, name := range c.Unlisted {
		out = append(out, Advice{Exercise: name, Code: codes.AdviceNotListed, Place: "course.yaml",
			Message: fmt.Sprintf("the folder `exercises/%s` holds an exercise that `exercises:` does not list, so it is not "+
				"published", name), Try: "list it, or move the folder away"})
	}
	if c.Digest != "" && c.Digest != "never" {
		out = append(out, Advice{Code: codes.AdviceNotSent, Place: "course.yaml",
			Message: fmt.Sprintf("`team: {digest: %s}` is kept, and no digest is sent by this build", c.Digest),
			Try:     "look at the desk meanwhile; leave `digest` out to end this advice"})
	}
	return out
}

type inspector struct {
	ctx   context.Context
	p     *check.Prepared
	probe *probe.Report
	e     *exercise.Exercise
	cases []*check.PreparedCase
	seen  []map[notation.Node]*array.Array // values of the reference's expressions, by case
	notes [][]*notation.Diagnostic
	out   []Advice
}

func (w *inspector) advise(code codes.Code, place, message, try string) {
	for _, a := range w.out {
		if a.Code == code && a.Place == place {
			return
		}
	}
	w.out = append(w.out, Advice{Exercise: w.e.Name, Code: code, Place: place, Message: message, Try: try})
}

// line names a place in the reference.
func (w *inspector) line(n notation.Node) string {
	return fmt.Sprintf("reference.nra, line %d", w.p.Program.Source.Place(n.Pos()).Line)
}

// watch runs the reference once more on every case and keeps what its expressions give.
func (w *inspector) watch() {
	for _, c := range w.cases {
		values := map[notation.Node]*array.Array{}
		o := w.p.Options(c)
		o.Watch = func(e notation.Expr, v *array.Array) { values[e] = v }
		result := evaluate.Run(w.ctx, w.p.Program, c.Inputs, o)
		w.seen = append(w.seen, values)
		w.notes = append(w.notes, result.Notices)
	}
}

// every reports whether f holds in every case; it is false without cases.
func (w *inspector) every(f func(c *check.PreparedCase) bool) bool {
	for _, c := range w.cases {
		if !f(c) {
			return false
		}
	}
	return len(w.cases) > 0
}

// masks looks for masks that are all true or all false.
func (w *inspector) masks() {
	w.reference(func(n notation.Node, parents []notation.Node) {
		e, ok := n.(notation.Expr)
		if !ok || !isMask(e) || len(parents) == 0 {
			return
		}
		switch p := parents[len(parents)-1].(type) {
		case *notation.Binary, *notation.Unary, *notation.Compare, *notation.Paren:
			if _, isParen := p.(*notation.Paren); !isParen || underLogic(parents) {
				return // part of a mask; the whole of it is asked
			}
		}
		if heedsMissing(e) {
			return
		}
		for i, c := range w.cases {
			v := w.seen[i][e]
			if v == nil || v.Kind() != array.Bool || v.Rank() == 0 || v.Size() < 2 {
				continue
			}
			trues := v.CountTrue()
			word := ""
			switch trues {
			case 0:
				word = "false"
			case v.Size():
				word = "true"
			default:
				continue
			}
			text := w.p.Program.Source.Slice(e.Pos())
			w.advise(codes.AdviceMaskTrivial, w.line(e),
				fmt.Sprintf("`%s` is all %s in the case `%s`, so a mask that is inverted, left out or never applied may pass "+
					"there", text, word, c.Name),
				fmt.Sprintf("give `%s` data on both sides of the comparison", c.Name))
			return
		}
	})
}

func underLogic(parents []notation.Node) bool {
	for i := len(parents) - 1; i >= 0; i-- {
		switch parents[i].(type) {
		case *notation.Paren:
			continue
		case *notation.Binary, *notation.Unary:
			return true
		}
		return false
	}
	return false
}

// heedsMissing reports whether an expression asks which values are missing.
func heedsMissing(e notation.Expr) bool {
	heeds := false
	notation.Walk(e, func(n notation.Node) bool {
		if c, ok := n.(*notation.Call); ok && (c.Name.Name == "is_nan" || c.Name.Name == "is_finite") {
			heeds = true
		}
		return true
	})
	return heeds
}

// isMask reports whether an expression compares or joins truth values.
func isMask(e notation.Expr) bool {
	switch e := e.(type) {
	case *notation.Compare:
		return true
	case *notation.Binary:
		return e.Op == "and" || e.Op == "or" || e.Op == "xor"
	case *notation.Unary:
		return e.Op == "not"
	}
	return false
}

// reference walks the reference's tree with the nodes around each, which f does not keep.
func (w *inspector) reference(f func(n notation.Node, parents []notation.Node)) {
	var walk func(n notation.Node, parents []notation.Node)
	walk = func(n notation.Node, parents []notation.Node) {
		f(n, parents)
		notation.EachChild(n, func(c notation.Node) { walk(c, append(parents, n)) })
	}
	for _, s := range w.p.Program.Statements {
		walk(s, nil)
	}
}
