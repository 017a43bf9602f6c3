package commands

import (
	"context"
	"errors"
	"maps"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/lineage"
	"nimbusreach/internal/core/notation"
)

type traceFlags struct {
	evaluateFlags
	cell, exercise, caseName string
}

func (a *app) traceCommand() *cobra.Command {
	var f traceFlags
	c := &cobra.Command{
		Use:   "trace FILE --cell 'NAME[POSITIONS]'",
		Short: "Show from which cells of the inputs a cell was made",
		Long: `Runs a program and shows where one cell came from, or several: the cells of each
input that were operands on the way (values), and those that decided which were
used or where they went (choices). A cell of an input is traced forward, to what
was made of it. FILE may be - for standard input. Arrays of up to 10,000 cells
are traced.`,
		Example: `  nimbus trace answer.nra --cell 'per_rope[1]' --inputs data.json
  nimbus trace answer.nra --cell 'per_rope[1]' --exercise exercises/rope-means --case spring
  nimbus trace answer.nra --cell 'growth[week: 0, rope: 1, depth: 2]' --inputs data.json --output json`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error { return a.trace(c.Context(), f, args[0]) },
	}
	c.Flags().StringVar(&f.cell, "cell", "", "the cell: a name, or a selection of one, as `NAME[POSITIONS]`")
	_ = c.MarkFlagRequired("cell")
	c.Flags().StringVar(&f.inputs, "inputs", "", "JSON file: an object, name → array")
	c.Flags().StringArrayVar(&f.set, "set", nil, "name=file.csv or name=file.json; may be repeated")
	c.Flags().IntVar(&f.counting, "counting", 0, "what the first position is called: 0 or 1")
	c.Flags().StringVar(&f.exercise, "exercise", "", "take the inputs and the counting of this `FOLDER`'s exercise")
	c.Flags().StringVar(&f.caseName, "case", "", "and of its cases this one; without it the first")
	return c
}

// tracing is what is traced, on which data.
type tracing struct {
	inputs  map[string]*array.Array
	options evaluate.Options
}

func (a *app) trace(ctx context.Context, f traceFlags, file string) error {
	if f.counting != 0 && f.counting != 1 {
		return wrongUse("--counting is %d; it takes 0 or 1", f.counting)
	}
	t, err := a.tracing(ctx, f)
	if err != nil {
		return err
	}
	text, err := a.readText(file)
	if err != nil {
		return err
	}
	program, errs := notation.Parse(text)
	if len(errs) == 0 {
		errs = evaluate.Check(program, slices.Collect(maps.Keys(t.inputs)))
	}
	if len(errs) > 0 {
		return a.untraced(program, file, errs)
	}
	ctx, cancel := context.WithTimeout(ctx, evaluateTime)
	defer cancel()
	run, err := lineage.Trace(ctx, program, t.inputs, t.options)
	var large *lineage.TooLarge
	switch {
	case errors.As(err, &large):
		return wrongUse("%s: %v; take a smaller case", file, err)
	case err != nil:
		return err
	}
	find := func(name string) *array.Array {
		if v := run.Result.Value(name); v != nil {
			return v
		}
		return t.inputs[name]
	}
	cell, d := lineage.ParseCell(f.cell, t.options.Counting, find)
	if d != nil {
		if run.Result.Error != nil {
			return a.untraced(program, file, []*notation.Diagnostic{run.Result.Error})
		}
		return wrongUse("--cell %s: %s; %s", f.cell, d.Message, d.Hint)
	}
	found := &cellOrigin{Cell: f.cell, counting: t.options.Counting, arrays: map[string]*array.Array{}}
	if cells, is := run.Of(cell.Name, cell.Cells...); is {
		found.cells = cells.Inputs
		maps.Copy(found.arrays, t.inputs)
		found.Words = cells.Told(t.inputs, t.options.Counting)
	} else {
		found.forward = true
		found.cells, _ = run.From(cell.Name, cell.Cells...)
		for name := range found.cells {
			found.arrays[name] = run.Result.Value(name)
		}
		made := &lineage.Origin{Inputs: found.cells}
		if found.Words = made.Told(found.arrays, t.options.Counting); len(found.cells) == 0 {
			found.Words = "nothing"
		}
	}
	if a.output == "json" {
		return a.json(found.json())
	}
	a.found(found, find(cell.Name), cell.Cells)
	return nil
}

// tracing gathers the data that a program is traced on.
func (a *app) tracing(ctx context.Context, f traceFlags) (*tracing, error) {
	t := &tracing{options: evaluate.Options{Counting: f.counting, Limits: evaluate.EvaluateLimits}}
	var err error
	if f.exercise == "" {
		if f.caseName != "" {
			return nil, wrongUse("--case names a case of an exercise; give its folder with --exercise")
		}
		t.inputs, err = a.inputs(f.evaluateFlags)
		return t, err
	}
	if f.inputs != "" || len(f.set) > 0 {
		return nil, wrongUse("give inputs of your own, or --exercise, and not both")
	}
	p, err := a.prepared(ctx, f.exercise)
	if err != nil {
		return nil, err
	}
	at := slices.IndexFunc(p.Cases, func(c check.PreparedCase) bool { return f.caseName == "" || c.Name == f.caseName })
	if at < 0 {
		var names []string
		for i := range p.Cases {
			names = append(names, p.Cases[i].Name)
		}
		return nil, wrongUse("the exercise has no case `%s`; there are %s", f.caseName, strings.Join(names, ", "))
	}
	t.inputs, t.options = p.Cases[at].Inputs, p.Options(&p.Cases[at])
	return t, nil
}

// untraced tells why a program cannot be traced.
func (a *app) untraced(program *notation.Program, file string, errs []*notation.Diagnostic) error {
	a.evaluateText(program, file, &evaluate.Result{}, nil, errs, evaluateFlags{})
	return ended(exitDiffers)
}

// cellOrigin is where cells came from, or where they went.
type cellOrigin struct {
	Cell     string
	Words    string
	forward  bool
	counting int
	cells    map[string]lineage.Cells
	arrays   map[string]*array.Array
}

func (o *cellOrigin) json() any {
	sides := func(in lineage.Relation) map[string][][]int {
		out := map[string][][]int{}
		for name, cells := range o.cells {
			if at := cells.Positions(o.arrays[name].Shape(), in, o.counting); len(at) > 0 {
				out[name] = at
			}
		}
		return out
	}
	return struct {
		Cell   string             `json:"cell"`
		Of     string             `json:"of"` // "inputs", or of a cell of an input "results"
		Value  map[string][][]int `json:"value"`
		Choice map[string][][]int `json:"choice"`
		Words  string             `json:"words"`
	}{o.Cell, map[bool]string{false: "inputs", true: "results"}[o.forward], sides(lineage.Value), sides(lineage.Choice),
		o.Words}
}

func (a *app) found(o *cellOrigin, of *array.Array, cells []int) {
	value := ""
	if len(cells) == 1 {
		value = " = " + element(of, cells[0])
	}
	verb := "made from"
	if o.forward {
		verb = "went into"
	}
	a.printf("%s%s\n%s %s\n", a.paint("1", o.Cell), value, verb, o.Words)
	chosen := false
	for _, name := range slices.Sorted(maps.Keys(o.cells)) {
		v, marks := o.arrays[name], o.cells[name]
		chosen = chosen || marks.Count(lineage.Choice) > 0
		a.printf("\n%s  %s  %s\n%s", a.paint("1", name), v.Kind(), shapeStrip(v), gridOf(
			functions.NumbersOf(v.Shape()).WithLabels(v.Labels()), o.counting, extent{20, 20, 12}, func(numbers *array.Array,
				i int) string {
				at := int(numbers.IntAt(i)) - 1
				switch marks[at] {
				case lineage.Value:
					return element(v, at)
				case lineage.Choice:
					return "/" + element(v, at)
				case lineage.Value | lineage.Choice:
					return "/" + element(v, at) + "/"
				}
				return "·"
			}))
	}
	if chosen {
		a.printf("\n/ marks a choice, / / a value that is a choice too.\n")
	}
}
