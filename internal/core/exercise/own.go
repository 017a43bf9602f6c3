package exercise

import (
	"fmt"
	"maps"
	"slices"
	"time"

	"go.yaml.in/yaml/v3"

	"nimbusreach/internal/core/array"
)

// Own says how data of one's own are drawn for those who compute elsewhere.
type Own struct {
	Repeat int           // cases of a ticket
	Within time.Duration // how long a ticket can be used
	Draw   *Draw         // of every input; nil where drawn cases are the specification
	At     Mark
}

// MaxOwnCells bounds the elements of a ticket's data.
const MaxOwnCells = 1_000_000

const (
	// ownCases and ownTime are what a ticket has where the exercise says nothing else.
	ownCases = 2
	ownTime  = 30 * time.Minute
	mostOwn  = 20 // cases of a ticket
)

// own reads `own`.
func (l *loader) own(e *Exercise, n *yaml.Node) {
	e.Own = Own{Repeat: ownCases, Within: ownTime, At: Mark{1, 1}}
	if e.Takes("results") && !slices.ContainsFunc(e.Cases, func(c Case) bool { return c.Shown && c.Expects == "" }) &&
		len(e.plans()) == 0 && n == nil {
		l.problem(e.file, 1, 1, "the exercise takes arrays, and has no data to compute them from: no shown case, none that "+
			"is drawn and no `own`", "say under `own` how data are drawn, or show a case")
	}
	if n == nil {
		return
	}
	e.Own.At = markOf(n)
	m := l.mapping(e.file, n, Keys["own"]...)
	if !e.Takes("results") {
		l.at(e.file, n, "`own` draws data for arrays computed elsewhere, and the exercise takes none",
			"write `accepts: [program, results]`, or take `own` out")
	}
	if r := m["repeat"]; r != nil {
		e.Own.Repeat = l.whole(e.file, r, "the number of cases")
		if e.Own.Repeat < 1 || e.Own.Repeat > mostOwn {
			l.at(e.file, r, fmt.Sprintf("a ticket would have %s cases", shown(r)), fmt.Sprintf("give it from 1 to %d", mostOwn))
			e.Own.Repeat = ownCases
		}
	}
	if w := m["within"]; w != nil {
		d, err := ParsePeriod(w.Value)
		if err != nil || d < time.Minute || d > 30*day {
			l.at(e.file, w, fmt.Sprintf("%s is not how long a ticket can be used", shown(w)),
				"write a length of time from 1m to 30d, `30m` say")
			d = ownTime
		}
		e.Own.Within = d
	}
	if m["inputs"] == nil {
		return
	}
	before := len(l.problems)
	d := l.draw(e, &yaml.Node{Kind: yaml.MappingNode, Tag: "!!map", Line: n.Line, Column: n.Column,
		Content: []*yaml.Node{{Kind: yaml.ScalarNode, Tag: "!!str", Value: "inputs"}, m["inputs"]}})
	for _, in := range e.Inputs {
		if d.Inputs[in.Name] == nil && !d.failed {
			l.at(e.file, m["inputs"], fmt.Sprintf("`own` draws no `%s`", in.Name), "draw every declared input")
		}
	}
	if len(l.problems) > before {
		return
	}
	if n := d.most() * e.Own.Repeat; n > MaxOwnCells {
		l.at(e.file, m["inputs"], fmt.Sprintf("a ticket may have %d elements of data", n),
			fmt.Sprintf("draw shorter axes or fewer cases; it has at most %d", MaxOwnCells))
		return
	}
	e.Own.Draw = d
	if _, err := e.OwnCases(0); err != nil {
		l.at(e.file, n, "data of one's own cannot be drawn: "+err.Error(), "widen what is drawn from, or ask for less")
	}
}

// most bounds the elements that a draw makes.
func (d *Draw) most() int {
	total := 0
	for _, one := range d.Inputs {
		n := 1
		if !one.HasShape && one.Values != nil {
			n = one.Values.Size()
		}
		for _, s := range one.Shape {
			n = min(n*s.High, 2*MaxOwnCells)
		}
		total += n
	}
	return total
}

// plan is one way to draw a case of a ticket.
type plan struct {
	group string
	draw  *Draw
	given map[string]*array.Array // what is not drawn
}

func (e *Exercise) plans() []plan {
	if e.Own.Draw != nil {
		return []plan{{"own", e.Own.Draw, nil}}
	}
	var out []plan
	for i := range e.Cases {
		if c := &e.Cases[i]; c.Draw != nil && c.Repeat == 0 && c.Expects == "" && !c.Draw.failed {
			p := plan{c.Group, c.Draw, map[string]*array.Array{}}
			for _, in := range e.Inputs {
				if c.Draw.Inputs[in.Name] == nil {
					p.given[in.Name] = c.Inputs[in.Name]
				}
			}
			out = append(out, p)
		}
	}
	return out
}

// DrawsOwn reports whether arrays are checked on data of one's own: the exercise says how they are drawn, or has a
// drawn case that says it.
func (e *Exercise) DrawsOwn() bool { return e.Takes("results") && len(e.plans()) > 0 }

// OwnCount is how many cases a ticket has.
func (e *Exercise) OwnCount() int { return max(e.Own.Repeat, min(len(e.plans()), mostOwn)) }

// OwnCases draws the cases of a ticket, own-1 and on, from a seed alone. They are open to whoever has the ticket.
func (e *Exercise) OwnCases(seed uint64) ([]Case, error) {
	plans := e.plans()
	if len(plans) == 0 {
		return nil, fmt.Errorf("the exercise draws no data")
	}
	var out []Case
	cells := 0
	for i := range e.OwnCount() {
		p := plans[i%len(plans)]
		name := fmt.Sprintf("own-%d", i+1)
		c := Case{Name: name, Group: name, Shown: true, Seed: seed, Repeat: i, At: e.Own.At, Inputs: maps.Clone(p.given)}
		if c.Inputs == nil {
			c.Inputs = map[string]*array.Array{}
		}
		fixed := map[string]int{}
		for _, in := range e.Inputs {
			for axis, label := range in.Axes {
				if a := p.given[in.Name]; a != nil && label != "" {
					fixed[label] = a.Len(axis)
				}
			}
		}
		draw := *p.draw
		draw.Seed = seed
		drawn, err := draw.Sample(e, p.group, i, fixed, func(n int) bool { cells += n; return cells <= MaxOwnCells })
		if err != nil {
			return nil, err
		}
		for _, in := range e.Inputs {
			if a := drawn[in.Name]; a != nil {
				a = a.Widen(in.Kind)
				if in.HasAxes {
					a = a.WithLabels(in.Axes)
				}
				c.Inputs[in.Name] = a
			}
		}
		out = append(out, c)
	}
	return out, nil
}
