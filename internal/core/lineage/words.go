package lineage

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// mostListed is how many positions of an axis are listed one by one.
const mostListed = 6

// Words describes those cells of an array that take part in a way: how many, and which, in the course's counting and
// labels; "" for none.
func Words(name string, a *array.Array, cells Cells, in Relation, counting int) string {
	count := cells.Count(in)
	switch {
	case count == 0:
		return ""
	case a.Rank() == 0:
		return name
	case count == a.Size():
		if count == 1 {
			return "the one cell of " + name
		}
		if count == 2 {
			return "both cells of " + name
		}
		return fmt.Sprintf("all %d cells of %s", count, name)
	}
	where, box := boxOf(a, cells, in, counting)
	if !box {
		if part := triangle(a, cells, in); part != "" {
			return fmt.Sprintf("%s of %s", part, name)
		}
		return fmt.Sprintf("%d cells of %s, within %s", count, name, where)
	}
	cell := "cells"
	if count == 1 {
		cell = "cell"
	}
	return fmt.Sprintf("%d %s of %s: %s", count, cell, name, where)
}

// triangle names the diagonal of a square matrix, or what lies above or below it with it or without.
func triangle(a *array.Array, cells Cells, in Relation) string {
	if a.Rank() != 2 || a.Len(0) != a.Len(1) {
		return ""
	}
	var has, lacks [3]bool // below, on and above the diagonal
	for k, r := range cells {
		i, j := k/a.Len(1), k%a.Len(1)
		side := 1
		if j < i {
			side = 0
		} else if j > i {
			side = 2
		}
		if r&in != 0 {
			has[side] = true
		} else {
			lacks[side] = true
		}
	}
	for side := range has {
		if has[side] && lacks[side] {
			return ""
		}
	}
	return map[[3]bool]string{{false, true, false}: "the diagonal", {true, false, false}: "what is below the diagonal",
		{false, false, true}: "what is above the diagonal", {true, true, false}: "the diagonal and what is below it",
		{false, true, true}: "the diagonal and what is above it", {true, false, true}: "all but the diagonal"}[has]
}

// boxOf describes, axis by axis, the positions that occur; box says whether all their crossings do.
func boxOf(a *array.Array, cells Cells, in Relation, counting int) (words string, box bool) {
	used := make([][]bool, a.Rank())
	for axis := range used {
		used[axis] = make([]bool, a.Len(axis))
	}
	for k, r := range cells {
		if r&in == 0 {
			continue
		}
		for axis := a.Rank() - 1; axis >= 0; axis-- {
			used[axis][k%a.Len(axis)] = true
			k /= a.Len(axis)
		}
	}
	parts := make([]string, a.Rank())
	size := 1
	for axis := range used {
		var places []int
		for i, u := range used[axis] {
			if u {
				places = append(places, i)
			}
		}
		size *= len(places)
		parts[axis] = onAxis(a, axis, places, counting)
	}
	return strings.Join(parts, ", "), size == cells.Count(in)
}

func onAxis(a *array.Array, axis int, places []int, counting int) string {
	name := functions.AxisWord(a, axis, counting)
	every, several := "every "+name, fmt.Sprintf("%d places of %s", len(places), name)
	switch {
	case a.Label(axis) != "":
	case a.Rank() == 1:
		name, every, several = "position", "every position", fmt.Sprintf("%d positions", len(places))
	default:
		every, several = "every place of axis "+name, fmt.Sprintf("%d places of axis %s", len(places), name)
		name = "axis " + name + " at"
	}
	first, last := places[0], places[len(places)-1]
	step := 1
	if len(places) > 1 {
		step = places[1] - places[0]
	}
	even := true
	for i := range places[1:] {
		even = even && places[i+1]-places[i] == step
	}
	switch {
	case len(places) == a.Len(axis):
		return every
	case len(places) == 1:
		return fmt.Sprintf("%s %d", name, first+counting)
	case even && step == 1:
		return fmt.Sprintf("%s %d to %d", name, first+counting, last+counting)
	case even && len(places) > 2:
		return fmt.Sprintf("%s %d to %d by %d", name, first+counting, last+counting, step)
	case len(places) <= mostListed:
		list := make([]string, len(places))
		for i, at := range places {
			list[i] = fmt.Sprint(at + counting)
		}
		return name + " " + notation.JoinWords(list, "and")
	}
	return fmt.Sprintf("%s from %d to %d", several, first+counting, last+counting)
}

// Told says where cells came from: the values first, then what chose. arrays are the inputs by name.
func (o *Origin) Told(arrays map[string]*array.Array, counting int) string {
	told := func(in Relation) string {
		var parts []string
		for _, name := range slices.Sorted(maps.Keys(o.Inputs)) {
			if w := Words(name, arrays[name], o.Inputs[name], in, counting); w != "" {
				parts = append(parts, w)
			}
		}
		return strings.Join(parts, "; ")
	}
	value, choice := told(Value), told(Choice)
	switch {
	case value == "" && choice == "":
		return "no input"
	case choice == "":
		return value
	case value == "":
		return "chosen by " + choice
	}
	return value + "; chosen by " + choice
}

// Positions lists the cells that take part in a way by their positions, in the course's counting.
func (c Cells) Positions(shape []int, in Relation, counting int) [][]int {
	out := [][]int{}
	for k, r := range c {
		if r&in == 0 {
			continue
		}
		out = append(out, PositionOf(shape, k, counting))
	}
	return out
}

// PositionOf is the position of a flat place in a shape, in the course's counting.
func PositionOf(shape []int, flat, counting int) []int {
	out := make([]int, len(shape))
	for axis := len(shape) - 1; axis >= 0; axis-- {
		out[axis] = flat%shape[axis] + counting
		flat /= shape[axis]
	}
	return out
}

// Runs lists the cells that take part in a way, flat, rows first, as runs of neighbours: where one begins, how many
// cells it has, where the next begins.
func (c Cells) Runs(in Relation) []int {
	out := []int{}
	before := false
	for k, r := range c {
		switch is := r&in != 0; {
		case !is:
			before = false
		case before:
			out[len(out)-1]++
		default:
			out = append(out, k, 1)
			before = true
		}
	}
	return out
}

// Cell is a cell, or several, that a text names: `per_rope[1]`.
type Cell struct {
	Name  string
	Cells []int // flat, rows first
}

// ParseCell reads the cells that a text names: a name, or a selection of one as the notation writes it. find gives the
// array that a name holds, nil for none.
func ParseCell(text string, counting int, find func(name string) *array.Array) (*Cell, *notation.Diagnostic) {
	program, errs := notation.ParseExpression(text)
	if len(errs) > 0 {
		return nil, errs[0]
	}
	name := ""
	if s, is := program.Statements[0].(*notation.Assign); is {
		e := notation.Strip(s.Value)
		if sel, is := e.(*notation.Select); is {
			e = notation.Strip(sel.Of)
		}
		if n, is := e.(*notation.Name); is {
			name = n.Name
		}
	}
	if name == "" {
		return nil, &notation.Diagnostic{Message: fmt.Sprintf("`%s` names no cell", text),
			Hint: "write a name and positions, `per_rope[1]`"}
	}
	a := find(name)
	if a != nil {
		if errs := evaluate.Check(program, []string{name}); len(errs) > 0 {
			return nil, errs[0]
		}
	} else {
		return nil, &notation.Diagnostic{Message: fmt.Sprintf("`%s` has no value there", name),
			Hint: "name an input, or what the program binds"}
	}
	numbers := functions.NumbersOf(a.Shape()).WithLabels(a.Labels())
	chosen := evaluate.Run(context.Background(), program, map[string]*array.Array{name: numbers},
		evaluate.Options{Counting: counting, Limits: evaluate.CheckLimits})
	if chosen.Error != nil {
		return nil, chosen.Error
	}
	c := &Cell{Name: name}
	for _, at := range functions.CellsAt(chosen.Value("result")) {
		c.Cells = append(c.Cells, int(at))
	}
	slices.Sort(c.Cells)
	return c, nil
}
