package dataio_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"runtime"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/dataio"
)

func TestJSONRoundTrip(t *testing.T) {
	for _, a := range []*array.Array{
		array.FromReals([]float64{1, math.NaN(), math.Inf(-1), 1e300, -0.1, 6}, 2, 3).WithLabels([]string{"rope", ""}),
		array.FromInts([]int64{math.MaxInt64, math.MinInt64}, 2),
		array.FromBools([]bool{true, false}, 2, 1),
		array.FromComplexes([]complex128{complex(1, -2), complex(math.Inf(1), 0)}, 2),
		array.Scalar(2.5),
		array.New(array.Int, []int{0, 3}),
	} {
		text, err := json.Marshal(dataio.JSON{Array: a})
		require.NoError(t, err)
		back, err := dataio.ReadJSON(text)
		require.NoError(t, err, string(text))
		again, err := json.Marshal(dataio.JSON{Array: back})
		require.NoError(t, err)
		assert.Equal(t, string(text), string(again))
	}
	text, _ := json.Marshal(dataio.JSON{Array: array.FromReals([]float64{1, 2, 3, 4, 5, 6}, 2, 3).
		WithLabels([]string{"rope", ""})})
	assert.Equal(t, `{"kind":"real","shape":[2,3],"axes":["rope",null],"data":[1,2,3,4,5,6]}`, string(text))
}

func TestPlainForms(t *testing.T) {
	for text, want := range map[string]struct {
		kind  array.Kind
		shape []int
	}{
		"3":                  {array.Int, []int{}},
		"3.0":                {array.Real, []int{}},
		"true":               {array.Bool, []int{}},
		"[[1, 2], [3, 4.5]]": {array.Real, []int{2, 2}},
		"[true, 2]":          {array.Int, []int{2}},
		`[1, "nan"]`:         {array.Real, []int{2}},
		"[]":                 {array.Real, []int{0}},
		"[[], []]":           {array.Real, []int{2, 0}},
		`{"kind": "complex", "shape": [1], "data": [[1, 2]]}`: {array.Complex, []int{1}},
		`{"data": [1, 2]}`: {array.Real, []int{2}},
	} {
		t.Run(text, func(t *testing.T) {
			a, err := dataio.ReadJSON([]byte(text))
			require.NoError(t, err, text)
			assert.Equal(t, want.kind, a.Kind(), text)
			assert.Equal(t, want.shape, append([]int{}, a.Shape()...), text)
		})
	}
}

func TestBadJSON(t *testing.T) {
	for text, want := range map[string]string{
		"[[1, 2], [3]]":                     "not equally long",
		"[1, [2]]":                          "not equally long",
		`["one"]`:                           "is not a number",
		"[1, 2":                             "not JSON",
		"1 2":                               "follows",
		`{"kind": "reel", "data": []}`:      "unknown",
		`{"kind": "int", "data": [1.5]}`:    "is not of kind int",
		`{"shape": [3], "data": [1]}`:       "does not match",
		`{"shape": [-1], "data": []}`:       "not a whole number",
		`{"data": [1], "axis": []}`:         "no key `axis`",
		`{"data": [1], "axes": ["a", "b"]}`: "does not name",
		`{"shape": [99999999999, 99999999999], "data": []}`: "does not match",
		`{"shape": [0, 99999999999], "data": []}`:           "too large, though",
		strings.Repeat("[", 5000):                           "",
	} {
		t.Run(text, func(t *testing.T) {
			_, err := dataio.ReadJSON([]byte(text))
			require.Error(t, err, text)
			assert.Contains(t, err.Error(), want)
		})
	}
}

func TestTables(t *testing.T) {
	read := func(text string, rank int, missing bool) (*array.Array, error) {
		table, err := dataio.ReadTable([]byte(text))
		if err != nil {
			return nil, err
		}
		return table.Array(rank, missing)
	}
	a, err := read("\ufeffa,b\r\n1,2\r\n3,4\r\n", 2, false)
	require.NoError(t, err)
	assert.Equal(t, []int64{1, 2, 3, 4}, a.Ints())
	a, err = read("1\n2.5\n", 1, false)
	require.NoError(t, err)
	assert.Equal(t, []float64{1, 2.5}, a.Reals())
	a, err = read("1, ,3\n", 1, true)
	require.NoError(t, err)
	assert.True(t, math.IsNaN(a.Reals()[1]))
	for text, want := range map[string]string{
		"1,2\n3\n":    "line 2",
		"1,2\n3,x\n":  "line 2, cell 2: `x` is not a number",
		"1,\n":        "the cell is empty",
		"1;2\n3;4\n":  "separated by semicolons",
		"\xff\xfe1\n": "UTF-8",
	} {
		t.Run(text, func(t *testing.T) {
			_, err := read(text, 2, false)
			require.Error(t, err, text)
			assert.Contains(t, err.Error(), want)
		})
	}
	_, err = read("1,2\n3,4\n", 1, false)
	assert.ErrorContains(t, err, "2 rows and 2 columns")
}

// slowly reads an array as ReadJSON should: the whole value is decoded first.
func slowly(text []byte) (*array.Array, error) {
	d := json.NewDecoder(bytes.NewReader(bytes.TrimPrefix(text, []byte("\ufeff"))))
	d.UseNumber()
	var v any
	if err := d.Decode(&v); err != nil {
		return nil, err
	}
	if _, err := d.Token(); err != io.EOF {
		return nil, errors.New("text follows the JSON value")
	}
	return dataio.FromJSON(v)
}

// bits is an array to the last bit.
func bits(a *array.Array) string {
	text, _ := json.Marshal(dataio.JSON{Array: a})
	return string(text)
}

// A stream gives the arrays that a whole value decoded gives, and refuses what that refuses, in the same words.
func TestAStreamReadsAsAWholeValue(t *testing.T) {
	random := rand.New(rand.NewPCG(7, 11))
	words := []string{"[", "]", ",", "1", "-0", "-0.0", "2.5", "1e3", "true", `"nan"`, `"-inf"`, `"x"`, "null", "[1, 2]",
		"[]",
		" ", "9223372036854775807", "-9223372036854775808", "9223372036854775808", "1e999", "{", "}", `"data":`, `"kind":`,
		`"shape":`, `"axes":`, `"int"`, `"complex"`, `"bool"`, `"real"`, "0.1", "123456789012345678", "1234567890123456789",
		"01"}
	read := 0
	one := func(text string) {
		want, wrong := slowly([]byte(text))
		got, err := dataio.ReadJSON([]byte(text))
		require.Equal(t, wrong == nil, err == nil, "%s: %v, and %v", text, wrong, err)
		var problem *dataio.Problem
		if errors.As(wrong, &problem) && text[0] == '{' { // of several faults of nested lists, each may be told
			require.Equal(t, wrong.Error(), err.Error(), text)
		}
		if err == nil {
			read++
			require.Equal(t, bits(want), bits(got), text)
			slow := dataio.NewStream(iotest.OneByteReader(strings.NewReader(text)), math.MaxInt)
			got, err = slow.Array()
			require.NoError(t, err)
			require.Equal(t, bits(want), bits(got), text)
		}
	}
	var value func(depth int) string
	value = func(depth int) string {
		if depth == 0 || random.IntN(6) == 0 {
			return words[3+random.IntN(12)]
		}
		items := make([]string, 1+random.IntN(3))
		for i := range items {
			items[i] = value(depth - 1)
		}
		return "[" + strings.Join(items, ", ") + "]"
	}
	for range 20_000 {
		var b strings.Builder
		for range 1 + random.IntN(9) {
			b.WriteString(words[random.IntN(len(words))])
		}
		one(b.String())
		one(value(1 + random.IntN(3)))
		one(fmt.Sprintf(`{"data": %s, "kind": "%s"}`, value(1+random.IntN(2)), array.Kind(random.IntN(4))))
	}
	require.Greater(t, read, 5000)
	for _, n := range []int{1 << 14, 1<<14 + 1, 3 << 14} { // where pieces end, and kinds change there
		for _, last := range []string{"1", "-0", "true", "2.5", `"nan"`, "[1,2]"} {
			text := "[" + strings.Repeat("-0,", n-1) + last + "]"
			one(text)
			one(`{"kind":"complex","data":` + text + "}")
			one(`{"data":` + text + `,"kind":"int"}`)
			one("[" + strings.Repeat("true,", n) + last + "]")
		}
	}
}

// What a stream holds does not grow with what it refuses, and not with its text.
func TestAStreamTakesSoManyNumbers(t *testing.T) {
	read := func(text string, most int) error {
		s := dataio.NewStream(strings.NewReader(text), most)
		return s.Members(func(string) error { _, err := s.Array(); return err })
	}
	require.NoError(t, read(`{"x": [1, 2], "y": [3]}`, 3))
	require.ErrorContains(t, read(`{"x": [1, 2], "y": [3, 4]}`, 3), "more numbers than are taken")
	require.NoError(t, read(`{"x": {"kind": "complex", "data": [[1, 2], [3, 4]]}}`, 4))
	require.ErrorContains(t, read(`{"x": {"kind": "complex", "data": [[1, 2], [3, 4]]}}`, 3), "more numbers")
	require.ErrorContains(t, read(`{"x": [`+strings.Repeat("1,", 5000)+`1, oops]}`, 3), "not JSON",
		"what is no JSON goes first")
	for _, text := range []string{strings.Repeat("[", 5000), "[" + strings.Repeat("1", 1<<17) + "]",
		`["` + strings.Repeat("n", 1<<17) + `"]`, strings.Repeat(`{"data":`, 5000)} {
		_, err := dataio.ReadJSON([]byte(text))
		require.Error(t, err)
		assert.Less(t, len(err.Error()), 300)
	}
	for text, fits := range map[string]bool{`"` + strings.Repeat("n", 100) + `"`: true, `"` + strings.Repeat("n", 101) +
		`"`: false, `"` + strings.Repeat(`\n`, 50) + `"`: true, `"` + strings.Repeat(`\n`, 51) + `"`: false} {
		_, err := dataio.NewStream(strings.NewReader(text), 0).Text(100)
		assert.Equal(t, fits, err == nil, "%s: %v", text, err)
	}
	text := `{"x": [` + strings.Repeat("12345678,", 2_000_000) + `1]}`
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	require.NoError(t, read(text, 3_000_000))
	runtime.ReadMemStats(&after)
	assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(40<<20), "the elements once in pieces and once in a row")
}

func FuzzJSON(f *testing.F) {
	for _, text := range []string{"[[1,2],[3,4]]", `{"kind":"complex","shape":[1],"data":[[1,"nan"]]}`,
		`{"axes":[null],"data":[true]}`, `{"data":[-0,1.5],"kind":"int"}`, "[[-0,true],[1e5,0.1]]"} {
		f.Add([]byte(text))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		a, err := dataio.ReadJSON(text)
		if err != nil {
			return
		}
		want, wrong := slowly(text)
		if wrong != nil {
			t.Fatalf("%s is taken, and should not be: %v", text, wrong)
		}
		if bits(a) != bits(want) {
			t.Fatalf("%s is %s, and should be %s", text, bits(a), bits(want))
		}
		b, err := dataio.ReadJSON([]byte(bits(a)))
		if err != nil {
			t.Fatalf("%s does not read back: %v", bits(a), err)
		}
		if bits(b) != bits(a) {
			t.Fatalf("%s and then %s", bits(a), bits(b))
		}
	})
}

func FuzzTable(f *testing.F) {
	f.Add([]byte("a,b\n1,2\n"))
	f.Add([]byte("1,,nan\n"))
	f.Fuzz(func(t *testing.T, text []byte) {
		if table, err := dataio.ReadTable(text); err == nil {
			_, _ = table.Array(1, true)
			_, _ = table.Array(2, false)
		}
	})
}

func ExampleReadJSON() {
	a, _ := dataio.ReadJSON([]byte("[[1, 2, 3], [4, 5, 6]]"))
	fmt.Println(a.Kind(), a.Shape())
	// Output: int [2 3]
}
