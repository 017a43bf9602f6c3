package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
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

// tally counts what became of a part of the corpus.
type tally struct {
	right, rightMarked, wrong, wrongMarked, accepted, falsely, silent, rivals, mess, messTold int
	certain, certainlyFalse, examples                                                         int

	sizes []int // of examples, in cells of input
	times []time.Duration
}

// count adds what was told of one sample.
func (t *tally) count(s *causes.Sample, v *check.Verdict, took time.Duration) {
	if v == nil {
		return
	}
	t.times = append(t.times, took)
	agrees := v.Verdict == check.Agrees
	fair := func(c check.Cause) bool { return slices.Contains(s.Accepted, c.Code) }
	switch {
	case s.Right():
		t.right++
		if agrees {
			t.rightMarked++
		}
		return
	case s.Mess():
		t.mess++
		t.messTold += min(len(v.Causes), 1)
		return
	}
	t.wrong++
	if !agrees {
		t.wrongMarked++
	}
	if v.Example != nil {
		t.examples++
		cells := 0
		for _, a := range v.Example.Inputs {
			cells += a.Array.Size()
		}
		t.sizes = append(t.sizes, cells)
	}
	if len(v.Causes) == 0 {
		t.silent++
		return
	}
	first := v.Causes[0]
	certain := first.Confidence == "certain"
	if certain {
		t.certain++
	}
	switch {
	case !fair(first):
		t.falsely++
		if certain {
			t.certainlyFalse++
		}
	case slices.ContainsFunc(v.Causes, func(c check.Cause) bool { return !fair(c) && c.Code != codes.Foreseen }):
		t.accepted++
		t.rivals++
	default:
		t.accepted++
	}
}

// parts are those of the corpus: the demo's exercises, and those of the tests.
var parts = []struct{ name, folder, words string }{
	{"demo", "", "on the demo's exercises"},
	{"own", "internal/core/check/testdata/own", "on exercises of other kinds"},
	{"develop", "internal/core/check/testdata/develop", "on exercises to develop on"},
	{"untouched", "internal/core/check/testdata/untouched", "on exercises nobody tuned to"},
}

// corpus checks every attempt of every part of the corpus, and says how the causes did.
func corpus() error {
	for _, part := range parts {
		prepared, samples, err := corpusPart(part.folder)
		if err != nil {
			return err
		}
		var t tally
		verdicts, took := make([]*check.Verdict, len(samples)), make([]time.Duration, len(samples))
		start := time.Now()
		onEveryCore(len(samples), func(i int) {
			began := time.Now()
			verdicts[i], _ = check.Attempt(context.Background(), prepared[samples[i].Exercise], samples[i].Program, nil)
			took[i] = time.Since(began)
		})
		all := time.Since(start)
		if err := alone(prepared, samples, took); err != nil {
			return err
		}
		for i := range samples {
			t.count(&samples[i], verdicts[i], took[i])
		}
		t.rows(part.words, all)
	}
	return nil
}

// long is how long an attempt takes to be timed again: one of thousands may have waited for a machine's neighbours.
const long = 80 * time.Millisecond

// alone times the attempts that took long again, three times, each with all that the first attempt at an exercise
// makes, and keeps the quickest.
func alone(prepared map[string]*check.Prepared, samples []causes.Sample, took []time.Duration) error {
	ctx := context.Background()
	for i := range samples {
		if took[i] < long {
			continue
		}
		took[i] = time.Hour
		for range 3 {
			p, problems := check.Prepare(ctx, prepared[samples[i].Exercise].Exercise)
			if len(problems) > 0 {
				return errors.New(problems[0].String())
			}
			began := time.Now()
			_, _ = check.Attempt(ctx, p, samples[i].Program, nil)
			took[i] = min(took[i], time.Since(began))
		}
	}
	return nil
}

// corpusPart reads a part of the corpus and prepares its exercises; "" is the demo's.
func corpusPart(folder string) (map[string]*check.Prepared, []causes.Sample, error) {
	ctx := context.Background()
	if folder == "" {
		prepared, err := prepareDemo(ctx)
		if err != nil {
			return nil, nil, err
		}
		samples, err := causes.Corpus()
		return prepared, samples, err
	}
	prepared := map[string]*check.Prepared{}
	var samples []causes.Sample
	for _, f := range []string{folder, folder + "-from-one"} {
		c, problems := exercise.LoadCourse(os.DirFS(f))
		if len(problems) > 0 {
			return nil, nil, errors.New(problems[0].String())
		}
		for _, e := range c.Exercises {
			p, problems := check.Prepare(ctx, e)
			if len(problems) > 0 {
				return nil, nil, errors.New(problems[0].String())
			}
			prepared[e.Name] = p
			text, err := os.ReadFile(filepath.Join(f, "exercises", e.Name, "attempts.txt"))
			if err != nil {
				return nil, nil, err
			}
			samples = append(samples, causes.Samples(e.Name, string(text))...)
		}
	}
	return prepared, samples, nil
}

func (t *tally) rows(words string, all time.Duration) {
	share := func(n, of int) string { return fmt.Sprintf("%.1f %%", 100*float64(n)/float64(max(of, 1))) }
	row("right answers marked right, "+words, fmt.Sprintf("%d of %d", t.rightMarked, t.right), "all")
	row("  wrong answers marked wrong", fmt.Sprintf("%d of %d", t.wrongMarked, t.wrong), "all")
	row("  first cause accepted", share(t.accepted, t.wrong), "≥ 97 %")
	row("  first cause false, or told of a mess", share(t.falsely+t.messTold, t.wrong+t.mess), "≤ 0.5 %")
	row("  told as certain and false", fmt.Sprintf("%d of %d", t.certainlyFalse, t.certain), "≤ 0.2 %")
	row("  needless rivals beside an accepted one", share(t.rivals, t.wrong), "≤ 2 %")
	row("  silent where a fair cause exists", share(t.silent, t.wrong), "≤ 3 %")
	row("  an example found", share(t.examples, t.wrong), "≥ 95 %")
	slices.Sort(t.sizes)
	slices.Sort(t.times)
	row("  cells of input in an example, median", fmt.Sprint(t.sizes[len(t.sizes)/2]), "≤ 8")
	row("  400 attempts with causes and examples, as fast", fmt.Sprintf("%.1f s",
		all.Seconds()*400/float64(len(t.times))), "≤ 2 s")
	row("  the slowest attempt", fmt.Sprintf("%.0f ms", ms(t.times[len(t.times)-1])), "≤ 150 ms")
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
