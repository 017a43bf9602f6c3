package evaluate

import (
	"fmt"
	"slices"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// mostErrors is how many errors of one text are reported.
const mostErrors = 5

// Check says what is wrong with a program that can be seen before it runs: names
// bound nowhere, unknown functions, wrong calls. inputs are the names it is given.
func Check(program *notation.Program, inputs []string) []*notation.Diagnostic {
	c := &staticCheck{program: program, own: program.Functions(), inputs: inputs}
	bound := given(inputs)
	top := make([]notation.Node, 0, len(program.Statements))
	for _, s := range program.Statements {
		if f, ok := s.(*notation.Function); ok {
			c.oneFunction(f)
			continue
		}
		top = append(top, s)
	}
	c.scope(top, bound)
	slices.SortStableFunc(c.errs, func(a, b *notation.Diagnostic) int { return int(a.Span.Start - b.Span.Start) })
	c.errs = c.errs[:min(mostErrors, len(c.errs))]
	for _, d := range c.errs {
		d.Place = program.Source.Place(d.Span)
	}
	return c.errs
}

// Checker checks statement by statement a program that has no functions, while changes leave what
// it binds as it is.
type Checker struct {
	check staticCheck
	bound map[string]bool
}

// NewChecker begins to check a program; nil where it has functions, whose names are their own.
func NewChecker(program *notation.Program, inputs []string) *Checker {
	if len(program.Functions()) > 0 {
		return nil
	}
	k := &Checker{check: staticCheck{program: program, inputs: inputs}, bound: given(inputs)}
	for _, s := range program.Statements {
		binds(s, k.bound)
	}
	return k
}

// Sound reports whether Check finds nothing in a statement.
func (k *Checker) Sound(s notation.Statement) bool {
	k.check.errs = nil
	k.check.uses(s, k.bound)
	return len(k.check.errs) == 0
}

// given are the names that a program begins with.
func given(inputs []string) map[string]bool {
	bound := map[string]bool{}
	for _, n := range notation.Predefined {
		bound[n] = true
	}
	for _, n := range inputs {
		bound[n] = true
	}
	return bound
}

// binds adds the names that a statement binds.
func binds(s notation.Statement, bound map[string]bool) {
	notation.EachBinding([]notation.Statement{s}, func(s notation.Statement, names []*notation.Name) {
		if a, ok := s.(*notation.Assign); ok && !a.IsWhole() {
			return // it needs a value that is there
		}
		for _, name := range names {
			bound[name.Name] = true
		}
	})
}

type staticCheck struct {
	program  *notation.Program
	own      map[string]*notation.Function
	inputs   []string
	function *notation.Function // whose scope is checked; nil at the top level
	errs     []*notation.Diagnostic
}

// mostNamed is how many inputs a hint names.
const mostNamed = 8

// known says which names there are where one is bound nowhere.
func (c *staticCheck) known(name string) string {
	bind := "bind it first: `" + name + " = ...`"
	if c.function != nil || len(c.inputs) == 0 {
		return bind
	}
	names := slices.Sorted(slices.Values(c.inputs))
	for i := range names {
		names[i] = "`" + names[i] + "`"
	}
	verb := "the inputs are "
	switch {
	case len(names) == 1:
		verb = "the input is "
	case len(names) > mostNamed:
		names = append(names[:mostNamed], "others")
	}
	return verb + notation.JoinWords(names, "and") + "; or " + bind
}

func (c *staticCheck) fail(code codes.Code, span notation.Span, message, hint string) {
	c.errs = append(c.errs, &notation.Diagnostic{Code: code, Span: span, Message: message, Hint: hint})
}

func (c *staticCheck) oneFunction(f *notation.Function) {
	c.function = f
	defer func() { c.function = nil }()
	if functions.Lookup(f.Name.Name) != nil {
		c.fail(codes.TextName, f.Name.Span, fmt.Sprintf("`%s` is a built-in function, whose name cannot be taken",
			f.Name.Name), fmt.Sprintf("call it otherwise, `own_%s` say", f.Name.Name))
	}
	bound := given(nil)
	for _, p := range f.Params {
		bound[p.Name] = true
	}
	if f.Value != nil {
		c.scope([]notation.Node{f.Value}, bound)
		return
	}
	nodes := make([]notation.Node, len(f.Body))
	for i, s := range f.Body {
		nodes[i] = s
	}
	c.scope(nodes, bound)
}

// scope checks the nodes of one scope: the top level, or one function.
func (c *staticCheck) scope(nodes []notation.Node, bound map[string]bool) {
	for _, n := range nodes {
		if s, ok := n.(notation.Statement); ok { // a function's value binds nothing
			binds(s, bound)
		}
	}
	for _, n := range nodes {
		c.uses(n, bound)
	}
}

// uses checks every name that is read and every call.
func (c *staticCheck) uses(n notation.Node, bound map[string]bool) {
	switch n := n.(type) {
	case *notation.Name:
		if !bound[n.Name] {
			c.unbound(n, bound)
		}
		return
	case *notation.Each:
		for _, v := range n.Values {
			c.uses(v, bound)
		}
		if n.Along != nil {
			c.uses(n.Along, bound)
		}
		for _, s := range n.Body {
			c.uses(s, bound)
		}
		return
	case *notation.Assign:
		if n.Selection != nil || n.Op != "=" {
			c.uses(n.Target, bound)
		}
		if n.Selection != nil {
			c.uses(n.Selection, bound)
		}
		c.uses(n.Value, bound)
		return
	case *notation.View:
		c.uses(n.Of, bound)
		c.uses(n.Selection, bound)
		return
	case *notation.Selector:
		if n.Value != nil {
			c.uses(n.Value, bound)
		}
		if n.Range != nil {
			c.uses(n.Range, bound)
		}
		return
	case *notation.Call:
		c.call(n, bound)
		return
	}
	notation.Walk(n, func(inner notation.Node) bool {
		switch inner.(type) {
		case *notation.Name, *notation.Each, *notation.Assign, *notation.View, *notation.Selector, *notation.Call:
			c.uses(inner, bound)
			return false
		}
		return true
	})
}

func (c *staticCheck) unbound(n *notation.Name, bound map[string]bool) {
	if functions.Lookup(n.Name) != nil || c.own[n.Name] != nil {
		c.fail(codes.TextName, n.Span, fmt.Sprintf("`%s` is a function, and is used here without arguments", n.Name),
			fmt.Sprintf("call it: `%s(x)`", n.Name))
		return
	}
	var names []string
	for name := range bound {
		names = append(names, name)
	}
	slices.Sort(names)
	hint := notation.Offer(notation.Nearest(n.Name, names))
	if hint == "" {
		hint = c.known(n.Name)
	}
	c.fail(codes.TextName, n.Span, fmt.Sprintf("`%s` is not bound", n.Name), hint)
}

func (c *staticCheck) call(n *notation.Call, bound map[string]bool) {
	f := functions.Lookup(n.Name.Name)
	own := c.own[n.Name.Name]
	switch {
	case own != nil:
		c.ownCall(n, own)
	case f != nil:
		if d := f.CheckCall(n); d != nil {
			c.errs = append(c.errs, d)
		}
	case bound[n.Name.Name]:
		c.fail(codes.TextHabit, n.Span, fmt.Sprintf("`%s` is an array, and only functions are called", n.Name.Name),
			"select with brackets: `"+n.Name.Name+"["+c.arguments(n)+"]`")
	default:
		c.unknownFunction(n)
	}
	for _, a := range n.Args {
		if name, ok := a.(*notation.Name); ok && f != nil && f.ShapeArgs && name.Name == "auto" {
			continue
		}
		if l, ok := a.(*notation.List); ok && f != nil && f.ShapeArgs {
			for _, item := range l.Items {
				if name, ok := item.(*notation.Name); !ok || name.Name != "auto" {
					c.uses(item, bound)
				}
			}
			continue
		}
		c.uses(a, bound)
	}
	if n.Clause != nil {
		c.uses(n.Clause, bound)
	}
	for _, o := range n.Options {
		c.option(f, o, bound)
	}
}

func (c *staticCheck) arguments(n *notation.Call) string {
	if len(n.Args) == 0 {
		return "..."
	}
	return c.program.Source.Slice(n.Args[0].Pos().To(n.Args[len(n.Args)-1].Pos()))
}

func (c *staticCheck) option(f *functions.Function, o *notation.Option, bound map[string]bool) {
	kind := functions.OptionValue
	if f != nil {
		kind = f.OptionKindOf(o.Name.Name)
	}
	switch kind {
	case functions.OptionWord:
	case functions.OptionAxes:
		if l, ok := o.Value.(*notation.List); ok {
			for _, item := range l.Items {
				if _, word := item.(*notation.Name); !word {
					c.uses(item, bound)
				}
			}
			return
		}
		if _, word := o.Value.(*notation.Name); !word {
			c.uses(o.Value, bound)
		}
	default:
		c.uses(o.Value, bound)
	}
}

func (c *staticCheck) ownCall(n *notation.Call, f *notation.Function) {
	switch {
	case len(n.Args) != len(f.Params):
		c.fail(codes.TextCall, n.Span, fmt.Sprintf("`%s` takes %s and got %d", f.Name.Name,
			functions.ArgumentCount(len(f.Params), len(f.Params)), len(n.Args)), fmt.Sprintf("it is defined as `%s`",
			c.program.Source.Slice(f.Header)))
	case n.Clause != nil:
		c.fail(codes.TextCall, n.Clause.Span, fmt.Sprintf("`%s` is a function of this program and takes no clause",
			f.Name.Name), "give it what it needs as arguments")
	case len(n.Options) > 0:
		c.fail(codes.TextCall, n.Options[0].Span, fmt.Sprintf("`%s` is a function of this program and takes no options",
			f.Name.Name), "give it what it needs as arguments")
	}
}

func (c *staticCheck) unknownFunction(n *notation.Call) {
	names := functions.Names()
	for name := range c.own {
		names = append(names, name)
	}
	slices.Sort(names)
	hint := notation.Offer(notation.Nearest(n.Name.Name, names))
	if now := functions.Renamed[n.Name.Name]; now != "" {
		hint = notation.Offer([]string{now})
	}
	if hint == "" {
		hint = "`nimbus explain` lists the functions there are"
	}
	c.fail(codes.TextCall, n.Name.Span, fmt.Sprintf("there is no function `%s`", n.Name.Name), hint)
}
