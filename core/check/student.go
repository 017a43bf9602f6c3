package check

import (
	"fmt"

	"nimbusreach/core/causes"
	"nimbusreach/core/exercise"
	"nimbusreach/core/notation"
)

// ForStudent is the verdict as a student may see it. Findings and shapes always
// show; values and positions only for shown cases, and only where the exercise
// lets values show; of a held case nothing that its data alone decide.
// number is which of the student's attempts it is, from 1: some exercises tell causes
// only after a few.
func (v *Verdict) ForStudent(e *exercise.Exercise, number int) *Verdict {
	open := map[string]bool{}
	for _, c := range e.Cases {
		open[c.Name] = c.Shown
	}
	out := *v
	out.Findings = make([]Finding, len(v.Findings))
	for i, f := range v.Findings {
		out.Findings[i] = f.forStudent(f.Case == nil || open[*f.Case], e.Values == "shown")
	}
	out.Causes = studentCauses(v.Causes, e, number)
	out.Cases = make([]CaseLine, len(v.Cases))
	for i, c := range v.Cases {
		if !open[c.Name] {
			c.Statements, c.Cells, c.Notices = 0, 0, []*notation.Diagnostic{}
		}
		out.Cases[i] = c
	}
	out.Rules = make([]Rule, len(v.Rules))
	for i, r := range v.Rules {
		r.Cost = nil // adds up held cases too
		out.Rules[i] = r
	}
	return &out
}

// studentCauses asks a question where a cause is told: not the change, which could give
// the answer away, nor how many cases it rests on. The place is told where it is in the
// student's own text.
func studentCauses(list []Cause, e *exercise.Exercise, number int) []Cause {
	out := []Cause{}
	if e.Causes == "never" || e.Causes == "after" && number < e.After {
		return out
	}
	for _, c := range list {
		words, _ := causes.WordsOf(c.Code)
		if c.Code == "foreseen" && c.Note == "" {
			continue
		}
		c.Message, c.Change, c.Cases = words.Question, "", 0
		if c.Code == "foreseen" {
			c.Message = c.Note
		}
		if c.Evidence != string(causes.Repair) {
			c.Span = nil
		}
		out = append(out, c)
	}
	return out
}

func (f Finding) forStudent(open, values bool) Finding {
	if open && values {
		return f
	}
	f.Differences = nil
	switch {
	case f.Code == "step.differs" && f.Actual != nil:
		f.Message = fmt.Sprintf("the step `%s` is not as expected", *f.Output)
		f.Hint = "work the shown cases out by hand; held cases ask the same with other data"
	case f.Code == "value.differs":
		f.Message = fmt.Sprintf("`%s` has the right shape, and other values than expected", *f.Output)
		f.Hint = "work the shown cases out by hand; held cases ask the same with other data"
	case f.Output == nil && !open:
		f.Message = fmt.Sprintf("the program stops here with %s on a held case", f.Code)
		f.Hint = "the shown cases do not reach this; think of other lengths and values"
	}
	return f
}
