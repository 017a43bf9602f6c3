package smallest_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/smallest"
)

// matrix is an input of weeks and ropes, with data that are shown.
func matrix(rows, columns int) (smallest.Input, smallest.Data) {
	r := rand.New(rand.NewPCG(5, 5))
	cells := make([]float64, rows*columns)
	for i := range cells {
		cells[i] = math.Round(r.Float64()*1000) / 10
	}
	x := array.FromReals(cells, rows, columns).WithLabels([]string{"week", "rope"})
	return smallest.Input{Name: "x", Kind: array.Real, Axes: []string{"week", "rope"}}, smallest.Data{"x": x}
}

func find(t *testing.T, happens func(x *array.Array) bool) *array.Array {
	t.Helper()
	in, seen := matrix(6, 9)
	s := smallest.Search{Inputs: []smallest.Input{in}, Seen: []smallest.Data{seen}, Trials: 400,
		Happens: func(d smallest.Data) bool { return happens(d["x"]) }}
	d := s.Find()
	if d == nil {
		return nil
	}
	return d["x"]
}

func TestWhatIsFoundIsSmall(t *testing.T) {
	for _, c := range []struct {
		name    string
		happens func(x *array.Array) bool
		shape   []int
		cells   []float64
	}{
		{"always", func(*array.Array) bool { return true }, []int{1, 1}, []float64{0}},
		{"two ropes", func(x *array.Array) bool { return x.Len(1) >= 2 }, []int{1, 2}, []float64{0, 0}},
		{"more weeks than ropes", func(x *array.Array) bool { return x.Len(0) > x.Len(1) }, nil, nil},
		{"a positive number", func(x *array.Array) bool { return x.Size() > 0 && x.RealAt(0) > 0.5 }, []int{1, 1},
			[]float64{1}},
		{"a descent", func(x *array.Array) bool {
			return x.Len(0) > 0 && x.Len(1) > 1 && x.RealAt(0) > x.RealAt(1)
		}, []int{1, 2}, []float64{1, 0}},
		{"a tie that is no zero", func(x *array.Array) bool {
			return x.Len(0) > 0 && x.Len(1) > 1 && x.RealAt(0) == x.RealAt(1) && x.RealAt(0) != 0
		}, []int{1, 2}, []float64{1, 1}},
	} {
		t.Run(c.name, func(t *testing.T) {
			x := find(t, c.happens)
			require.NotNil(t, x)
			assert.True(t, c.happens(x), "it happens on what is found")
			if c.shape != nil {
				assert.Equal(t, c.shape, x.Shape())
				assert.Equal(t, c.cells, x.Reals())
			}
			assert.Equal(t, []string{"week", "rope"}, x.Labels())
		})
	}
}

func TestWhatNeverHappensIsNotFound(t *testing.T) {
	asked := 0
	assert.Nil(t, find(t, func(*array.Array) bool { asked++; return false }))
	assert.LessOrEqual(t, asked, 400)
}

func TestASearchRepeats(t *testing.T) {
	hard := func(x *array.Array) bool { return x.Size() > 3 && x.RealAt(2) < x.RealAt(1) }
	assert.True(t, array.Equal(find(t, hard), find(t, hard)))
}

// TestAxesOfOneLabelKeepOneLength holds inputs that share a label together.
func TestAxesOfOneLabelKeepOneLength(t *testing.T) {
	in, seen := matrix(4, 3)
	seen["w"] = array.FromReals([]float64{1, 2, 3}, 3).WithLabels([]string{"rope"})
	s := smallest.Search{Inputs: []smallest.Input{in, {Name: "w", Kind: array.Real, Axes: []string{"rope"}}},
		Seen: []smallest.Data{seen}, Trials: 300, Happens: func(d smallest.Data) bool {
			require.Equal(t, d["x"].Len(1), d["w"].Len(0))
			return d["x"].Len(1) >= 2
		}}
	d := s.Find()
	require.NotNil(t, d)
	assert.Equal(t, []int{2}, d["w"].Shape())
}

// TestDataKeepTheirSort makes data of every kind without a pattern, and with missing values
// only where they may be missing.
func TestDataKeepTheirSort(t *testing.T) {
	missing := false
	s := smallest.Search{Trials: 200, Inputs: []smallest.Input{
		{Name: "b", Kind: array.Bool, Axes: []string{"rope"}}, {Name: "i", Kind: array.Int, Axes: []string{"rope"}},
		{Name: "r", Kind: array.Real, Axes: []string{"rope"}, Missing: true},
		{Name: "z", Kind: array.Complex, Axes: []string{""}}, {Name: "s", Kind: array.Real},
	}, Happens: func(d smallest.Data) bool {
		assert.Equal(t, array.Bool, d["b"].Kind())
		assert.Equal(t, array.Int, d["i"].Kind())
		assert.Equal(t, array.Complex, d["z"].Kind())
		assert.Equal(t, 0, d["s"].Rank())
		for i := range d["r"].Size() {
			missing = missing || math.IsNaN(d["r"].RealAt(i))
		}
		assert.False(t, math.IsNaN(d["s"].RealAt(0)))
		return false
	}}
	assert.Nil(t, s.Find())
	assert.True(t, missing, "missing values are tried")
}
