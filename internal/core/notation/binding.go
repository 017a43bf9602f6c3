package notation

// Which names statements bind, and which share their cells. Every package that follows names
// through a program asks here.

// Binds lists the names that a statement binds by itself: an assignment's target, a view's
// name, a loop's items. What statements within it bind is theirs, and a function binds its
// parameters in a scope of its own.
func Binds(s Statement) []*Name {
	switch s := s.(type) {
	case *Assign:
		return []*Name{s.Target}
	case *View:
		return []*Name{s.Name}
	case *Each:
		return s.Names
	}
	return nil
}

// Affects lists the names whose values a statement decides by itself: those it binds, and
// what a view is of, because what is written into a view is written into that.
func Affects(s Statement) []*Name {
	if v, ok := s.(*View); ok {
		return []*Name{v.Name, v.Of}
	}
	return Binds(s)
}

// IsWhole reports whether an assignment gives its name a new value, whatever it held before:
// not a part of it, and not `+=` and the like.
func (s *Assign) IsWhole() bool { return s.Selection == nil && s.Op == "=" }

// EachBinding calls f for every statement of a scope that binds names, those within blocks
// too. It does not enter functions, whose names are their own.
func EachBinding(statements []Statement, f func(s Statement, names []*Name)) {
	for _, s := range statements {
		if names := Binds(s); len(names) > 0 {
			f(s, names)
		}
		for _, block := range Blocks(s) {
			EachBinding(block, f)
		}
	}
}

// Blocks lists the blocks of statements inside a loop or a branch; a function has none, being
// a scope of its own.
func Blocks(s Statement) [][]Statement {
	switch s := s.(type) {
	case *Each:
		return [][]Statement{s.Body}
	case *Repeat:
		return [][]Statement{s.Body}
	case *If:
		return [][]Statement{s.Then, s.Else}
	}
	return nil
}

// Bound lists the names that a scope's statements bind, in the order of the text, each once.
func Bound(statements []Statement) []string {
	var out []string
	seen := map[string]bool{}
	EachBinding(statements, func(_ Statement, names []*Name) {
		for _, n := range names {
			if !seen[n.Name] {
				seen[n.Name] = true
				out = append(out, n.Name)
			}
		}
	})
	return out
}

// BindsAny reports whether a statement, or one within it, binds one of some names.
func BindsAny(s Statement, names map[string]bool) bool {
	found := false
	EachBinding([]Statement{s}, func(_ Statement, bound []*Name) {
		for _, n := range bound {
			found = found || names[n.Name]
		}
	})
	return found
}

// Aliases are the names that may share cells with one: itself, and views that come from it,
// however far.
func (p *Program) Aliases(name string) map[string]bool {
	names := map[string]bool{name: true}
	for grown := true; grown; {
		grown = false
		EachBinding(p.Statements, func(s Statement, _ []*Name) {
			if v, ok := s.(*View); ok && names[v.Of.Name] && !names[v.Name.Name] {
				names[v.Name.Name], grown = true, true
			}
		})
	}
	return names
}

// FirstWrite finds the first statement that assigns into a name's cells, by itself or through
// a view; nil where there is none.
func (p *Program) FirstWrite(name string) *Assign {
	names := p.Aliases(name)
	var first *Assign
	EachBinding(p.Statements, func(s Statement, _ []*Name) {
		if a, ok := s.(*Assign); ok && a.Selection != nil && names[a.Target.Name] && first == nil {
			first = a
		}
	})
	return first
}
