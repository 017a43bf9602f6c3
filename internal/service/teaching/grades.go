package teaching

import (
	"math/big"

	"nimbusreach/internal/service/store"
)

// Grade is what a person's attempts at one exercise are worth.
type Grade struct {
	Attempt  *store.Try // the one that counts; nil for none
	Late     bool       // it came late
	Share    *big.Rat   // of the possible points, by that attempt
	Earned   *big.Rat   // the points by that attempt
	Points   *big.Rat   // with the adjustment
	Possible *big.Rat
	Excused  bool // the exercise is taken out of the person's total
	Adjusted *store.AdjustmentLine
	Review   bool // the verdict under the adjustment is another than when it was given
}

// Rules are what grades of one exercise depend on.
type Rules struct {
	Terms
	Takes    string // best or last
	Possible *big.Rat
}

// counts says whether an attempt counted when it came, and with which share.
func (r *Rules) counts(t *store.Try) (keeps *big.Rat, late, counts bool) {
	switch {
	case r.Closes == nil || t.CreatedAt.Before(*r.Closes):
		return big.NewRat(1, 1), false, true
	case r.Until != nil && t.CreatedAt.Before(*r.Until):
		return exact(r.Keeps), true, true
	}
	return nil, false, false
}

// share is what an attempt's verdict comes to.
func share(t *store.Try) *big.Rat {
	possible := exact(t.Possible)
	if possible.Sign() <= 0 {
		return new(big.Rat)
	}
	return new(big.Rat).Quo(exact(t.Earned), possible)
}

// Of computes a grade from attempts, the oldest first, and the adjustment that holds; nil for none. Of attempts that are
// worth the same the first counts, or with `last` the last.
func (r *Rules) Of(tries []store.Try, adjusted *store.AdjustmentLine) Grade {
	g := Grade{Share: new(big.Rat), Possible: r.Possible}
	for i := range tries {
		keeps, late, counts := r.counts(&tries[i])
		if !counts {
			continue
		}
		worth := new(big.Rat).Mul(share(&tries[i]), keeps)
		if g.Attempt == nil || r.Takes == "last" || worth.Cmp(g.Share) > 0 {
			g.Attempt, g.Late, g.Share = &tries[i], late, worth
		}
	}
	g.Earned = new(big.Rat).Mul(g.Share, r.Possible)
	g.Points = g.Earned
	if adjusted != nil {
		g.adjust(adjusted)
	}
	return g
}

// adjust changes a grade by hand.
func (g *Grade) adjust(x *store.AdjustmentLine) {
	g.Adjusted, g.Review = x, !under(g.Attempt, &x.Adjustment)
	by, _ := ParsePoints(x.Points)
	if by == nil {
		by = new(big.Rat)
	}
	switch x.Kind {
	case store.Excused:
		g.Excused = true
		return
	case store.SetPoints:
		g.Points = by
	case store.AddPoints:
		g.Points = new(big.Rat).Add(g.Earned, by)
	}
	if !x.Beyond {
		g.Points = clamp(g.Points, new(big.Rat), g.Possible)
	}
}

// under reports whether the attempt that counts, and its verdict, are those of when an adjustment was given.
func under(t *store.Try, x *store.Adjustment) bool {
	if t == nil || x.UnderAttempt == nil {
		return t == nil && x.UnderAttempt == nil
	}
	return t.ID == *x.UnderAttempt && t.Earned == x.UnderEarned && t.Possible == x.UnderPossible
}

func clamp(x, low, high *big.Rat) *big.Rat {
	switch {
	case x.Cmp(low) < 0:
		return low
	case x.Cmp(high) > 0:
		return high
	}
	return x
}

// Sum adds grades up: excused ones count on neither side.
func Sum(list []Grade) (points, possible *big.Rat) {
	points, possible = new(big.Rat), new(big.Rat)
	for i := range list {
		if !list[i].Excused {
			points.Add(points, list[i].Points)
			possible.Add(possible, list[i].Possible)
		}
	}
	return points, possible
}
