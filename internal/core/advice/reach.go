package advice

import (
	"strings"

	"nimbusreach/internal/core/notation"
)

// flow is what names of the reference are computed from: by each name that it binds, the
// names that are in the statements that do.
type flow map[string]map[string]bool

// flowOf reads the reference. A loop or a branch binds all that it binds from all that
// is in it.
func flowOf(p *notation.Program) flow {
	f := flow{}
	for _, s := range p.Statements {
		bound, used := map[string]bool{}, map[string]bool{}
		targets := map[*notation.Name]bool{}
		notation.Walk(s, func(n notation.Node) bool {
			if s, ok := n.(notation.Statement); ok {
				for _, name := range notation.Affects(s) {
					bound[name.Name] = true
				}
			}
			switch n := n.(type) {
			case *notation.Function:
				bound[n.Name.Name+"("] = true
			case *notation.Assign:
				if n.IsWhole() {
					targets[n.Target] = true
				}
			case *notation.Call:
				used[n.Name.Name+"("] = true
			case *notation.Name:
				if !targets[n] {
					used[n.Name] = true
				}
			}
			return true
		})
		for name := range bound {
			if f[name] == nil {
				f[name] = map[string]bool{}
			}
			for u := range used {
				f[name][u] = true
			}
		}
	}
	return f
}

// reached lists all names that some names are computed from, themselves among them.
func (f flow) reached(from ...string) map[string]bool {
	out := map[string]bool{}
	for len(from) > 0 {
		name := from[len(from)-1]
		from = from[:len(from)-1]
		if out[name] {
			continue
		}
		out[name] = true
		for next := range f[name] {
			from = append(from, next)
		}
	}
	return out
}

// asked lists the names that the exercise asks for: outputs, steps, and what is in
// properties, calls and predictions.
func (w *inspector) asked() []string {
	var out []string
	words := func(text string) { out = append(out, strings.FieldsFunc(text, notLetter)...) }
	for _, o := range w.e.Outputs {
		out = append(out, o.Name)
	}
	for _, s := range w.e.Steps {
		out = append(out, s.Name)
	}
	for _, q := range w.e.Properties {
		words(q.Holds)
	}
	for _, q := range w.e.Predictions {
		words(q.Of)
	}
	for _, f := range w.e.Functions {
		out = append(out, f.Name+"(")
		for _, call := range f.Calls {
			words(call)
		}
	}
	return out
}
