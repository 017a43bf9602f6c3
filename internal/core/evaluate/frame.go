package evaluate

import (
	"nimbusreach/internal/core/array"
)

// variable is a name's value. A view's cells are another name's.
type variable struct {
	name  string
	value *array.Array
	turn  int32 // the how-manieth name the program bound or assigned into; 0 for none
	view  bool
	input bool // holds an input, or what was made of it by assigning into it
}

// near is how many variables a frame keeps at hand. So few are found sooner by looking
// at each than by a map.
const near = 12

// frame holds the variables of the program or of one call. They stay where they are.
type frame struct {
	caller  *frame
	count   int       // how many of near are in use
	guess   [32]uint8 // by a name's mark, where in near it may be, from 1; 0 where none is
	near    [near]variable
	more    map[string]*variable
	touched int32 // how many names were bound or assigned into
}

// find returns a name's variable, nil when there is none.
func (f *frame) find(name string) *variable {
	at := f.guess[mark(name)]
	if at > 0 {
		if v := &f.near[at-1]; len(v.name) == len(name) && (len(name) == 1 && v.name[0] == name[0] || v.name == name) {
			return v
		}
	} else if f.more == nil {
		return nil
	}
	return f.search(name)
}

func (f *frame) search(name string) *variable {
	for i := range f.near[:f.count] {
		if f.near[i].name == name {
			return &f.near[i]
		}
	}
	if f.more == nil {
		return nil
	}
	return f.more[name]
}

// mark tells most names apart.
func mark(name string) uint8 {
	if name == "" {
		return 0
	}
	last := len(name) - 1
	return (name[0] + 2*name[last] + 5*uint8(last)) % 32
}

// add makes a variable for a name that has none.
func (f *frame) add(name string) (v *variable) {
	if f.count < near {
		v = &f.near[f.count]
		f.count++
		f.guess[mark(name)] = uint8(f.count)
	} else {
		if f.more == nil {
			f.more = map[string]*variable{}
		}
		v = &variable{}
		f.more[name] = v
	}
	v.name = name
	return v
}

// each calls g with every variable.
func (f *frame) each(g func(v *variable)) {
	for i := range f.near[:f.count] {
		g(&f.near[i])
	}
	for _, v := range f.more {
		g(v)
	}
}

// touch notes that the program gives a variable a value.
func (f *frame) touch(v *variable) {
	if v.turn == 0 {
		f.touched++
		v.turn = f.touched
	}
}
