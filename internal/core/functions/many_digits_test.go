package functions

import (
	"math"
	"math/big"
)

// What follows works elementary and special functions out to far more bitsKept than a
// double has, the slow way: series, after the argument is made small.

const bitsKept = 320 // bits

func num(x float64) *big.Float { return new(big.Float).SetPrec(bitsKept).SetFloat64(x) }

func plus(a, b *big.Float) *big.Float  { return new(big.Float).SetPrec(bitsKept).Add(a, b) }
func minus(a, b *big.Float) *big.Float { return new(big.Float).SetPrec(bitsKept).Sub(a, b) }
func times(a, b *big.Float) *big.Float { return new(big.Float).SetPrec(bitsKept).Mul(a, b) }
func over(a, b *big.Float) *big.Float  { return new(big.Float).SetPrec(bitsKept).Quo(a, b) }
func root(a *big.Float) *big.Float     { return new(big.Float).SetPrec(bitsKept).Sqrt(a) }
func opposite(a *big.Float) *big.Float { return new(big.Float).SetPrec(bitsKept).Neg(a) }

// negligible reports whether a term no longer counts beside a sum.
func negligible(term, sum *big.Float) bool {
	return term.Sign() == 0 || sum.Sign() != 0 && term.MantExp(nil) < sum.MantExp(nil)-bitsKept
}

// series adds terms until they no longer count; next makes a term from the one before.
func series(first *big.Float, next func(k int, term *big.Float) *big.Float) *big.Float {
	sum, term := first, first
	for k := 1; k < 20000; k++ {
		term = next(k, term)
		if negligible(term, sum) {
			return sum
		}
		sum = plus(sum, term)
	}
	return sum
}

func preciseExp(x *big.Float) *big.Float {
	// e^x = (e^(x / 2^k))^(2^k)
	k := max(0, x.MantExp(nil)+8)
	y := new(big.Float).SetPrec(bitsKept).SetMantExp(x, -k)
	e := series(num(1), func(n int, t *big.Float) *big.Float { return over(times(t, y), num(float64(n))) })
	for range k {
		e = times(e, e)
	}
	return e
}

func preciseExpm1(x *big.Float) *big.Float {
	if x.Sign() == 0 || x.MantExp(nil) > -8 {
		return minus(preciseExp(x), num(1))
	}
	return series(x, func(n int, t *big.Float) *big.Float { return over(times(t, x), num(float64(n+1))) })
}

// preciseLog solves e^y = x by Newton's method from a double's logarithm.
func preciseLog(x *big.Float) *big.Float {
	mantissa := new(big.Float).SetPrec(bitsKept)
	exponent := x.MantExp(mantissa)
	f, _ := mantissa.Float64()
	y := num(math.Log(f))
	for range 5 {
		e := preciseExp(y)
		y = plus(y, times(num(2), over(minus(mantissa, e), plus(mantissa, e))))
	}
	if exponent == 0 {
		return y
	}
	return plus(y, times(num(float64(exponent)), preciseLn2()))
}

var keptLn2 *big.Float

func preciseLn2() *big.Float {
	if keptLn2 == nil {
		// log 2 = 2 atanh(1/3)
		third := over(num(1), num(3))
		square := times(third, third)
		power := third
		keptLn2 = times(num(2), series(third, func(n int, _ *big.Float) *big.Float {
			power = times(power, square)
			return over(power, num(float64(2*n+1)))
		}))
	}
	return keptLn2
}

var keptPi *big.Float

func precisePi() *big.Float {
	if keptPi == nil {
		// Machin: pi = 16 atan(1/5) - 4 atan(1/239)
		keptPi = minus(times(num(16), atanSeries(over(num(1), num(5)))), times(num(4), atanSeries(over(num(1), num(239)))))
	}
	return keptPi
}

func atanSeries(x *big.Float) *big.Float {
	square, power := opposite(times(x, x)), x
	return series(x, func(n int, _ *big.Float) *big.Float {
		power = times(power, square)
		return over(power, num(float64(2*n+1)))
	})
}

func preciseAtan(x *big.Float) *big.Float {
	// atan x = 2 atan(x / (1 + sqrt(1 + x^2))), until it is small.
	k := 0
	for ; x.MantExp(nil) > -6 && x.Sign() != 0; k++ {
		x = over(x, plus(num(1), root(plus(num(1), times(x, x)))))
	}
	return new(big.Float).SetPrec(bitsKept).SetMantExp(atanSeries(x), k)
}

// preciseSinCos takes whole quarters of a turn off first.
func preciseSinCos(x *big.Float) (sin, cos *big.Float) {
	half := over(precisePi(), num(2))
	q, _ := over(x, half).Float64()
	quarters := math.Round(q)
	y := minus(x, times(num(quarters), half))
	square := opposite(times(y, y))
	sin = series(y, func(n int, t *big.Float) *big.Float { return over(times(t, square), num(float64(2*n*(2*n+1)))) })
	cos = series(num(1), func(n int, t *big.Float) *big.Float { return over(times(t, square), num(float64(2*n*(2*n-1)))) })
	switch ((int64(quarters) % 4) + 4) % 4 {
	case 1:
		return cos, opposite(sin)
	case 2:
		return opposite(sin), opposite(cos)
	case 3:
		return opposite(cos), sin
	}
	return sin, cos
}

// preciseErf adds the series of DLMF 7.6.2, all of whose terms are positive.
func preciseErf(x *big.Float) *big.Float {
	square := times(x, x)
	sum := series(x, func(n int, t *big.Float) *big.Float {
		return over(times(times(t, square), num(2)), num(float64(2*n+1)))
	})
	return times(over(num(2), root(precisePi())), times(sum, preciseExp(opposite(square))))
}

// preciseErfc is 1 - erf(x), beyond 3 by the continued fraction of DLMF 7.9.1.
func preciseErfc(x *big.Float) *big.Float {
	if f, _ := x.Float64(); f < 3 {
		return minus(num(1), preciseErf(x))
	}
	square := times(x, x)
	tail := num(0)
	for k := 1500; k > 0; k-- {
		// x^2 + (1/2) / (1 + 1 / (x^2 + (3/2) / (1 + 2 / ...)))
		if k%2 == 1 {
			tail = over(num(float64(k)/2), plus(num(1), tail))
		} else {
			tail = over(num(float64(k)/2), plus(square, tail))
		}
	}
	return over(times(x, preciseExp(opposite(square))), times(root(precisePi()), plus(square, tail)))
}

// preciseLogGamma is Stirling's series (DLMF 5.11.1) where the argument is large, and
// shifts it there (5.5.1).
func preciseLogGamma(x *big.Float) *big.Float {
	product := num(1)
	for {
		if f, _ := x.Float64(); f >= 120 {
			break
		}
		product = times(product, x)
		x = plus(x, num(1))
	}
	sum := plus(times(minus(x, num(0.5)), preciseLog(x)), minus(over(preciseLog(times(num(2), precisePi())), num(2)), x))
	square, power := times(x, x), x
	for k, b := range bernoulli(60) {
		n := float64(2 * (k + 1))
		sum = plus(sum, over(b, times(num(n*(n-1)), power)))
		power = times(power, square)
	}
	return minus(sum, preciseLog(product))
}

var keptBernoulli []*big.Float

// bernoulli lists B2, B4, … by the recurrence of their definition.
func bernoulli(n int) []*big.Float {
	if keptBernoulli != nil {
		return keptBernoulli
	}
	all := []*big.Rat{big.NewRat(1, 1)}
	for m := 1; m <= 2*n; m++ {
		sum := new(big.Rat)
		for k := range m {
			sum.Add(sum, new(big.Rat).Mul(new(big.Rat).SetInt(new(big.Int).Binomial(int64(m+1), int64(k))), all[k]))
		}
		all = append(all, sum.Neg(sum.Quo(sum, big.NewRat(int64(m+1), 1))))
	}
	for m := 2; m <= 2*n; m += 2 {
		keptBernoulli = append(keptBernoulli, new(big.Float).SetPrec(bitsKept).SetRat(all[m]))
	}
	return keptBernoulli
}

// preciseRoot3 is Newton's method for the cube root.
func preciseRoot3(x *big.Float) *big.Float {
	f, _ := x.Float64()
	y := num(math.Cbrt(f))
	if x.Sign() == 0 {
		return y
	}
	for range 5 {
		y = over(plus(times(num(2), y), over(x, times(y, y))), num(3))
	}
	return y
}

// preciseW is Newton's method for w e^w = x.
func preciseW(x *big.Float) *big.Float {
	f, _ := x.Float64()
	w := num(principalW(f))
	for range 6 {
		e := preciseExp(w)
		w = minus(w, over(minus(times(w, e), x), times(e, plus(w, num(1)))))
	}
	return w
}
