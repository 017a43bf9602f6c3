package causes

import (
	"maps"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/slips"
)

// Candidates share with the attempt what their change does not touch: only the changed statement and those that
// come from it run again.

// start is what a candidate runs in a case.
type start struct {
	program *notation.Program
	inputs  map[string]*array.Array // nil for the case's own
	binds   map[string]bool         // names that the run binds, where all others are as in the attempt; else nil
}

// begins gives for each case what a candidate runs there.
type begins func(i int) start

// reaches reports whether a target may be another than in the attempt.
func (s *start) reaches(t *Target) bool {
	return s.binds == nil || t.Calls != nil || t.Holds != nil || s.binds[t.Name]
}

// tail is the part of an attempt that runs again when some of its statements are changed.
type tail struct {
	program *notation.Program
	at      int             // the first of them
	binds   map[string]bool // names that they bind
	others  []string        // names that the statements after the first, that are none of them, bind
	inputs  []map[string]*array.Array
}

// tailKey tells tails apart by the first statement and whether all after it run.
type tailKey struct {
	at  int
	all bool
}

// after gives what runs after a change, nil where all must.
func (t *trials) after(s *slips.Slip) begins {
	if s.OfStatement() { // the statements before it may be others
		return nil
	}
	at := slices.Index(t.program.Statements, s.Statement())
	if at < 0 || !t.isPlain() {
		return nil
	}
	return t.from(t.tail(tailKey{at, s.Several()})) // what a change reads is bound before it
}

// afterBoth gives what runs after two changes.
func (t *trials) afterBoth(a, b *slips.Slip) begins {
	at := min(slices.Index(t.program.Statements, a.Statement()), slices.Index(t.program.Statements, b.Statement()))
	if at < 0 || a.OfStatement() || b.OfStatement() || !t.isPlain() {
		return nil
	}
	return t.from(t.tail(tailKey{at, true}))
}

func (t *trials) from(part *tail) begins {
	return func(i int) start {
		known := t.shared(i)
		if !known.ok || t.q.Cases[i].Error != nil {
			return start{program: t.program}
		}
		if part.inputs[i] == nil {
			part.inputs[i] = maps.Clone(known.before[part.at])
			for _, name := range part.others {
				part.inputs[i][name] = known.end[name]
			}
		}
		return start{part.program, part.inputs[i], part.binds}
	}
}

// tail finds the statements that come from one.
func (t *trials) tail(key tailKey) *tail {
	if known := t.tails[key]; known != nil {
		return known
	}
	all := t.program.Statements
	out := &tail{at: key.at, binds: map[string]bool{}, inputs: make([]map[string]*array.Array, len(t.q.Cases))}
	var list []notation.Statement
	for k, s := range all[key.at:] {
		name := s.(*notation.Assign).Target.Name
		if k == 0 || key.all || out.binds[name] || readsAny(s, func(name string) bool { return out.binds[name] }) {
			list = append(list, s)
			out.binds[name] = true
			continue
		}
		out.others = append(out.others, name)
	}
	if slices.ContainsFunc(out.others, t.boundAgain) {
		return t.tail(tailKey{key.at, true}) // what it holds depends on where one asks
	}
	out.program = &notation.Program{Source: t.program.Source, Statements: list}
	if t.tails == nil {
		t.tails = map[tailKey]*tail{}
	}
	t.tails[key] = out
	return out
}

// boundAgain reports whether a name has another value in one place of the attempt than in another.
func (t *trials) boundAgain(name string) bool {
	times := 0
	for _, s := range t.program.Statements {
		if s.(*notation.Assign).Target.Name == name {
			times++
		}
	}
	return times > 1 || slices.Contains(t.q.Material.Inputs, name)
}

func readsAny(s notation.Statement, which func(name string) bool) bool {
	found := false
	notation.Walk(s, func(n notation.Node) bool {
		x, ok := n.(*notation.Name)
		found = found || ok && which(x.Name)
		return !found
	})
	return found
}

// snapshot is what names held before each statement of the attempt's top level, and at its end.
type snapshot struct {
	before []map[string]*array.Array
	end    map[string]*array.Array
	ok     bool
}

// shared takes the snapshots of a case; they serve where no cells are shared between
// names and nothing is drawn.
func (f *finder) shared(i int) *snapshot {
	if f.kept == nil {
		f.kept = make([]*snapshot, len(f.q.Cases))
	}
	if s := f.kept[i]; s != nil {
		return s
	}
	s := &snapshot{}
	f.kept[i] = s
	if !f.isPlain() || f.got[i].Error != nil {
		return s
	}
	now := maps.Clone(f.q.Cases[i].Inputs)
	options := f.q.Cases[i].Options
	options.Trace = func(step evaluate.Step) {
		s.before = append(s.before, maps.Clone(now))
		step.Value.Cells().Freeze()
		now[step.Name] = step.Value
	}
	result := evaluate.Run(f.ctx, f.program, f.q.Cases[i].Inputs, options)
	s.end = now
	s.ok = result.Error == nil && len(s.before) == len(f.program.Statements)
	return s
}

// isPlain reports whether the attempt is assignments alone that draw nothing.
func (f *finder) isPlain() bool {
	if f.plain == 0 {
		f.plain = -1
		if plain(f.program) {
			f.plain = 1
		}
	}
	return f.plain > 0
}

func plain(p *notation.Program) bool {
	for _, s := range p.Statements {
		if _, ok := s.(*notation.Assign); !ok {
			return false
		}
		drawn := false
		notation.Walk(s, func(n notation.Node) bool {
			if c, ok := n.(*notation.Call); ok {
				switch c.Name.Name {
				case "draw_uniform", "draw_normal", "draw_integers", "shuffled", "sampled", "shares":
					drawn = true
				}
			}
			return !drawn
		})
		if drawn {
			return false
		}
	}
	return true
}
