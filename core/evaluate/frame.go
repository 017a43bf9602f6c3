package evaluate

import (
	"nimbusreach/core/array"
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
	count   int          // how many of near are in use
	keys    [near]uint16 // how long each name is, and its first letter
	near    [near]variable
	more    map[string]*variable
	touched int32 // how many names were bound or assigned into
}

// find returns a name's variable, nil when there is none.
func (f *frame) find(name string) *variable {
	key := keyOf(name)
	for i, k := range f.keys[:f.count] {
		if k == key && f.near[i].name == name {
			return &f.near[i]
		}
	}
	if f.more == nil {
		return nil
	}
	return f.more[name]
}

// keyOf tells most names apart.
func keyOf(name string) uint16 {
	if name == "" {
		return 0
	}
	return uint16(len(name))<<8 | uint16(name[0])
}

// add makes a variable for a name that has none.
func (f *frame) add(name string) (v *variable) {
	if f.count < near {
		f.keys[f.count] = keyOf(name)
		v = &f.near[f.count]
		f.count++
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
