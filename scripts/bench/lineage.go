package main

import (
	"context"
	"fmt"
	"time"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/lineage"
	"nimbusreach/internal/core/notation"
)

// everyKind is a program of twenty lines that works with most kinds of rules.
const everyKind = `mask = x > 0.5
y = x * 2 - mean(x over 0)
z = sort(y along 1)
z[0, all] = 0
w = running_sum(z along 0)
picked = pick(mask, w, y)
top = max(picked over 0)
scaled = picked / (1 + abs(top))
centred = scaled - mean(scaled over 1, keep: true)
order = sort_order(sum(centred over 1))
rows = centred[order, all]
joined = join(rows, x along 0)
halves = reshape(joined, [2, auto])
spread = std(halves over 1)
gap = differences(rows along 0)
turned = transpose(rows)
mixed = rows dot turned
worst = max_at(mixed over 0)
each row in rows { top = top + row }
last_one = clipped(top, -100, 100) + spread[0]
`

// traced measures a traced run against a plain one, and what a question of one cell takes.
func traced() error {
	program, errs := notation.Parse(everyKind)
	if len(errs) > 0 {
		return errs[0]
	}
	ctx := context.Background()
	options := evaluate.Options{Limits: evaluate.CheckLimits}
	grid := func(rows, columns int) map[string]*array.Array {
		a := array.New(array.Real, []int{rows, columns})
		for i := range a.Reals() {
			a.Reals()[i] = float64(i*7919%1000) / 1000
		}
		return map[string]*array.Array{"x": a}
	}
	small := grid(25, 40)
	plain := func() error {
		if r := evaluate.Run(ctx, program, small, options); r.Error != nil {
			return r.Error
		}
		return nil
	}
	var err error
	with, without, err := inTurn(func() error { _, err := lineage.Trace(ctx, program, small, options); return err },
		func() { err = plain() })
	if err != nil {
		return err
	}
	row("a traced run of 20 lines on 1,000 cells, against a plain one", fmt.Sprintf("%.1f ×",
		float64(with)/float64(without)),
		"≤ 20 ×")
	run, err := lineage.Trace(ctx, program, grid(70, 70), options)
	if err != nil {
		return err
	}
	var times, forward []time.Duration
	for i := range 200 {
		start := time.Now()
		if _, is := run.Of("last_one", i%70); !is {
			return fmt.Errorf("the program binds no `last_one`")
		}
		times = append(times, time.Since(start))
		start = time.Now()
		run.From("x", i)
		forward = append(forward, time.Since(start))
	}
	row("where a cell came from, 20 lines on arrays up to 9,800 cells", fmt.Sprintf("%.2f ms", ms(median(times))),
		"≤ 16 ms")
	row("  where a cell of an input went", fmt.Sprintf("%.2f ms", ms(median(forward))), "≤ 16 ms")
	return nil
}
