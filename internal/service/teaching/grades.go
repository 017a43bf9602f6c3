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
func (r *Rules) counts(t *store.Try) (keeps float64, late, counts bool) {
	switch {
	case r.Closes == nil || t.CreatedAt.Before(*r.Closes):
		return 1, false, true
	case r.Until != nil && t.CreatedAt.Before(*r.Until):
		return r.Keeps, true, true
	}
	return 0, false, false
}

// share is what an attempt's verdict comes to.
func share(t *store.Try) *big.Rat {
	possible := exact(t.Possible)
	if possible.Sign() <= 0 {
		return new(big.Rat)
	}
	return new(big.Rat).Quo(exact(t.Earned), possible)
}

// worth is what a verdict comes to in an exercise.
type worth struct{ share, earned *big.Rat }

// worths keeps what was computed: a class has few verdicts that differ in points.
type worths map[[4]float64]worth

func (w worths) of(t *store.Try, keeps, full float64, possible *big.Rat) worth {
	key := [4]float64{t.Earned, t.Possible, keeps, full}
	x, known := w[key]
	if !known {
		x.share = share(t)
		if keeps != 1 {
			x.share = new(big.Rat).Mul(x.share, exact(keeps))
		}
		x.earned = new(big.Rat).Mul(x.share, possible)
		w[key] = x
	}
	return x
}

// Of computes a grade from attempts, the oldest first, and the adjustment that holds; nil for none. Of attempts that
// are
// worth the same the first counts, or with `last` the last.
func (r *Rules) Of(tries []store.Try, adjusted *store.AdjustmentLine) Grade {
	return r.of(tries, adjusted, worths{})
}

func (r *Rules) of(tries []store.Try, adjusted *store.AdjustmentLine, known worths) Grade {
	g := Grade{Share: none, Earned: none, Possible: r.Possible}
	full, _ := r.Possible.Float64()
	for i := range tries {
		keeps, late, counts := r.counts(&tries[i])
		if !counts {
			continue
		}
		x := known.of(&tries[i], keeps, full, r.Possible)
		if g.Attempt == nil || r.Takes == "last" || x.share.Cmp(g.Share) > 0 {
			g.Attempt, g.Late, g.Share, g.Earned = &tries[i], late, x.share, x.earned
		}
	}
	g.Points = g.Earned
	if adjusted != nil {
		g.adjust(adjusted)
	}
	return g
}

// none is no points at all; it is not written to.
var none = new(big.Rat)

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

// sum adds a grade to points and to what is possible; an excused one to neither.
func sum(g *Grade, points, possible *big.Rat) {
	if g.Excused {
		return
	}
	if g.Points.Sign() != 0 {
		points.Add(points, g.Points)
	}
	possible.Add(possible, g.Possible)
}
