package notation

// pieces is an arena for values of one type, allocated several at a time: a tree is many
// small nodes that live as long as each other. Allocating each alone costs a sixth of
// `make bench`, parse and shapes.
type pieces[T any] struct {
	free []T
	size int // of the piece allocated last
}

func (p *pieces[T]) some(n int) []T {
	if len(p.free) < n {
		p.size = min(max(2*p.size, 4), 16)
		p.free = make([]T, max(n, p.size))
	}
	out := p.free[:n:n]
	p.free = p.free[n:]
	return out
}

// one returns a place for a value and fills it.
func (p *pieces[T]) one(v T) *T {
	t := &p.some(1)[0]
	*t = v
	return t
}

// kept returns a copy of a list; of an empty one nil.
func (p *pieces[T]) kept(list []T) []T {
	if len(list) == 0 {
		return nil
	}
	out := p.some(len(list))
	copy(out, list)
	return out
}

// longEnough is how many bytes a text has that gets its first pieces in one.
const longEnough = 160

// start allocates the first pieces together, which saves a sixteenth of `make bench`, parse
// and shapes.
func (n *nodes) start() {
	first := &struct {
		names      [24]Name
		numbers    [4]Number
		binaries   [8]Binary
		calls      [8]Call
		clauses    [8]Clause
		axes       [8]Axis
		selects    [4]Select
		selections [4]Selection
		selectors  [8]Selector
		assigns    [8]Assign
		exprs      [16]Expr
		picks      [8]*Selector
		axisLists  [8]*Axis
	}{}
	n.names.free, n.numbers.free, n.binaries.free = first.names[:], first.numbers[:], first.binaries[:]
	n.calls.free, n.clauses.free, n.axes.free = first.calls[:], first.clauses[:], first.axes[:]
	n.selects.free, n.selections.free, n.selectors.free = first.selects[:], first.selections[:], first.selectors[:]
	n.assigns.free, n.exprs.free, n.picks.free, n.axisLists.free = first.assigns[:], first.exprs[:], first.picks[:],
		first.axisLists[:]
}

// nodes are the arenas of the nodes that most texts are made of.
type nodes struct {
	names      pieces[Name]
	numbers    pieces[Number]
	binaries   pieces[Binary]
	calls      pieces[Call]
	clauses    pieces[Clause]
	axes       pieces[Axis]
	selects    pieces[Select]
	selections pieces[Selection]
	selectors  pieces[Selector]
	assigns    pieces[Assign]
	exprs      pieces[Expr]
	picks      pieces[*Selector]
	axisLists  pieces[*Axis]
}
