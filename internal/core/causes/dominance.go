package causes

import (
	"cmp"
	"slices"

	"nimbusreach/internal/core/codes"
)

// Of all explanations that fit, an attempt is told those that no other dominates.

// mostTold is how many explanations of one output are told.
const mostTold = 2

// ranked orders what was found: for each target the best first and its rivals, the
// cause that explains most targets before all others.
func (f *finder) ranked() []Cause {
	f.reaching()
	f.common()
	explains := map[codes.Code]int{}
	targets := make([]int, 0, len(f.found))
	for target, list := range f.found {
		targets = append(targets, target)
		seen := map[codes.Code]bool{}
		for _, c := range list {
			if !seen[c.Code] {
				seen[c.Code] = true
				explains[c.Code]++
			}
		}
	}
	slices.Sort(targets)
	heads := map[int]codes.Code{}
	told := map[int][]Cause{}
	for _, t := range targets {
		told[t] = f.sift(t, f.found[t])
		if len(told[t]) > 0 {
			heads[t] = told[t][0].Code
		}
	}
	slices.SortStableFunc(targets, func(a, b int) int { return explains[heads[b]] - explains[heads[a]] })
	var out []Cause
	for _, t := range targets {
		out = append(out, told[t]...)
	}
	return out
}

// common drops changes that explain a target where another wrong one that nothing explains comes from the same names of
// the attempt: what the two have in common is the likelier place.
func (f *finder) common() {
	if f.program == nil || f.failed {
		return
	}
	for _, dark := range f.wrong {
		if len(f.found[dark]) > 0 || !f.isValue(dark) {
			continue
		}
		names := f.comesOf(dark)
		for target := range f.found {
			if f.isValue(target) && sharesAny(names, f.comesOf(target)) {
				f.found[target] = slices.DeleteFunc(f.found[target], func(c Cause) bool { return c.Evidence == Repair })
			}
		}
	}
}

// isValue reports whether a target is what a name holds.
func (f *finder) isValue(target int) bool {
	t := &f.q.Targets[target]
	return t.Calls == nil && t.Holds == nil
}

// comesOf are the names of the attempt's own that a target comes from, itself and what is known to be right apart.
func (f *finder) comesOf(target int) map[string]bool {
	names := map[string]bool{f.q.Targets[target].Name: true}
	grow(f.program, names)
	own := ownNames(f.program, f.q)
	for name := range names {
		if !own[name] || name == f.q.Targets[target].Name {
			delete(names, name)
		}
	}
	for k := range f.q.Targets {
		if !slices.Contains(f.wrong, k) {
			delete(names, f.q.Targets[k].Name)
		}
	}
	return names
}

func sharesAny(a, b map[string]bool) bool {
	for name := range a {
		if b[name] {
			return true
		}
	}
	return false
}

// reaching counts for each change how many of the wrong targets it explains.
func (f *finder) reaching() {
	reach := map[string]int{}
	for _, list := range f.found {
		seen := map[string]bool{}
		for _, c := range list {
			if !seen[c.tree] {
				seen[c.tree] = true
				reach[c.tree]++
			}
		}
	}
	for _, list := range f.found {
		for i := range list {
			list[i].reach = reach[list[i].tree]
		}
	}
}

// better orders explanations of one target, the best first.
func better(a, b Cause) int {
	return cmp.Or(
		fits(a, b),
		cmp.Compare(a.Code.Rank(), b.Code.Rank()),
		cmp.Compare(strength(a.Evidence), strength(b.Evidence)),
	)
}

// fits is better by what speaks for each; 0 where they fit equally.
func fits(a, b Cause) int {
	return cmp.Or(
		before(a.Evidence != Transformation, b.Evidence != Transformation),
		cmp.Compare(a.Changes, b.Changes),
		before(decisive(a), decisive(b)),
		before(a.opposite, b.opposite),
		before(!a.spoils, !b.spoils),
		cmp.Compare(b.reach, a.reach),
		before(a.Evidence == Repair, b.Evidence == Repair),
		before(!a.odd, !b.odd),
		before(!a.neutral, !b.neutral),
		before(!a.foreign, !b.foreign),
		before(!a.generic(), !b.generic()),
		before(!a.adds || !a.vague(), !b.adds || !b.vague()),
		before(!a.invents, !b.invents),
		before(!a.own, !b.own),
		before(!a.joined, !b.joined),
		before(!a.adds, !b.adds),
		before(a.apt, b.apt),
		before(a.keepsAll(), b.keepsAll()),
	)
}

// before orders what holds before what does not.
func before(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return -1
	}
	return 1
}

// mostDropped bounds the explanations that are kept with the one that dominates them.
const mostDropped = 4

// sift sorts a target's explanations, and keeps those that none before them dominates.
func (f *finder) sift(target int, list []Cause) []Cause {
	list = f.upstream(target, f.proven(target, list))
	markNeutral(list)
	slices.SortStableFunc(list, better)
	f.byOrigin(target, list)
	var out, beside []Cause
	for _, c := range list {
		switch {
		case c.Code == codes.Foreseen:
			beside = append(beside, c)
		case c.own && slices.ContainsFunc(list, func(o Cause) bool {
			return o.Evidence == Repair && o.Code != c.Code && !o.own && !(o.adds && o.generic()) && o.reach >= c.reach
		}): // the attempt's own value stands for the step before it
		case drop(out, c):
		default:
			out = append(out, c)
		}
	}
	certain := len(out) == 1 && out[0].sure() && f.allExplained() && (f.program != nil || out[0].Code.Exact()) &&
		!f.oneTruth(target)
	out = out[:min(len(out), mostTold)]
	in := f.differsIn(target)
	for i := range out {
		out[i].Certain, out[i].In = certain, in
	}
	return append(out, beside...)
}

// markNeutral marks repairs that change what can be left out altogether: what they change it to has no effect.
func markNeutral(list []Cause) {
	for _, extra := range list {
		if extra.Code == codes.AxisKept && extra.Evidence == Repair && !extra.chance {
			for i := range list { // which lays flat what is not to be kept
				list[i].neutral = list[i].neutral || list[i].Code == codes.AxisFlat && list[i].adds ||
					list[i].Code == codes.ProductElementwise
			}
		}
		if extra.Code == codes.AxisFlat && extra.Evidence == Repair && !extra.adds && extra.Span != nil {
			for i := range list { // another function in the place of the one that lays flat
				list[i].neutral = list[i].neutral || list[i].Code == codes.FunctionOther && list[i].Span != nil &&
					list[i].Span.Within(*extra.Span)
			}
		}
		if extra.Code != codes.StepExtra || extra.Evidence != Repair || extra.Span == nil || extra.adds || extra.chance ||
			extra.odd {
			continue
		}
		for i := range list {
			c := &list[i]
			if c.Evidence != Repair || c.Span == nil || !c.Span.Within(*extra.Span) {
				continue
			}
			switch c.Code {
			case codes.Grouping, codes.InputOther:
				c.neutral = !c.restores
			case codes.FunctionOther, codes.SelectReversed, codes.ConstantOther:
				c.neutral = extra.unsorts
			}
		}
	}
}

// drop leaves an explanation out where one that is kept dominates it, and keeps why with that.
func drop(kept []Cause, c Cause) bool {
	for i := range kept {
		if why := kept[i].dominates(c); why != "" {
			kept[i].rivalled = kept[i].rivalled || kept[i].Code != c.Code && c.Evidence == Repair && !c.odd &&
				(!c.adds || kept[i].generic() && !c.chance)
			if kept[i].Code != c.Code && len(kept[i].Dropped) < mostDropped {
				kept[i].Dropped = append(kept[i].Dropped, Dropped{c.Code, c.Evidence, c.Change, why})
			}
			return true
		}
	}
	return false
}

// differsIn lists the cases in which a target differs.
func (f *finder) differsIn(target int) []int {
	var out []int
	for i := range f.q.Cases {
		if !f.right(i, target) {
			out = append(out, i)
		}
	}
	return out
}

// upstream drops explanations of a target that the attempt computes from another wrong one,
// unless they explain that one too: what follows from a mistake is not blamed.
func (f *finder) upstream(target int, list []Cause) []Cause {
	if f.program == nil {
		return list
	}
	name := f.q.Targets[target].Name
	trees, before := map[string]int{}, 0 // how many of those that it comes from each change explains
	feeds := map[string]bool{}           // names that another wrong target comes from
	follows, inTheDark := false, false
	for _, other := range f.wrong {
		t := &f.q.Targets[other]
		if other == target || t.Calls != nil || t.Holds != nil ||
			!usesInputs(f.program, []string{t.Name}, name) {
			continue
		}
		follows = true
		feeds[t.Name] = true
		inTheDark = inTheDark || len(f.found[other]) == 0
		before++
		explained := map[string]bool{}
		for _, c := range f.found[other] {
			if !explained[c.tree] {
				explained[c.tree] = true
				trees[c.tree]++
			}
		}
	}
	grow(f.program, feeds)
	little := inTheDark && f.tellsLittle(target)
	if !follows {
		return list
	}
	return slices.DeleteFunc(slices.Clone(list), func(c Cause) bool {
		stays := c.Code == codes.Foreseen || trees[c.tree] == before
		own := c.Evidence == Repair && c.tree != "" && !feeds[c.writes] // a mistake of its own
		return !stays && (!own || little && c.generic())
	})
}

// proven drops explanations that fit by chance: all that fail on further data where another
// holds there, and slips and transformations where little speaks for them.
func (f *finder) proven(target int, list []Cause) []Cause {
	held := slices.ContainsFunc(list, func(c Cause) bool { return !c.chance && c.Code != codes.Foreseen })
	few := f.tellsLittle(target)
	reached := 0
	for _, c := range list {
		reached = max(reached, c.reach)
	}
	return slices.DeleteFunc(slices.Clone(list), func(c Cause) bool {
		switch {
		case c.adds && (c.odd || c.vague() && c.joined), c.Code == codes.PowerMissing && c.adds && f.plainer(list, c):
			return true
		case c.Code == codes.OutputSwapped:
			return reached > 2
		case c.Evidence == Slip && f.program == nil && few:
			return true
		}
		return c.chance && (held || few)
	})
}

// plainer reports whether another repair says in a plainer way what a power does that is put in: a number in it is
// another, or its sign is taken away.
func (f *finder) plainer(list []Cause, power Cause) bool {
	return power.Span != nil && slices.ContainsFunc(list, func(c Cause) bool {
		if c.Evidence != Repair || c.Span == nil || c.chance || !c.Span.Within(*power.Span) {
			return false
		}
		return c.Code == codes.ConstantOther && !c.adds || c.absolute && *c.Span == *power.Span
	})
}

// dominates says why an explanation leaves no room for another of the same target; "" where
// both stand.
func (c Cause) dominates(o Cause) string {
	switch {
	case c.Code == o.Code:
		return "says the same"
	case c.Evidence != Transformation && o.Evidence == Transformation:
		return "a change of the program says more than one of its result"
	case c.Changes < o.Changes:
		return "needs more changes"
	case decisive(c):
		return "has no evidence of its own"
	case c.opposite && !o.opposite:
		return "every truth value is the opposite"
	case c.reach > o.reach:
		return "explains fewer outputs"
	case o.spoils && !c.spoils:
		return "would spoil an output that agrees"
	case c.Evidence == Repair && o.Evidence != Repair:
		return "changes the reference, where a change of the attempt is enough"
	case !c.foreign && o.foreign && o.Evidence == Slip:
		return "uses an input that the attempt does not"
	case !c.neutral && o.neutral && c.Evidence == Repair:
		return "leaves a step in that has no effect then"
	case !c.odd && o.odd:
		return "leaves a reduction with a scalar to reduce"
	case o.invents && !c.invents && !(c.adds && c.vague()):
		return "writes a number that the reference does not have"
	case !c.adds && o.adds && (!c.invents || o.vague()) && (!c.generic() || o.generic()):
		return "puts in what was not there"
	case !c.joined && o.joined && c.generic() == o.generic():
		return "changes several places, where one is enough"
	case o.generic() && !c.generic():
		return "says less of what happened"
	case c.keepsAll() && o.Evidence == Slip && o.ofMask():
		return "keeps every element too"
	case o.vague() && !c.vague():
		return "says less of what happened"
	case c.apt && o.generic() && !o.apt:
		return "writes what the reference does not have"
	case c.Evidence == Repair && o.Evidence == Repair && c.sameRepair(o):
		return "mends the same part to the same values"
	}
	return ""
}

// sameRepair reports whether two repairs end in one tree, or change one part.
func (c Cause) sameRepair(o Cause) bool {
	return c.tree == o.tree || c.Span != nil && o.Span != nil && (c.part.Within(o.part) || o.part.Within(c.part))
}

// allExplained reports whether every wrong target has an explanation: where one has none,
// something else is at work.
func (f *finder) allExplained() bool {
	for _, t := range f.wrong {
		if len(f.found[t]) == 0 {
			return false
		}
	}
	return true
}

// sure reports whether an explanation without rivals is certain.
func (c Cause) sure() bool {
	switch {
	case c.vague(), c.joined, c.expanded, c.Changes > 1, c.spoils, c.chance, c.own, c.rivalled, c.Code == codes.ShownOnly:
		return false
	case c.Evidence == Slip:
		return false // what gives the same may have been written otherwise
	case c.adds && (c.generic() || c.Code == codes.PowerMissing || c.Code == codes.UnitFirst):
		return false // another reading of the same step is about as good
	}
	return c.Evidence != Transformation || c.Code.Exact()
}

// generic reports whether a cause says little of what happened: a specific one that
// explains as much goes before it.
func (c Cause) generic() bool {
	switch c.Code {
	case codes.SignFlipped, codes.PowerMissing:
		return c.adds
	case codes.MaskUnapplied:
		return c.adds && c.Evidence == Repair
	}
	return generic(c.Code)
}

func generic(code codes.Code) bool {
	switch code {
	case codes.StepMissing, codes.StepExtra, codes.ConstantOther, codes.OperatorOther, codes.InputOther,
		codes.PositionValue:
		return true
	}
	return false
}

// keepsAll reports whether a change of the reference takes a mask away: a mask that is another
// and gives the same lets everything through.
func (c Cause) keepsAll() bool {
	return c.Evidence == Slip && (c.Code == codes.MaskUnapplied || c.Code == codes.MissingValues)
}

func (c Cause) ofMask() bool {
	return c.Code == codes.MaskBoundary || c.Code == codes.MaskInverted || c.Code == codes.MaskJoined
}

// vague reports whether a cause says no more than that something was left out or done too much.
func (c Cause) vague() bool { return c.Code == codes.StepMissing || c.Code == codes.StepExtra }

// decisive reports whether a cause has evidence of its own that no rival has: two
// outputs that fit each other's place, an input that was written into, a copy that
// fixes as a view, a loop that fixes when it adds up.
func decisive(c Cause) bool {
	switch c.Code {
	case codes.OutputSwapped:
		return true
	case codes.InputChanged, codes.ViewCopy, codes.LoopLast:
		return c.Evidence == Repair && !c.adds
	}
	return false
}
