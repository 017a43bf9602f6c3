package commands

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// evaluateTime bounds a run of `nimbus evaluate`.
const evaluateTime = 10 * time.Second

type evaluateFlags struct {
	inputs     string
	set        []string
	counting   int
	trace      string // "", traceLines or traceParts
	expression string
	full       bool
}

// Bounds on what is written without --full: elements of one array, and bytes in all.
const (
	mostElements = 100_000
	mostWritten  = 32 << 20
)

// What --trace prints.
const (
	traceLines = "lines" // one line for each statement that ran
	traceParts = "parts" // and before it each operator, call and selection of it, inner ones first
)

// mostTraced bounds what a trace keeps.
const mostTraced = 10_000

// traced is a statement that ran, or a part of one.
type traced struct {
	span  notation.Span
	name  string // what a statement bound; "" for a part
	value *array.Array
}

func (a *app) evaluateCommand() *cobra.Command {
	var f evaluateFlags
	c := &cobra.Command{
		Use:   "evaluate [FILE]",
		Short: "Run notation text and print its values",
		Long: `Runs a program, or one expression, and prints values, shapes and notices.
FILE may be - for standard input. Inputs come from a JSON object of arrays, or
one at a time from a CSV or JSON file.`,
		Example: `  nimbus evaluate -e 'sum([[1, 2], [3, 4]] over 0)'
  nimbus evaluate answer.nra --inputs data.json --trace
  nimbus evaluate -e 'mean([[1, 2], [3, 4]] * [1, 10] over 0)' --trace=parts
  nimbus evaluate answer.nra --set growth=spring.csv --output json`,
		Args: cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error { return a.evaluate(c.Context(), f, args) },
	}
	c.Flags().StringVar(&f.inputs, "inputs", "", "JSON file: an object, name → array")
	c.Flags().StringArrayVar(&f.set, "set", nil, "name=file.csv or name=file.json; may be repeated")
	c.Flags().IntVar(&f.counting, "counting", 0, "what the first position is called: 0 or 1")
	c.Flags().StringVar(&f.trace, "trace", "", "print one line for each statement that ran; --trace=parts: and one for "+
		"each part of it")
	c.Flags().Lookup("trace").NoOptDefVal = traceLines
	c.Flags().StringVarP(&f.expression, "expression", "e", "", "evaluate this expression instead of a file")
	c.Flags().BoolVar(&f.full, "full", false, "write arrays whole, however large; else one of more than 100,000 "+
		"elements is written without its data")
	return c
}

func (a *app) evaluate(ctx context.Context, f evaluateFlags, args []string) error {
	if f.counting != 0 && f.counting != 1 {
		return wrongUse("--counting is %d; it takes 0 or 1", f.counting)
	}
	if f.trace != "" && f.trace != traceLines && f.trace != traceParts {
		return wrongUse("--trace is %q; it takes lines or parts, as --trace=parts", f.trace)
	}
	if (f.expression == "") == (len(args) == 0) {
		return wrongUse("give a FILE or an expression with -e, and not both; `nimbus help evaluate` shows examples")
	}
	inputs, err := a.inputs(f)
	if err != nil {
		return err
	}
	program, errs, name, err := a.program(f, args)
	if err != nil {
		return err
	}
	if len(errs) == 0 {
		errs = evaluate.Check(program, slices.Collect(maps.Keys(inputs)))
	}
	options := evaluate.Options{Counting: f.counting, Limits: evaluate.EvaluateLimits}
	steps := f.watched(&options)
	result := &evaluate.Result{}
	if len(errs) == 0 {
		ctx, cancel := context.WithTimeout(ctx, evaluateTime)
		defer cancel()
		result = evaluate.Run(ctx, program, inputs, options)
		if result.Error != nil {
			errs = []*notation.Diagnostic{result.Error}
		}
	}
	if a.output == "json" {
		if err := a.evaluateJSON(program, result, *steps, errs, f); err != nil {
			return err
		}
	} else {
		a.evaluateText(program, name, result, *steps, errs, f)
	}
	if len(errs) > 0 {
		return ended(exitDiffers)
	}
	return nil
}

// watched lets a run keep its trace, as far as one is asked for.
func (f *evaluateFlags) watched(o *evaluate.Options) *[]traced {
	steps := &[]traced{}
	keep := func(t traced) {
		if len(*steps) < mostTraced {
			*steps = append(*steps, t)
		}
	}
	if f.trace != "" {
		o.Trace = func(s evaluate.Step) { keep(traced{s.Span, s.Name, s.Value}) }
	}
	if f.trace == traceParts {
		o.Watch = func(e notation.Expr, v *array.Array) {
			if isPart(e) {
				keep(traced{e.Pos(), "", v})
			}
		}
	}
	return steps
}

// isPart reports whether an expression computes something: names and literals do not, and what the evaluator has put in
// has no place in the text.
func isPart(e notation.Expr) bool {
	switch notation.Strip(e).(type) {
	case *notation.Name, *notation.Number, *notation.Truth, *notation.Edge:
		return false
	}
	return e.Pos() != notation.Span{}
}

func (a *app) program(f evaluateFlags, args []string) (*notation.Program, []*notation.Diagnostic, string, error) {
	if f.expression != "" {
		program, errs := notation.ParseExpression(f.expression)
		return program, errs, "", nil
	}
	text, err := a.readText(args[0])
	if err != nil {
		return nil, nil, "", err
	}
	program, errs := notation.Parse(text)
	return program, errs, args[0], nil
}

// readText reads a program's file, or standard input for "-". One byte more than
// a program may have is enough to refuse it.
func (a *app) readText(name string) (string, error) {
	in := a.in
	if name != "-" {
		file, err := os.Open(name)
		if err != nil {
			return "", wrongUse("the file %s cannot be opened: %v", name, underlying(err))
		}
		defer file.Close()
		in = file
	}
	text, err := io.ReadAll(io.LimitReader(in, notation.MaxBytes+1))
	if err != nil {
		return "", wrongUse("the file %s cannot be read: %v", name, underlying(err))
	}
	return string(text), nil
}

// underlying takes the path off a file error, which the message names already.
func underlying(err error) error {
	if p := (*os.PathError)(nil); errors.As(err, &p) {
		return p.Err
	}
	return err
}

// inputs reads --inputs and --set.
func (a *app) inputs(f evaluateFlags) (map[string]*array.Array, error) {
	out := map[string]*array.Array{}
	if f.inputs != "" {
		raw, err := os.ReadFile(f.inputs)
		if err != nil {
			return nil, wrongUse("the file %s cannot be read: %v", f.inputs, underlying(err))
		}
		s := dataio.NewStream(bytes.NewReader(raw), math.MaxInt)
		err = s.Members(func(name string) (err error) {
			if out[name], err = s.Array(); err != nil {
				return fmt.Errorf("the input `%s`: %w", name, err)
			}
			return nil
		})
		if err == nil {
			err = s.End()
		}
		if err != nil {
			return nil, wrongUse("%s: %v", f.inputs, err)
		}
	}
	for _, set := range f.set {
		name, file, ok := strings.Cut(set, "=")
		if !ok {
			return nil, wrongUse("--set is %q; write --set name=file.csv", set)
		}
		array, err := readData(file, name)
		if err != nil {
			return nil, wrongUse("--set %s: %v", set, err)
		}
		out[name] = array
	}
	return out, nil
}

// readData reads one array from a file: CSV, where a table of one row or one column gives one axis, JSON, Matrix
// Market, or the variable of a netCDF file that is called as the array, or is alone.
func readData(file, name string) (*array.Array, error) {
	raw, err := os.ReadFile(file)
	if err != nil {
		return nil, underlying(err)
	}
	switch strings.ToLower(filepath.Ext(file)) {
	case ".json":
		return dataio.ReadJSON(raw)
	case ".mtx":
		return dataio.ReadMatrixMarket(raw)
	case ".nc", ".cdf":
		f, err := dataio.ReadNetCDF(raw)
		if err != nil {
			return nil, err
		}
		if only := f.Only(); only != "" && !slices.Contains(f.Names(), name) {
			name = only
		}
		return f.Array(name, true)
	}
	t, err := dataio.ReadTable(raw)
	if err != nil {
		return nil, err
	}
	rank := 2
	if len(t.Rows) == 1 || (len(t.Rows) > 0 && len(t.Rows[0]) == 1) {
		rank = 1
	}
	return t.Array(rank, false)
}

// jsonValues writes values, without their data where those are too many.
func jsonValues(result *evaluate.Result, full bool) (map[string]json.RawMessage, error) {
	out := map[string]json.RawMessage{}
	written := 0
	for _, name := range result.Order() {
		v := result.Value(name)
		var form json.Marshaler = dataio.JSON{Array: v}
		switch {
		case full:
		case written > mostWritten:
			form = dataio.Elided{Array: v.WithLabels(nil)}
		case v.Size() > mostElements:
			form = dataio.Elided{Array: v}
		}
		text, err := form.MarshalJSON()
		if err != nil {
			return nil, err
		}
		written += len(text)
		out[name] = text
	}
	return out, nil
}

// tracedJSON is a line of a trace: where it is, what it says there, and what it gave.
type tracedJSON struct {
	notation.Place
	Name  string         `json:"name"` // what a statement bound; "" for a part
	Text  string         `json:"text"`
	Value json.Marshaler `json:"value"` // without its data where these are many
}

// mostInTrace bounds the elements of a value in a trace without --full.
const mostInTrace = 1000

func tracedLines(program *notation.Program, steps []traced, full bool) []tracedJSON {
	out := make([]tracedJSON, 0, len(steps))
	for _, s := range steps {
		var value json.Marshaler = dataio.JSON{Array: s.value}
		if !full && s.value.Size() > mostInTrace {
			value = dataio.Elided{Array: s.value}
		}
		out = append(out, tracedJSON{program.Source.Place(s.span), s.name, program.Source.Slice(s.span), value})
	}
	return out
}

func (a *app) evaluateJSON(program *notation.Program, result *evaluate.Result, steps []traced,
	errs []*notation.Diagnostic, f evaluateFlags) error {
	values, err := jsonValues(result, f.full)
	if err != nil {
		return err
	}
	out := struct {
		Values  map[string]json.RawMessage `json:"values"`
		Notices []*notation.Diagnostic     `json:"notices"`
		Error   *notation.Diagnostic       `json:"error"`
		Trace   []tracedJSON               `json:"trace,omitempty"` // where one is asked for
	}{values, result.Notices, nil, tracedLines(program, steps, f.full)}
	if out.Notices == nil {
		out.Notices = []*notation.Diagnostic{}
	}
	if len(errs) > 0 {
		out.Error = errs[0]
	}
	return a.json(out)
}

func (a *app) evaluateText(program *notation.Program, name string, result *evaluate.Result, steps []traced,
	errs []*notation.Diagnostic, f evaluateFlags) {
	written := 0
	for _, s := range steps {
		if written > mostWritten && !f.full {
			a.printf("  … the trace is cut here; --full writes all of it\n")
			break
		}
		at := program.Source.Place(s.span)
		look := strings.Join(strings.Fields(a.look(s.value)), " ")
		place, what := strconv.Itoa(at.Line), s.name
		if s.name == "" {
			place, what = fmt.Sprintf("%d:%d", at.Line, at.Column), oneLine(program.Source.Slice(s.span))
		}
		widths := [2]int{4, 14}
		if f.trace == traceParts {
			widths = [2]int{6, mostPart}
		}
		written += a.printf("%*s  %-*s %-8s %-28s %s\n", widths[0], place, widths[1], what, s.value.Kind(),
			functions.ShapeOf(s.value), look)
	}
	if len(steps) > 0 {
		a.printf("\n")
	}
	for _, n := range result.Order() {
		v := result.Value(n)
		switch {
		case f.full:
			a.printf("%s  %s  %s\n%s", a.paint("1", n), v.Kind(), shapeStrip(v), grid(v, f.counting, whole))
		case written > mostWritten:
			a.printf("%s  %s  (not written: there is too much; --full writes all of it)\n", a.paint("1", n), v.Kind())
		case v.Size() > mostElements:
			written += a.printf("%s  %s  %s\n  %s  (%d elements; --full writes them)\n", a.paint("1", n), v.Kind(),
				shapeStrip(v), ends(v), v.Size())
		default:
			written += a.printf("%s  %s  %s\n%s", a.paint("1", n), v.Kind(), shapeStrip(v), grid(v, f.counting, short))
		}
	}
	for _, n := range result.Notices {
		a.printf("\n%s", notation.Draw(n, program.Source, name))
	}
	for _, d := range errs {
		fmt.Fprintf(a.err, "%s", notation.Draw(d, program.Source, name))
	}
}

// mostPart is how many characters of a part's text a trace shows.
const mostPart = 36

// oneLine is a text in one line, cut in its middle.
func oneLine(text string) string {
	r := []rune(strings.Join(strings.Fields(text), " "))
	if len(r) > mostPart {
		half := (mostPart - 3) / 2
		r = append(append(slices.Clone(r[:half]), []rune(" … ")...), r[len(r)-half:]...)
	}
	return string(r)
}

// look is a short look at a value: its first elements.
func (a *app) look(v *array.Array) string {
	const most = 6
	var parts []string
	for i := range min(v.Size(), most) {
		parts = append(parts, element(v, i))
	}
	if v.Size() > most {
		parts = append(parts, "…")
	}
	return strings.Join(parts, "  ")
}

// ends is a short look at a large value: its first and last elements.
func ends(v *array.Array) string {
	const most = 3
	var parts []string
	for i := range most {
		parts = append(parts, element(v, i))
	}
	parts = append(parts, "…")
	for i := v.Size() - most; i < v.Size(); i++ {
		parts = append(parts, element(v, i))
	}
	return strings.Join(parts, "  ")
}

// shapeStrip draws an array's shape as a row of cells.
func shapeStrip(v *array.Array) string {
	return notation.ShapeRows([]notation.Shape{functions.ShapeOf(v)})[0]
}
