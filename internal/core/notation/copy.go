package notation

// CopyProgram copies a program's tree, so that the copy can be changed.
func CopyProgram(p *Program) *Program {
	return &Program{Source: p.Source, Statements: copyStatements(p.Statements)}
}

func copyStatements(list []Statement) []Statement {
	if list == nil {
		return nil
	}
	out := make([]Statement, len(list))
	for i, s := range list {
		out[i] = CopyStatement(s)
	}
	return out
}

// CopyStatement copies a statement.
func CopyStatement(s Statement) Statement {
	switch s := s.(type) {
	case *Assign:
		c := *s
		c.Target, c.Selection, c.Value = copyName(s.Target), copySelection(s.Selection), CopyExpr(s.Value)
		return &c
	case *View:
		c := *s
		c.Name, c.Of, c.Selection = copyName(s.Name), copyName(s.Of), copySelection(s.Selection)
		return &c
	case *Function:
		c := *s
		c.Name, c.Params, c.Value, c.Body = copyName(s.Name), copyNames(s.Params), CopyExpr(s.Value), copyStatements(s.Body)
		return &c
	case *Each:
		c := *s
		c.Names, c.Values, c.Along, c.Body = copyNames(s.Names), copyExprs(s.Values), copyAxis(s.Along),
			copyStatements(s.Body)
		return &c
	case *Repeat:
		c := *s
		c.Count, c.Until, c.Body = CopyExpr(s.Count), CopyExpr(s.Until), copyStatements(s.Body)
		return &c
	case *If:
		c := *s
		c.Condition, c.Then, c.Else = CopyExpr(s.Condition), copyStatements(s.Then), copyStatements(s.Else)
		return &c
	case *Return:
		c := *s
		c.Value = CopyExpr(s.Value)
		return &c
	}
	return s
}

func copyName(n *Name) *Name {
	if n == nil {
		return nil
	}
	c := *n
	return &c
}

func copyNames(list []*Name) []*Name {
	out := make([]*Name, len(list))
	for i, n := range list {
		out[i] = copyName(n)
	}
	return out
}

func copyExprs(list []Expr) []Expr {
	out := make([]Expr, len(list))
	for i, e := range list {
		out[i] = CopyExpr(e)
	}
	return out
}

func copyAxis(x *Axis) *Axis {
	if x == nil {
		return nil
	}
	c := *x
	if x.Number != nil {
		n := *x.Number
		c.Number = &n
	}
	if x.Edge != nil {
		e := *x.Edge
		c.Edge = &e
	}
	c.Value = CopyExpr(x.Value)
	return &c
}

func copySelection(s *Selection) *Selection {
	if s == nil {
		return nil
	}
	c := *s
	c.Selectors = make([]*Selector, len(s.Selectors))
	for i, sel := range s.Selectors {
		one := *sel
		one.Label, one.Value = copyName(sel.Label), CopyExpr(sel.Value)
		if sel.Range != nil {
			one.Range = copyRange(sel.Range)
		}
		c.Selectors[i] = &one
	}
	return &c
}

func copyRange(r *RangeExpr) *RangeExpr {
	c := *r
	c.From, c.End, c.By = CopyExpr(r.From), CopyExpr(r.End), CopyExpr(r.By)
	return &c
}

// CopyExpr copies an expression; nil gives nil.
func CopyExpr(e Expr) Expr {
	switch e := e.(type) {
	case *Number:
		c := *e
		return &c
	case *Truth:
		c := *e
		return &c
	case *Name:
		return copyName(e)
	case *Edge:
		c := *e
		return &c
	case *Call:
		c := *e
		c.Name, c.Args = copyName(e.Name), copyExprs(e.Args)
		if e.Clause != nil {
			clause := *e.Clause
			clause.Axes = make([]*Axis, len(e.Clause.Axes))
			for i, x := range e.Clause.Axes {
				clause.Axes[i] = copyAxis(x)
			}
			c.Clause = &clause
		}
		c.Options = make([]*Option, len(e.Options))
		for i, o := range e.Options {
			c.Options[i] = &Option{Span: o.Span, Name: copyName(o.Name), Value: CopyExpr(o.Value)}
		}
		return &c
	case *Select:
		c := *e
		c.Of, c.Selection = CopyExpr(e.Of), copySelection(e.Selection)
		return &c
	case *Paren:
		return &Paren{Span: e.Span, Inner: CopyExpr(e.Inner)}
	case *List:
		return &List{Span: e.Span, Items: copyExprs(e.Items)}
	case *Unary:
		c := *e
		c.Operand = CopyExpr(e.Operand)
		return &c
	case *Binary:
		c := *e
		c.Left, c.Right = CopyExpr(e.Left), CopyExpr(e.Right)
		return &c
	case *Compare:
		c := *e
		c.Operands = copyExprs(e.Operands)
		c.Ops = append([]string{}, e.Ops...)
		return &c
	case *RangeExpr:
		return copyRange(e)
	}
	return nil
}

// definitions returns the function definitions of a program, as statements.
func (p *Program) definitions() []Statement {
	var out []Statement
	for _, s := range p.Statements {
		if _, ok := s.(*Function); ok {
			out = append(out, s)
		}
	}
	return out
}

// Asking makes a program of another's function definitions and one statement that
// binds what an expression gives. Errors in the definitions keep their places; the
// expression's own have the place of the whole text's start.
func (p *Program) Asking(name string, e Expr) *Program {
	e = Unplaced(e)
	ask := &Assign{Target: &Name{Name: name}, Op: "=", Value: e}
	return &Program{Source: p.Source, Statements: append(p.definitions(), ask)}
}

// Unplaced copies an expression, all its places at the start of the text.
func Unplaced(e Expr) Expr {
	e = CopyExpr(e)
	Walk(e, func(n Node) bool {
		switch n := n.(type) {
		case *Number:
			n.Span = Span{}
		case *Truth:
			n.Span = Span{}
		case *Name:
			n.Span = Span{}
		case *Edge:
			n.Span = Span{}
		case *Call:
			n.Span = Span{}
		case *Clause:
			n.Span = Span{}
		case *Axis:
			n.Span = Span{}
		case *Option:
			n.Span = Span{}
		case *Select:
			n.Span = Span{}
		case *Selection:
			n.Span = Span{}
		case *Selector:
			n.Span = Span{}
		case *RangeExpr:
			n.Span = Span{}
		case *Paren:
			n.Span = Span{}
		case *List:
			n.Span = Span{}
		case *Unary:
			n.Span = Span{}
		case *Binary:
			n.Span, n.OpSpan = Span{}, Span{}
		case *Compare:
			n.Span = Span{}
			n.OpSpans = make([]Span, len(n.Ops))
		}
		return true
	})
	return e
}

// EachExpr calls f with the place of every expression of a statement, inner ones
// first, so that f can put another there.
func EachExpr(s Statement, f func(slot *Expr)) {
	switch s := s.(type) {
	case *Assign:
		eachInSelection(s.Selection, f)
		eachExpr(&s.Value, f)
	case *View:
		eachInSelection(s.Selection, f)
	case *Function:
		eachExpr(&s.Value, f)
		eachInBlock(s.Body, f)
	case *Each:
		for i := range s.Values {
			eachExpr(&s.Values[i], f)
		}
		eachInBlock(s.Body, f)
	case *Repeat:
		eachExpr(&s.Count, f)
		eachExpr(&s.Until, f)
		eachInBlock(s.Body, f)
	case *If:
		eachExpr(&s.Condition, f)
		eachInBlock(s.Then, f)
		eachInBlock(s.Else, f)
	case *Return:
		eachExpr(&s.Value, f)
	}
}

func eachInBlock(list []Statement, f func(slot *Expr)) {
	for _, s := range list {
		EachExpr(s, f)
	}
}

func eachInSelection(s *Selection, f func(slot *Expr)) {
	if s == nil {
		return
	}
	for _, sel := range s.Selectors {
		eachExpr(&sel.Value, f)
		if sel.Range != nil {
			eachExpr(&sel.Range.From, f)
			eachExpr(&sel.Range.End, f)
			eachExpr(&sel.Range.By, f)
		}
	}
}

func eachExpr(slot *Expr, f func(slot *Expr)) {
	switch e := (*slot).(type) {
	case nil:
		return
	case *Paren:
		eachExpr(&e.Inner, f)
	case *List:
		for i := range e.Items {
			eachExpr(&e.Items[i], f)
		}
	case *Unary:
		eachExpr(&e.Operand, f)
	case *Binary:
		eachExpr(&e.Left, f)
		eachExpr(&e.Right, f)
	case *Compare:
		for i := range e.Operands {
			eachExpr(&e.Operands[i], f)
		}
	case *RangeExpr:
		eachExpr(&e.From, f)
		eachExpr(&e.End, f)
		eachExpr(&e.By, f)
	case *Select:
		eachExpr(&e.Of, f)
		eachInSelection(e.Selection, f)
	case *Call:
		for i := range e.Args {
			eachExpr(&e.Args[i], f)
		}
		for _, o := range e.Options {
			eachExpr(&o.Value, f)
		}
	}
	f(slot)
}
