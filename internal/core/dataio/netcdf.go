package dataio

import (
	"encoding/binary"
	"fmt"
	"math"
	"slices"
	"strings"
	"unicode/utf8"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

// The classic formats of netCDF: the file begins with "CDF" and one of these.
const (
	CDF1 byte = 1
	CDF2 byte = 2 // offsets of 64 bits
	CDF5 byte = 5 // counts of 64 bits too, and wider integers
)

// ncType is an external type of the format.
type ncType int32

const (
	ncByte ncType = 1 + iota
	ncChar
	ncShort
	ncInt
	ncFloat
	ncDouble
	ncUbyte
	ncUshort
	ncUint
	ncInt64
	ncUint64
)

// ncTypes lists the external types, with their sizes in bytes; those from ncUbyte on are of CDF-5 alone.
var ncTypes = map[ncType]struct {
	name string
	size int
}{
	ncByte: {"byte", 1}, ncChar: {"char", 1}, ncShort: {"short", 2}, ncInt: {"int", 4}, ncFloat: {"float", 4},
	ncDouble: {"double", 8}, ncUbyte: {"ubyte", 1}, ncUshort: {"ushort", 2}, ncUint: {"uint", 4}, ncInt64: {"int64", 8},
	ncUint64: {"uint64", 8},
}

// The tags that begin the lists of a header.
const (
	ncDimensions = 0x0a
	ncVariables  = 0x0b
	ncAttributes = 0x0c
)

// What the format calls the values that were never written, where a variable says nothing else.
const (
	ncFillFloat  = 9.9692099683868690e+36 // as float32 and as float64
	complexAxis  = "complex"
	attrLabels   = "axis_labels"
	attrLengths  = "axis_lengths"
	attrFill     = "_FillValue"
	attrMissing  = "missing_value"
	attrUnits    = "units"
	attrScale    = "scale_factor"
	attrOffset   = "add_offset"
	attrUnsigned = "_Unsigned"
	attrFlags    = "flag_values"
	attrMeanings = "flag_meanings"
	boolMeanings = "false true"
)

// NetCDF is a file of the classic netCDF formats whose header was read: CDF-1, CDF-2 or CDF-5. Arrays are decoded when
// they are asked for.
type NetCDF struct {
	Version byte

	raw       []byte
	records   int
	dims      []ncDim
	about     []ncAttr
	variables []ncVariable
	step      int // bytes from one record to the next
}

type ncDim struct {
	name   string
	length int
	record bool
}

type ncAttr struct {
	name string
	kind ncType
	raw  []byte
}

type ncVariable struct {
	name  string
	dims  []ncDim
	attrs []ncAttr
	kind  ncType
	begin int
	at    int // of its entry in the header

	shape  []int
	cells  int // in all
	inner  int // in one record, or in all where it has no record dimension
	record bool
}

// ReadNetCDF reads the header of a file and holds all that it declares against the bytes that are there: whatever it
// claims, no more memory is taken than the file is long.
func ReadNetCDF(raw []byte) (*NetCDF, error) {
	r := &ncReader{raw: raw}
	f := r.file()
	if r.problem != nil {
		return nil, r.problem
	}
	if err := f.layout(r.at); err != nil {
		return nil, err
	}
	return f, nil
}

// IsNetCDF reports whether bytes begin as a classic netCDF file does.
func IsNetCDF(raw []byte) bool { return len(raw) >= 4 && string(raw[:3]) == "CDF" }

// ncReader reads a header. After the first problem all that it reads is zero.
type ncReader struct {
	raw     []byte
	at      int
	version byte
	problem error
}

func (r *ncReader) fail(at int, message, hint string) {
	if r.problem == nil {
		r.problem = ncProblem(at, message, hint)
	}
}

func ncProblem(at int, message, hint string) error {
	return &Problem{Message: fmt.Sprintf("byte %d: %s", at, message), Hint: hint}
}

const ncDamaged = "the file is damaged or was cut off; write it again"

// take is the next n bytes; nil when fewer are left.
func (r *ncReader) take(n int, what string) []byte {
	if r.problem != nil {
		return nil
	}
	if n < 0 || n > len(r.raw)-r.at {
		r.fail(r.at, fmt.Sprintf("%s needs %d bytes, and the file ends after %d more", what, n, len(r.raw)-r.at), ncDamaged)
		return nil
	}
	out := r.raw[r.at : r.at+n]
	r.at += n
	return out
}

func (r *ncReader) word(what string) uint32 {
	if b := r.take(4, what); b != nil {
		return binary.BigEndian.Uint32(b)
	}
	return 0
}

func (r *ncReader) long(what string) uint64 {
	if b := r.take(8, what); b != nil {
		return binary.BigEndian.Uint64(b)
	}
	return 0
}

// count is a number of 0 or more, of 4 bytes or, in CDF-5, of 8.
func (r *ncReader) count(what string) int {
	at := r.at
	n := uint64(0)
	if r.version == CDF5 {
		n = r.long(what)
	} else {
		n = uint64(r.word(what))
	}
	if most := uint64(math.MaxInt64); n > most || r.version != CDF5 && n > math.MaxInt32 {
		r.fail(at, fmt.Sprintf("%s is %d, which is out of range", what, n), ncDamaged)
		return 0
	}
	return int(n)
}

// padded is n bytes and what fills them up to a multiple of four.
func (r *ncReader) padded(n int, what string) []byte {
	b := r.take(n, what)
	if b != nil && n%4 != 0 {
		r.take(4-n%4, "the padding of "+what)
	}
	return b
}

func (r *ncReader) name(what string) string {
	at := r.at
	b := r.padded(r.count("the length of "+what), what)
	if r.problem == nil && (len(b) == 0 || !utf8.Valid(b)) {
		r.fail(at, what+" is empty or not UTF-8", ncDamaged)
	}
	return string(b)
}

// list reads a list that has a tag, or that is absent.
func (r *ncReader) list(tag uint32, what string, one func()) {
	at := r.at
	got := r.word("the list of " + what)
	n := r.count("the number of " + what)
	if got != tag && (got != 0 || n != 0) {
		r.fail(at, fmt.Sprintf("the list of %s begins with %#x, and %#x was expected", what, got, tag), ncDamaged)
	}
	for i := 0; i < n && r.problem == nil; i++ {
		one()
	}
}

func (r *ncReader) file() *NetCDF {
	f := &NetCDF{raw: r.raw}
	if !IsNetCDF(r.raw) || r.raw[3] != CDF1 && r.raw[3] != CDF2 && r.raw[3] != CDF5 {
		hint := "a file of the classic formats begins with CDF and 1, 2 or 5; write one of those"
		if len(r.raw) >= 4 && string(r.raw[1:4]) == "HDF" {
			hint = "this is a file of the netCDF-4 format; write it in a classic one (CDF-1, CDF-2 or CDF-5)"
		}
		r.fail(0, "this is not a classic netCDF file", hint)
		return f
	}
	f.Version, r.version, r.at = r.raw[3], r.raw[3], 4
	f.records = r.recordCount()
	record := false
	r.list(ncDimensions, "dimensions", func() {
		at := r.at
		d := ncDim{name: r.name("a dimension's name"), length: r.count("a dimension's length")}
		if d.record = d.length == 0; d.record {
			if record {
				r.fail(at, fmt.Sprintf("the dimension `%s` is a second record dimension", d.name), ncDamaged)
			}
			record = true
		}
		f.dims = append(f.dims, d)
	})
	f.about = r.attributes("the file")
	r.list(ncVariables, "variables", func() { f.variables = append(f.variables, r.variable(f.dims)) })
	return f
}

// unknownRecords stands where whoever wrote the file did not know how many records there would be.
const unknownRecords = -1

func (r *ncReader) recordCount() int {
	at, n, unknown := r.at, uint64(0), uint64(math.MaxUint32)
	if r.version == CDF5 {
		n, unknown = r.long("the number of records"), math.MaxUint64
	} else {
		n = uint64(r.word("the number of records"))
	}
	if n == unknown {
		return unknownRecords
	}
	if n > uint64(len(r.raw)) {
		r.fail(at, fmt.Sprintf("%d records are declared in a file of %d bytes", n, len(r.raw)), ncDamaged)
		return 0
	}
	return int(n)
}

func (r *ncReader) attributes(of string) []ncAttr {
	var out []ncAttr
	r.list(ncAttributes, "attributes of "+of, func() {
		a := ncAttr{name: r.name("an attribute's name")}
		var size int
		a.kind, size = r.kind("the attribute `" + a.name + "`")
		n := r.count("the length of the attribute `" + a.name + "`")
		if n > len(r.raw) {
			n, size = len(r.raw), 1 // more than there is, whatever the type
		}
		a.raw = r.padded(n*size, "the attribute `"+a.name+"`")
		out = append(out, a)
	})
	return out
}

func (r *ncReader) kind(of string) (kind ncType, size int) {
	at := r.at
	kind = ncType(int32(r.word("the type of " + of)))
	t, known := ncTypes[kind]
	if r.problem == nil && (!known || kind >= ncUbyte && r.version != CDF5) {
		r.fail(at, fmt.Sprintf("%s has the type %d, which this format does not have", of, kind), ncDamaged)
	}
	return kind, t.size
}

func (r *ncReader) variable(dims []ncDim) ncVariable {
	v := ncVariable{at: r.at, name: r.name("a variable's name")}
	of := "the variable `" + v.name + "`"
	at := r.at
	rank := r.count("the number of dimensions of " + of)
	if rank > 32 {
		r.fail(at, fmt.Sprintf("%s has %d dimensions", of, rank), "an array has at most 32 axes")
		return v
	}
	for i := range rank {
		at := r.at
		d := r.count("a dimension of " + of)
		if r.problem != nil {
			return v
		}
		if d >= len(dims) || i > 0 && dims[d].record {
			r.fail(at, fmt.Sprintf("%s has dimension %d at place %d, which cannot be", of, d, i), ncDamaged)
			return v
		}
		v.dims = append(v.dims, dims[d])
	}
	v.attrs = r.attributes(of)
	v.kind, _ = r.kind(of)
	size := 4
	if r.version == CDF5 {
		size = 8
	}
	r.take(size, "the size of "+of) // of large variables it is not true, so that it is worked out instead
	begin := uint64(0)
	if r.version == CDF1 {
		begin = uint64(r.word("the offset of " + of))
	} else {
		begin = r.long("the offset of " + of)
	}
	v.begin = int(min(begin, uint64(len(r.raw)+1))) // where there are no records, data may begin behind the end
	return v
}

// span is a stretch of a file that holds data.
type ncSpan struct {
	from, to int
	name     string
}

// layout works out where data lie, and holds that against the file: inside it, behind the header, none over another.
func (f *NetCDF) layout(header int) error {
	for i := range f.variables {
		if err := f.variables[i].measure(); err != nil {
			return err
		}
	}
	if err := f.recordLayout(); err != nil {
		return err
	}
	var spans, slabs []ncSpan
	for i := range f.variables {
		v := &f.variables[i]
		if v.cells == 0 {
			continue
		}
		bytes := v.inner * ncTypes[v.kind].size
		s := ncSpan{v.begin, v.begin + bytes, v.name}
		if v.record {
			slabs = append(slabs, s)
			s.to += (f.records - 1) * f.step
		}
		if s.from < header {
			return ncProblem(v.at, fmt.Sprintf("`%s` begins at byte %d, inside the header", v.name, s.from), ncDamaged)
		}
		if s.to > len(f.raw) {
			return ncProblem(len(f.raw), fmt.Sprintf("the file ends, and the data of `%s` go on to byte %d", v.name, s.to),
				ncDamaged)
		}
		if !v.record {
			spans = append(spans, s)
		}
	}
	if len(slabs) > 0 {
		slices.SortFunc(slabs, func(a, b ncSpan) int { return a.from - b.from })
		last := slabs[len(slabs)-1]
		if last.to-slabs[0].from > f.step {
			return ncProblem(last.from, fmt.Sprintf("`%s` lies outside its record", last.name), ncDamaged)
		}
		if err := apart(slabs); err != nil {
			return err
		}
		spans = append(spans, ncSpan{slabs[0].from, last.to + (f.records-1)*f.step, slabs[0].name})
	}
	slices.SortFunc(spans, func(a, b ncSpan) int { return a.from - b.from })
	return apart(spans)
}

// apart holds that no stretch of data lies over another.
func apart(spans []ncSpan) error {
	for i := 1; i < len(spans); i++ {
		if a, b := spans[i-1], spans[i]; b.from < a.to {
			return ncProblem(b.from, fmt.Sprintf("the data of `%s` lie over those of `%s`", b.name, a.name), ncDamaged)
		}
	}
	return nil
}

// measure works out a variable's cells, as far as the number of records does not matter.
func (v *ncVariable) measure() error {
	inner := v.dims
	if v.record = len(v.dims) > 0 && v.dims[0].record; v.record {
		inner = v.dims[1:]
	}
	v.inner = 1
	for _, d := range inner {
		if v.inner *= min(d.length, MaxCells+1); v.inner > MaxCells {
			return v.tooLarge()
		}
	}
	v.cells = v.inner
	return nil
}

func (v *ncVariable) tooLarge() error {
	return ncProblem(v.at, fmt.Sprintf("`%s` has more than %d elements", v.name, MaxCells),
		"exercises work on small data made on purpose; write a part of it")
}

// recordLayout works out the length of a record, their number, and the shapes of what has records.
func (f *NetCDF) recordLayout() error {
	var of []*ncVariable
	first := len(f.raw)
	for i := range f.variables {
		if v := &f.variables[i]; v.record {
			of = append(of, v)
			first = min(first, v.begin)
		}
	}
	for _, v := range of {
		bytes := v.inner * ncTypes[v.kind].size
		if len(of) > 1 || ncTypes[v.kind].size >= 4 {
			bytes += -bytes & 3
		}
		f.step += bytes
	}
	if f.records == unknownRecords {
		f.records = 0
		if f.step > 0 {
			f.records = (len(f.raw) - first) / f.step
		}
	}
	for _, v := range of {
		if v.cells = v.inner * f.records; v.cells > MaxCells {
			return v.tooLarge()
		}
	}
	for i := range f.variables {
		v := &f.variables[i]
		for _, d := range v.dims {
			if d.record {
				d.length = f.records
			}
			v.shape = append(v.shape, d.length)
		}
	}
	return nil
}

// Names lists the variables that hold numbers.
func (f *NetCDF) Names() []string {
	var out []string
	for i := range f.variables {
		if f.variables[i].kind != ncChar {
			out = append(out, f.variables[i].name)
		}
	}
	return out
}

// Only is the one variable of numbers that is no dimension's coordinates; "" where there is another number of them.
func (f *NetCDF) Only() string {
	only := ""
	for _, name := range f.Names() {
		if f.IsCoordinate(name) {
			continue
		}
		if only != "" {
			return ""
		}
		only = name
	}
	return only
}

// Unit is a variable's unit; "" where it has none.
func (f *NetCDF) Unit(name string) string {
	if v := f.find(name); v != nil {
		return v.text(attrUnits)
	}
	return ""
}

func (f *NetCDF) find(name string) *ncVariable {
	for i := range f.variables {
		if f.variables[i].name == name {
			return &f.variables[i]
		}
	}
	return nil
}

// Array decodes a variable: integers become int, floating-point numbers real, bytes with the flags "false true"
// bool, and reals with a last dimension of length 2 called complex become complex. Packed values are unpacked. A
// missing value is NaN where missing allows it, and an error else. Axes are labelled by the dimensions' names.
func (f *NetCDF) Array(name string, missing bool) (*array.Array, error) {
	v := f.find(name)
	if v == nil {
		return nil, &Problem{Message: fmt.Sprintf("the file has no variable `%s`", name), Hint: f.has()}
	}
	if v.kind == ncChar {
		return nil, ncProblem(v.at, fmt.Sprintf("`%s` holds text, and numbers were expected", name),
			"write its numbers as a numeric type")
	}
	a, err := v.decode(f, missing)
	if err != nil {
		return nil, err
	}
	return v.labelled(a)
}

// has says which arrays the file has.
func (f *NetCDF) has() string {
	names := f.Names()
	if len(names) == 0 {
		return "it holds no array of numbers"
	}
	return "it has " + strings.Join(names[:min(len(names), 8)], ", ")
}

// Text is an attribute of the file; "" where there is none of text.
func (f *NetCDF) Text(name string) string { return textOf(f.about, name) }

func attrOf(list []ncAttr, name string) *ncAttr {
	for i := range list {
		if list[i].name == name {
			return &list[i]
		}
	}
	return nil
}

func textOf(list []ncAttr, name string) string {
	if a := attrOf(list, name); a != nil && a.kind == ncChar && utf8.Valid(a.raw) {
		return strings.TrimRight(string(a.raw), "\x00")
	}
	return ""
}

func (v *ncVariable) attr(name string) *ncAttr { return attrOf(v.attrs, name) }

func (v *ncVariable) text(name string) string { return textOf(v.attrs, name) }

// numbers are an attribute's numbers as floating-point ones; nil where it is absent or text.
func (v *ncVariable) numbers(name string) []float64 {
	a := v.attr(name)
	if a == nil || a.kind == ncChar {
		return nil
	}
	size := ncTypes[a.kind].size
	out := make([]float64, 0, min(len(a.raw)/size, 64))
	for i := 0; i+size <= len(a.raw) && len(out) < 64; i += size {
		if a.kind == ncFloat || a.kind == ncDouble {
			out = append(out, realAt(a.kind, a.raw[i:]))
		} else {
			n, _ := wholeAt(a.kind, false, a.raw[i:])
			out = append(out, float64(n))
		}
	}
	return out
}

func realAt(kind ncType, b []byte) float64 {
	if kind == ncFloat {
		return float64(math.Float32frombits(binary.BigEndian.Uint32(b)))
	}
	return math.Float64frombits(binary.BigEndian.Uint64(b))
}

// wholeAt is an integer of an external type; false when it is too large for 64 bits with a sign.
func wholeAt(kind ncType, unsigned bool, b []byte) (int64, bool) {
	switch kind {
	case ncByte, ncUbyte:
		if kind == ncUbyte || unsigned {
			return int64(b[0]), true
		}
		return int64(int8(b[0])), true
	case ncShort, ncUshort:
		n := binary.BigEndian.Uint16(b)
		if kind == ncUshort || unsigned {
			return int64(n), true
		}
		return int64(int16(n)), true
	case ncInt, ncUint:
		n := binary.BigEndian.Uint32(b)
		if kind == ncUint || unsigned {
			return int64(n), true
		}
		return int64(int32(n)), true
	}
	n := binary.BigEndian.Uint64(b)
	return int64(n), n <= math.MaxInt64 || kind == ncInt64 && !unsigned
}

// isBool reports whether bytes stand for truth values.
func (v *ncVariable) isBool() bool {
	flags := v.numbers(attrFlags)
	return (v.kind == ncByte || v.kind == ncUbyte) && len(flags) == 2 && flags[0] == 0 && flags[1] == 1 &&
		v.text(attrMeanings) == boolMeanings
}

func (v *ncVariable) decode(f *NetCDF, missing bool) (*array.Array, error) {
	scale, offset := v.numbers(attrScale), v.numbers(attrOffset)
	packed := len(scale) == 1 || len(offset) == 1
	switch {
	case v.kind == ncFloat || v.kind == ncDouble || packed:
		reals, err := v.reals(f, missing)
		if err != nil {
			return nil, err
		}
		if packed {
			unpack(reals, scale, offset)
		}
		if n := len(v.dims); n > 0 && v.dims[n-1].name == complexAxis && v.shape[n-1] == 2 {
			return array.FromComplexes(paired(reals), v.shape[:n-1]...), nil
		}
		return array.FromReals(reals, v.shape...), nil
	case v.isBool():
		return v.bools(f)
	}
	return v.wholes(f, missing)
}

// unpack puts packed values right, in double precision.
func unpack(values, scale, offset []float64) {
	k, d := 1.0, 0.0
	if len(scale) == 1 {
		k = scale[0]
	}
	if len(offset) == 1 {
		d = offset[0]
	}
	for i := range values {
		values[i] = values[i]*k + d
	}
}

// paired takes real and imaginary parts that lie beside each other.
func paired(parts []float64) []complex128 {
	out := make([]complex128, len(parts)/2)
	for i := range out {
		out[i] = complex(parts[2*i], parts[2*i+1])
	}
	return out
}

// slabs calls f with the bytes of each record, or once with those of all.
func (v *ncVariable) slabs(f *NetCDF, each func(b []byte)) {
	if v.cells == 0 {
		return
	}
	bytes := v.inner * ncTypes[v.kind].size
	if !v.record {
		each(f.raw[v.begin : v.begin+bytes])
		return
	}
	for i := range f.records {
		from := v.begin + i*f.step
		each(f.raw[from : from+bytes])
	}
}

// fills are the values that stand for missing ones.
func (v *ncVariable) fills() []float64 {
	out := append(v.numbers(attrFill), v.numbers(attrMissing)...)
	if len(out) == 0 && (v.kind == ncFloat || v.kind == ncDouble) {
		out = []float64{ncFillFloat}
		if v.kind == ncFloat {
			out[0] = float64(float32(ncFillFloat))
		}
	}
	return slices.DeleteFunc(out, math.IsNaN)
}

func (v *ncVariable) missingAt(i int) error {
	return &Problem{Message: fmt.Sprintf("`%s` is missing a value at %v", v.name, positionOf(v.shape, i)),
		Hint: "fill it, or let the input say `missing: nan`"}
}

// positionOf is where a cell lies, from 0.
func positionOf(shape []int, flat int) []int {
	out := make([]int, len(shape))
	for i := len(shape) - 1; i >= 0; i-- {
		out[i] = flat % shape[i]
		flat /= shape[i]
	}
	return out
}

// reals decodes numbers as floating-point ones, before they are unpacked.
func (v *ncVariable) reals(f *NetCDF, missing bool) ([]float64, error) {
	out := make([]float64, v.cells)
	at := 0
	unsigned := v.text(attrUnsigned) == "true"
	tooWide := -1
	v.slabs(f, func(b []byte) {
		part := out[at : at+v.inner]
		switch v.kind {
		case ncDouble:
			for i := range part {
				part[i] = math.Float64frombits(binary.BigEndian.Uint64(b[8*i:]))
			}
		case ncFloat:
			for i := range part {
				part[i] = float64(math.Float32frombits(binary.BigEndian.Uint32(b[4*i:])))
			}
		default:
			size := ncTypes[v.kind].size
			for i := range part {
				n, ok := wholeAt(v.kind, unsigned, b[size*i:])
				if part[i] = float64(n); !ok && tooWide < 0 {
					tooWide = at + i
				}
			}
		}
		at += v.inner
	})
	if tooWide >= 0 {
		return nil, v.wide(tooWide)
	}
	fills := v.fills()
	for i, x := range out {
		if x == x && !slices.Contains(fills, x) {
			continue
		}
		if !missing {
			return nil, v.missingAt(i)
		}
		out[i] = math.NaN()
	}
	return out, nil
}

func (v *ncVariable) wide(i int) error {
	return &Problem{Message: fmt.Sprintf("`%s` has an integer at %v that does not fit 64 bits with a sign", v.name,
		positionOf(v.shape, i)), Hint: "write it as double"}
}

// wholes decodes integers; with missing values among them they become reals.
func (v *ncVariable) wholes(f *NetCDF, missing bool) (*array.Array, error) {
	out := make([]int64, 0, v.cells)
	size, unsigned := ncTypes[v.kind].size, v.text(attrUnsigned) == "true"
	var fills []int64
	for _, name := range []string{attrFill, attrMissing} {
		if a := v.attr(name); a != nil && a.kind == v.kind && len(a.raw) >= size {
			if n, ok := wholeAt(a.kind, unsigned, a.raw); ok {
				fills = append(fills, n)
			}
		}
	}
	bad, holes := -1, []int{}
	v.slabs(f, func(b []byte) {
		for i := 0; i+size <= len(b); i += size {
			n, ok := wholeAt(v.kind, unsigned, b[i:])
			if !ok && bad < 0 {
				bad = len(out)
			}
			if slices.Contains(fills, n) {
				holes = append(holes, len(out))
			}
			out = append(out, n)
		}
	})
	switch {
	case bad >= 0:
		return nil, v.wide(bad)
	case len(holes) == 0:
		return array.FromInts(out, v.shape...), nil
	case !missing:
		return nil, v.missingAt(holes[0])
	}
	reals := make([]float64, len(out))
	for i, n := range out {
		reals[i] = float64(n)
	}
	for _, i := range holes {
		reals[i] = math.NaN()
	}
	return array.FromReals(reals, v.shape...), nil
}

func (v *ncVariable) bools(f *NetCDF) (*array.Array, error) {
	out, bad := make([]bool, 0, v.cells), -1
	v.slabs(f, func(b []byte) {
		for _, x := range b {
			if x > 1 && bad < 0 {
				bad = len(out)
			}
			out = append(out, x == 1)
		}
	})
	if bad >= 0 {
		return nil, &Problem{Message: fmt.Sprintf("`%s` holds truth values, and at %v is neither 0 nor 1", v.name,
			positionOf(v.shape, bad)), Hint: "write 0 for false and 1 for true"}
	}
	return array.FromBools(out, v.shape...), nil
}

// labelled gives an array its axes: those that an attribute has, or the dimensions' names.
func (v *ncVariable) labelled(a *array.Array) (*array.Array, error) {
	if lengths := v.numbers(attrLengths); len(lengths) > 0 && a.Size() == 0 {
		shape := make([]int, len(lengths))
		for i, n := range lengths {
			if n < 0 || n > MaxCells || n != math.Trunc(n) {
				return nil, ncProblem(v.at, fmt.Sprintf("`%s` has the axis length %v", v.name, n), ncDamaged)
			}
			shape[i] = int(n)
		}
		if extent, ok := array.Extent(shape); !ok || extent > MaxCells {
			return nil, v.tooLarge()
		}
		if slices.Contains(shape, 0) && len(shape) <= 32 {
			a = a.Reshape(shape)
		}
	}
	labels := make([]string, a.Rank())
	if words := strings.FieldsFunc(v.text(attrLabels), func(r rune) bool { return r == ' ' || r == ',' }); len(words) ==
		len(labels) {
		for i, w := range words {
			if w != "_" && notation.IsName(w) {
				labels[i] = w
			}
		}
	} else if a.Rank() <= len(v.dims) {
		for i := range labels {
			labels[i] = axisLabel(v.dims[i].name)
		}
	}
	if slices.IndexFunc(labels, func(l string) bool { return l != "" }) < 0 {
		return a, nil
	}
	return a.WithLabels(labels), nil
}

// axisLabel is the label that a dimension's name gives its axis: none for axis_0 and the like, and for what the
// notation could not spell.
func axisLabel(name string) string {
	digits, numbered := strings.CutPrefix(name, "axis_")
	if numbered && digits != "" && strings.Trim(digits, "0123456789") == "" || !notation.IsName(name) {
		return ""
	}
	return name
}

// IsCoordinate reports whether a variable says the coordinates of a dimension: it is called as its one dimension is.
func (f *NetCDF) IsCoordinate(name string) bool {
	v := f.find(name)
	return v != nil && len(v.dims) == 1 && v.dims[0].name == name
}
