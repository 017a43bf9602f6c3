package functions

import (
	"fmt"
	"strings"
)

// StatedError is how far a function of reals may lie from the true value, in units in
// the last place, on a stretch of its arguments. A test holds each against values of
// far more digits.
type StatedError struct {
	Function  string
	Low, High float64
	Ulps      float64
}

// Stated lists what is stated of the functions that round.
var Stated = []StatedError{
	{"sqrt", 0, 1e300, 0.5},
	{"cbrt", -1e300, 1e300, 1},
	{"exp", -700, 700, 1.5},
	{"expm1", -30, 700, 1},
	{"log", 1e-300, 1e300, 1},
	{"log1p", -0.999, 1e300, 1},
	{"log2", 1e-300, 1e300, 2},
	{"log10", 1e-300, 1e300, 1.5},
	{"sin", -1000, 1000, 2},
	{"cos", -1000, 1000, 2},
	{"tan", -1000, 1000, 3},
	{"asin", -1, 1, 3},
	{"acos", -1, 1, 2},
	{"atan", -1e300, 1e300, 1},
	{"sinh", -700, 700, 2},
	{"cosh", -700, 700, 2},
	{"tanh", -20, 20, 1},
	{"asinh", -1e300, 1e300, 1.5},
	{"acosh", 1, 1e300, 1.5},
	{"atanh", -1, 1, 2},
	{"degrees", -1e300, 1e300, 1},
	{"radians", -1e300, 1e300, 1},
	{"erf", -6, 6, 1},
	{"erfc", -6, 26, 3},
	{"normal_cdf", -37, 8, 3},
	{"inverse_erf", -1, 1, 4},
	{"gamma", -19.5, 171, 4},
	{"log_gamma", 1e-10, 1e15, 2},
	{"lambert_w", -0.36, 1e300, 4},
	{"beta", 0.01, 80, 3},
	{"hypot", -1e150, 1e150, 0.6},
	{"atan2", -1e300, 1e300, 1.5},
}

// StatedSums lists what is stated of collapsing up to a million reals. The bounds
// follow from the order of adding: sixteen additions in a row, three, seven, and one for
// every halving down to 128 elements, each off by at most 2^-53 of its sum.
var StatedSums = []struct {
	Function string
	Bound    float64
	Measure  string // of what Bound is a multiple
}{
	{"sum", 40, "2^-53 sum(abs(x))"}, {"mean", 41, "2^-53 mean(abs(x))"}, {"norm", 22, ""},
	{"var", 48, spreadOut}, {"sample_var", 48, spreadOut}, {"std", 25, spreadOut}, {"sample_std", 25, spreadOut},
}

const spreadOut = " whose mean is at most 10^6 times their standard deviation"

// StatedSystems lists what is stated of work with a matrix A of n rows: how many times
// n condition(A) ulp, and of what.
var StatedSystems = []struct {
	Function string
	Times    float64
	Of       string
}{
	{"det", 1, largestElement}, {"inverse", 1, largestElement}, {"solve", 1, largestElement}, {"pseudo_inverse", 2,
		largestElement},
	{"least_squares", 2, "norm(pseudo_inverse(A)) norm(b)"},
}

const largestElement = "the result's largest element"

// StatedSpectra lists what is stated of values of matrices of n rows or columns,
// whichever are more: how many times n ulp of the largest.
var StatedSpectra = []struct {
	Function string
	Times    float64
	Of       string
}{{"singular_values", 2, ""}, {"eigenvalues", 2, " of a symmetric or Hermitian matrix"}}

// Describe is the documentation of the function with the error that is stated of it.
func (f *Function) Describe() string {
	if a := accuracy(f.Name); a != "" {
		return f.Doc + " " + a
	}
	return f.Doc
}

// accuracy says what error is stated of a function, "" for none.
func accuracy(name string) string {
	for _, s := range Stated {
		if s.Function == name {
			return fmt.Sprintf("Error at most %g ulp for reals from %g to %g.", s.Ulps, s.Low, s.High)
		}
	}
	for _, s := range StatedSums {
		if s.Function == name {
			if strings.HasPrefix(s.Measure, "2^") {
				return fmt.Sprintf("Error at most %g times %s for up to a million reals.", s.Bound, s.Measure)
			}
			return fmt.Sprintf("Error at most %g ulp for up to a million reals%s.", s.Bound, s.Measure)
		}
	}
	for _, s := range StatedSystems {
		if s.Function == name {
			return fmt.Sprintf("Error at most %s ulp of %s, n being the rows of A.", manyTimes(s.Times, "n condition(A)"), s.Of)
		}
	}
	for _, s := range StatedSpectra {
		if s.Function == name {
			return fmt.Sprintf("Error%s at most %s ulp of the largest, n being the longer side.", s.Of, manyTimes(s.Times, "n"))
		}
	}
	return ""
}

func manyTimes(times float64, what string) string {
	if times == 1 {
		return what
	}
	return fmt.Sprintf("%g %s", times, what)
}
