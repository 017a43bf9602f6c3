package dataio

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

// JSON wraps an array for encoding/json, in the form of the notation's section on
// arrays in JSON.
type JSON struct{ *array.Array }

// MarshalJSON writes kind, shape, axes and flat data, rows first.
func (j JSON) MarshalJSON() ([]byte, error) {
	a := j.Array
	if a == nil {
		return []byte("null"), nil
	}
	var b bytes.Buffer
	if err := head(&b, a); err != nil {
		return nil, err
	}
	b.WriteString(`,"data":[`)
	for i := range a.Size() {
		if i > 0 {
			b.WriteByte(',')
		}
		writeElement(&b, a, i)
	}
	b.WriteString("]}")
	return b.Bytes(), nil
}

// head writes an array's object up to its data.
func head(b *bytes.Buffer, a *array.Array) error {
	axes, err := json.Marshal(notation.LabelsOrNull(a.Labels(), a.Rank()))
	if err != nil {
		return err
	}
	shape, err := json.Marshal(append([]int{}, a.Shape()...))
	if err != nil {
		return err
	}
	fmt.Fprintf(b, `{"kind":"%s","shape":%s,"axes":%s`, a.Kind(), shape, axes)
	return nil
}

// Elided is the array without its data, which are too many to write.
type Elided struct{ Array *array.Array }

// MarshalJSON writes kind, shape and axes, and that the data are left out.
func (e Elided) MarshalJSON() ([]byte, error) {
	var b bytes.Buffer
	if err := head(&b, e.Array); err != nil {
		return nil, err
	}
	b.WriteString(`,"data":null,"elided":true}`)
	return b.Bytes(), nil
}

func writeElement(b *bytes.Buffer, a *array.Array, i int) {
	switch a.Kind() {
	case array.Bool:
		b.WriteString(strconv.FormatBool(a.BoolAt(i)))
	case array.Int:
		b.WriteString(strconv.FormatInt(a.IntAt(i), 10))
	case array.Real:
		b.WriteString(jsonReal(a.RealAt(i)))
	default:
		z := a.ComplexAt(i)
		b.WriteString("[" + jsonReal(real(z)) + "," + jsonReal(imag(z)) + "]")
	}
}

func jsonReal(v float64) string {
	switch {
	case math.IsNaN(v):
		return `"nan"`
	case math.IsInf(v, 1):
		return `"inf"`
	case math.IsInf(v, -1):
		return `"-inf"`
	}
	return strconv.FormatFloat(v, 'g', -1, 64)
}

// UnmarshalJSON reads any of the forms ReadJSON takes.
func (j *JSON) UnmarshalJSON(text []byte) error {
	a, err := ReadJSON(text)
	if err != nil {
		return err
	}
	j.Array = a
	return nil
}

// ReadJSON reads an array: the form with kind, shape and data, a number, a truth
// value or a nested list.
func ReadJSON(text []byte) (*array.Array, error) {
	s := NewStream(bytes.NewReader(text), math.MaxInt)
	a, err := s.Array()
	if err != nil {
		return nil, err
	}
	return a, s.End()
}

// FromJSON reads an array from a decoded value whose numbers are json.Number.
func FromJSON(v any) (*array.Array, error) {
	object, ok := v.(map[string]any)
	if !ok {
		return nested(v)
	}
	for key := range object {
		if !slices.Contains(arrayKeys, key) {
			return nil, unknownKey(key)
		}
	}
	data, ok := object["data"].([]any)
	if !ok {
		return nil, noData()
	}
	kind, err := jsonKind(object)
	if err != nil {
		return nil, err
	}
	shape, err := jsonShape(object["shape"], len(data))
	if err != nil {
		return nil, err
	}
	flat, err := flatCells(data, kind)
	if err != nil {
		return nil, err
	}
	return labelled(flat.Reshape(shape), object)
}

// arrayKeys are the keys of an array's object.
var arrayKeys = []string{"kind", "shape", "axes", "data"}

func unknownKey(key string) error {
	hint := notation.Offer(notation.Nearest(key, arrayKeys))
	if hint == "" {
		hint = "an array has kind, shape, axes and data"
	}
	return &Problem{Message: fmt.Sprintf("an array has no key `%s`", key), Hint: hint}
}

func noData() error {
	return &Problem{Message: "the array's `data` is not a list",
		Hint: "data is flat, rows first: `\"data\": [1, 2, 3, 4]`"}
}

// jsonKind is the kind that an array's object says, real where it says none.
func jsonKind(object map[string]any) (array.Kind, error) {
	word, said := object["kind"]
	if !said {
		return array.Real, nil
	}
	name, _ := word.(string)
	kind, ok := array.ParseKind(name)
	if !ok {
		return kind, &Problem{Message: fmt.Sprintf("the kind %v is unknown", word),
			Hint: "kinds are bool, int, real and complex"}
	}
	return kind, nil
}

// labelled gives an array the labels that its object says.
func labelled(a *array.Array, object map[string]any) (*array.Array, error) {
	axes := object["axes"]
	if axes == nil {
		return a, nil
	}
	labels, err := jsonLabels(axes, a.Rank())
	if err != nil {
		return nil, err
	}
	return a.WithLabels(labels), nil
}

func jsonShape(v any, count int) ([]int, error) {
	if v == nil {
		return []int{count}, nil
	}
	list, ok := v.([]any)
	if !ok {
		return nil, &Problem{Message: "the array's `shape` is not a list", Hint: "a shape is a list of lengths, `[2, 3]`"}
	}
	if len(list) > mostAxes {
		return nil, &Problem{Message: fmt.Sprintf("the shape has more than %d axes", mostAxes), Hint: "write fewer lengths"}
	}
	shape := make([]int, len(list))
	for i, item := range list {
		n, ok := item.(json.Number)
		d, err := strconv.Atoi(n.String())
		if !ok || err != nil || d < 0 {
			return nil, &Problem{Message: fmt.Sprintf("the length %v in the shape is not a whole number", item),
				Hint: "lengths are whole numbers, 0 or more"}
		}
		shape[i] = d
	}
	if size, ok := array.Size(shape); !ok || size != count {
		return nil, &Problem{Message: fmt.Sprintf("the shape %s does not match the %d elements of `data`",
			notation.Shape{Lengths: shape, Mark: -1}, count), Hint: "the product of the lengths is the number of elements"}
	}
	if extent, ok := array.Extent(shape); !ok || extent > max(MaxCells, count) {
		return nil, &Problem{Message: fmt.Sprintf("the shape %s is too large, though it holds no element",
			notation.Shape{Lengths: shape, Mark: -1}), Hint: "give the lengths the data has"}
	}
	return shape, nil
}

func jsonLabels(v any, rank int) ([]string, error) {
	list, ok := v.([]any)
	if !ok || len(list) != rank {
		return nil, &Problem{Message: fmt.Sprintf("the array's `axes` does not name %d axes", rank),
			Hint: "give one label or null for each axis"}
	}
	labels := make([]string, rank)
	for i, item := range list {
		if item == nil {
			continue
		}
		word, ok := item.(string)
		if !ok {
			return nil, &Problem{Message: fmt.Sprintf("the label %v is not text", item), Hint: "labels are text, or null"}
		}
		if word != "" && !notation.IsName(word) {
			return nil, &Problem{Message: fmt.Sprintf("the label `%s` cannot be written in the notation", word),
				Hint: "labels are names: letters, digits and _, a letter first, and no reserved word; null leaves an axis without"}
		}
		labels[i] = word
	}
	return labels, nil
}

// element is one number read, with the narrowest kind that holds it.
type element struct {
	kind array.Kind
	b    bool
	i    int64
	z    complex128
}

func readElement(v any) (element, bool) {
	switch v := v.(type) {
	case bool:
		e := element{kind: array.Bool, b: v}
		if v {
			e.i, e.z = 1, 1
		}
		return e, true
	case json.Number:
		text := v.String()
		if !strings.ContainsAny(text, ".eE") {
			if i, err := strconv.ParseInt(text, 10, 64); err == nil {
				e := element{kind: array.Int, i: i, z: complex(float64(i), 0)}
				if text == "-0" {
					e.z = complex(math.Copysign(0, -1), 0) // a real keeps the sign of its zero
				}
				return e, true
			}
		}
		f, err := strconv.ParseFloat(text, 64)
		return element{kind: array.Real, z: complex(f, 0)}, err == nil
	case string:
		f, ok := map[string]float64{"nan": math.NaN(), "inf": math.Inf(1), "-inf": math.Inf(-1)}[v]
		return element{kind: array.Real, z: complex(f, 0)}, ok
	}
	return element{}, false
}

func flatCells(data []any, kind array.Kind) (*array.Array, error) {
	elements := make([]element, len(data))
	for i, v := range data {
		e, ok := readElement(v)
		if pair, isPair := v.([]any); isPair && len(pair) == 2 {
			re, okRe := readElement(pair[0])
			im, okIm := readElement(pair[1])
			e, ok = element{kind: array.Complex, z: complex(real(re.z), real(im.z))}, okRe && okIm
		}
		if !ok || e.kind > kind {
			return nil, &Problem{Line: 1, Column: i + 1, Message: fmt.Sprintf("element %d of `data`, %s, is not of kind %s", i+1,
				shortJSON(v), kind), Hint: "non-finite reals are \"nan\", \"inf\", \"-inf\"; complex numbers are [re, im]"}
		}
		elements[i] = e
	}
	return cellsOf(elements, kind), nil
}

func shortJSON(v any) string {
	text, err := json.Marshal(v)
	if err != nil || len(text) > 40 {
		return fmt.Sprintf("%.40s…", text)
	}
	return string(text)
}

func cellsOf(elements []element, kind array.Kind) *array.Array {
	out := array.New(kind, []int{len(elements)})
	for i, e := range elements {
		e.into(out, i)
	}
	return out
}

// into writes an element into an array of a kind that holds it.
func (e element) into(a *array.Array, i int) {
	switch a.Kind() {
	case array.Bool:
		a.Bools()[i] = e.b
	case array.Int:
		a.Ints()[i] = e.i
	case array.Real:
		a.Reals()[i] = real(e.z)
	default:
		a.Complexes()[i] = e.z
	}
}

// nested reads a number, a truth value or a nested list.
func nested(v any) (*array.Array, error) {
	var elements []element
	var shape []int
	kind := array.Bool
	var walk func(v any, depth int) error
	walk = func(v any, depth int) error {
		list, ok := v.([]any)
		if !ok {
			e, ok := readElement(v)
			if !ok {
				return notNumber(shortJSON(v))
			}
			if depth != len(shape) {
				return ragged(depth)
			}
			kind = array.Wider(kind, e.kind)
			elements = append(elements, e)
			return nil
		}
		if depth >= mostAxes {
			return tooDeep()
		}
		if depth == len(shape) {
			if len(elements) > 0 {
				return ragged(depth)
			}
			shape = append(shape, len(list))
		} else if shape[depth] != len(list) {
			return ragged(depth)
		}
		for _, item := range list {
			if err := walk(item, depth+1); err != nil {
				return err
			}
		}
		return nil
	}
	if err := walk(v, 0); err != nil {
		return nil, err
	}
	if len(elements) == 0 {
		kind = array.Real
	}
	return cellsOf(elements, kind).Reshape(shape), nil
}

func ragged(depth int) error {
	return &Problem{Message: fmt.Sprintf("the lists on level %d are not equally long", depth+1),
		Hint: "rows of an array have one length"}
}

// ElementJSON writes one element as written in an array's data.
func ElementJSON(a *array.Array, i int) json.RawMessage {
	var b bytes.Buffer
	writeElement(&b, a, i)
	return b.Bytes()
}
