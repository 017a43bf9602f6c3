package notation

import "nimbusreach/internal/core/array"

// Node is any part of the tree that has a place in the text.
type Node interface{ Pos() Span }

// Pos is the span itself: nodes embed one.
func (s Span) Pos() Span { return s }

// Program is one text read whole.
type Program struct {
	Source     *Source
	Statements []Statement // function definitions included, where they stand
}

// Functions returns the functions the program defines, by name.
func (p *Program) Functions() map[string]*Function {
	var out map[string]*Function
	for _, s := range p.Statements {
		if f, ok := s.(*Function); ok {
			if out == nil {
				out = map[string]*Function{}
			}
			out[f.Name.Name] = f
		}
	}
	return out
}

// Statement is one of Assign, View, Function, Each, Repeat, If, Return.
type Statement interface {
	Node
	statement()
}

// Expr is one of Number, Truth, Name, Edge, Call, Select, Paren, List, Unary,
// Binary, Compare, Range.
type Expr interface {
	Node
	expression()
}

// Assign binds a name, or assigns into a selection of it.
type Assign struct {
	Span
	Target    *Name
	Selection *Selection // nil when the name itself is bound
	Op        string     // "=", "+=", "-=", "*=", "/="
	Value     Expr
}

// View binds a name to cells another name holds.
type View struct {
	Span
	Name, Of  *Name
	Selection *Selection
}

// Function defines a function: Value for the short form, Body for the long one.
type Function struct {
	Span
	Name   *Name
	Params []*Name
	Value  Expr
	Body   []Statement
	Header Span
}

// Each runs a block for each item along an axis.
type Each struct {
	Span
	Names  []*Name
	Values []Expr
	Along  *Axis // nil: the first axis
	Body   []Statement
	Header Span
}

// Repeat runs a block a bounded number of times.
type Repeat struct {
	Span
	Count, Until Expr
	Body         []Statement
	Header       Span
}

// If chooses a block. Else is nil, or holds one If for "else if".
type If struct {
	Span
	Condition  Expr
	Then, Else []Statement
	Header     Span
}

// Return ends a function with a value.
type Return struct {
	Span
	Value Expr
}

func (*Assign) statement()   {}
func (*View) statement()     {}
func (*Function) statement() {}
func (*Each) statement()     {}
func (*Repeat) statement()   {}
func (*If) statement()       {}
func (*Return) statement()   {}

// Number is a literal of kind int, real or complex. Text is as written.
type Number struct {
	Span
	Kind array.Kind
	Int  int64
	Real float64 // the imaginary part when Kind is complex
	Text string
}

// Truth is true or false.
type Truth struct {
	Span
	Value bool
}

// Name is a variable, or a bare word where the grammar has one.
type Name struct {
	Span
	Name string
}

// Edge is first or last inside a selection.
type Edge struct {
	Span
	Last bool
}

// Call applies a function.
type Call struct {
	Span
	Name    *Name
	Args    []Expr
	Clause  *Clause
	Options []*Option
}

// Clause is over or along with its axes.
type Clause struct {
	Span
	Along bool
	Axes  []*Axis
	List  bool // written with brackets
}

// Before is what is before a single axis: "over " or "along ", nothing inside brackets.
func (c *Clause) Before() string {
	switch {
	case c.List:
		return ""
	case c.Along:
		return "along "
	}
	return "over "
}

// Axis names one axis: exactly one of its forms is set.
type Axis struct {
	Span
	Label  string
	Number *Number
	Edge   *Edge
	Value  Expr // in parentheses
}

// Option is name: value in a call.
type Option struct {
	Span
	Name  *Name
	Value Expr
}

// Select picks elements of a value.
type Select struct {
	Span
	Of        Expr
	Selection *Selection
}

// Selection is the bracketed part.
type Selection struct {
	Span
	Paired    bool
	Selectors []*Selector
}

// SelectorKind says which form a selector has.
type SelectorKind uint8

// The forms of a selector.
const (
	SelectValue SelectorKind = iota // a position, positions or a mask, by value
	SelectRange
	SelectAll
	SelectReversed
	SelectNew
	SelectRest
)

// Selector is one part of a selection.
type Selector struct {
	Span
	Label  *Name // nil unless labelled
	Kind   SelectorKind
	Except bool
	Value  Expr       // for SelectValue
	Range  *RangeExpr // for SelectRange; any of its parts may be nil
}

// RangeExpr is a to b by s or a before b by s. Outside selections From and End
// are always there.
type RangeExpr struct {
	Span
	From, End, By Expr
	Before        bool
}

// Paren keeps parentheses in the tree.
type Paren struct {
	Span
	Inner Expr
}

// List is a literal array.
type List struct {
	Span
	Items []Expr
}

// Unary is - + or not.
type Unary struct {
	Span
	Op      string
	Operand Expr
}

// Binary is any two-sided operator but comparisons and ranges.
type Binary struct {
	Span
	Op          string
	OpSpan      Span
	Left, Right Expr
}

// Compare is a chain of comparisons: one more operand than operators.
type Compare struct {
	Span
	Operands []Expr
	Ops      []string
	OpSpans  []Span
}

func (*Number) expression()    {}
func (*Truth) expression()     {}
func (*Name) expression()      {}
func (*Edge) expression()      {}
func (*Call) expression()      {}
func (*Select) expression()    {}
func (*Paren) expression()     {}
func (*List) expression()      {}
func (*Unary) expression()     {}
func (*Binary) expression()    {}
func (*Compare) expression()   {}
func (*RangeExpr) expression() {}

// Strip takes the parentheses around an expression off.
func Strip(e Expr) Expr {
	for {
		p, ok := e.(*Paren)
		if !ok {
			return e
		}
		e = p.Inner
	}
}

// Nodes counts the nodes of a program's tree.
func (p *Program) Nodes() int64 {
	n := int64(0)
	for _, s := range p.Statements {
		Walk(s, func(Node) bool {
			n++
			return true
		})
	}
	return n
}

// Walk calls f for a node and, while f returns true, for the nodes inside it, in
// the order of the text.
func Walk(n Node, f func(Node) bool) {
	// Sums lean to the left, and long ones need no deep stack if that is gone in a loop.
	var near [8]*Binary
	spine := near[:0]
	for !isNil(n) && f(n) {
		b, ok := n.(*Binary)
		if !ok {
			EachChild(n, func(c Node) { Walk(c, f) })
			break
		}
		spine, n = append(spine, b), b.Left
	}
	for i := len(spine) - 1; i >= 0; i-- {
		Walk(spine[i].Right, f)
	}
}

func isNil(n Node) bool {
	switch n := n.(type) {
	case nil:
		return true
	case *Name:
		return n == nil
	case *Selection:
		return n == nil
	case *Clause:
		return n == nil
	case *Axis:
		return n == nil
	case *RangeExpr:
		return n == nil
	case *Number:
		return n == nil
	case *Edge:
		return n == nil
	}
	return false
}

// EachChild calls f for the nodes directly inside a node, in the order of the text.
func EachChild(n Node, f func(Node)) {
	add := func(c Node) {
		if !isNil(c) {
			f(c)
		}
	}
	switch n := n.(type) {
	case *Assign:
		add(n.Target)
		add(n.Selection)
		add(n.Value)
	case *View:
		add(n.Name)
		add(n.Of)
		add(n.Selection)
	case *Function:
		add(n.Name)
		eachOf(n.Params, f)
		add(n.Value)
		eachOf(n.Body, f)
	case *Each:
		eachOf(n.Names, f)
		eachOf(n.Values, f)
		add(n.Along)
		eachOf(n.Body, f)
	case *Repeat:
		add(n.Count)
		add(n.Until)
		eachOf(n.Body, f)
	case *If:
		add(n.Condition)
		eachOf(n.Then, f)
		eachOf(n.Else, f)
	case *Return:
		add(n.Value)
	case *Call:
		add(n.Name)
		eachOf(n.Args, f)
		add(n.Clause)
		eachOf(n.Options, f)
	case *Clause:
		eachOf(n.Axes, f)
	case *Axis:
		add(n.Number)
		add(n.Edge)
		add(n.Value)
	case *Option:
		add(n.Name)
		add(n.Value)
	case *Select:
		add(n.Of)
		add(n.Selection)
	case *Selection:
		eachOf(n.Selectors, f)
	case *Selector:
		add(n.Label)
		add(n.Value)
		add(n.Range)
	case *RangeExpr:
		add(n.From)
		add(n.End)
		add(n.By)
	case *Paren:
		add(n.Inner)
	case *List:
		eachOf(n.Items, f)
	case *Unary:
		add(n.Operand)
	case *Binary:
		add(n.Left)
		add(n.Right)
	case *Compare:
		eachOf(n.Operands, f)
	}
}

func eachOf[N Node](nodes []N, f func(Node)) {
	for _, n := range nodes {
		f(n)
	}
}
