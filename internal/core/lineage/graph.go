package lineage

import (
	"nimbusreach/internal/core/functions"
)

// Relation is how a cell takes part in another: as a value, as a choice, or both.
type Relation uint8

// The relations, which are or-ed.
const (
	Value  Relation = 1
	Choice Relation = 2
)

// id names a node; none is the node of what has no lineage.
type id int32

const none id = -1

// node is an array that was made, as far as its lineage goes.
type node struct {
	size  int
	input string // the input it is; "" for what was made
	links []link
}

// link is how a node's cells come from those of another that was made before.
type link struct {
	from   id
	choice bool
	functions.Cells
}

// graph is what a run kept. Nodes stand in the order in which they were made.
type graph struct {
	nodes []node
	kept  int // numbers that are held
}

func (g *graph) input(name string, size int) id {
	g.nodes = append(g.nodes, node{size: size, input: name})
	return id(len(g.nodes) - 1)
}

// add makes a node; one without links has no lineage.
func (g *graph) add(size int, links []link) id {
	if len(links) == 0 {
		return none
	}
	for _, l := range links {
		g.kept += len(l.From) + len(l.Out) + len(l.In) + len(l.Upto) + len(l.Place) + len(l.Via) + len(l.Low) + len(l.High)
	}
	g.nodes = append(g.nodes, node{size: size, links: links})
	return id(len(g.nodes) - 1)
}

// marks are, for nodes that a question reaches, the relations of their cells.
type marks map[id][]Relation

func (g *graph) of(m marks, n id) []Relation {
	if m[n] == nil {
		m[n] = make([]Relation, g.nodes[n].size)
	}
	return m[n]
}

// back marks all cells that cells of a node were made from, and those.
func (g *graph) back(n id, cells []int) marks {
	m := marks{}
	if n == none {
		return m
	}
	for _, k := range cells {
		g.of(m, n)[k] = Value
	}
	for at := n; at >= 0; at-- {
		if m[at] == nil {
			continue
		}
		for _, l := range g.nodes[at].links {
			l.back(m[at], g.of(m, l.from))
		}
	}
	return m
}

// through is the relation that a link makes of one.
func (l *link) through(r Relation) Relation {
	if l.choice && r != 0 {
		return Choice
	}
	return r
}

// back marks the operand's cells from those of the result.
func (l *link) back(out, in []Relation) {
	switch {
	case l.From != nil:
		for k, from := range l.From {
			if from >= 0 {
				in[from] |= l.through(out[k])
			}
		}
	case l.Low != nil:
		l.backBetween(out, in)
	case l.Upto != nil:
		l.backUpTo(out, in)
	default:
		groups := make([]Relation, l.count())
		for k, g := range l.Out {
			if g >= 0 {
				groups[g] |= l.through(out[k])
			}
		}
		for i, g := range l.In {
			if g >= 0 {
				in[l.via(i)] |= groups[g]
			}
		}
	}
}

// backBetween marks the cells from Low to High of each cell of the result, by relation.
func (l *link) backBetween(out, in []Relation) {
	for _, bit := range []Relation{Value, Choice} {
		begins := make([]int, len(in)+1) // less those that end
		for k, r := range out {
			if l.through(r)&bit != 0 && l.Low[k] <= l.High[k] {
				begins[l.Low[k]]++
				begins[l.High[k]+1]--
			}
		}
		open := 0
		for i := range in {
			if open += begins[i]; open > 0 {
				in[i] |= bit
			}
		}
	}
}

// forthBetween marks the cells of the result between whose Low and High a cell is marked, by relation.
func (l *link) forthBetween(in, out []Relation) {
	for _, bit := range []Relation{Value, Choice} {
		before := make([]int, len(in)+1) // how many are marked before a cell
		for i, r := range in {
			before[i+1] = before[i]
			if l.through(r)&bit != 0 {
				before[i+1]++
			}
		}
		for k := range out {
			if l.Low[k] <= l.High[k] && before[l.High[k]+1] > before[l.Low[k]] {
				out[k] |= bit
			}
		}
	}
}

// backUpTo marks the cells of each group up to the last place that is asked for, by relation.
func (l *link) backUpTo(out, in []Relation) {
	for _, bit := range []Relation{Value, Choice} {
		last := make([]int32, l.count())
		for g := range last {
			last[g] = -1
		}
		for k, g := range l.Out {
			if g >= 0 && l.through(out[k])&bit != 0 {
				last[g] = max(last[g], l.Upto[k])
			}
		}
		for i, g := range l.In {
			if g >= 0 && l.Place[i] <= last[g] {
				in[l.via(i)] |= bit
			}
		}
	}
}

// forth marks the result's cells from those of the operand.
func (l *link) forth(in, out []Relation) {
	switch {
	case l.From != nil:
		for k, from := range l.From {
			if from >= 0 {
				out[k] |= l.through(in[from])
			}
		}
	case l.Low != nil:
		l.forthBetween(in, out)
	case l.Upto != nil:
		for _, bit := range []Relation{Value, Choice} {
			first := map[int32]int32{}
			for i, g := range l.In {
				if before, is := first[g]; g >= 0 && l.through(in[l.via(i)])&bit != 0 && (!is || l.Place[i] < before) {
					first[g] = l.Place[i]
				}
			}
			for k, g := range l.Out {
				if at, is := first[g]; is && l.Upto[k] >= at {
					out[k] |= bit
				}
			}
		}
	default:
		groups := make([]Relation, l.count())
		for i, g := range l.In {
			if g >= 0 {
				groups[g] |= l.through(in[l.via(i)])
			}
		}
		for k, g := range l.Out {
			if g >= 0 {
				out[k] |= groups[g]
			}
		}
	}
}

func (l *link) via(i int) int32 {
	if l.Via != nil {
		return l.Via[i]
	}
	return int32(i)
}

// count is how many groups there are.
func (l *link) count() int {
	most := int32(-1)
	for _, g := range l.Out {
		most = max(most, g)
	}
	for _, g := range l.In {
		most = max(most, g)
	}
	return int(most) + 1
}

// forth marks all cells that came from cells of a node, and those.
func (g *graph) forth(n id, cells []int) marks {
	m := marks{}
	for _, k := range cells {
		g.of(m, n)[k] = Value
	}
	for at := n + 1; int(at) < len(g.nodes); at++ {
		for _, l := range g.nodes[at].links {
			if m[l.from] != nil {
				l.forth(m[l.from], g.of(m, at))
			}
		}
	}
	return m
}
