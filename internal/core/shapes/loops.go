package shapes

import (
	"maps"
	"slices"

	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// either follows both branches and joins what they leave.
func (w *walker) either(s *notation.If) {
	before := maps.Clone(w.vars)
	w.block(s.Then)
	then := w.vars
	w.vars = before
	w.block(s.Else)
	w.vars = w.joined(then, w.vars)
}

// joined keeps of two paths what holds on both.
func (w *walker) joined(a, b map[string]Outline) map[string]Outline {
	out := map[string]Outline{}
	for name, x := range a {
		if y, ok := b[name]; ok {
			if x.Same(&y) {
				out[name] = x
			} else {
				out[name] = x.Join(y, w.fresh)
			}
		} else {
			out[name] = x // bound on one path: whoever reads it has taken that path
		}
	}
	for name, y := range b {
		if _, ok := a[name]; !ok {
			out[name] = y
		}
	}
	return out
}

// loop follows a body until what is known of the names no longer changes, and then
// once more for its errors. start is before each round and after behind it. The
// body may not run at all.
func (w *walker) loop(start func(), body []notation.Statement, after func()) {
	result := w.result
	for round := 0; ; round++ {
		w.steps += len(w.vars) // all are compared and joined
		before := maps.Clone(w.vars)
		w.quiet++
		start()
		w.block(body)
		after()
		w.quiet--
		w.result = result
		next := w.joined(before, w.vars)
		if round > 2 {
			for name, o := range next {
				if old, ok := before[name]; !ok || !old.Same(&o) {
					next[name] = Outline{}
				}
			}
		}
		w.vars = next
		if round > 3 || same(before, next) || w.givenUp() {
			break
		}
	}
	before := maps.Clone(w.vars)
	w.quiet++
	start()
	w.quiet--
	w.block(body)
	after()
	w.vars = w.joined(before, w.vars)
}

// same reports whether two sets of names say the same, whatever the open lengths
// are called: names of lengths must map one to one.
func same(a, b map[string]Outline) bool {
	if len(a) != len(b) {
		return false
	}
	there, back := map[functions.Dim]functions.Dim{}, map[functions.Dim]functions.Dim{}
	for name, x := range a {
		y, ok := b[name]
		if !ok || x.KindOf() != y.KindOf() || x.KnowsRank() != y.KnowsRank() || x.KnowsLabels() != y.KnowsLabels() ||
			len(x.Dims()) != len(y.Dims()) || !slices.Equal(x.Labels(), y.Labels()) || !slices.Equal(x.Numbers(), y.Numbers()) {
			return false
		}
		for i, n := range x.Dims() {
			m := y.Dim(i)
			if n >= 0 || m >= 0 {
				if n != m {
					return false
				}
				continue
			}
			if to, seen := there[n]; seen && to != m {
				return false
			}
			if from, seen := back[m]; seen && from != n {
				return false
			}
			there[n], back[m] = m, n
		}
	}
	return true
}

func (w *walker) each(s *notation.Each) {
	items := make([]Outline, len(s.Values))
	var first Outline
	firstAxis := -1
	for i, e := range s.Values {
		o := w.expr(e)
		if !o.KnowsRank() {
			items[i] = Outline{}.WithKind(o.KindOf())
			continue
		}
		if o.Rank() == 0 {
			w.fail(e.Pos(), functions.NoAxisToGo())
			continue
		}
		axis, ok := 0, true
		if s.Along != nil {
			axis, ok = w.axis("along ", s.Along, &o, o.Rank())
		}
		if !ok {
			items[i] = Outline{}.WithKind(o.KindOf())
			continue
		}
		if firstAxis < 0 && i == 0 {
			first, firstAxis = o, axis
		} else if firstAxis >= 0 && first.Len(firstAxis) >= 0 && o.Len(axis) >= 0 && first.Len(firstAxis) != o.Len(axis) {
			w.fail(s.Header, functions.OutOfStep(&first, firstAxis, &o, axis))
		}
		items[i] = o.Without(axis)
	}
	w.loop(func() {
		for i, n := range s.Names {
			if i < len(items) {
				w.bind(n.Span, n.Name, items[i])
			}
		}
	}, s.Body, func() {})
}
