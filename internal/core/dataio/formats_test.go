package dataio_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/dataio"
)

func TestLongTables(t *testing.T) {
	table, err := dataio.ReadTable([]byte("\ufeffrope,week,growth\r\nb,2,4\r\nb,1,3.5\r\na,2,8\r\na,1,7\r\n"))
	require.NoError(t, err)
	require.True(t, table.IsLong([]string{"week", "rope"}, ""))
	assert.False(t, table.IsLong([]string{"week", "depth"}, ""))
	assert.False(t, table.IsLong([]string{"week"}, ""), "two columns are left for the values")
	assert.True(t, table.IsLong([]string{"week"}, "growth"))
	a, err := table.Long([]string{"week", "rope"}, "", false)
	require.NoError(t, err)
	assert.Equal(t, []float64{4, 8, 3.5, 7}, a.Reals(), "coordinates in order of first appearance")
	assert.Equal(t, []string{"week", "rope"}, a.Labels())

	for text, message := range map[string]string{
		"week,rope,v\n1,a,1\n1,a,2\n": "is on line 2 already",
		"week,rope,v\n1,a,1\n2,b,2\n": "no line gives the place",
		"week,rope,v\n1,a,one\n":      "`one` is not a number",
		"week,rope,v\n1,a,\n":         "the cell is empty",
		"week,rope,v\n":               "",
	} {
		t.Run(text, func(t *testing.T) {
			table, err := dataio.ReadTable([]byte(text))
			require.NoError(t, err)
			a, err := table.Long([]string{"week", "rope"}, "", false)
			if message == "" {
				require.NoError(t, err)
				assert.Equal(t, []int{0, 0}, a.Shape())
				return
			}
			assert.ErrorContains(t, err, message, text)
		})
	}
	table, err = dataio.ReadTable([]byte("week,rope,v\n1,a,\n2,a,5\n"))
	require.NoError(t, err)
	a, err = table.Long([]string{"week", "rope"}, "v", true)
	require.NoError(t, err)
	assert.True(t, a.RealAt(0) != a.RealAt(0), "an empty value is NaN where missing says so")
}

func TestOneColumn(t *testing.T) {
	table, err := dataio.ReadTable([]byte("place,length,name\n1,2.5,a\n2,7,b\n"))
	require.NoError(t, err)
	a, err := table.Column("length", false)
	require.NoError(t, err)
	assert.Equal(t, []float64{2.5, 7}, a.Reals())
	_, err = table.Column("width", false)
	assert.ErrorContains(t, err, "its columns are place, length, name")
	_, err = table.Column("name", false)
	assert.ErrorContains(t, err, "`a` is not a number")
}

func TestMatrixMarket(t *testing.T) {
	for _, c := range []struct {
		name, text string
		kind       array.Kind
		want       []complex128
		shape      []int
	}{
		{"array real general", "%%MatrixMarket matrix array real general\n% by columns\n2 3\n1\n2\n3\n4\n5\n6.5\n",
			array.Real, []complex128{1, 3, 5, 2, 4, 6.5}, []int{2, 3}},
		{"array integer symmetric", "%%MatrixMarket matrix array integer symmetric\n2 2\n1\n2\n3\n", array.Int,
			[]complex128{1, 2, 2, 3}, []int{2, 2}},
		{"array real skew", "%%MatrixMarket matrix array real skew-symmetric\n3 3\n1\n2\n3\n", array.Real,
			[]complex128{0, -1, -2, 1, 0, -3, 2, 3, 0}, []int{3, 3}},
		{"array complex hermitian", "%%matrixmarket MATRIX array complex Hermitian\n2 2\n1 0\n2 3\n4 0\n", array.Complex,
			[]complex128{1, 2 - 3i, 2 + 3i, 4}, []int{2, 2}},
		{"coordinate real general", "%%MatrixMarket matrix coordinate real general\n\n2 2 2\n1 2 5\n2 1 -1e2\n", array.Real,
			[]complex128{0, 5, -100, 0}, []int{2, 2}},
		{"coordinate integer skew", "%%MatrixMarket matrix coordinate integer skew-symmetric\n2 2 1\n2 1 7\n", array.Int,
			[]complex128{0, -7, 7, 0}, []int{2, 2}},
		{"coordinate complex hermitian", "%%MatrixMarket matrix coordinate complex hermitian\n2 2 1\n2 1 1 1\n",
			array.Complex, []complex128{0, 1 - 1i, 1 + 1i, 0}, []int{2, 2}},
		{"coordinate pattern symmetric", "%%MatrixMarket matrix coordinate pattern symmetric\n2 2 2\n1 1\n2 1\n",
			array.Bool, []complex128{1, 1, 1, 0}, []int{2, 2}},
		{"empty", "%%MatrixMarket matrix coordinate real general\r\n0 3 0\r\n", array.Real, nil, []int{0, 3}},
	} {
		t.Run(c.name, func(t *testing.T) {
			a, err := dataio.ReadMatrixMarket([]byte(c.text))
			require.NoError(t, err, c.name)
			assert.Equal(t, c.kind, a.Kind(), c.name)
			assert.Equal(t, c.shape, a.Shape(), c.name)
			for i, want := range c.want {
				v := a.Widen(array.Int).ComplexAt(i)
				if c.kind > array.Int {
					v = a.ComplexAt(i)
				}
				assert.Equal(t, want, v, "%s %d", c.name, i)
			}
		})
	}
	for text, message := range map[string]string{
		"1 2 3": "not a Matrix Market file",
		"%%MatrixMarket matrix list real general\n1 1\n1\n":                    "neither array nor coordinate",
		"%%MatrixMarket matrix array pattern general\n1 1\n":                   "cannot be `pattern`",
		"%%MatrixMarket matrix array real hermitian\n1 1\n1\n":                 "only complex values",
		"%%MatrixMarket matrix array real lopsided\n1 1\n1\n":                  "`lopsided` is",
		"%%MatrixMarket matrix array real symmetric\n2 3\n1\n":                 "is square",
		"%%MatrixMarket matrix array real general\n2 2\n1\n2\n3\n":             "3 entries where 4",
		"%%MatrixMarket matrix array real general\n99999999 99999999\n":        "too large",
		"%%MatrixMarket matrix array real general\n0 9999999999999\n":          "too large",
		"%%MatrixMarket matrix array real general\n-1 2\n":                     "not a size",
		"%%MatrixMarket matrix array real general\n":                           "line of sizes",
		"%%MatrixMarket matrix coordinate real general\n2 2 1\n3 1 5\n":        "not a position from 1 to 2",
		"%%MatrixMarket matrix coordinate real general\n2 2 2\n1 1 5\n1 1 6\n": "occurs twice",
		"%%MatrixMarket matrix coordinate real symmetric\n2 2 1\n1 2 5\n":      "above the diagonal",
		"%%MatrixMarket matrix coordinate real skew-symmetric\n2 2 1\n1 1 5\n": "no diagonal entries",
		"%%MatrixMarket matrix coordinate integer general\n1 1 1\n1 1 2.5\n":   "not an integer",
		"%%MatrixMarket matrix coordinate complex general\n1 1 1\n1 1 2\n":     "1 values where 2",
		"%%MatrixMarket matrix coordinate complex hermitian\n1 1 1\n1 1 2 1\n": "imaginary part",
		"%%MatrixMarket matrix array real general\n1 1\n0x1p4\n":               "not a number",
	} {
		t.Run(text, func(t *testing.T) {
			_, err := dataio.ReadMatrixMarket([]byte(text))
			var p *dataio.Problem
			require.ErrorAs(t, err, &p, text)
			assert.Contains(t, p.Message, message)
			assert.NotEmpty(t, p.Hint)
		})
	}
	v, err := dataio.Vector(array.FromReals([]float64{1, 2, 3}, 3, 1))
	require.NoError(t, err)
	assert.Equal(t, []int{3}, v.Shape())
	_, err = dataio.Vector(array.FromReals(make([]float64, 4), 2, 2))
	assert.Error(t, err)
}

func FuzzMatrixMarket(f *testing.F) {
	f.Add("%%MatrixMarket matrix array real general\n2 3\n1\n2\n3\n4\n5\n6.5\n")
	f.Add("%%MatrixMarket matrix coordinate complex hermitian\n2 2 1\n2 1 1 1\n")
	f.Add("%%MatrixMarket matrix coordinate pattern symmetric\n3 3 2\n1 1\n2 1\n")
	f.Fuzz(func(t *testing.T, text string) {
		a, err := dataio.ReadMatrixMarket([]byte(text))
		if err == nil && a.Rank() != 2 {
			t.Fatalf("a matrix has two axes, and this has %d", a.Rank())
		}
	})
}

func FuzzLong(f *testing.F) {
	f.Add("week,rope,v\n1,a,1\n2,a,2\n", "week", "rope")
	f.Fuzz(func(t *testing.T, text, one, two string) {
		table, err := dataio.ReadTable([]byte(text))
		if err != nil || !table.IsLong([]string{one, two}, "") {
			return
		}
		a, err := table.Long([]string{one, two}, "", true)
		if err == nil && a.Size() != len(table.Rows) {
			t.Fatalf("%d rows gave %d elements", len(table.Rows), a.Size())
		}
	})
}
