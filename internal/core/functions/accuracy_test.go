package functions

import (
	"math"
	"math/big"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
)

// ulpsFrom is how far a double lies from a value, in units of the last place of the
// double nearest to that.
func ulpsFrom(got float64, want *big.Float) float64 {
	nearest, _ := want.Float64()
	unit := math.Nextafter(math.Abs(nearest), math.Inf(1)) - math.Abs(nearest)
	d, _ := new(big.Float).Quo(new(big.Float).Sub(num(got), want), num(unit)).Float64()
	return math.Abs(d)
}

func one(f func(x *big.Float) *big.Float) func(x, y float64) *big.Float {
	return func(x, _ float64) *big.Float { return f(num(x)) }
}

func logOf(f func(x *big.Float) *big.Float) func(x *big.Float) *big.Float {
	return func(x *big.Float) *big.Float { return preciseLog(f(x)) }
}

// precisely works each function of the table of errors out to many digits.
var precisely = map[string]func(x, y float64) *big.Float{
	"sqrt":  one(root),
	"cbrt":  one(preciseRoot3),
	"exp":   one(preciseExp),
	"expm1": one(preciseExpm1),
	"log":   one(preciseLog),
	"log1p": one(logOf(func(x *big.Float) *big.Float { return plus(x, num(1)) })),
	"log2":  one(func(x *big.Float) *big.Float { return over(preciseLog(x), preciseLn2()) }),
	"log10": one(func(x *big.Float) *big.Float { return over(preciseLog(x), preciseLog(num(10))) }),
	"sin":   one(func(x *big.Float) *big.Float { s, _ := preciseSinCos(x); return s }),
	"cos":   one(func(x *big.Float) *big.Float { _, c := preciseSinCos(x); return c }),
	"tan":   one(func(x *big.Float) *big.Float { s, c := preciseSinCos(x); return over(s, c) }),
	"asin": one(func(x *big.Float) *big.Float {
		return preciseAtan(over(x, root(times(minus(num(1), x), plus(num(1), x)))))
	}),
	"acos": one(func(x *big.Float) *big.Float {
		return times(num(2), preciseAtan(root(over(minus(num(1), x), plus(num(1), x)))))
	}),
	"atan": one(preciseAtan),
	"sinh": one(func(x *big.Float) *big.Float {
		if x.MantExp(nil) > 0 {
			return over(minus(preciseExp(x), preciseExp(opposite(x))), num(2))
		}
		m := preciseExpm1(x)
		return over(plus(m, over(m, plus(m, num(1)))), num(2))
	}),
	"cosh": one(func(x *big.Float) *big.Float {
		return over(plus(preciseExp(x), preciseExp(opposite(x))), num(2))
	}),
	"tanh": one(func(x *big.Float) *big.Float {
		m := preciseExpm1(times(num(2), x))
		return over(m, plus(m, num(2)))
	}),
	"asinh": one(func(x *big.Float) *big.Float {
		if x.Sign() < 0 {
			y := opposite(x)
			return opposite(preciseLog(plus(y, root(plus(times(y, y), num(1))))))
		}
		return preciseLog(plus(x, root(plus(times(x, x), num(1)))))
	}),
	"acosh": one(func(x *big.Float) *big.Float {
		return preciseLog(plus(x, root(times(minus(x, num(1)), plus(x, num(1))))))
	}),
	"atanh": one(func(x *big.Float) *big.Float {
		return over(preciseLog(over(plus(num(1), x), minus(num(1), x))), num(2))
	}),
	"degrees": one(func(x *big.Float) *big.Float { return over(times(x, num(180)), precisePi()) }),
	"radians": one(func(x *big.Float) *big.Float { return over(times(x, precisePi()), num(180)) }),
	"erf":     one(preciseErf),
	"erfc":    one(preciseErfc),
	"normal_cdf": one(func(x *big.Float) *big.Float {
		return over(preciseErfc(over(opposite(x), root(num(2)))), num(2))
	}),
	"inverse_erf": func(x, _ float64) *big.Float {
		y := num(math.Erfinv(x))
		for range 6 {
			slope := times(over(num(2), root(precisePi())), preciseExp(opposite(times(y, y))))
			y = minus(y, over(minus(preciseErf(y), num(x)), slope))
		}
		return y
	},
	"gamma": func(x, _ float64) *big.Float {
		if x > 0 {
			return preciseExp(preciseLogGamma(num(x)))
		}
		// gamma(x) gamma(1 - x) = pi / sin(pi x) (DLMF 5.5.3)
		s, _ := preciseSinCos(times(num(x), precisePi()))
		return over(precisePi(), times(s, preciseExp(preciseLogGamma(minus(num(1), num(x))))))
	},
	"log_gamma": one(preciseLogGamma),
	"lambert_w": one(preciseW),
	"beta": func(x, y float64) *big.Float {
		return preciseExp(minus(plus(preciseLogGamma(num(x)), preciseLogGamma(num(y))),
			preciseLogGamma(plus(num(x), num(y)))))
	},
	"hypot": func(x, y float64) *big.Float { return root(plus(times(num(x), num(x)), times(num(y), num(y)))) },
	"atan2": func(y, x float64) *big.Float {
		a := preciseAtan(over(num(y), num(x)))
		switch {
		case x > 0:
			return a
		case y < 0:
			return minus(a, precisePi())
		}
		return plus(a, precisePi())
	},
}

// draw takes a point of the stretch: some of them evenly, some by their size, some
// close to 1.
func draw(s *StatedError, g *rand.Rand) float64 {
	x := 0.0
	switch g.IntN(5) {
	case 0, 1:
		x = s.Low + g.Float64()*(s.High-s.Low)
	case 2:
		x = 1 + math.Exp(-30*g.Float64())*(g.Float64()-0.5)
	default:
		least := math.Max(s.Low, 1e-12)
		x = least * math.Pow(math.Max(-s.Low, s.High)/least, g.Float64())
		if s.Low < 0 && g.IntN(2) == 0 {
			x = -x
		}
	}
	// Inside the stretch: at its ends stand poles and branch points.
	return math.Min(math.Max(x, math.Nextafter(s.Low, s.High)), math.Nextafter(s.High, s.Low))
}

// TestStatedErrors compares every error that the reference states with values of many
// digits, at points drawn over the whole stretch it is stated for.
func TestStatedErrors(t *testing.T) {
	points := 300
	if testing.Short() {
		points = 100
	}
	for _, s := range Stated {
		exact := precisely[s.Function]
		if !assert.NotNil(t, exact, s.Function) {
			continue
		}
		g := rand.New(rand.NewPCG(7, uint64(len(s.Function))))
		worst, at, beside := 0.0, 0.0, 0.0
		xs, ys := make([]float64, points), make([]float64, points)
		for i := range xs {
			xs[i], ys[i] = draw(&s, g), draw(&s, g)
		}
		f := Lookup(s.Function)
		args := []*array.Array{array.FromReals(xs, points), array.FromReals(ys, points)}[:f.Min]
		got, d := f.Run(&Call{Function: f, Args: args, Meter: meter()})
		require.Nil(t, d, s.Function)
		for i, x := range xs {
			v, y := got.RealAt(i), ys[i]
			if !assert.False(t, math.IsNaN(v) || math.IsInf(v, 0), "%s of %v, %v is %v", s.Function, x, y, v) {
				break
			}
			if u := ulpsFrom(v, exact(x, y)); u > worst {
				worst, at, beside = u, x, y
			}
		}
		assert.LessOrEqual(t, worst, s.Ulps+1e-9, "%s at %v, %v", s.Function, at, beside)
		assert.Greater(t, worst, s.Ulps/8, "%s is stated far above what is met", s.Function)
		t.Logf("%-12s on [%g, %g]: %.3f ulp at %v", s.Function, s.Low, s.High, worst, at)
	}
}

// columnsToCollapse are reals of several kinds: of one size, of many, of both signs, and
// far from 0 beside their spread.
func columnsToCollapse(g *rand.Rand, n int) [][]float64 {
	out := make([][]float64, 6)
	for range n {
		v := g.NormFloat64()
		for k, x := range []float64{1.0000001, 0.1, math.Exp(8 * g.Float64()), v * math.Exp(4*v), 1e6 + v, -3e5 + v} {
			out[k] = append(out[k], x)
		}
	}
	return out
}

// TestStatedErrorsOfSums holds collapsing against sums of many digits.
func TestStatedErrorsOfSums(t *testing.T) {
	g := rand.New(rand.NewPCG(3, 5))
	for _, n := range []int{2, 7, 127, 130, 1023, 4097, 60_000} {
		for k, x := range columnsToCollapse(g, n) {
			sum, sizes, squares := num(0), num(0), num(0)
			for _, v := range x {
				sum, sizes, squares = plus(sum, num(v)), plus(sizes, num(math.Abs(v))), plus(squares, times(num(v), num(v)))
			}
			count := num(float64(n))
			apart := minus(squares, over(times(sum, sum), count)) // with so many digits the one pass serves
			less := num(float64(n - 1))
			want := map[string]*big.Float{"sum": sum, "mean": over(sum, count), "norm": root(squares), "var": over(apart,
				count), "std": root(over(apart, count)), "sample_var": over(apart, less), "sample_std": root(over(apart, less))}
			spread, _ := want["std"].Float64()
			middle, _ := want["mean"].Float64()
			for _, s := range StatedSums {
				f := Lookup(s.Function)
				out, d := f.Run(&Call{Function: f, Args: []*array.Array{array.FromReals(x, n)}, Meter: meter()})
				require.Nil(t, d, s.Function)
				measure := sizes
				switch s.Function {
				case "sum":
				case "mean":
					measure = over(sizes, count)
				default:
					if s.Measure == spreadOut && math.Abs(middle) > 1e6*spread {
						continue
					}
					assert.LessOrEqual(t, ulpsFrom(out.RealAt(0), want[s.Function]), s.Bound, "%s of %d of column %d", s.Function, n,
						k)
					continue
				}
				off, _ := over(minus(num(out.RealAt(0)), want[s.Function]), measure).Float64()
				assert.LessOrEqual(t, math.Abs(off)*0x1p53, s.Bound, "%s of %d of column %d", s.Function, n, k)
			}
		}
	}
}
