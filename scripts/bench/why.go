package main

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"testing"
	"time"

	"nimbusreach/demo"
	"nimbusreach/internal/core/advice"
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/causes"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/probe"
	"nimbusreach/internal/core/shapes"
)

const tenLines = `low = min(growth over week)
high = max(growth over week)
middle = (low + high) / 2
above = growth > middle[new, all, all]
share = count(above over week) / length(growth along week)
centred = growth - mean(growth over week, keep: true)
spread = sqrt(mean(centred ^ 2 over week))
scores = centred / spread[new, all, all]
best = scores[last, all, from 1]
total = sum(best over rope)
`

// readAndShape times parsing a program of ten lines and working its shapes out.
func readAndShape() error {
	known := map[string]shapes.Outline{"growth": functions.Outlined(2, []int{5, 3, 4}, []string{"week", "rope", "depth"})}
	times, err := batches(func() error {
		program, errs := notation.Parse(tenLines)
		if len(errs) > 0 || len(shapes.Of(program, known, 0).Errors) > 0 {
			return errors.New("the program is sound")
		}
		return nil
	})
	if err != nil {
		return err
	}
	row("parse and shapes of a 10-line program", fmt.Sprintf("%.0f µs", float64(median(times[0]))/1e3), "≤ 30 µs")
	return nil
}

// whereAMillionDiffer times comparing [100, 100, 100] reals of which one row of an axis
// differs, with the region in words.
func whereAMillionDiffer() error {
	const n = 100
	r, a := make([]float64, n*n*n), make([]float64, n*n*n)
	for i := range r {
		r[i] = float64(i)
		a[i] = r[i]
		if i/n%n == n-1 {
			a[i]++
		}
	}
	x, y := array.FromReals(r, n, n, n), array.FromReals(a, n, n, n)
	result := testing.Benchmark(func(b *testing.B) {
		for b.Loop() {
			if _, d := compare.Compare(x, y, compare.Tolerance{Relative: 1e-9}, compare.Freedom{}); d == nil || d.Count != n*n {
				b.Fatal("one position of an axis differs")
			}
		}
	})
	row("compare 10^6 reals and say where 10^4 of them differ", fmt.Sprintf("%.1f ms", float64(result.NsPerOp())/1e6),
		"< 50 ms")
	return nil
}

// prepareDemo prepares both demo courses.
func prepareDemo(ctx context.Context) (map[string]*check.Prepared, error) {
	out := map[string]*check.Prepared{}
	for _, folder := range []func() (*exercise.Course, []exercise.Problem){
		func() (*exercise.Course, []exercise.Problem) { return exercise.LoadCourse(demo.Course()) },
		func() (*exercise.Course, []exercise.Problem) { return exercise.LoadCourse(demo.CourseFromOne()) },
	} {
		c, problems := folder()
		if len(problems) > 0 {
			return nil, errors.New(problems[0].String())
		}
		for _, e := range c.Exercises {
			p, problems := check.Prepare(ctx, e)
			if len(problems) > 0 {
				return nil, errors.New(problems[0].String())
			}
			out[e.Name] = p
		}
	}
	return out, nil
}

// tally counts what became of the corpus.
type tally struct{ right, rightMarked, wrong, wrongMarked, named, accepted, falsely, mess, silent int }

// corpus checks every attempt of the corpus, and says how the causes did.
func corpus() error {
	ctx := context.Background()
	prepared, err := prepareDemo(ctx)
	if err != nil {
		return err
	}
	samples, err := causes.Corpus()
	if err != nil {
		return err
	}
	var t tally
	byCode := map[codes.Code][2]int{}
	start := time.Now()
	verdicts := make([]*check.Verdict, len(samples))
	onEveryCore(len(samples), func(i int) {
		verdicts[i], _ = check.Attempt(ctx, prepared[samples[i].Exercise], samples[i].Program, nil)
	})
	took := time.Since(start)
	for i, s := range samples {
		v := verdicts[i]
		agrees := v != nil && v.Verdict == check.Agrees
		switch {
		case v == nil:
		case s.Right():
			t.right++
			if agrees {
				t.rightMarked++
			}
		case s.Mess():
			t.mess++
			if len(v.Causes) == 0 {
				t.silent++
			} else {
				t.falsely++
			}
		default:
			t.wrong++
			if !agrees {
				t.wrongMarked++
			}
			c := byCode[s.Accepted[0]]
			c[1]++
			if len(v.Causes) > 0 {
				t.named++
				if slices.Contains(s.Accepted, v.Causes[0].Code) {
					t.accepted++
					c[0]++
				} else {
					t.falsely++
				}
			}
			byCode[s.Accepted[0]] = c
		}
	}
	row("right answers marked right", fmt.Sprintf("%d of %d", t.rightMarked, t.right), "all")
	row("wrong answers marked wrong", fmt.Sprintf("%d of %d", t.wrongMarked, t.wrong), "all")
	row("first-named cause accepted", fmt.Sprintf("%.1f %%", 100*float64(t.accepted)/float64(t.wrong)), "≥ 95 %")
	row("false causes, messes with one among them", fmt.Sprintf("%.1f %%",
		100*float64(t.falsely)/float64(t.wrong+t.mess)), "≤ 1 %")
	row("400 attempts with causes, as fast as the corpus", fmt.Sprintf("%.1f s",
		took.Seconds()*400/float64(len(samples))), "< 20 s")
	order := slices.SortedFunc(maps.Keys(byCode), func(a, b codes.Code) int { return a.Rank() - b.Rank() })
	for _, code := range order {
		row("  of these, "+string(code), fmt.Sprintf("%d of %d", byCode[code][0], byCode[code][1]), "")
	}
	return nil
}

// probeSixLines probes the largest exercise of the demo.
func probeSixLines() error {
	ctx := context.Background()
	prepared, err := prepareDemo(ctx)
	if err != nil {
		return err
	}
	var worst time.Duration
	slips := 0
	for _, p := range prepared {
		start := time.Now()
		r := probe.Run(ctx, p, probe.Options{})
		worst, slips = max(worst, time.Since(start)), max(slips, r.Slips)
	}
	row(fmt.Sprintf("probe of a demo exercise, up to %d slips, the slowest", slips), fmt.Sprintf("%.0f ms", ms(worst)),
		"< 2 s")
	return nil
}

// publishCourse times what publishing does before it stores: load, run, inspect, probe.
func publishCourse() error {
	var times []time.Duration
	for range 5 {
		start := time.Now()
		c, _ := exercise.LoadCourse(demo.Course())
		for _, e := range c.Exercises {
			p, problems := check.Prepare(context.Background(), e)
			if len(problems) > 0 {
				return errors.New(problems[0].String())
			}
			advice.Inspect(context.Background(), p, probe.Options{})
		}
		times = append(times, time.Since(start))
	}
	row("publish the demo course: run, inspect and probe it all", fmt.Sprintf("%.0f ms", ms(median(times))), "< 1 s")
	return nil
}
