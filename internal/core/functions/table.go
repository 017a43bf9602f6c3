package functions

import (
	"fmt"
	"slices"
	"strings"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// Topic groups functions as the notation's page does.
type Topic string

// The topics.
const (
	Making      Topic = "making"
	Inspecting  Topic = "inspecting"
	Rearranging Topic = "rearranging"
	Elementwise Topic = "element-wise"
	Reductions  Topic = "reductions"
	Scans       Topic = "scans"
	Algebra     Topic = "matrix algebra"
	Further     Topic = "further functions"
)

// Topics lists the topics in the order of the notation's page.
var Topics = []Topic{Making, Inspecting, Rearranging, Elementwise, Reductions, Scans, Algebra, Further}

// ClauseKind says which clause a function takes.
type ClauseKind uint8

// The clauses a function may take.
const (
	NoClause ClauseKind = iota
	Over                // reduces the axes named, or all
	Along               // works through one axis and keeps it
)

// OptionKind says how an option's value is read.
type OptionKind uint8

// The readings of an option's value.
const (
	OptionValue OptionKind = iota // an expression
	OptionWord                    // one of Words, written bare
	OptionAxes                    // a list of labels, "_" and axis numbers
)

// Option is one option a function takes.
type Option struct {
	Name  string
	Kind  OptionKind
	Words []string
}

// Function is one entry of the table.
type Function struct {
	Name      string
	Topic     Topic
	Signature string
	Doc       string // what it gives, units and errors; source of a formula
	Shape     string // the shape of the result, in words
	Example   string // an expression that runs
	Relatives []string
	Min, Max  int // how many arguments; Max is -1 for any number
	Clause    ClauseKind
	Options   []Option
	ShapeArgs bool // its int arguments spell a shape, where `auto` may stand
	// AlongResult: the clause's axis is one of the result, which has an axis more.
	AlongResult bool
	Slow        int  // nanoseconds for an element where it takes far longer than most
	Rule        Rule // what a call gives before any run
	Lineage     Lineage
	Run         func(c *Call) (*array.Array, *notation.Diagnostic)
}

var table = map[string]*Function{}

// entries lists the functions by topic; each topic has a file of the table.
var entries = [][]*Function{
	makingFunctions, inspectingFunctions, rearrangingFunctions, elementwiseFunctions, reductionFunctions, scanFunctions,
	algebraFunctions, furtherFunctions,
}

func init() {
	for _, topic := range entries {
		for _, f := range topic {
			if f.Lineage == nil {
				panic("the function " + f.Name + " has no rule of lineage")
			}
			table[f.Name] = f
		}
	}
}

// Lookup finds a function by name; nil when there is none.
func Lookup(name string) *Function { return table[name] }

// Names lists every function's name, sorted.
func Names() []string {
	names := make([]string, 0, len(table))
	for n := range table {
		names = append(names, n)
	}
	slices.Sort(names)
	return names
}

// ByTopic lists the functions of a topic by name.
func ByTopic(t Topic) []*Function {
	var out []*Function
	for _, n := range Names() {
		if table[n].Topic == t {
			out = append(out, table[n])
		}
	}
	return out
}

// CheckCall says what is wrong with a call that can be seen without values: the
// number of arguments, the clause, the options.
func (f *Function) CheckCall(call *notation.Call) *notation.Diagnostic {
	at := func(code codes.Code, span notation.Span, message, hint string) *notation.Diagnostic {
		return &notation.Diagnostic{Code: code, Span: span, Message: message, Hint: hint}
	}
	if n := len(call.Args); n < f.Min || (f.Max >= 0 && n > f.Max) {
		return at(codes.TextCall, call.Span, fmt.Sprintf("`%s` takes %s and got %d", f.Name, ArgumentCount(f.Min, f.Max),
			n), "write it as "+"`"+f.Signature+"`")
	}
	if call.Clause != nil {
		if d := f.checkClause(call); d != nil {
			return d
		}
	}
	for i, o := range call.Options {
		spec := f.option(o.Name.Name)
		if spec == nil {
			return at(codes.TextCall, o.Name.Span, fmt.Sprintf("`%s` has no option `%s`", f.Name, o.Name.Name),
				f.optionHint(o.Name.Name))
		}
		if slices.ContainsFunc(call.Options[:i],
			func(before *notation.Option) bool { return before.Name.Name == o.Name.Name }) {
			return at(codes.TextCall, o.Name.Span, fmt.Sprintf("the option `%s` occurs twice", o.Name.Name), "take one out")
		}
		if spec.Kind == OptionWord {
			w, ok := o.Value.(*notation.Name)
			if !ok || !slices.Contains(spec.Words, w.Name) {
				hint := "write " + notation.JoinWords(quoted(spec.Words), "or")
				if ok {
					if near := notation.Offer(notation.Nearest(w.Name, spec.Words)); near != "" {
						hint = near
					}
				}
				return at(codes.TextCall, o.Value.Pos(), fmt.Sprintf("the option `%s` of `%s` takes a word, one of %s",
					o.Name.Name, f.Name, strings.Join(quoted(spec.Words), ", ")), hint)
			}
		}
	}
	return nil
}

func (f *Function) checkClause(call *notation.Call) *notation.Diagnostic {
	wanted := ""
	switch f.Clause {
	case Over:
		wanted = "over"
	case Along:
		wanted = "along"
	}
	got := "over"
	if call.Clause.Along {
		got = "along"
	}
	if wanted == got {
		if f.Clause == Along && call.Clause.List {
			return &notation.Diagnostic{Code: codes.TextCall, Span: call.Clause.Span,
				Message: fmt.Sprintf("`%s` works along one axis", f.Name), Hint: "name one axis, without brackets"}
		}
		return nil
	}
	hint := fmt.Sprintf("write `%s`", f.Signature)
	message := fmt.Sprintf("`%s` takes no `%s`", f.Name, got)
	if wanted != "" {
		message = fmt.Sprintf("`%s` takes `%s`, not `%s`", f.Name, wanted, got)
	}
	return &notation.Diagnostic{Code: codes.TextCall, Span: call.Clause.Span, Message: message, Hint: hint}
}

func (f *Function) option(name string) *Option {
	for i := range f.Options {
		if f.Options[i].Name == name {
			return &f.Options[i]
		}
	}
	return nil
}

// OptionKindOf returns how an option's value is read.
func (f *Function) OptionKindOf(name string) OptionKind {
	if o := f.option(name); o != nil {
		return o.Kind
	}
	return OptionValue
}

func (f *Function) optionHint(name string) string {
	var names []string
	for _, o := range f.Options {
		names = append(names, o.Name)
	}
	if near := notation.Offer(notation.Nearest(name, names)); near != "" {
		return near
	}
	if len(names) == 0 {
		return fmt.Sprintf("it takes none: `%s`", f.Signature)
	}
	return "it takes " + notation.JoinWords(quoted(names), "and")
}

func quoted(words []string) []string {
	out := make([]string, len(words))
	for i, w := range words {
		out[i] = "`" + w + "`"
	}
	return out
}

// ArgumentCount says how many arguments a function takes, high below 0 for any number.
func ArgumentCount(low, high int) string {
	switch {
	case high < 0:
		return fmt.Sprintf("%d or more arguments", low)
	case low == high && low == 1:
		return "1 argument"
	case low == high:
		return fmt.Sprintf("%d arguments", low)
	}
	return fmt.Sprintf("%d to %d arguments", low, high)
}
