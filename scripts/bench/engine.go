package main

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"runtime"
	"strings"
	"time"

	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/mat"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/notation"
)

// work is one line of the engine's table: a program of the notation against the
// same work written by hand, or by gonum, in Go.
type work struct {
	name    string
	program string
	inputs  map[string]*array.Array
	hand    func()
	wanted  float64
}

func engine() error {
	fmt.Printf("\n| %-50s | %10s | %10s | %6s | %6s |\n|%s|%s:|%s:|%s:|%s:|\n", "array engine", "ours", "by hand",
		"ratio", "wanted",
		strings.Repeat("-", 52), strings.Repeat("-", 11), strings.Repeat("-", 11), strings.Repeat("-", 7),
		strings.Repeat("-", 7))
	// Small arrays first, while memory holds nothing large, of the parts before either: with
	// that the collector would hardly run, and every array would be new to the cache.
	runtime.GC()
	small, err := measured(eightStatements())
	if err != nil {
		return err
	}
	for _, w := range works() {
		line, err := measured(w)
		if err != nil {
			return err
		}
		fmt.Print(line)
	}
	fmt.Print(small)
	return peaks()
}

var noLimits = evaluate.Limits{Statements: 1e9, Cells: 1e12, Bytes: 1e12, Depth: 64}

// measured is a work's line of the table.
func measured(w work) (string, error) {
	program, errs := notation.Parse(w.program)
	if len(errs) > 0 {
		return "", fmt.Errorf("%s: %w", w.name, errs[0])
	}
	run := func() error {
		if r := evaluate.Run(context.Background(), program, w.inputs, evaluate.Options{Limits: noLimits}); r.Error != nil {
			return r.Error
		}
		return nil
	}
	ours, hand, err := inTurn(run, w.hand)
	if err != nil {
		return "", fmt.Errorf("%s: %w", w.name, err)
	}
	return fmt.Sprintf("| %-50s | %10s | %10s | %6.2f | %6.1f |\n", w.name, short(ours), short(hand),
		float64(ours)/float64(hand), w.wanted), nil
}

// peaks prints how much memory programs take, beside what it must be.
func peaks() error {
	const n = 1_000_000
	inputs := map[string]*array.Array{}
	for _, name := range []string{"a", "b", "c", "d"} {
		inputs[name] = array.FromReals(make([]float64, n), n)
	}
	program, _ := notation.Parse(chain)
	made, _ := memory(func() { evaluate.Run(context.Background(), program, inputs, evaluate.Options{Limits: noLimits}) })
	fmt.Printf("\n| %-50s | %10s | %10s | %6s | %6s |\n|%s|%s:|%s:|%s:|%s:|\n", "memory", "ours", "beside", "ratio",
		"wanted",
		strings.Repeat("-", 52), strings.Repeat("-", 11), strings.Repeat("-", 11), strings.Repeat("-", 7),
		strings.Repeat("-", 7))
	// Everything a run makes is alive at most once, so this is an upper bound of the peak.
	held := float64(5 * 8 * n)
	fmt.Printf("| %-50s | %10s | %10s | %6.2f | %6.1f |\n", "bytes held by the chain, inputs and result",
		mb(float64(4*8*n)+made), mb(held), (float64(4*8*n)+made)/held, 1.1)
	small := eightStatements()
	program, _ = notation.Parse(small.program)
	_, times := memory(func() {
		evaluate.Run(context.Background(), program, small.inputs, evaluate.Options{Limits: noLimits})
	})
	fmt.Printf("| %-50s | %10.1f | %10s | %6s | %6.1f |\n", "allocations of the eight statements, an operation",
		times/operations, "", "", 3.0)
	return nil
}

// memory says how many bytes f allocates, and in how many pieces, on average.
func memory(f func()) (bytes, times float64) {
	const rounds = 40
	var before, after runtime.MemStats
	f()
	runtime.ReadMemStats(&before)
	for range rounds {
		f()
	}
	runtime.ReadMemStats(&after)
	return float64(after.TotalAlloc-before.TotalAlloc) / rounds, float64(after.Mallocs-before.Mallocs) / rounds
}

func mb(bytes float64) string { return fmt.Sprintf("%.1f MB", bytes/1e6) }

func short(d time.Duration) string { return d.Round(d / 1000).String() }

// inTurn times both sides in turn, so that a noisy machine is noisy for both, and
// returns the medians.
func inTurn(run func() error, hand func()) (ours, by time.Duration, err error) {
	times, err := batches(run, func() error { hand(); return nil })
	if err != nil {
		return 0, 0, err
	}
	return median(times[0]), median(times[1]), nil
}

// batches times works in turn, short ones many at a time, and returns what one run of
// each took in every batch.
func batches(works ...func() error) (times [][]time.Duration, err error) {
	first := works[0]
	n := 1
	for range 2 { // the first run is slower than all others
		start := time.Now()
		if err := first(); err != nil {
			return nil, err
		}
		n = max(1, int(time.Millisecond/max(time.Since(start), 1)))
	}
	// Short work is timed more often: the machine's quiet and busy spells are longer.
	rounds := 15
	if n > 1 {
		rounds = 301
	}
	times = make([][]time.Duration, len(works))
	for range rounds {
		for k, work := range works {
			start := time.Now()
			for range n {
				if err := work(); err != nil {
					return nil, err
				}
			}
			times[k] = append(times[k], time.Since(start)/time.Duration(n))
		}
	}
	return times, nil
}

func random(count int) []float64 {
	r := rand.New(rand.NewPCG(1, 2))
	out := make([]float64, count)
	for i := range out {
		out[i] = r.Float64() + 0.1
	}
	return out
}

func works() []work {
	const n = 1_000_000
	a, b, c, d := random(n), random(n), random(n), random(n)
	flat := map[string]*array.Array{"a": array.FromReals(a, n), "b": array.FromReals(b, n), "c": array.FromReals(c, n),
		"d": array.FromReals(d, n)}
	square := map[string]*array.Array{"a": array.FromReals(a, 1000, 1000), "b": array.FromReals(b, 1000, 1000),
		"c": array.FromReals(c[:1000], 1000), "d": array.FromReals(d, 1000, 1000)}
	column := map[string]*array.Array{"a": square["a"], "b": square["b"], "c": array.FromReals(c[:1000], 1000, 1),
		"d": square["d"]}
	turned := map[string]*array.Array{"a": square["a"], "b": square["b"].Transpose([]int{1, 0}), "c": array.FromReals(c,
		1000, 1000), "d": square["d"]}
	cube := random(200 * 300 * 400)
	block := map[string]*array.Array{"x": array.FromReals(cube, 200, 300, 400)}
	x := map[string]*array.Array{"x": array.FromReals(random(n), n)}
	signed := make([]float64, n)
	for i, v := range a {
		signed[i] = v - 0.6
	}
	s := map[string]*array.Array{"x": array.FromReals(signed, n)}
	m, m2 := random(512*512), random(512*512)
	small := random(300 * 300)
	right := random(300)
	return []work{
		{"`a * b + c - d / 2`, 10^6 reals", chain, flat, func() {
			out := make([]float64, n)
			for i := range out {
				out[i] = a[i]*b[i] + c[i] - d[i]/2
			}
			runtime.KeepAlive(out)
		}, 1.5},
		{"the same, c a row", chain, square, func() {
			out := make([]float64, n)
			for i := range 1000 {
				for j := range 1000 {
					k := i*1000 + j
					out[k] = a[k]*b[k] + c[j] - d[k]/2
				}
			}
			runtime.KeepAlive(out)
		}, 1.5},
		{"the same, c a column", chain, column, func() {
			out := make([]float64, n)
			for i := range 1000 {
				v := c[i]
				for j := range 1000 {
					k := i*1000 + j
					out[k] = a[k]*b[k] + v - d[k]/2
				}
			}
			runtime.KeepAlive(out)
		}, 1.5},
		{"the same, b transposed", chain, turned, func() {
			out := make([]float64, n)
			for i := range 1000 {
				for j := range 1000 {
					k := i*1000 + j
					out[k] = a[k]*b[j*1000+i] + c[k] - d[k]/2
				}
			}
			runtime.KeepAlive(out)
		}, 2},
		{"`x[x > 0.5]`, 10^6", "r = x[x > 0.5]", x, func() {
			var out []float64
			for _, v := range a {
				if v > 0.5 {
					out = append(out, v)
				}
			}
			runtime.KeepAlive(out)
		}, 1.5},
		{"`pick(x > 0, x, -x)`, 10^6", "r = pick(x > 0, x, -x)", s, func() {
			out := make([]float64, n)
			for i, v := range signed {
				if v > 0 {
					out[i] = v
				} else {
					out[i] = -v
				}
			}
			runtime.KeepAlive(out)
		}, 1.5},
		{"`x[last to 0 by -2] + 0`, 10^6", "r = x[last to 0 by -2] + 0", x, func() {
			out := make([]float64, n/2)
			for i := range out {
				out[i] = a[n-1-2*i] + 0
			}
			runtime.KeepAlive(out)
		}, 1.5},
		{"`sum(x)`, [200, 300, 400]", "r = sum(x)", block, func() { runtime.KeepAlive(floats.Sum(cube)) }, 1.3},
		{"`sum(x over 0)`", "r = sum(x over 0)", block, func() {
			out := make([]float64, 300*400)
			for i := range 200 {
				floats.Add(out, cube[i*120000:(i+1)*120000])
			}
			runtime.KeepAlive(out)
		}, 1.3},
		{"`sum(x over 1)`", "r = sum(x over 1)", block, func() {
			out := make([]float64, 200*400)
			for i := range 200 {
				for j := range 300 {
					floats.Add(out[i*400:(i+1)*400], cube[(i*300+j)*400:(i*300+j+1)*400])
				}
			}
			runtime.KeepAlive(out)
		}, 1.3},
		{"`sum(x over 2)`", "r = sum(x over 2)", block, func() {
			out := make([]float64, 200*300)
			for i := range out {
				out[i] = floats.Sum(cube[i*400 : (i+1)*400])
			}
			runtime.KeepAlive(out)
		}, 1.3},
		{"`max(x)`", "r = max(x)", block, func() { runtime.KeepAlive(floats.Max(cube)) }, 1.3},
		{"`max(x over 0)`", "r = max(x over 0)", block, func() {
			out := append([]float64(nil), cube[:120000]...)
			for i := 1; i < 200; i++ {
				for k, v := range cube[i*120000 : (i+1)*120000] {
					if v > out[k] {
						out[k] = v
					}
				}
			}
			runtime.KeepAlive(out)
		}, 1.3},
		{"`mean(x over 1)`", "r = mean(x over 1)", block, func() {
			out := make([]float64, 200*400)
			for i := range 200 {
				for j := range 300 {
					floats.Add(out[i*400:(i+1)*400], cube[(i*300+j)*400:(i*300+j+1)*400])
				}
			}
			floats.Scale(1.0/300, out)
			runtime.KeepAlive(out)
		}, 1.3},
		{"`std(x)`", "r = std(x)", block, func() {
			mean := floats.Sum(cube) / float64(len(cube))
			s := 0.0
			for _, v := range cube {
				s += (v - mean) * (v - mean)
			}
			runtime.KeepAlive(math.Sqrt(s / float64(len(cube))))
		}, 1.3},
		{"`A dot B`, 512", "r = a dot b", map[string]*array.Array{"a": array.FromReals(m, 512, 512),
			"b": array.FromReals(m2, 512, 512)}, func() {
			var out mat.Dense
			out.Mul(mat.NewDense(512, 512, m), mat.NewDense(512, 512, m2))
			runtime.KeepAlive(out)
		}, 1.1},
		{"`inverse(A)`, 300", "r = inverse(a)", map[string]*array.Array{"a": array.FromReals(small, 300, 300)}, func() {
			var out mat.Dense
			_ = out.Inverse(mat.NewDense(300, 300, small))
			runtime.KeepAlive(out)
		}, 1.1},
		{"`solve(A, b)`, 300", "r = solve(a, b)", map[string]*array.Array{"a": array.FromReals(small, 300, 300),
			"b": array.FromReals(right, 300)}, func() {
			var out mat.VecDense
			_ = out.SolveVec(mat.NewDense(300, 300, small), mat.NewVecDense(300, right))
			runtime.KeepAlive(out)
		}, 1.1},
	}
}

const chain = "r = a * b + c - d / 2"

// eightStatements are ten operations on arrays of at most 60 elements.
func eightStatements() work {
	in := map[string]*array.Array{"x": array.FromReals(random(60), 5, 12), "y": array.FromReals(random(12), 12)}
	return work{"eight statements on 60 elements, + 100 ns an operation", eight, in, eightByHand(in), 2}
}

const operations = 10

const eight = "m = mean(x over 0)\nd = x - m\ns = d * d\nv = sum(s over 0) / 5\nz = d / (v + 1)\n" +
	"w = z[from 1, all]\nt = w + y\nu = max(t over 1)\n"

func eightByHand(in map[string]*array.Array) func() {
	// What the statements leave is kept by hand as well, or the compiler would not make
	// the arrays at all.
	left := new([8][]float64)
	x, y := in["x"].Reals(), in["y"].Reals()
	return func() {
		m, v := make([]float64, 12), make([]float64, 12)
		d, s, z, t := make([]float64, 60), make([]float64, 60), make([]float64, 60), make([]float64, 48)
		u := make([]float64, 4)
		for i, e := range x {
			m[i%12] += e
		}
		for i := range m {
			m[i] /= 5
		}
		for i, e := range x {
			d[i] = e - m[i%12]
			s[i] = d[i] * d[i]
			v[i%12] += s[i]
		}
		for i := range v {
			v[i] /= 5
		}
		for i := range z {
			z[i] = d[i] / (v[i%12] + 1)
		}
		for i := range t {
			t[i] = z[12+i] + y[i%12]
		}
		for i := range u {
			u[i] = floats.Max(t[i*12 : (i+1)*12])
		}
		*left = [8][]float64{m, d, s, v, z, z[12:], t, u}
		for begin := time.Now(); time.Since(begin) < operations*100*time.Nanosecond; {
			// The allowance.
		}
	}
}
