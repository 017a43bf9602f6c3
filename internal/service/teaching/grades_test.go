package teaching_test

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/store"
	"nimbusreach/internal/service/teaching"
)

var start = time.Date(2031, 9, 1, 8, 0, 0, 0, time.UTC)

func hours(n float64) time.Time { return start.Add(time.Duration(n * float64(time.Hour))) }

func clock(n float64) *time.Time {
	t := hours(n)
	return &t
}

// plainGrade is the contract word by word: shares as quarters of 840ths, so that everything is a whole number.
func plainGrade(tries []store.Try, closes, until float64, keeps int64, last bool, possible int64, kind string, by int64,
	beyond bool) (points *big.Rat, counted uint64) {
	best, found := big.NewRat(0, 1), false
	for _, t := range tries {
		at := t.CreatedAt.Sub(start).Hours()
		factor := int64(0)
		if closes < 0 || at < closes {
			factor = 100
		} else if at < until {
			factor = keeps
		} else {
			continue
		}
		worth := big.NewRat(0, 1)
		if t.Possible > 0 {
			worth = big.NewRat(int64(t.Earned*4)*factor, int64(t.Possible*4)*100)
		}
		if !found || last || worth.Cmp(best) > 0 {
			best, counted, found = worth, t.ID, true
		}
	}
	points = new(big.Rat).Mul(best, big.NewRat(possible, 4))
	switch kind {
	case "set":
		points = big.NewRat(by, 4)
	case "add":
		points = new(big.Rat).Add(points, big.NewRat(by, 4))
	default:
		return points, counted
	}
	if !beyond && points.Sign() < 0 {
		points = big.NewRat(0, 1)
	}
	if !beyond && points.Cmp(big.NewRat(possible, 4)) > 0 {
		points = big.NewRat(possible, 4)
	}
	return points, counted
}

// TestGradesAgainstAPlainCalculation compares 3,000 random histories, to the last fraction.
func TestGradesAgainstAPlainCalculation(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for n := range 3000 {
		possible := int64(1 + r.IntN(40))
		closes, late, keeps := -1.0, 0.0, int64(100)
		e := &exercise.Exercise{Name: "e", Keeps: 1}
		if r.IntN(4) > 0 {
			closes = float64(r.IntN(100))
			e.Closes = clock(closes)
		}
		if closes >= 0 && r.IntN(2) == 0 {
			late, keeps = float64(1+r.IntN(30)), int64(r.IntN(101))
			e.Late, e.Keeps = time.Duration(late)*time.Hour, float64(keeps)/100
		}
		var given []store.Extension
		if closes >= 0 && r.IntN(3) == 0 {
			closes = float64(r.IntN(120))
			given = []store.Extension{{Closes: clock(closes)}, {Closes: clock(999)}}
		}
		var tries []store.Try
		for i := range r.IntN(9) {
			total := 1 + r.IntN(20)
			worth := r.IntN(total + 1)
			tries = append(tries, store.Try{ID: uint64(100 + i), CreatedAt: hours(float64(i*15) + r.Float64()*14),
				Earned: float64(r.IntN(4*worth+1)) / 4, Possible: float64(worth)})
		}
		rules := teaching.Rules{Terms: teaching.TermsOf(e, given), Takes: []string{"best", "last"}[r.IntN(2)],
			Possible: big.NewRat(possible, 4)}
		kind := []string{"", "set", "add", "excused"}[r.IntN(4)]
		by, beyond := int64(r.IntN(80)-20), r.IntN(2) == 0
		var adjusted *store.AdjustmentLine
		if kind != "" {
			adjusted = &store.AdjustmentLine{Adjustment: store.Adjustment{Kind: store.AdjustmentKind(kind), Beyond: beyond,
				Points: fmt.Sprint(float64(by) / 4)}}
		}
		got := rules.Of(tries, adjusted)
		want, counted := plainGrade(tries, closes, closes+late, keeps, rules.Takes == "last", possible, kind, by, beyond)
		require.Equal(t, want.RatString(), got.Points.RatString(), "%d: %+v", n, tries)
		require.Equal(t, kind == "excused", got.Excused)
		if counted == 0 {
			require.Nil(t, got.Attempt)
			continue
		}
		require.Equal(t, counted, got.Attempt.ID)
		require.Equal(t, closes >= 0 && !got.Attempt.CreatedAt.Before(hours(closes)), got.Late)
	}
}

func TestAnAdjustmentIsReviewedWhenWhatIsUnderItChanges(t *testing.T) {
	rules := teaching.Rules{Takes: "best", Possible: big.NewRat(4, 1)}
	try := store.Try{ID: 7, CreatedAt: start, Earned: 2, Possible: 4}
	seven := uint64(7)
	x := &store.AdjustmentLine{Adjustment: store.Adjustment{Kind: store.AddPoints, Points: "0.5", UnderAttempt: &seven,
		UnderEarned: 2, UnderPossible: 4}}
	g := rules.Of([]store.Try{try}, x)
	assert.Equal(t, "5/2", g.Points.RatString())
	assert.False(t, g.Review)
	better := try
	better.Earned = 3 // a re-check
	g = rules.Of([]store.Try{better}, x)
	assert.Equal(t, "7/2", g.Points.RatString(), "it survives")
	assert.True(t, g.Review)
	g = rules.Of([]store.Try{try, {ID: 8, CreatedAt: start, Earned: 4, Possible: 4}}, x)
	assert.True(t, g.Review, "another attempt counts")
	assert.Equal(t, "4", g.Points.RatString(), "and no more than what is possible")
	none := &store.AdjustmentLine{Adjustment: store.Adjustment{Kind: store.SetPoints, Points: "1"}}
	assert.False(t, rules.Of(nil, none).Review, "nothing was under it, and nothing is")
	assert.True(t, rules.Of([]store.Try{try}, none).Review)
}

func TestPointsAreShownHalfUp(t *testing.T) {
	for text, want := range map[string]float64{"1/3": 0.33, "2/3": 0.67, "1/200": 0.01, "1/201": 0, "-1/200": 0,
		"-3/200": -0.01, "5/2": 2.5, "0": 0, "399/200": 2, "1999999/1000000": 2} {
		r, ok := new(big.Rat).SetString(text)
		require.True(t, ok)
		assert.Equal(t, want, teaching.Shown(r), text)
	}
	for text, want := range map[string]string{"2.5": "5/2", "-0.25": "-1/4", "+3": "3", "1e3": "", "": "", "0x1": "",
		"1/3": "", "--1": "", "NaN": "", "2,5": "", "100000000000000000001": ""} {
		r, ok := teaching.ParsePoints(text)
		assert.Equal(t, want != "", ok, text)
		if ok {
			assert.Equal(t, want, r.RatString())
		}
	}
}

func TestWhatASpreadsheetWouldRun(t *testing.T) {
	for text, want := range map[string]string{"=1+1": "'=1+1", "+1": "'+1", "-1": "'-1", "@x": "'@x", "\tx": "'\tx",
		"Ada": "Ada", "": "", "a=b": "a=b"} {
		assert.Equal(t, want, teaching.Harmless(text))
	}
}
