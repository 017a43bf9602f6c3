package notation

import (
	"fmt"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
)

// checker holds the rules that need the tree and nothing else.
type checker struct {
	p         *parser
	defined   map[string]bool
	selection int // how many selections are open around the node
}

// check collects what is wrong with a text whose tree parsed. Only a function, `return`,
// a view, a selection, `first` and `last` can be.
func (p *parser) check() {
	if len(p.suspects) == 0 {
		return
	}
	c := &checker{p: p}
	c.statements(p.suspects, nil, true)
	slices.SortStableFunc(p.errs, func(a, b *Diagnostic) int { return int(a.Span.Start - b.Span.Start) })
}

func (c *checker) fail(code codes.Code, span Span, message, hint string) {
	if len(c.p.errs) < maxDiagnostics {
		c.p.errs = append(c.p.errs, &Diagnostic{Code: code, Span: span, Message: message, Hint: hint})
	}
}

func (c *checker) statements(list []Statement, in *Function, top bool) {
	for _, s := range list {
		switch s := s.(type) {
		case *Function:
			c.function(s, top)
			continue
		case *Return:
			if in == nil {
				c.fail(codes.TextSyntax, s.Span, "`return` is outside a function", "bind the value to a name: `result = ...`")
			}
		case *View:
			c.view(s)
		}
		EachChild(s, func(child Node) {
			if inner, ok := child.(Statement); ok {
				c.statements([]Statement{inner}, in, false)
			} else {
				c.node(child)
			}
		})
	}
}

func (c *checker) function(f *Function, top bool) {
	if !top {
		c.fail(codes.TextSyntax, f.Header, fmt.Sprintf("the function `%s` is defined inside a block", f.Name.Name),
			"functions are defined at top level; move it out")
	}
	if c.defined[f.Name.Name] {
		c.fail(codes.TextName, f.Name.Span, fmt.Sprintf("the function `%s` is defined twice", f.Name.Name),
			"give one of them another name")
	}
	if c.defined == nil {
		c.defined = map[string]bool{}
	}
	c.defined[f.Name.Name] = true
	seen := map[string]bool{}
	for _, param := range f.Params {
		if seen[param.Name] {
			c.fail(codes.TextName, param.Span, fmt.Sprintf("the parameter `%s` occurs twice", param.Name),
				"give one of them another name")
		}
		seen[param.Name] = true
	}
	if f.Value != nil {
		c.node(f.Value)
		return
	}
	returns := false
	for _, s := range f.Body {
		Walk(s, func(n Node) bool {
			_, is := n.(*Return)
			returns = returns || is
			return !returns
		})
	}
	if !returns {
		c.fail(codes.TextSyntax, f.Header, fmt.Sprintf("the function `%s` has no `return`", f.Name.Name),
			"end its block with `return` and the value it gives")
	}
	c.statements(f.Body, f, false)
}

func (c *checker) view(v *View) {
	for _, s := range v.Selection.Selectors {
		bad := s.Except || v.Selection.Paired
		if s.Kind == SelectValue {
			_, isList := Strip(s.Value).(*List)
			_, isRange := Strip(s.Value).(*RangeExpr)
			bad = bad || isList || isRange
		}
		if bad {
			c.fail(codes.SelectKind, s.Span, "a view takes no lists of positions, masks, `except` or `paired`",
				"views take single positions, ranges, `all`, `reversed`, `new` and `rest`; bind a copy with "+
					"`"+v.Name.Name+" = "+c.p.src.Slice(v.Of.Span.To(v.Selection.Span))+"`")
			return
		}
	}
}

// node checks an expression or a part of one.
func (c *checker) node(n Node) {
	switch n := n.(type) {
	case *Name, *Number, *Truth:
		return
	case *Edge:
		if c.selection == 0 {
			word := "first"
			if n.Last {
				word = "last"
			}
			c.fail(codes.TextSyntax, n.Span, fmt.Sprintf("`%s` is outside a selection", word),
				fmt.Sprintf("it is a position of the axis being selected, as in `x[%s]`", word))
		}
		return
	case *Clause:
		c.axes(n.Axes)
		return
	case *Axis:
		c.axes([]*Axis{n})
		return
	case *Option:
		if n.Name.Name == "to" || n.Name.Name == "axes" {
			if l, ok := n.Value.(*List); ok {
				for _, item := range l.Items {
					if _, edge := item.(*Edge); !edge {
						c.node(item)
					}
				}
				return
			}
			if _, edge := n.Value.(*Edge); edge {
				return
			}
		}
	case *Selection:
		c.selectors(n)
		c.selection++
		for _, s := range n.Selectors {
			c.node(s)
		}
		c.selection--
		return
	case *Selector:
		c.negative(n)
	}
	EachChild(n, c.node)
}

func (c *checker) axes(axes []*Axis) {
	for _, a := range axes {
		if a.Value != nil {
			c.node(a.Value)
		}
	}
}

func (c *checker) selectors(s *Selection) {
	labelled, rest := 0, 0
	var seen map[string]bool
	for _, sel := range s.Selectors {
		if sel.Kind == SelectRest {
			if rest++; rest == 2 {
				c.fail(codes.TextSyntax, sel.Span, "`rest` occurs twice in one selection",
					"write `all` for each axis but those one `rest` stands for")
			}
		}
		if sel.Label == nil {
			continue
		}
		if seen == nil {
			seen = map[string]bool{}
		}
		if labelled++; seen[sel.Label.Name] {
			c.fail(codes.AxisRepeated, sel.Label.Span, fmt.Sprintf("the axis `%s` is selected twice", sel.Label.Name),
				"select once, then select from the result")
		}
		seen[sel.Label.Name] = true
	}
	if labelled > 0 && labelled < len(s.Selectors) {
		for _, sel := range s.Selectors {
			if sel.Label == nil {
				c.fail(codes.TextSyntax, sel.Span, "labelled and plain selectors are mixed in one selection",
					"label every selector, or none; axes that are not named are whole")
				return
			}
		}
	}
	if s.Paired && labelled > 0 {
		c.fail(codes.TextSyntax, s.Span, "`paired` takes plain selectors",
			"give one list of positions for each axis, in the order of the axes")
	}
}

// negative answers literal negative positions.
func (c *checker) negative(s *Selector) {
	if s.Kind == SelectValue {
		if l, ok := Strip(s.Value).(*List); ok {
			for _, item := range l.Items {
				c.negativeLiteral(item, false)
			}
			return
		}
		c.negativeLiteral(s.Value, false)
		return
	}
	if s.Range == nil {
		return
	}
	backwards := false
	if by := s.Range.By; by != nil {
		_, backwards = negativeInt(by)
	}
	c.negativeLiteral(s.Range.From, false)
	c.negativeLiteral(s.Range.End, s.Range.Before && backwards)
}

func (c *checker) negativeLiteral(e Expr, pastStart bool) {
	k, ok := negativeInt(e)
	if !ok {
		return
	}
	hint := "the last position is `last`"
	switch {
	case pastStart:
		hint = "to go down to the first position and take it in write `to first by -1`"
	case k > 1:
		hint = fmt.Sprintf("positions from the end are written `last - %d`", k-1)
	}
	c.fail(codes.TextHabit, e.Pos(), fmt.Sprintf("the position `%s` is negative, and positions are not counted from "+
		"the end", c.p.src.Slice(e.Pos())), hint)
}

// negativeInt reports the k of a literal -k.
func negativeInt(e Expr) (k int64, ok bool) {
	if e == nil {
		return 0, false
	}
	switch x := Strip(e).(type) {
	case *Unary:
		if n, isNumber := x.Operand.(*Number); isNumber && x.Op == "-" && n.Kind == array.Int && n.Int > 0 {
			return n.Int, true
		}
	case *Number:
		if x.Kind == array.Int && x.Int < 0 {
			return 1, true // so large that no other hint is of use
		}
	}
	return 0, false
}
