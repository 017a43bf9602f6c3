package check

import (
	"fmt"
	"slices"

	"nimbusreach/internal/core/causes"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/notation"
)

// ForStudent is the verdict as a student may see it. Of shown cases that is everything,
// with values as the exercise lets them show. Of a held case it is the case's name, its
// verdict and the code of its first finding, as Exercise.Held allows, and nothing that
// a program could have written what it read into: no value, position, shape, length,
// line, message, notice or count.
//
// number is which of the student's attempts it is, from 1: some exercises tell causes
// only after a few.
func (v *Verdict) ForStudent(e *exercise.Exercise, number int) *Verdict {
	s := &studentView{e: e, open: map[string]bool{}}
	for _, c := range e.Cases {
		s.open[c.Name] = c.Shown
	}
	if v.On == OnOwn { // nobody is given these data again
		s.open = map[string]bool{}
		for _, c := range v.Cases {
			s.open[c.Name] = true
		}
	}
	out := *v
	out.Findings, out.Cases, out.Rules = []Finding{}, []CaseLine{}, []Rule{}
	for _, f := range v.Findings {
		if f.Case == nil || s.open[*f.Case] {
			out.Findings = append(out.Findings, s.finding(f))
		}
	}
	for _, c := range v.Cases {
		if s.open[c.Name] {
			out.Cases = append(out.Cases, c)
			continue
		}
		line, f := s.held(c)
		if line != nil {
			out.Cases = append(out.Cases, *line)
		}
		if f != nil {
			out.Findings = append(out.Findings, *f)
		}
	}
	for _, r := range v.Rules {
		out.Rules = append(out.Rules, s.rule(r))
	}
	if !s.showsExample(v) {
		out.Example = nil
	}
	out.Causes = s.causes(v, number)
	return &out
}

// studentView knows what of an exercise is open to its students.
type studentView struct {
	e    *exercise.Exercise
	open map[string]bool // by case
}

// showsExample reports whether a student sees the example: it shows values that were expected,
// and says with which code a finding begins that may be of held cases alone.
func (s *studentView) showsExample(v *Verdict) bool {
	if v.Example == nil || s.e.Values != "shown" {
		return false
	}
	return s.e.Held == exercise.HeldCode || slices.ContainsFunc(v.Findings, func(f Finding) bool {
		return f.Case != nil && s.open[*f.Case] && f.Code == v.Example.Code
	})
}

// held is what remains of a held case: its line, and a finding that holds its code.
func (s *studentView) held(c CaseLine) (*CaseLine, *Finding) {
	if s.e.Held == exercise.HeldNothing {
		return nil, nil
	}
	line := &CaseLine{Name: c.Name, Verdict: c.Verdict, Notices: []*notation.Diagnostic{}}
	if s.e.Held == exercise.HeldVerdict || c.Code == nil {
		return line, nil
	}
	line.Code = c.Code
	return line, &Finding{Code: *c.Code, Case: &line.Name, Message: heldWords(*c.Code),
		Hint: "a hidden case asks the same with other data: think of other lengths, values and order"}
}

// heldWords are a code of a held case in words, which say no more than the code does.
func heldWords(code codes.Code) string {
	if code.Is(codes.Error) {
		return fmt.Sprintf("the program stops with %s (%s) on hidden data", code, code.Words())
	}
	return code.Words() + " on hidden data"
}

// finding is a finding of a shown case, or of the text itself.
func (s *studentView) finding(f Finding) Finding {
	if s.e.Values == "shown" {
		return f
	}
	f.Differences = nil
	if f.MadeFrom != nil && f.Code == codes.ShapeDiffers {
		f.MadeFrom = &MadeFrom{Cell: f.MadeFrom.Cell, Yours: f.MadeFrom.Yours} // of the first cell, which says no value
	} else {
		f.MadeFrom = nil // which cell is the worst is told by values alone
	}
	switch {
	case f.Code == codes.StepDiffers && f.Actual != nil:
		f.Message = fmt.Sprintf("the step `%s` is not as expected", *f.Output)
		f.Hint = "compute the shown cases by hand; hidden cases ask the same with other data"
	case f.Code == codes.ValueDiffers:
		f.Message = fmt.Sprintf("`%s` has the right shape, and other values than expected", *f.Output)
		f.Hint = "compute the shown cases by hand; hidden cases ask the same with other data"
	}
	return f
}

// rule is a broken rule without what adds up held cases, or was seen in them alone.
func (s *studentView) rule(r Rule) Rule {
	r.Cost = nil
	switch {
	case r.Code == codes.RuleCost:
		r.Message = "the program takes more cells or statements than this exercise allows"
	case r.HeldOnly:
		r.Span = nil
		r.Message = "the program writes into an input, which this exercise asks you to leave unchanged"
	}
	r.HeldOnly = false
	return r
}

// causes asks a question for the first cause of each output. It leaves out the change, which
// could give the answer away, and in how many cases the cause holds. Output and place are
// given where a shown case or the example has the finding; the place only where it is in the student's own
// text.
func (s *studentView) causes(v *Verdict, number int) []Cause {
	out := []Cause{}
	if !TellsCauses(s.e, number) {
		return out
	}
	told := map[string]bool{} // outputs whose first cause was reported
	for _, c := range v.Causes {
		words, _ := codes.Lookup(c.Code)
		output := ""
		if c.Output != nil {
			output = *c.Output
		}
		if c.Code == codes.Foreseen && c.Note == "" || c.Code != codes.Foreseen && told[output] {
			continue
		}
		told[output] = true
		c.Message, c.Change, c.Cases = words.Question, "", 0
		c.Diff, c.In, c.HiddenOnly, c.Rivals = nil, nil, false, nil
		if c.Code == codes.Foreseen {
			c.Message = c.Note
		}
		seen := slices.ContainsFunc(v.Findings, func(f Finding) bool {
			return f.Case != nil && s.open[*f.Case] && (c.Output == nil || f.Output != nil && *f.Output == *c.Output)
		}) || s.showsExample(v) && (c.Output == nil ||
			v.Example.Output != nil && *v.Example.Output == *c.Output)
		if !seen {
			c.Output = nil
		}
		if !seen || c.Evidence != string(causes.Repair) {
			c.Span = nil
		}
		out = append(out, c)
	}
	return out
}

// TellsCauses reports whether a student is told causes at an attempt, counted from 1.
func TellsCauses(e *exercise.Exercise, number int) bool {
	return e.Causes == "always" || e.Causes == "after" && number >= e.After
}

// OpenLead is the code and output of the first finding that a student may see whatever
// the policy on causes: of a shown case, of the text, or the first rule. Empty where there
// is none.
func (v *Verdict) OpenLead(e *exercise.Exercise) (code codes.Code, output string) {
	s := v.ForStudent(e, 0)
	if len(s.Findings) > 0 {
		f := &s.Findings[0]
		if f.Output != nil {
			output = *f.Output
		}
		return f.Code, output
	}
	if len(s.Rules) > 0 {
		return s.Rules[0].Code, ""
	}
	return "", ""
}
