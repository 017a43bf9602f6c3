package notation

// pieces gives room for values of one type, allocated several at a time: a tree is
// many small nodes that live as long as each other.
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

// one returns room for a value and fills it.
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

// nodes is the room for the nodes that most texts are made of.
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
