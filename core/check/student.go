package check

import (
	"fmt"

	"nimbusreach/core/exercise"
	"nimbusreach/core/notation"
)

// ForStudent is the verdict as a student may see it. Findings and shapes always
// show; values and positions only for shown cases, and only where the exercise
// lets values show; of a held case nothing that its data alone decide.
func (v *Verdict) ForStudent(e *exercise.Exercise) *Verdict {
	open := map[string]bool{}
	for _, c := range e.Cases {
		open[c.Name] = c.Shown
	}
	out := *v
	out.Findings = make([]Finding, len(v.Findings))
	for i, f := range v.Findings {
		out.Findings[i] = f.forStudent(f.Case == nil || open[*f.Case], e.Values == "shown")
	}
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

func (f Finding) forStudent(open, values bool) Finding {
	if open && values {
		return f
	}
	f.Differences = nil
	switch {
	case f.Code == "value.differs":
		f.Message = fmt.Sprintf("`%s` has the right shape, and other values than expected", *f.Output)
		f.Hint = "work the shown cases out by hand; held cases ask the same with other data"
	case f.Output == nil && !open:
		f.Message = fmt.Sprintf("the program stops here with %s on a held case", f.Code)
		f.Hint = "the shown cases do not reach this; think of other lengths and values"
	}
	return f
}
