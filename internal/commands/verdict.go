package commands

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/notation"
)

// marks gives each verdict its sign and terminal colour; the sign says the same
// as the colour.
var marks = map[check.Word]struct{ sign, colour string }{
	check.Agrees:  {"●", "34"},
	check.Differs: {"◐", "38;5;130"}, // readable on light and on dark, where plain yellow is not
	check.Failed:  {"▲", "35"},
	check.Refused: {"■", "90"},
}

// verdict prints a verdict for people.
func (a *app) verdict(v *check.Verdict, text, name string, whole bool) {
	m := marks[v.Verdict]
	a.printf("%s  %s of %s points\n", a.paint(m.colour, m.sign+" "+string(v.Verdict)), number(v.Points.Earned),
		number(v.Points.Possible))
	src := notation.NewSource(text)
	for _, group := range gathered(v.Findings) {
		a.printf("\n%s", a.finding(group[0], src, name))
		if len(group) > 1 {
			var others []string
			for _, f := range group[1:] {
				others = append(others, *f.Case)
			}
			a.printf("  the same in %s\n", strings.Join(others, ", "))
		}
	}
	a.causes(v.Causes, src, name, whole)
	a.example(v.Example)
	for _, r := range v.Rules {
		d := &notation.Diagnostic{Code: r.Code, Message: r.Message, Hint: ruleHints[r.Code]}
		if r.Span != nil {
			d.Place = *r.Span
		}
		a.printf("\n%s", notation.Draw(d, src, name))
		if r.Cost != nil {
			a.printf("  cost: %d statements and %d cells; the reference %d and %d\n", r.Cost.Attempt.Statements,
				r.Cost.Attempt.Cells, r.Cost.Reference.Statements, r.Cost.Reference.Cells)
		}
	}
	if !v.RulesChecked {
		on := map[string]string{check.OnOwn: "the data of your ticket", check.OnShown: "the shown cases alone"}[v.On]
		a.printf("\n  arrays handed in: judged on %s; rules: not checked\n", on)
	}
	a.printf("\n")
	for _, c := range v.Cases {
		m := marks[c.Verdict]
		a.printf("  %s %-20s %s\n", a.paint(m.colour, m.sign), c.Name, c.Verdict)
		for _, n := range c.Notices {
			a.printf("      %s, line %d: %s\n", n.Code, n.Place.Line, n.Message)
		}
	}
}

// ruleHints say what to try where a rule is broken.
var ruleHints = map[codes.Code]string{
	codes.RuleLoop:    "work on whole arrays: reductions, masks and broadcasting loop for you",
	codes.RuleRequire: "the exercise is about this one; let a result come from it",
	codes.RuleRefuse:  "the exercise is about doing without it",
	codes.RuleInputs:  "copy the input first: `y = x`, and write into the copy",
	codes.RuleCost:    "work on whole arrays, and make fewer intermediate ones",
}

// causes says why, with the evidence.
func (a *app) causes(list []check.Cause, src *notation.Source, name string, whole bool) {
	if len(list) == 0 {
		return
	}
	a.printf("\n%s\n", a.paint("1", "why"))
	for _, c := range list {
		output := ""
		if c.Output != nil {
			output = " `" + *c.Output + "`:"
		}
		a.printf(" %s %s (%s, %s)\n", output, c.Message, c.Code, c.Confidence)
		if c.Note != "" && c.Note != c.Message {
			a.printf("    the instructor says: %s\n", c.Note)
		}
		if c.Change != "" {
			a.printf("    how we know: %s: %s\n", evidenceWords[c.Evidence], c.Change)
		}
		if c.HiddenOnly {
			a.printf("    seen on hidden data alone\n")
		}
		if whole {
			a.wholeEvidence(&c)
		}
		if c.Span != nil {
			a.printf("%s", indent(notation.DrawPlace(*c.Span, src, name), "  "))
		}
	}
}

// wholeEvidence lays out what a cause rests on.
func (a *app) wholeEvidence(c *check.Cause) {
	if c.Diff != nil {
		a.printf("%s", indent(signed("-", c.Diff.Before)+signed("+", c.Diff.After), "    "))
	}
	if len(c.In) > 0 {
		a.printf("    differs in %s\n", strings.Join(c.In, ", "))
	}
	for _, r := range c.Rivals {
		a.printf("    fits too: %s by a %s, %s: it %s\n", r.Code, r.Evidence, r.Change, r.Why)
	}
}

// signed puts a sign before each line of a text.
func signed(sign, text string) string {
	out := ""
	for line := range strings.Lines(strings.TrimRight(text, "\n")) {
		out += sign + " " + strings.TrimRight(line, "\n") + "\n"
	}
	return out
}

// example shows the smallest data on which the attempt differs, as they can be pasted, and both
// results.
func (a *app) example(x *check.Example) {
	if x == nil {
		return
	}
	a.printf("\n%s\n", a.paint("1", "the smallest example"))
	for _, name := range slices.Sorted(maps.Keys(x.Inputs)) {
		a.printf("  %s = %s\n", name, dataio.Literal(x.Inputs[name].Array))
	}
	for _, name := range slices.Sorted(maps.Keys(x.Expected)) {
		a.printf("  expected %s = %s\n", name, dataio.Literal(x.Expected[name].Array))
		if got := x.Actual[name].Array; got != nil {
			a.printf("  got      %s = %s\n", name, dataio.Literal(got))
		}
	}
	a.printf("%s", madeFrom(x.MadeFrom, *cmp.Or(x.Output, new(string)), "  "))
	if x.Error != nil {
		a.printf("  the program stops there with %s: %s\n", x.Error.Code, x.Error.Message)
	}
}

// evidenceWords say what a cause rests on.
var evidenceWords = map[string]string{
	"repair":         "one change of the attempt makes it right",
	"slip":           "this change of the reference gives the attempt's result",
	"transformation": "the result, turned so, is the attempt's",
	"rule":           "seen from the text and the results",
}

// gathered lays findings of one output with one code together, in their order, and
// those of hidden cases with one code: one thing to read, however many cases show it.
func gathered(findings []check.Finding) [][]check.Finding {
	type key struct{ code, output string }
	index := map[key]int{}
	var out [][]check.Finding
	for _, f := range findings {
		if f.Output == nil && (f.Case == nil || f.Span != nil) {
			out = append(out, []check.Finding{f})
			continue
		}
		k := key{code: string(f.Code)}
		if f.Output != nil {
			k.output = *f.Output
		}
		if i, ok := index[k]; ok {
			out[i] = append(out[i], f)
			continue
		}
		index[k] = len(out)
		out = append(out, []check.Finding{f})
	}
	return out
}

func number(v float64) string {
	return strings.TrimSuffix(strings.TrimRight(fmt.Sprintf("%.2f", v), "0"), ".")
}

// finding draws one finding: its line, the shapes under each other, the worst
// elements.
func (a *app) finding(f check.Finding, src *notation.Source, name string) string {
	d := &notation.Diagnostic{Code: f.Code, Message: f.Message, Hint: f.Hint, Shapes: f.Shapes}
	if f.Case != nil {
		d.Message = "in the case " + *f.Case + ", " + f.Message
	}
	if f.Span != nil {
		d.Place = *f.Span
	} else {
		src = nil
	}
	text := notation.Draw(d, src, name)
	body, hint, _ := strings.Cut(text, "  try: ")
	var b strings.Builder
	b.WriteString(body)
	if f.Expected != nil && f.Actual != nil && f.Code == codes.ShapeDiffers {
		rows := notation.ShapeRows([]notation.Shape{side(f.Expected), side(f.Actual)})
		fmt.Fprintf(&b, "    expected  %s\n    got       %s\n", rows[0], rows[1])
	}
	if x := f.Differences; x != nil {
		fmt.Fprintf(&b, "    %-22s %16s %16s\n", axesOf(f.Expected), "expected", "got")
		for _, w := range x.Worst[:min(5, len(x.Worst))] {
			expected, got := both(string(w.Expected), string(w.Actual))
			fmt.Fprintf(&b, "    %-22s %16s %16s\n", positionOf(w.Position), expected, got)
		}
		if x.Count > 5 {
			fmt.Fprintf(&b, "    … of %d that differ\n", x.Count)
		}
	}
	b.WriteString(madeFrom(f.MadeFrom, *cmp.Or(f.Output, new(string)), "    "))
	if hint != "" {
		b.WriteString("  try: " + hint)
	}
	return b.String()
}

// madeFrom says from which cells of the inputs a cell was made, on both sides.
func madeFrom(m *check.MadeFrom, output, before string) string {
	if m == nil {
		return ""
	}
	cell := output
	if len(m.Cell) > 0 {
		cell += "[" + positionOf(m.Cell) + "]"
	}
	if m.Same {
		return fmt.Sprintf("%s%s is made from the right cells: %s\n", before, cell, m.Yours)
	}
	text := fmt.Sprintf("%s%s is made from %s\n", before, cell, m.Yours)
	if m.Expected != "" {
		text += fmt.Sprintf("%s%*s expected: %s\n", before, len([]rune(cell)), "", m.Expected)
	}
	return text
}

func side(s *check.Side) notation.Shape {
	return notation.Shape{Lengths: s.Shape, Labels: s.Labels, Mark: -1}
}

// axesOf heads the column of positions: the labels, or "position" without any.
func axesOf(s *check.Side) string {
	words := make([]string, len(s.Shape))
	labelled := false
	for i := range words {
		words[i] = "·"
		if i < len(s.Labels) && s.Labels[i] != "" {
			words[i], labelled = s.Labels[i], true
		}
	}
	if !labelled {
		return "position"
	}
	return strings.Join(words, ", ")
}

func positionOf(position []int) string {
	words := make([]string, len(position))
	for i, at := range position {
		words[i] = strconv.Itoa(at)
	}
	return strings.Join(words, ", ")
}

// both shortens two numbers to six digits, unless that would hide their difference.
func both(a, b string) (string, string) {
	if x, y := shortened(a), shortened(b); x != y {
		return x, y
	}
	return a, b
}

func shortened(text string) string {
	if v, err := strconv.ParseFloat(text, 64); err == nil && strings.ContainsAny(text, ".e") {
		return strconv.FormatFloat(v, 'g', 6, 64)
	}
	return text
}
