package dataio

import (
	"bufio"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"nimbusreach/internal/core/array"
)

// Variable is an array to be written under a name.
type Variable struct {
	Name  string
	Array *array.Array
	Unit  string
	About string // becomes the attribute long_name
}

// Text is an attribute that holds text.
type Text struct{ Name, Value string }

// WriteNetCDF writes arrays as one file of the classic formats, with attributes of the file: CDF-5 where an integer
// needs 64 bits, else CDF-1. Dimensions are named by the axes' labels, `axis_0` and on for axes without one; a name
// whose length is another already, or that stands twice in one array, gets `_1` and on, and the array an attribute
// axis_labels that has the true labels. An array without elements lies on the record dimension, of which there are no
// records, and says its lengths in axis_lengths where its dimensions do not.
func WriteNetCDF(w io.Writer, variables []Variable, about ...Text) error {
	f := &ncWriter{version: CDF1, names: map[string]int{}}
	for _, v := range variables {
		if v.Array.Kind() == array.Int && !fitsInt(v.Array) {
			f.version = CDF5
		}
	}
	return f.write(w, variables, about)
}

func fitsInt(a *array.Array) bool {
	for i := range a.Size() {
		if n := a.IntAt(i); n != int64(int32(n)) {
			return false
		}
	}
	return true
}

// ncWriter lays a file out and writes it.
type ncWriter struct {
	version byte
	dims    []ncDim
	names   map[string]int // of dimensions, by name
	record  int            // which dimension has no length, from 1; 0 for none
	head    []byte
}

// ncEntry is a variable as it lies in the file.
type ncEntry struct {
	Variable
	dims  []int
	attrs []ncAttr
	kind  ncType
	bytes int // of one record where it lies on the record dimension
}

func (f *ncWriter) write(w io.Writer, variables []Variable, about []Text) error {
	entries := make([]ncEntry, len(variables))
	for i, v := range variables {
		if slices.ContainsFunc(variables[:i], func(o Variable) bool { return o.Name == v.Name }) {
			return fmt.Errorf("two arrays are called `%s`", v.Name)
		}
		entries[i] = f.entry(v)
	}
	size := f.header(entries, about, nil)
	begins, at := make([]int, len(entries)), size
	for _, onRecords := range []bool{false, true} { // records come last
		for i := range entries {
			if onRecords != (entries[i].Array.Size() == 0) {
				continue
			}
			begins[i] = at
			at += entries[i].bytes + -entries[i].bytes&3
		}
	}
	if at > math.MaxInt32 && f.version == CDF1 {
		f.version = CDF2
		return f.write(w, variables, about)
	}
	f.header(entries, about, begins)
	out := bufio.NewWriterSize(w, 1<<16)
	if _, err := out.Write(f.head); err != nil {
		return err
	}
	for i := range entries {
		if err := entries[i].data(out); err != nil {
			return err
		}
	}
	return out.Flush()
}

// entry gives a variable its dimensions, type and attributes.
func (f *ncWriter) entry(v Variable) ncEntry {
	a := v.Array
	e := ncEntry{Variable: v, kind: ncDouble}
	labels := make([]string, a.Rank())
	for i := range labels {
		labels[i] = a.Label(i)
	}
	lost := a.Size() == 0 && !f.onRecords(a)
	if lost {
		f.records("")
		e.dims = []int{f.record - 1}
	}
	for i := 0; i < a.Rank() && !lost; i++ {
		e.dims = append(e.dims, f.dimension(labels[i], i, a.Len(i), e.dims))
	}
	if lost || slices.ContainsFunc(seq(a.Rank()), func(i int) bool {
		return axisLabel(f.dims[e.dims[i]].name) !=
			labels[i]
	}) {
		words := make([]string, len(labels))
		for i, l := range labels {
			if words[i] = l; l == "" {
				words[i] = "_"
			}
		}
		e.text(attrLabels, strings.Join(words, " "))
	}
	if lost {
		var raw []byte
		for _, n := range a.Shape() {
			raw = binary.BigEndian.AppendUint32(raw, uint32(n))
		}
		e.attrs = append(e.attrs, ncAttr{attrLengths, ncInt, raw})
	}
	switch a.Kind() {
	case array.Bool:
		e.kind = ncByte
		e.attrs = append(e.attrs, ncAttr{attrFlags, ncByte, []byte{0, 1}})
		e.text(attrMeanings, boolMeanings)
	case array.Int:
		if e.kind = ncInt; !fitsInt(a) {
			e.kind = ncInt64
		}
	case array.Complex:
		e.dims = append(e.dims, f.named(complexAxis, 2))
	}
	if e.kind == ncDouble {
		e.attrs = append(e.attrs, ncAttr{attrFill, ncDouble, binary.BigEndian.AppendUint64(nil,
			math.Float64bits(math.NaN()))})
	}
	e.text(attrUnits, v.Unit)
	e.text("long_name", v.About)
	e.bytes = ncTypes[e.kind].size
	for _, d := range e.dims {
		if d != f.record-1 {
			e.bytes *= f.dims[d].length
		}
	}
	return e
}

func seq(n int) []int {
	out := make([]int, n)
	for i := range out {
		out[i] = i
	}
	return out
}

func (e *ncEntry) text(name, value string) {
	if value != "" {
		e.attrs = append(e.attrs, ncAttr{name, ncChar, []byte(value)})
	}
}

// onRecords reports whether an array without elements can lie on the record dimension as it is: its first axis alone
// has no length, and the dimension is called as that.
func (f *ncWriter) onRecords(a *array.Array) bool {
	if a.Rank() == 0 || a.Len(0) != 0 || slices.Contains(a.Shape()[1:], 0) {
		return false
	}
	name := a.Label(0)
	if name == "" {
		name = "axis_0"
	}
	f.records(name)
	return f.dims[f.record-1].name == name
}

// records makes the record dimension, where there is none yet.
func (f *ncWriter) records(name string) {
	if f.record > 0 {
		return
	}
	if _, taken := f.names[name]; name == "" || name == complexAxis || taken {
		name = "empty"
	}
	for _, taken := f.names[name]; taken; _, taken = f.names[name] {
		name += "_"
	}
	f.named(name, 0)
	f.record = len(f.dims)
}

// dimension is the one for an axis; used are those that the array has already.
func (f *ncWriter) dimension(label string, axis, length int, used []int) int {
	base := label
	if base == "" {
		base = "axis_" + strconv.Itoa(axis)
	}
	for n := 0; ; n++ {
		name := base
		if n > 0 {
			name += "_" + strconv.Itoa(n)
		}
		at, known := f.names[name]
		if name != complexAxis && (!known || f.dims[at].length == length && !slices.Contains(used, at)) {
			return f.named(name, length)
		}
	}
}

// named is a dimension of a name and length, made where there is none.
func (f *ncWriter) named(name string, length int) int {
	at, known := f.names[name]
	if !known {
		at = len(f.dims)
		f.names[name] = at
		f.dims = append(f.dims, ncDim{name: name, length: length})
	}
	return at
}

// header writes the header, with no offsets where begins is nil, and gives its length.
func (f *ncWriter) header(entries []ncEntry, about []Text, begins []int) int {
	f.head = append([]byte("CDF"), f.version)
	f.count(0) // records
	f.list(ncDimensions, len(f.dims))
	for _, d := range f.dims {
		f.string(d.name)
		f.count(d.length)
	}
	global := make([]ncAttr, 0, len(about))
	for _, t := range about {
		global = append(global, ncAttr{t.Name, ncChar, []byte(t.Value)})
	}
	f.attributes(global)
	f.list(ncVariables, len(entries))
	for i, e := range entries {
		f.string(e.Name)
		f.count(len(e.dims))
		for _, d := range e.dims {
			f.count(d)
		}
		f.attributes(e.attrs)
		f.word(int(e.kind))
		f.count(e.bytes + -e.bytes&3)
		begin := 0
		if begins != nil {
			begin = begins[i]
		}
		if f.version == CDF1 {
			f.word(begin)
		} else {
			f.head = binary.BigEndian.AppendUint64(f.head, uint64(begin))
		}
	}
	return len(f.head)
}

func (f *ncWriter) word(n int) { f.head = binary.BigEndian.AppendUint32(f.head, uint32(n)) }

func (f *ncWriter) count(n int) {
	if f.version == CDF5 {
		f.head = binary.BigEndian.AppendUint64(f.head, uint64(n))
		return
	}
	f.word(n)
}

func (f *ncWriter) list(tag, n int) {
	if n == 0 {
		tag = 0
	}
	f.word(tag)
	f.count(n)
}

func (f *ncWriter) padded(b []byte) {
	f.head = append(f.head, b...)
	f.head = append(f.head, make([]byte, -len(b)&3)...)
}

func (f *ncWriter) string(s string) {
	f.count(len(s))
	f.padded([]byte(s))
}

func (f *ncWriter) attributes(list []ncAttr) {
	f.list(ncAttributes, len(list))
	for _, a := range list {
		f.string(a.name)
		f.word(int(a.kind))
		f.count(len(a.raw) / ncTypes[a.kind].size)
		f.padded(a.raw)
	}
}

// data writes a variable's cells, rows first, and fills them up to four bytes.
func (e *ncEntry) data(w *bufio.Writer) error {
	a := e.Array
	var b []byte
	for i := range a.Size() {
		b = b[:0]
		switch e.kind {
		case ncByte:
			bit := byte(0)
			if a.BoolAt(i) {
				bit = 1
			}
			b = append(b, bit)
		case ncInt:
			b = binary.BigEndian.AppendUint32(b, uint32(int32(a.IntAt(i))))
		case ncInt64:
			b = binary.BigEndian.AppendUint64(b, uint64(a.IntAt(i)))
		default:
			z := a.ComplexAt(i)
			b = binary.BigEndian.AppendUint64(b, math.Float64bits(real(z)))
			if a.Kind() == array.Complex {
				b = binary.BigEndian.AppendUint64(b, math.Float64bits(imag(z)))
			}
		}
		if _, err := w.Write(b); err != nil {
			return err
		}
	}
	if a.Size() == 0 {
		return nil
	}
	_, err := w.Write(make([]byte, -e.bytes&3))
	return err
}
