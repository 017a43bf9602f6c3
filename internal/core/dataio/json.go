package dataio

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
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
	text = bytes.TrimPrefix(text, []byte("\ufeff"))
	d := json.NewDecoder(bytes.NewReader(text))
	d.UseNumber()
	var v any
	if err := d.Decode(&v); err != nil {
		return nil, &Problem{Message: "this is not JSON: " + err.Error(),
			Hint: "an array is a nested list, `[[1, 2], [3, 4]]`, or an object with kind, shape and data"}
	}
	if _, err := d.Token(); err != io.EOF {
		return nil, &Problem{Message: "text follows the JSON value", Hint: "one file holds one array"}
	}
	if _, is := v.(map[string]any); is {
		if _, err := Members(text); err != nil {
			return nil, err
		}
	}
	return FromJSON(v)
}

// Members reads the members of a JSON object. A name that occurs twice is an error, where
// one of its values would be lost.
func Members(text []byte) (map[string]json.RawMessage, error) {
	broken := func(err error) error {
		return &Problem{Message: "this is not a JSON object: " + err.Error(),
			Hint: "an object is written `{\"growth\": [[1, 2], [3, 4]]}`"}
	}
	d := json.NewDecoder(bytes.NewReader(bytes.TrimPrefix(text, []byte("\ufeff"))))
	if open, err := d.Token(); err != nil {
		return nil, broken(err)
	} else if open != json.Delim('{') {
		return nil, broken(fmt.Errorf("it begins with %v", open))
	}
	out := map[string]json.RawMessage{}
	for d.More() {
		key, err := d.Token()
		if err != nil {
			return nil, broken(err)
		}
		var value json.RawMessage
		if err := d.Decode(&value); err != nil {
			return nil, broken(err)
		}
		name := key.(string)
		if _, twice := out[name]; twice {
			return nil, &Problem{Message: fmt.Sprintf("the key `%s` occurs twice", name), Hint: "keep one of them"}
		}
		out[name] = value
	}
	if _, err := d.Token(); err != nil {
		return nil, broken(err)
	}
	if _, err := d.Token(); err != io.EOF {
		return nil, &Problem{Message: "text follows the JSON object", Hint: "one file holds one object"}
	}
	return out, nil
}

// FromJSON reads an array from a decoded value whose numbers are json.Number.
func FromJSON(v any) (*array.Array, error) {
	object, ok := v.(map[string]any)
	if !ok {
		return nested(v)
	}
	for key := range object {
		if !slices.Contains([]string{"kind", "shape", "axes", "data"}, key) {
			hint := notation.Offer(notation.Nearest(key, []string{"kind", "shape", "axes", "data"}))
			if hint == "" {
				hint = "an array has kind, shape, axes and data"
			}
			return nil, &Problem{Message: fmt.Sprintf("an array has no key `%s`", key), Hint: hint}
		}
	}
	return fromObject(object)
}

func fromObject(object map[string]any) (*array.Array, error) {
	data, ok := object["data"].([]any)
	if !ok {
		return nil, &Problem{Message: "the array's `data` is not a list",
			Hint: "data is flat, rows first: `\"data\": [1, 2, 3, 4]`"}
	}
	kind := array.Real
	word, hasKind := object["kind"]
	if hasKind {
		name, _ := word.(string)
		if kind, ok = array.ParseKind(name); !ok {
			return nil, &Problem{Message: fmt.Sprintf("the kind %v is unknown", word),
				Hint: "kinds are bool, int, real and complex"}
		}
	}
	shape, err := jsonShape(object["shape"], len(data))
	if err != nil {
		return nil, err
	}
	flat, err := flatCells(data, kind)
	if err != nil {
		return nil, err
	}
	out := flat.Reshape(shape)
	if axes, has := object["axes"]; has && axes != nil {
		labels, err := jsonLabels(axes, len(shape))
		if err != nil {
			return nil, err
		}
		out = out.WithLabels(labels)
	}
	return out, nil
}

func jsonShape(v any, count int) ([]int, error) {
	if v == nil {
		return []int{count}, nil
	}
	list, ok := v.([]any)
	if !ok {
		return nil, &Problem{Message: "the array's `shape` is not a list", Hint: "a shape is a list of lengths, `[2, 3]`"}
	}
	if len(list) > 32 {
		return nil, &Problem{Message: fmt.Sprintf("the shape has %d axes", len(list)), Hint: "an array has at most 32"}
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
		if pair, isPair := v.([]any); isPair && kind == array.Complex && len(pair) == 2 {
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
		switch kind {
		case array.Bool:
			out.Bools()[i] = e.b
		case array.Int:
			out.Ints()[i] = e.i
		case array.Real:
			out.Reals()[i] = real(e.z)
		default:
			out.Complexes()[i] = e.z
		}
	}
	return out
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
				return &Problem{Message: fmt.Sprintf("%s is not a number", shortJSON(v)),
					Hint: "elements are numbers, true, false, \"nan\", \"inf\" or \"-inf\""}
			}
			if depth != len(shape) {
				return ragged(depth)
			}
			kind = array.Wider(kind, e.kind)
			elements = append(elements, e)
			return nil
		}
		if depth >= 32 {
			return &Problem{Message: "the list nests deeper than 32", Hint: "an array has at most 32 axes"}
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
