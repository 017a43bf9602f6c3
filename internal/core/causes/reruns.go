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
// come from it run again. So do slips with the reference, which is the program then.

// start is what a candidate runs in a case.
type start struct {
	program *notation.Program
	inputs  map[string]*array.Array // nil for the case's own
	binds   map[string]bool         // names that the run binds, where all others are as in the attempt; else nil
	fails   bool                    // as the attempt does: it ends before what is changed
}

// begins gives for each case what a candidate runs there.
type begins func(i int) start

// in is what runs in a case: all of the program where nothing is known.
func (b begins) in(i int, program *notation.Program) start {
	if b == nil {
		return start{program: program}
	}
	return b(i)
}

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
	at, all := t.placeOf(s)
	return t.from(at, all || s.Several()) // what a change reads is bound before it
}

// afterBoth gives what runs after two changes.
func (t *trials) afterBoth(a, b *slips.Slip) begins {
	if a.OfStatement() || b.OfStatement() {
		return nil
	}
	first, _ := t.placeOf(a)
	second, _ := t.placeOf(b)
	return t.from(min(first, second), true)
}

// placeOf is the place of the attempt's first statement that a change may reach, -1 where that is not known, and
// whether it may reach all after it: a change of a function reaches all that call one.
func (t *trials) placeOf(s *slips.Slip) (at int, all bool) {
	if !t.replays() {
		return -1, true
	}
	if t.places == nil {
		t.places = map[notation.Statement]int{}
		for k, top := range t.program.Statements {
			notation.Walk(top, func(n notation.Node) bool {
				if s, ok := n.(notation.Statement); ok {
					t.places[s] = k
				}
				return true
			})
		}
	}
	at, known := t.places[s.Statement()]
	if !known || len(t.functions) > 0 && s.Several() {
		return -1, true
	}
	if _, inside := t.program.Statements[at].(*notation.Function); inside {
		return slices.IndexFunc(t.program.Statements, func(s notation.Statement) bool {
			_, own := s.(*notation.Function)
			return !own && readsAny(s, func(name string) bool { return t.functions[name] != nil })
		}), true
	}
	return at, false
}

// from gives what runs from a statement on: all of it, or what comes from the names that it binds. Where the attempt
// failed before it, nothing changes.
func (t *trials) from(at int, all bool) begins {
	if at < 0 {
		return nil
	}
	return func(i int) start {
		known := t.shared(i)
		switch {
		case !known.ok || t.q.Cases[i].Error != nil:
			return start{program: t.program}
		case at >= len(known.before):
			return start{program: t.program, fails: true}
		}
		part := t.tail(tailKey{at, all || known.end == nil})
		if part.inputs[i] == nil {
			part.inputs[i] = maps.Clone(known.before[part.at])
			for _, name := range part.others {
				part.inputs[i][name] = known.end[name]
			}
		}
		if known.end == nil {
			return start{program: part.program, inputs: part.inputs[i]}
		}
		return start{part.program, part.inputs[i], part.binds, false}
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
	for k, s := range all {
		if _, own := s.(*notation.Function); own {
			list = append(list, s)
			continue
		}
		if k < key.at {
			continue
		}
		names := notation.Bound([]notation.Statement{s})
		ours := func(name string) bool { return out.binds[name] }
		if k == key.at || key.all || slices.ContainsFunc(names, ours) || readsAny(s, ours) {
			list = append(list, s)
			for _, name := range names {
				out.binds[name] = true
			}
			continue
		}
		out.others = append(out.others, names...)
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
		if notation.BindsAny(s, map[string]bool{name: true}) {
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

// snapshot is what names held before each statement of the attempt's top level that ran, and at its end; nil where
// it failed.
type snapshot struct {
	before []map[string]*array.Array
	end    map[string]*array.Array
	ok     bool
}

// shared takes the snapshots of a case, by running one statement after the other; they serve where no cells are shared
// between names and nothing is drawn.
func (f *finder) shared(i int) *snapshot {
	if f.kept == nil {
		f.kept = make([]*snapshot, len(f.q.Cases))
	}
	if s := f.kept[i]; s != nil {
		return s
	}
	s := &snapshot{}
	f.kept[i] = s
	if !f.replays() {
		return s
	}
	one := &notation.Program{Source: f.program.Source}
	for _, function := range f.functions {
		one.Statements = append(one.Statements, function)
	}
	one.Statements = append(one.Statements, nil)
	now := f.q.Cases[i].Inputs
	for _, statement := range f.program.Statements {
		s.before = append(s.before, now)
		if _, own := statement.(*notation.Function); own {
			continue
		}
		one.Statements[len(f.functions)] = statement
		result := evaluate.Run(f.ctx, one, now, f.q.Cases[i].Options)
		if result.Error != nil {
			failed := f.got[i].Error
			s.ok = failed != nil && failed.Code == result.Error.Code && failed.Span == result.Error.Span
			return s
		}
		bound := result.Values()
		for _, v := range bound {
			v.Cells().Freeze()
		}
		for name, v := range now {
			if bound[name] == nil {
				bound[name] = v
			}
		}
		now = bound
	}
	s.end = now
	s.ok = f.got[i].Error == nil
	return s
}

// replays reports whether the attempt's statements can run one at a time: none draws, and no view shares cells.
func (f *finder) replays() bool {
	if f.plain == 0 {
		f.plain, f.functions = -1, f.program.Functions()
		if plain(f.program) {
			f.plain = 1
		}
	}
	return f.plain > 0
}

// mostReplayed bounds the statements of an attempt of which what names held before each is kept.
const mostReplayed = 500

func plain(p *notation.Program) bool {
	if len(p.Statements) > mostReplayed {
		return false
	}
	shares := false
	for _, s := range p.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			switch n := n.(type) {
			case *notation.View:
				shares = true
			case *notation.Call:
				switch n.Name.Name {
				case "draw_uniform", "draw_normal", "draw_integers", "shuffled", "sampled", "shares":
					shares = true
				}
			}
			return !shares
		})
	}
	return !shares
}
