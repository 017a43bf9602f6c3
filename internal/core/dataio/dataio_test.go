package dataio_test

import (
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"testing"

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

func FuzzJSON(f *testing.F) {
	for _, text := range []string{"[[1,2],[3,4]]", `{"kind":"complex","shape":[1],"data":[[1,"nan"]]}`,
		`{"axes":[null],"data":[true]}`} {
		f.Add([]byte(text))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		a, err := dataio.ReadJSON(text)
		if err != nil {
			return
		}
		once, err := json.Marshal(dataio.JSON{Array: a})
		if err != nil {
			t.Fatal(err)
		}
		b, err := dataio.ReadJSON(once)
		if err != nil {
			t.Fatalf("%s does not read back: %v", once, err)
		}
		if twice, _ := json.Marshal(dataio.JSON{Array: b}); string(once) != string(twice) {
			t.Fatalf("%s and then %s", once, twice)
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
