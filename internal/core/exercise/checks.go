package exercise

import (
	"fmt"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// checks reads what is checked beside outputs: steps, functions, properties and
// predictions.
func (l *loader) checks(e *Exercise, m map[string]*yaml.Node) {
	if n := m["steps"]; n != nil {
		l.entries(e.file, n, func(key, value *yaml.Node) {
			s := Step{Name: l.declared(e, key, "step"), Points: 1, Tolerance: compare.Default, At: markOf(key)}
			if slices.ContainsFunc(e.Outputs, func(o Output) bool { return o.Name == s.Name }) {
				l.at(e.file, key, fmt.Sprintf("`%s` is an output and a step", s.Name),
					"an output is checked already; take the step out")
			}
			keys := l.mapping(e.file, value, Keys["step"]...)
			l.pointsAndTolerance(e, keys, &s.Points, &s.Tolerance)
			e.Steps = append(e.Steps, s)
		})
	}
	if n := m["functions"]; n != nil {
		l.entries(e.file, n, func(key, value *yaml.Node) { l.functionCheck(e, key, value) })
	}
	if n := m["properties"]; n != nil {
		for _, item := range l.list(e.file, n, n, "properties") {
			keys := l.mapping(e.file, item, Keys["property"]...)
			p := Property{Points: 1, At: markOf(item), Holds: l.expression(e, item, keys, "holds"), Says: l.required(e.file,
				item, keys, "says")}
			l.pointsAndTolerance(e, keys, &p.Points, nil)
			e.Properties = append(e.Properties, p)
		}
	}
	if n := m["predictions"]; n != nil {
		for _, item := range l.list(e.file, n, n, "predictions") {
			keys := l.mapping(e.file, item, Keys["prediction"]...)
			p := Prediction{Points: 1, At: markOf(item), What: "shape", Ask: l.required(e.file, item, keys, "ask"),
				Of: l.expression(e, item, keys, "of")}
			if w := keys["what"]; w != nil {
				p.What = l.word(e.file, w, PredictWhat...)
			}
			l.pointsAndTolerance(e, keys, &p.Points, nil)
			e.Predictions = append(e.Predictions, p)
		}
	}
}

func (l *loader) pointsAndTolerance(e *Exercise, m map[string]*yaml.Node, points *float64,
	tolerance *compare.Tolerance) {
	if n := m["points"]; n != nil {
		*points = l.number(e.file, n, "points")
	}
	if n := m["tolerance"]; n != nil && tolerance != nil {
		*tolerance = l.tolerance(e.file, n)
	}
}

func (l *loader) functionCheck(e *Exercise, key, value *yaml.Node) {
	f := FunctionCheck{Name: l.declared(e, key, "function"), Points: 1, Tolerance: compare.Default, At: markOf(key)}
	if functions.Lookup(f.Name) != nil {
		l.at(e.file, key, fmt.Sprintf("`%s` is a built-in function, whose name cannot be taken", f.Name),
			"call the function otherwise")
	}
	m := l.mapping(e.file, value, Keys["function"]...)
	for _, n := range l.list(e.file, value, m["calls"], "calls") {
		if l.parses(e, n) {
			f.Calls = append(f.Calls, n.Value)
		}
	}
	if m["calls"] != nil && len(f.Calls) == 0 {
		l.at(e.file, m["calls"], fmt.Sprintf("the function `%s` is never called", f.Name),
			fmt.Sprintf("give at least one call: `calls: [\"%s(...)\"]`", f.Name))
	}
	l.pointsAndTolerance(e, m, &f.Points, &f.Tolerance)
	e.Functions = append(e.Functions, f)
}

// expression reads an expression of the notation that must be there.
func (l *loader) expression(e *Exercise, parent *yaml.Node, m map[string]*yaml.Node, key string) string {
	text := l.required(e.file, parent, m, key)
	if text == "" || !l.parses(e, m[key]) {
		return ""
	}
	return text
}

// parses says what keeps a node's text from being an expression.
func (l *loader) parses(e *Exercise, n *yaml.Node) bool {
	_, errs := notation.ParseExpression(n.Value)
	if len(errs) == 0 {
		return true
	}
	d := errs[0]
	column := n.Column + d.Place.Column - 1
	if n.Style&(yaml.SingleQuotedStyle|yaml.DoubleQuotedStyle) != 0 {
		column++
	}
	l.problem(e.file, n.Line, column, fmt.Sprintf("%s cannot be read as an expression: %s", shown(n), d.Message), d.Hint)
	return false
}

// axisWord reads a label of the output, or an axis number in the course's counting.
func (l *loader) axisWord(e *Exercise, n *yaml.Node, out *Output) string {
	word := n.Value
	if number, err := strconv.Atoi(word); err == nil {
		if number < e.Counting || (out.HasAxes && number >= len(out.Axes)+e.Counting) {
			l.at(e.file, n, fmt.Sprintf("the output `%s` has no axis %s", out.Name, word), fmt.Sprintf("axes count from %d",
				e.Counting))
			return ""
		}
		return word
	}
	if !out.HasAxes || !slices.Contains(out.Axes, word) {
		hint := notation.Offer(notation.Nearest(word, out.Axes))
		if hint == "" {
			hint = "declare the output's `axes`, or give the axis's number"
		}
		l.at(e.file, n, fmt.Sprintf("the output `%s` has no axis %s", out.Name, shown(n)), hint)
		return ""
	}
	return word
}

func (l *loader) presentation(e *Exercise, n *yaml.Node) Presentation {
	var p Presentation
	m := l.mapping(e.file, n, Keys["present"]...)
	if as := m["as"]; as != nil {
		p.As = l.word(e.file, as, Presentations...)
	} else {
		l.at(e.file, n, "the presentation does not say `as` what", "write `present: {as: line}`")
	}
	if t := m["title"]; t != nil {
		p.Title = l.string(e.file, t)
	}
	return p
}

// rules reads the rules, the policy on feedback and on attempts.
func (l *loader) rules(e *Exercise, m map[string]*yaml.Node) {
	if n := m["rules"]; n != nil {
		r := l.mapping(e.file, n, Keys["rules"]...)
		if v := r["loops"]; v != nil {
			e.Loops = LoopRule(l.word(e.file, v, "refuse", "warn", "allow"))
		}
		if v := r["require"]; v != nil {
			e.Require = l.ruleWords(e, n, v, "require")
		}
		if v := r["refuse"]; v != nil {
			e.Refuse = l.ruleWords(e, n, v, "refuse")
			for _, w := range e.Refuse {
				if slices.Contains(e.Require, w) {
					l.at(e.file, v, fmt.Sprintf("`%s` is required and refused", w), "take one out")
				}
			}
		}
		if v := r["inputs_unchanged"]; v != nil {
			e.InputsUnchanged = l.bool(e.file, v)
		}
		if v := r["cost"]; v != nil {
			cost := l.mapping(e.file, v, Keys["cost"]...)
			for key, to := range map[string]*float64{"cells": &e.CostCells, "statements": &e.CostStatements} {
				if c := cost[key]; c != nil {
					if *to = l.number(e.file, c, "a bound on cost"); *to < 1 {
						l.at(e.file, c, fmt.Sprintf("%s is not a bound the reference itself keeps", shown(c)),
							"say how many times the reference's cost an answer may have: 4, say")
					}
				}
			}
		}
	}
	if n := m["feedback"]; n != nil {
		f := l.mapping(e.file, n, Keys["feedback"]...)
		if v := f["values"]; v != nil {
			e.Values = l.word(e.file, v, "shown", "never")
		}
		if v := f["held"]; v != nil {
			e.Held = l.word(e.file, v, HeldCode, HeldVerdict, HeldNothing)
		}
		if v := f["causes"]; v != nil {
			l.causePolicy(e, v)
		}
	}
	if n := m["attempts"]; n != nil {
		a := l.mapping(e.file, n, Keys["attempts"]...)
		if v := a["limit"]; v != nil {
			if e.Limit = l.whole(e.file, v, "the number of attempts"); e.Limit == 0 && v.Value == "0" {
				l.at(e.file, v, "a limit of 0 lets nobody answer", "give 1 or more, or leave the key out")
			}
		}
		if v := a["wait"]; v != nil {
			d, err := time.ParseDuration(v.Value)
			if err != nil || d < 0 {
				l.at(e.file, v, fmt.Sprintf("%s%s is not a length of time", l.about(v), shown(v)), "write `30s`, `5m` or `1h`")
			}
			e.Wait = max(d, 0)
		}
	}
	if n := m["accepts"]; n != nil {
		e.Accepts = nil
		for _, item := range l.list(e.file, n, n, "accepts") {
			e.Accepts = append(e.Accepts, l.word(e.file, item, AttemptKinds...))
		}
		if len(e.Accepts) == 0 {
			l.at(e.file, n, "the exercise accepts no kind of attempt", "write `accepts: [program]`")
		}
	}
}

// causePolicy reads always, never, or after N.
func (l *loader) causePolicy(e *Exercise, n *yaml.Node) {
	if count, ok := strings.CutPrefix(n.Value, "after "); ok {
		if v, err := strconv.Atoi(strings.TrimSpace(count)); err == nil && v > 0 {
			e.Causes, e.After = "after", v
			return
		}
	}
	if n.Value == "always" || n.Value == "never" {
		e.Causes = n.Value
		return
	}
	l.at(e.file, n, fmt.Sprintf("%s%s is not a policy on causes", l.about(n), shown(n)),
		"write always, never, or `after 3`")
}

// RuleOperators are the operators that rules may name beside functions and `each`.
var RuleOperators = []string{"+", "-", "*", "/", "^", "div", "mod", "dot", "and", "or", "xor", "not", "==", "!=", "<",
	"<=", ">", ">=", "each", "repeat"}

func (l *loader) ruleWords(e *Exercise, parent, n *yaml.Node, key string) []string {
	var out []string
	for _, item := range l.list(e.file, parent, n, key) {
		if functions.Lookup(item.Value) == nil && !slices.Contains(RuleOperators, item.Value) {
			hint := notation.Offer(notation.Nearest(item.Value, append(functions.Names(), RuleOperators...)))
			if hint == "" {
				hint = "name a built-in function, an operator such as `dot`, or `each`"
			}
			l.at(e.file, item, fmt.Sprintf("%s%s is not a built-in function or operator", l.about(item), shown(item)), hint)
			continue
		}
		out = append(out, item.Value)
	}
	return out
}

// foreseen reads the instructor's slips, and the marks on survivors.
func (l *loader) foreseen(e *Exercise, dir string, root *yaml.Node, m map[string]*yaml.Node) {
	if n := m["slips"]; n != nil {
		for _, item := range l.list(e.file, root, n, "slips") {
			keys := l.mapping(e.file, item, Keys["slip"]...)
			s := Foreseen{At: markOf(item), File: l.required(e.file, item, keys, "program"),
				Cause: codes.Code(l.required(e.file, item, keys, "cause"))}
			if note := keys["note"]; note != nil {
				s.Note = l.string(e.file, note)
			}
			if s.Cause != "" && !s.Cause.Is(codes.Cause) {
				hint := notation.Offer(notation.Nearest(string(s.Cause), causeCodes()))
				if hint == "" {
					hint = "`nimbus explain` lists the causes"
				}
				l.at(e.file, keys["cause"], fmt.Sprintf("%s%s is not a cause", l.about(keys["cause"]), shown(keys["cause"])), hint)
			}
			if s.File != "" {
				s.Program = l.program(e, dir, keys["program"])
			}
			e.Slips = append(e.Slips, s)
		}
	}
	if n := m["equivalent"]; n != nil {
		for _, item := range l.list(e.file, root, n, "equivalent") {
			keys := l.mapping(e.file, item, Keys["equivalent"]...)
			q := Equivalent{At: markOf(item), Change: l.required(e.file, item, keys, "change"), Reason: l.required(e.file,
				item, keys, "reason")}
			if v := keys["line"]; v != nil {
				q.Line = l.whole(e.file, v, "a line")
			}
			if v := keys["reference"]; v != nil {
				q.Reference = l.string(e.file, v)
			}
			e.Equivalent = append(e.Equivalent, q)
		}
	}
}

// program reads a program file below the exercise's folder.
func (l *loader) program(e *Exercise, dir string, n *yaml.Node) string {
	if !l.inside(e, n) {
		return ""
	}
	text, _ := l.text(path.Join(dir, n.Value))
	return text
}

// causeCodes lists the causes that an instructor's slip can name.
func causeCodes() []string {
	var out []string
	for _, e := range codes.Of(codes.Cause) {
		out = append(out, string(e.Code))
	}
	return out
}
