package slips

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/shapes"
)

// walker visits a tree and collects the changes that the operators find.
type walker struct {
	program *notation.Program
	m       *Material
	own     map[string]*notation.Function
	known   map[notation.Span]shapes.Outline // of expressions, by place
	names   map[string]shapes.Outline        // of what the text binds

	operator   *Operator // whose changes are being collected
	statement  notation.Statement
	bound      []string            // names bound before the statement
	loops      int                 // around the statement
	items      []string            // what the loops around the statement call their items
	inside     bool                // a function, which sees its own names alone
	binaries   []*notation.Binary  // around the expression
	depth      int                 // expressions around and including this one
	selecting  int                 // selections and ranges around the expression
	equality   *notation.Compare   // around the expression, which asks whether two are equal
	collapsing bool                // the expression is what a call collapses to a scalar
	listing    int                 // lists around the expression
	shaping    int                 // shapes around the expression
	comparing  int                 // comparisons around the expression, inside its selection
	asking     int                 // calls around the expression that ask for lengths
	adding     bool                // the changes that are collected put in what was not there
	within     *notation.Selection // whose selectors are changed
	ofShape    bool                // the selection is of a shape, whose items stand for axes
	selected   notation.Expr       // what the selection is of
	together   bool                // the changes that are collected stand for nothing alone
	key        string              // what the changes that are collected share, for joining
	out        []Slip

	numbers    []*notation.Number // of the reference, when an attempt is changed
	terms      []term
	masks      []notation.Expr       // of reference and attempt, made of inputs
	parts      []part                // values that the reference makes of inputs
	exclusive  bool                  // the reference has an `xor`
	raises     bool                  // the reference has a `^`
	products   bool                  // the reference has a `dot`
	ranges     []*notation.RangeExpr // by which the reference selects
	clauses    []*notation.Clause    // of its reductions
	orders     []string              // names of positions that an attempt binds
	binds      []string              // what the text of an attempt binds
	theirItems []string              // what loops of the reference call their items
	positions  map[string]bool       // names that the reference selects by
	negatives  map[string]bool       // names and numbers that the reference takes with a minus

	ownPositions map[string]bool // names that an attempt selects by
	functions    map[string]*notation.Call
	wraps        map[string]*notation.Call // what an attempt may lack around a value
}

// gather takes the reference's literals and calls as material for an attempt.
func (w *walker) gather() {
	if w.m.Reference == nil {
		return
	}
	w.gatherOwnTerms()
	w.borrow()
	w.binds = notation.Bound(w.program.Statements)
	w.functions, w.positions = map[string]*notation.Call{}, map[string]bool{}
	w.negatives, w.ownPositions = map[string]bool{}, map[string]bool{}
	for _, s := range w.program.Statements {
		w.gatherOrder(s)
		notation.Walk(s, func(n notation.Node) bool {
			if n, ok := n.(*notation.Selection); ok {
				selectedBy(n, w.ownPositions)
			}
			return true
		})
	}
	for _, s := range w.m.Reference.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			switch n := n.(type) {
			case *notation.Each:
				for _, item := range n.Names {
					w.theirItems = append(w.theirItems, item.Name)
				}
			case *notation.Selection:
				selectedBy(n, w.positions)
				for _, sel := range n.Selectors {
					w.gatherRange(sel)
				}
			case *notation.Unary:
				switch x := notation.Strip(n.Operand).(type) {
				case *notation.Name:
					w.negatives[x.Name] = w.negatives[x.Name] || n.Op == "-"
				case *notation.Number:
					w.negatives[x.Text] = true
				}
			case *notation.Number:
				w.numbers = append(w.numbers, n)
			case *notation.Binary:
				w.exclusive, w.raises = w.exclusive || n.Op == "xor", w.raises || n.Op == "^"
				w.products = w.products || n.Op == "dot"
				w.gatherTerm(n)
			case *notation.Call:
				if w.functions[n.Name.Name] == nil {
					w.functions[n.Name.Name] = n
				}
				w.gatherClause(n)
			}
			return true
		})
	}
	w.gatherWraps()
	w.gatherUnread()
	for i, n := range w.numbers {
		if i < mostFactors && n.Kind != array.Complex && valueOf(n) >= 2 { // a factor that is written in another form
			w.terms = append(w.terms, term{"*", notation.Unplaced(n), false}, term{"/", notation.Unplaced(n), false})
		}
	}
	if w.functions["differences"] != nil { // a quotient less one is a relative difference
		w.terms = append(w.terms, term{"-", number(notation.Span{}, 1), false})
	}
}

// mostFactors bounds the numbers of the reference that are tried as factors.
const mostFactors = 4

// selectedBy adds the names that a selection selects by.
func selectedBy(s *notation.Selection, names map[string]bool) {
	notation.Walk(s, func(n notation.Node) bool {
		switch n := n.(type) {
		case *notation.Name:
			names[n.Name] = true
		case *notation.Compare, *notation.Call:
			return false
		}
		return true
	})
}

// repairing reports whether the tree changed is an attempt's.
func (w *walker) repairing() bool { return w.m.Reference != nil }

// most bounds the slips of one text. Whole-array answers have some thousands; a text of
// a thousand names would have millions.
const most = 20_000

func (w *walker) full() bool { return len(w.out) >= most }

// block walks statements.
func (w *walker) block(list *[]notation.Statement) {
	for _, s := range *list {
		if w.full() {
			return
		}
		w.statement = s
		w.walkStatement(list, s)
	}
}

// statementSlips asks the operators for their changes of a statement itself.
func (w *walker) statementSlips(list *[]notation.Statement, s notation.Statement) {
	for _, op := range Table {
		if op.statement != nil {
			w.operator = op
			op.statement(w, list, s)
		}
	}
}

func (w *walker) walkStatement(list *[]notation.Statement, s notation.Statement) {
	switch s := s.(type) {
	case *notation.Assign:
		if w.inside || w.m.Feeding == nil || w.m.Feeding[s.Target.Name] {
			w.assignment(s)
		}
		w.statementSlips(list, s)
		if s.Selection == nil && !slices.Contains(w.bound, s.Target.Name) {
			w.bound = append(w.bound, s.Target.Name)
		}
	case *notation.View:
		w.selection(s.Selection, s.Of)
		w.inSelection(s.Selection)
		w.statementSlips(list, s)
		w.bound = append(w.bound, s.Name.Name)
	case *notation.Function:
		w.function(s)
	case *notation.Each:
		for k := range s.Values {
			w.expression(&s.Values[k])
		}
		w.statementSlips(list, s)
		items := len(w.items)
		for _, n := range s.Names {
			w.items = append(w.items, n.Name)
		}
		w.body(&s.Body, s)
		w.items = w.items[:items]
	case *notation.Repeat:
		w.expression(&s.Count)
		w.statementSlips(list, s)
		w.body(&s.Body, s)
		w.expression(&s.Until)
	case *notation.If:
		w.expression(&s.Condition)
		w.statementSlips(list, s)
		w.block(&s.Then)
		w.statement = s
		w.block(&s.Else)
		w.statement = s
	case *notation.Return:
		w.expression(&s.Value)
		w.wholeValue(&s.Value)
	}
}

func (w *walker) assignment(s *notation.Assign) {
	if s.Selection != nil {
		w.selection(s.Selection, s.Target)
		w.inSelection(s.Selection)
	}
	w.expression(&s.Value)
	if s.Selection == nil || w.loops > 0 {
		w.wholeValue(&s.Value)
	}
}

// body walks a loop's statements.
func (w *walker) body(list *[]notation.Statement, s notation.Statement) {
	w.loops++
	w.block(list)
	w.loops--
	w.statement = s
}

func (w *walker) function(s *notation.Function) {
	bound := w.bound
	w.bound, w.inside = nil, true
	for _, p := range s.Params {
		w.bound = append(w.bound, p.Name)
	}
	if s.Value != nil {
		w.expression(&s.Value)
		w.wholeValue(&s.Value)
	}
	w.block(&s.Body)
	w.statement = s
	w.bound, w.inside = bound, false
}

// wholeValue asks for changes of what a statement binds, as a whole.
func (w *walker) wholeValue(slot *notation.Expr) {
	for _, op := range Table {
		if op.whole != nil {
			w.operator = op
			op.whole(w, slot)
		}
	}
}

// expression asks for changes of an expression, and of those inside it.
func (w *walker) expression(slot *notation.Expr) {
	if w.full() {
		return
	}
	e := *slot
	if p, ok := e.(*notation.Paren); ok {
		w.expression(&p.Inner)
		return
	}
	w.depth++
	defer func() { w.depth-- }()
	if x, ok := e.(*notation.Select); ok {
		w.selection(x.Selection, x.Of)
	}
	for _, op := range Table {
		for _, changes := range op.expression {
			w.operator = op
			changes(w, slot, e)
		}
	}
	w.inExpression(e)
}

// inExpression walks the parts of an expression.
func (w *walker) inExpression(e notation.Expr) {
	switch e := e.(type) {
	case *notation.List:
		w.listing++
		for i := range e.Items {
			w.expression(&e.Items[i])
		}
		w.listing--
	case *notation.Unary:
		w.expression(&e.Operand)
	case *notation.Binary:
		w.binaries = append(w.binaries, e)
		w.expression(&e.Left)
		w.expression(&e.Right)
		w.binaries = w.binaries[:len(w.binaries)-1]
	case *notation.Compare:
		w.comparing++
		around := w.equality
		if w.equality = nil; len(e.Ops) == 1 && e.Ops[0] == "==" {
			w.equality = e
		}
		for i := range e.Operands {
			w.expression(&e.Operands[i])
		}
		w.equality = around
		w.comparing--
	case *notation.RangeExpr:
		w.inRange(e)
	case *notation.Select:
		w.expression(&e.Of)
		w.inSelection(e.Selection)
	case *notation.Call:
		w.inCall(e)
	}
}

func (w *walker) inCall(c *notation.Call) {
	f := w.builtIn(c)
	if f != nil && f.Topic == functions.Inspecting {
		w.asking++
		defer func() { w.asking-- }()
	}
	for i := range c.Args {
		if f != nil && f.ShapeArgs && i > 0 {
			w.inShape(&c.Args[i])
			continue
		}
		if f != nil && (f.Name == "zeros" || f.Name == "ones") {
			w.shaping++
			w.expression(&c.Args[i])
			w.shaping--
			continue
		}
		_, named := c.Args[i].(*notation.Name)
		w.collapsing = named && f != nil && f.Topic == functions.Reductions && c.Clause == nil
		w.expression(&c.Args[i])
		w.collapsing = false
	}
	if f == nil {
		return
	}
	for _, o := range c.Options {
		_, turned := flags[o.Name.Name] // by an operator of its own
		if f.OptionKindOf(o.Name.Name) == functions.OptionValue && o.Name.Name != "keep" && !turned {
			w.expression(&o.Value)
		}
	}
}

// inShape walks the lengths of a shape, where `auto` is not a name.
func (w *walker) inShape(slot *notation.Expr) {
	w.shaping++
	defer func() { w.shaping-- }()
	auto := func(e notation.Expr) bool {
		n, ok := e.(*notation.Name)
		return ok && n.Name == "auto"
	}
	l, ok := (*slot).(*notation.List)
	if !ok {
		if !auto(*slot) {
			w.expression(slot)
		}
		return
	}
	for i := range l.Items {
		if !auto(l.Items[i]) {
			w.expression(&l.Items[i])
		}
	}
}

// selection asks for changes of each selector, and of the selection as a whole.
func (w *walker) selection(s *notation.Selection, of notation.Expr) {
	w.ofShape, w.within, w.selected = w.isShape(of), s, of
	defer func() { w.ofShape, w.within, w.selected = false, nil, nil }()
	for i, sel := range s.Selectors {
		for _, op := range Table {
			if op.selector != nil {
				w.operator = op
				op.selector(w, s, i, sel)
			}
		}
	}
	for _, op := range Table {
		if op.selection != nil {
			w.operator = op
			op.selection(w, s, of)
		}
	}
}

// inSelection walks the expressions inside a selection.
func (w *walker) inSelection(s *notation.Selection) {
	around := w.comparing
	w.comparing = 0
	defer func() { w.comparing = around }()
	for _, sel := range s.Selectors {
		if sel.Value != nil {
			w.selecting++
			w.expression(&sel.Value)
			w.selecting--
		}
		if sel.Range != nil {
			w.inRange(sel.Range)
		}
	}
}

func (w *walker) inRange(r *notation.RangeExpr) {
	w.selecting++
	for _, e := range []*notation.Expr{&r.From, &r.End} {
		if *e != nil {
			w.expression(e)
		}
	}
	if _, plain := r.By.(*notation.Number); r.By != nil && !plain { // a number is the step's own
		w.expression(&r.By)
	}
	w.selecting--
}

// builtIn is the function of the notation that a call names; nil for one of the text's own.
func (w *walker) builtIn(c *notation.Call) *functions.Function {
	if w.own[c.Name.Name] != nil {
		return nil
	}
	return functions.Lookup(c.Name.Name)
}

// add collects a change.
func (w *walker) add(cause, undoes codes.Code, span notation.Span, before, after func() string, apply func() func()) {
	if w.full() {
		return
	}
	if w.ofShape {
		cause, undoes = ofShape(cause), ofShape(undoes)
	}
	w.out = append(w.out, Slip{
		Operator: w.operator, Cause: cause, Undoes: undoes, Span: span, statement: w.statement, inside: w.inside,
		selection: w.within, adds: w.adding, key: w.key, together: w.together, before: before, after: after, apply: apply,
	})
}

// replace collects that an expression takes another's place.
func (w *walker) replace(cause, undoes codes.Code, slot *notation.Expr, with notation.Expr) {
	old := *slot
	w.add(cause, undoes, old.Pos(),
		func() string { return notation.PrintExpr(old) }, func() string { return notation.PrintExpr(with) },
		func() func() {
			*slot = with
			return func() { *slot = old }
		})
}

// both is replace for a change that stands for one cause in either direction.
func (w *walker) both(cause codes.Code, slot *notation.Expr, with notation.Expr) {
	w.replace(cause, cause, slot, with)
}

// outline is what is known of an expression's value.
func (w *walker) outline(e notation.Expr) shapes.Outline { return w.known[e.Pos()] }

// rank is an expression's number of axes, -1 when it is not known.
func (w *walker) rank(e notation.Expr) int {
	o := w.outline(e)
	if !o.KnowsRank() {
		return -1
	}
	return o.Rank()
}

// mayBeComplex reports whether an expression's value may have an imaginary part.
func (w *walker) mayBeComplex(e notation.Expr) bool {
	o := w.outline(e)
	return !o.KnowsKind() || o.Kind() == array.Complex
}
