package check

import (
	"fmt"
	"strings"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/lineage"
)

// whereOf says a region in words, in the course's counting and labels.
func whereOf(d *compare.Differences, r *array.Array, counting int) Where {
	region := d.Where
	w := Where{Region: string(region.Kind)}
	subject := fmt.Sprintf("all %d are", d.Count)
	if d.Count == 1 {
		subject = "the one difference is"
	}
	onAxis := func() string {
		axis := functions.AxisWord(r, region.Axis, counting)
		w.Axis = &axis
		from, to := region.First+counting, region.Last+counting
		w.From, w.To = &from, &to
		if r.Label(region.Axis) == "" {
			return "axis " + axis
		}
		return axis
	}
	switch region.Kind {
	case compare.Everything:
		w.Words = fmt.Sprintf("every one of the %d elements differs", d.Of)
		if d.Of == 1 {
			w.Words = "its one element differs"
		}
	case compare.OnePlace:
		w.Words = "the one difference is at " + placeWords(r, d.Worst[0].Flat, counting)
	case compare.Position:
		axis := onAxis()
		w.Words = fmt.Sprintf("%s in %s=%d%s", subject, axis, *w.From, edge(region, r.Len(region.Axis)))
	case compare.Range:
		axis := onAxis()
		w.Words = fmt.Sprintf("%s in %s=%d to %d%s", subject, axis, *w.From, *w.To, span(region, r.Len(region.Axis)))
	case compare.EveryKth:
		axis := onAxis()
		step := region.Step
		w.Step = &step
		w.Words = fmt.Sprintf("%s in every %s position of %s from %d to %d", subject, ordinal(step), axis, *w.From, *w.To)
	case compare.Diagonal:
		w.Words = subject + " on the diagonal"
	case compare.Above:
		w.Words = subject + " above the diagonal"
	case compare.Below:
		w.Words = subject + " below the diagonal"
	case compare.MaskTrue:
		w.Words = fmt.Sprintf("%s where `%s` is true", subject, region.Words)
	case compare.MaskFalse:
		w.Words = fmt.Sprintf("%s where `%s` is false", subject, region.Words)
	default:
		w.Words = fmt.Sprintf("the %d are scattered among the %d elements", d.Count, d.Of)
	}
	return w
}

// placeWords names one element: "week=2, depth=0", or "[2, 0]" without labels.
func placeWords(r *array.Array, flat, counting int) string {
	position := lineage.PositionOf(r.Shape(), flat, counting)
	if len(position) == 0 {
		return "the scalar"
	}
	if r.Labels() == nil {
		return strings.Join(strings.Fields(fmt.Sprint(position)), ", ")
	}
	parts := make([]string, len(position))
	for i, at := range position {
		name := functions.AxisWord(r, i, counting)
		if r.Label(i) == "" {
			name = "axis " + name
		}
		parts[i] = fmt.Sprintf("%s=%d", name, at)
	}
	return strings.Join(parts, ", ")
}

func edge(region compare.Region, n int) string {
	switch region.First {
	case n - 1:
		return ", the last"
	case 0:
		return ", the first"
	}
	return ""
}

func span(region compare.Region, n int) string {
	switch {
	case region.Last == n-1:
		return ", the end of the axis"
	case region.First == 0:
		return ", the start of the axis"
	}
	return ""
}

func ordinal(n int) string {
	switch n {
	case 2:
		return "second"
	case 3:
		return "third"
	}
	return fmt.Sprintf("%dth", n)
}
