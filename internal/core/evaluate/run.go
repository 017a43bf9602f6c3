package evaluate

import (
	"context"
	"fmt"
	"math"
	"slices"
	"sync"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/core/notation"
)

// Limits are the bounds of one run.
type Limits = functions.Limits

// Bounds for the two uses the notation names. Their seconds are the caller's.
var (
	EvaluateLimits = Limits{Statements: 1e6, Cells: 1e8, Bytes: 512 << 20, Depth: 64}
	CheckLimits    = Limits{Statements: 1e5, Cells: 5e7, Bytes: 256 << 20, Depth: 64}
)

// Options say how a program is run.
type Options struct {
	Counting int // what the first position is called: 0 or 1
	Limits   Limits
	Draw     functions.DrawKey
	Trace    func(Step) // called after each statement that binds or assigns; nil for none
	// Watch is called with each expression computed, inner ones first; nil for none.
	Watch func(e notation.Expr, value *array.Array)
	// Record is told of every step; nil for nobody.
	Record Recorder
}

// Step is one statement that has run.
type Step struct {
	Span  notation.Span
	Name  string
	Value *array.Array
}

// runner is the state of one run.
type runner struct {
	parts     int64 // expressions evaluated
	program   *notation.Program
	functions map[string]*notation.Function
	inputs    map[string]*array.Array
	meter     functions.Meter
	options   Options
	frame     *frame
	depth     int
	axes      []axisContext // the selections open around the expression
	left      []leftInput   // inputs whose names were bound again
	wrote     bool          // an input's name holds a copy of it that is written into
	idle      *call         // calls that have ended
	picks     []array.Pick  // scratch for one selection
}

// leftInput is an input whose name holds something else by now; views may still
// write into its cells.
type leftInput struct {
	name          string
	before, value *array.Array
}

// axisContext is the axis whose positions first and last mean.
type axisContext struct {
	length int
	known  bool
}

// stop unwinds a run to its edge with a diagnostic.
type stop struct{ d *notation.Diagnostic }

// returned unwinds a function's body to its call.
type returned struct{ value *array.Array }

// predefined holds the values every program starts with.
var predefined = map[string]float64{"pi": math.Pi, "e": math.E, "inf": math.Inf(1), "nan": math.NaN(),
	"epsilon": 0x1p-52}

// Run runs a program that has passed Check. Inputs are not changed. A panic of another
// kind than the run's own stops is a fault of ours; it goes on to the caller as one, who
// ends what the run was part of.
func Run(ctx context.Context, program *notation.Program, inputs map[string]*array.Array,
	options Options) (result *Result) {
	whole := &struct {
		result Result
		top    frame
	}{}
	top := &whole.top
	result = &whole.result
	result.top = top
	r := runners.Get().(*runner)
	r.program, r.functions, r.inputs, r.options, r.frame = program, program.Functions(), inputs, options, top
	r.meter.Start(ctx, options.Limits, r)
	r.meter.Draw = options.Draw
	if rec, watch := options.Record, options.Watch; rec != nil {
		r.options.Watch = func(e notation.Expr, v *array.Array) {
			rec.Value(e, v)
			if watch != nil {
				watch(e, v)
			}
		}
	}
	for name, a := range inputs {
		a.Cells().Hold()
		a.Cells().Freeze()
		v := top.add(name)
		v.value, v.input = a, true
	}
	defer func() {
		if p := recover(); p != nil {
			if result.Error = r.stopped(p); result.Error == nil {
				r.meter.Stop()
				panic(guard.Of(p, "running a program"))
			}
		}
		r.finish(result)
		r.meter.Stop()
		*r = runner{idle: r.idle, axes: r.axes[:0], picks: r.picks, meter: functions.Meter{Arena: r.meter.Arena}}
		runners.Put(r)
	}()
	r.block(program.Statements)
	return result
}

// runners are runs that have ended, whose arena and lists are used again: without them the
// eight statements of `make bench` take three times as long.
var runners = sync.Pool{New: func() any { return &runner{} }}

// stopped is the diagnostic of what unwound a run, nil where nothing of the run did.
func (r *runner) stopped(p any) *notation.Diagnostic {
	switch s := p.(type) {
	case stop:
		return s.d
	case functions.Stopped:
		s.Diagnostic.Span = r.meter.Span()
		return s.Diagnostic
	}
	return nil
}

func (r *runner) finish(result *Result) {
	if r.wrote {
		result.top.each(r.leave)
	}
	if len(r.left) > 0 {
		for _, l := range r.left {
			if !array.Equal(l.before, l.value) && !slices.Contains(result.Changed, l.name) {
				result.Changed = append(result.Changed, l.name)
			}
		}
		slices.Sort(result.Changed)
	}
	result.Statements, result.Cells, result.Work = r.meter.Statements, r.meter.Cells, r.meter.Work
	result.Draws, result.Parts = r.meter.Draws(), r.parts
	src := r.program.Source
	if result.Notices = r.meter.Notices; len(result.Notices) > 0 {
		slices.SortStableFunc(result.Notices, func(a, b *notation.Diagnostic) int { return int(a.Span.Start - b.Span.Start) })
		for _, n := range result.Notices {
			n.Place = src.Place(n.Span)
		}
	}
	if result.Error != nil {
		result.Error.Place = src.Place(result.Error.Span)
	}
}

// Alive counts the bytes of distinct storage that names hold.
func (r *runner) Alive() int64 {
	seen := map[*array.Cells]bool{}
	total := int64(0)
	for f := r.frame; f != nil; f = f.caller {
		f.each(func(v *variable) {
			if c := v.value.Cells(); !seen[c] {
				seen[c] = true
				total += c.Bytes()
			}
		})
	}
	return total
}

// fail ends the run with a diagnostic at a span.
func (r *runner) fail(span notation.Span, d *notation.Diagnostic) {
	d.Span = span
	panic(stop{d})
}

func (r *runner) failWith(span notation.Span, code codes.Code, message, hint string, shapes ...notation.Shape) {
	r.fail(span, &notation.Diagnostic{Code: code, Message: message, Hint: hint, Shapes: shapes})
}

// must passes a result on or ends the run.
func (r *runner) must(span notation.Span, a *array.Array, d *notation.Diagnostic) *array.Array {
	if d != nil {
		r.fail(span, d)
	}
	return a
}

func (r *runner) ok(span notation.Span, d *notation.Diagnostic) {
	if d != nil {
		r.fail(span, d)
	}
}

// bind gives a name a value that behaves as a copy.
func (r *runner) bind(name string, value *array.Array) {
	r.set(name, r.held(value), false)
}

// set makes a name hold a value, in place of what it held.
func (r *runner) set(name string, value *array.Array, view bool) {
	v := r.frame.find(name)
	if v == nil {
		v = r.frame.add(name)
	} else {
		r.leave(v)
	}
	v.value, v.view, v.input = value, view, false
	r.frame.touch(v)
}

// held returns a value fit to be held by one more name: cells that a name holds
// already are frozen, so whoever writes first copies; cells behind a view are
// copied at once, since a view's writers never copy.
func (r *runner) held(value *array.Array) *array.Array {
	c := value.Cells()
	if !c.Hold() {
		return value
	}
	if c.Viewed() {
		r.ok(r.meter.Span(), r.meter.Take(value.Kind(), value.Size()))
		value = value.Copy()
		value.Cells().Hold()
		return value
	}
	c.Freeze()
	return value
}

// lookup finds a name's value.
func (r *runner) lookup(n *notation.Name) *array.Array {
	if v := r.frame.find(n.Name); v != nil {
		return v.value
	}
	if v, ok := predefined[n.Name]; ok {
		return array.Scalar(v)
	}
	r.failWith(n.Span, codes.TextName, fmt.Sprintf("`%s` has no value yet; the statement that binds it has not run",
		n.Name), "bind it before, on every path that leads here")
	return nil
}

// variableOf finds the variable a statement writes into.
func (r *runner) variableOf(n *notation.Name) *variable {
	v := r.frame.find(n.Name)
	if v == nil {
		value := r.held(r.lookup(n))
		v = r.frame.add(n.Name)
		v.value = value
	}
	return v
}

// writable makes sure that writing into a variable's cells is seen by nobody but
// its views.
func (r *runner) writable(span notation.Span, v *variable) {
	if !v.value.Cells().Frozen() {
		return
	}
	r.ok(span, r.meter.Take(v.value.Kind(), v.value.Size()))
	v.value = v.value.Copy()
	v.value.Cells().Hold()
	r.wrote = r.wrote || v.input
}
