package teaching

import (
	"math/big"
	"strconv"

	"nimbusreach/internal/core/exercise"
)

// exact is a number as it was written: the fraction of its shortest decimal form, so that 0.8 is 4/5.
func exact(x float64) *big.Rat {
	r, ok := new(big.Rat).SetString(strconv.FormatFloat(x, 'f', -1, 64))
	if !ok {
		return new(big.Rat) // neither points nor shares are infinite
	}
	return r
}

// Points is what an exercise is worth.
func Points(e *exercise.Exercise) *big.Rat { return exact(e.Possible()) }

// ParsePoints reads a decimal number of points, with a sign or without.
func ParsePoints(text string) (*big.Rat, bool) {
	if len(text) == 0 || len(text) > 20 {
		return nil, false
	}
	for i, c := range text {
		if (c < '0' || c > '9') && c != '.' && (i > 0 || c != '-' && c != '+') {
			return nil, false
		}
	}
	r, ok := new(big.Rat).SetString(text)
	return r, ok
}

// Shown rounds a fraction to two decimals, half up, for showing alone.
func Shown(r *big.Rat) float64 {
	hundred := big.NewInt(100)
	n := new(big.Int).Mul(r.Num(), hundred)
	n.Mul(n, big.NewInt(2)).Add(n, r.Denom())
	n.Div(n, new(big.Int).Mul(r.Denom(), big.NewInt(2))) // towards minus infinity: half goes up
	cents, _ := new(big.Rat).SetFrac(n, hundred).Float64()
	return cents
}
