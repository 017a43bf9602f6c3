package dataio_test

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/dataio"
)

func written(t testing.TB, list ...dataio.Variable) []byte {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, dataio.WriteNetCDF(&b, list, dataio.Text{Name: "title", Value: "Ropes"}))
	return b.Bytes()
}

func opened(t testing.TB, raw []byte) *dataio.NetCDF {
	t.Helper()
	f, err := dataio.ReadNetCDF(raw)
	require.NoError(t, err)
	return f
}

// generated is what the format's own program makes of a text in its own language. It writes 64-bit integers into CDF-5
// with their lower half alone, so that these files are copied from another format.
func generated(t *testing.T, kind, text string) []byte {
	t.Helper()
	dir := t.TempDir()
	in, out := filepath.Join(dir, "in.cdl"), filepath.Join(dir, "out.nc")
	require.NoError(t, os.WriteFile(in, []byte(text), 0o600))
	commands := [][]string{{"ncgen", "-k", kind, "-o", out, in}}
	if kind == "cdf5" {
		commands = [][]string{{"ncgen", "-k", "nc4", "-o", out + "4", in}, {"nccopy", "-k", kind, out + "4", out}}
	}
	for _, c := range commands {
		said, err := exec.Command(c[0], c[1:]...).CombinedOutput()
		require.NoError(t, err, "%s\n%s", said, text)
	}
	raw, err := os.ReadFile(out)
	require.NoError(t, err)
	return raw
}

// dumped is a file as the format's own program prints it.
func dumped(t *testing.T, raw []byte) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "a.nc")
	require.NoError(t, os.WriteFile(file, raw, 0o600))
	out, err := exec.Command("ncdump", "-p", "9,17", file).CombinedOutput()
	require.NoError(t, err, "%s", out)
	return string(out)
}

// kinds are the formats as the format's own program calls them.
var kinds = map[string]byte{"classic": dataio.CDF1, "64-bit offset": dataio.CDF2, "cdf5": dataio.CDF5}

func TestFilesOfTheFormatsOwnProgramAreRead(t *testing.T) {
	for kind, version := range kinds {
		t.Run(kind, func(t *testing.T) {
			f := opened(t, generated(t, kind, `netcdf a {
dimensions: week = 2 ; rope = 3 ; axis_0 = 4 ; complex = 2 ; time = unlimited ;
variables:
  double growth(week, rope) ; growth:units = "cm" ;
  float light(rope) ;
  int count(axis_0) ;
  short packed(rope) ; packed:scale_factor = 0.5 ; packed:add_offset = 10. ; packed:_FillValue = -1s ;
  byte ripe(rope) ; ripe:flag_values = 0b, 1b ; ripe:flag_meanings = "false true" ;
  byte small(week) ;
  double wave(rope, complex) ;
  double total ;
  double depth(time, rope) ; short tide(time) ; byte flag(time) ;
  char name(rope) ;
  double rope(rope) ;
data:
  growth = 1, 2, 3, 4, NaN, 6.5 ; light = 0.1, 2, _ ; count = 1, 2, 3, -2147483648 ;
  packed = 2, _, 4 ; ripe = 1, 0, 1 ; small = -1, 127 ; wave = 1, 2, 3, 4, 5, 6 ; total = 42 ;
  depth = 1, 2, 3, 4, 5, 6 ; tide = 7, 8 ; flag = 1, 2 ; name = "abc" ; rope = 10, 20, 30 ;
}`))
			assert.Equal(t, version, f.Version)
			assert.Equal(t, []string{"growth", "light", "count", "packed", "ripe", "small", "wave", "total", "depth", "tide",
				"flag", "rope"}, f.Names(), "text is no array")
			assert.Equal(t, "cm", f.Unit("growth"))
			assert.True(t, f.IsCoordinate("rope"))
			for name, want := range map[string]*array.Array{
				"growth": array.FromReals([]float64{1, 2, 3, 4, math.NaN(), 6.5}, 2, 3).WithLabels([]string{"week", "rope"}),
				"light":  array.FromReals([]float64{float64(float32(0.1)), 2, math.NaN()}, 3).WithLabels([]string{"rope"}),
				"count":  array.FromInts([]int64{1, 2, 3, math.MinInt32}, 4),
				"packed": array.FromReals([]float64{11, math.NaN(), 12}, 3).WithLabels([]string{"rope"}),
				"ripe":   array.FromBools([]bool{true, false, true}, 3).WithLabels([]string{"rope"}),
				"small":  array.FromInts([]int64{-1, 127}, 2).WithLabels([]string{"week"}),
				"wave":   array.FromComplexes([]complex128{1 + 2i, 3 + 4i, 5 + 6i}, 3).WithLabels([]string{"rope"}),
				"total":  array.FromReals([]float64{42}),
				"depth":  array.FromReals([]float64{1, 2, 3, 4, 5, 6}, 2, 3).WithLabels([]string{"time", "rope"}),
				"tide":   array.FromInts([]int64{7, 8}, 2).WithLabels([]string{"time"}),
				"flag":   array.FromInts([]int64{1, 2}, 2).WithLabels([]string{"time"}),
			} {
				got, err := f.Array(name, true)
				require.NoError(t, err, name)
				assertSame(t, want, got, name)
			}
			for name, message := range map[string]string{"growth": "`growth` is missing a value at [1 1]",
				"light": "`light` is missing a value at [2]", "packed": "`packed` is missing a value at [1]"} {
				_, err := f.Array(name, false)
				assert.ErrorContains(t, err, message)
			}
			_, err := f.Array("name", true)
			assert.ErrorContains(t, err, "holds text")
			_, err = f.Array("grow", true)
			assert.ErrorContains(t, err, "it has growth, light")
		})
	}
}

func TestWiderIntegersAndOneVariableOnRecords(t *testing.T) {
	f := opened(t, generated(t, "cdf5", `netcdf a { dimensions: n = 3 ; variables: int64 big(n) ; uint64 huge(n) ;
ubyte u(n) ; ushort v(n) ; uint w(n) ; byte s(n) ; s:_Unsigned = "true" ;
data: big = -9223372036854775807, 0, 9223372036854775807 ; huge = 1, 2, 18446744073709551615 ;
u = 0, 200, 255 ; v = 0, 1, 65535 ; w = 0, 1, 4294967295 ; s = 1, -1, -128 ; }`))
	for name, want := range map[string][]int64{"big": {-math.MaxInt64, 0, math.MaxInt64}, "u": {0, 200, 255},
		"v": {0, 1, 65535}, "w": {0, 1, math.MaxUint32}, "s": {1, 255, 128}} {
		a, err := f.Array(name, false)
		require.NoError(t, err)
		assert.Equal(t, want, a.Ints(), name)
	}
	_, err := f.Array("huge", false)
	assert.ErrorContains(t, err, "does not fit 64 bits with a sign")
	for kind := range kinds {
		f := opened(t, generated(t, kind, `netcdf a { dimensions: time = unlimited ; k = 3 ; variables: short s(time, k) ;
data: s = 1, 2, 3, 4, 5, 6, 7, 8, 9 ; }`))
		a, err := f.Array("s", false)
		require.NoError(t, err)
		assert.Equal(t, []int{3, 3}, a.Shape())
		assert.Equal(t, []int64{1, 2, 3, 4, 5, 6, 7, 8, 9}, a.Ints(), "a variable alone on its records is not padded: %s",
			kind)
	}
}

// assertSame holds that two arrays are the same to the bit, with their labels.
func assertSame(t testing.TB, want, got *array.Array, name string) {
	t.Helper()
	require.Equal(t, want.Kind(), got.Kind(), name)
	require.Equal(t, append([]int{}, want.Shape()...), append([]int{}, got.Shape()...), name)
	for i := range want.Rank() {
		require.Equal(t, want.Label(i), got.Label(i), "%s: axis %d", name, i)
	}
	for i := range want.Size() {
		a, b := want.ComplexAt(i), got.ComplexAt(i)
		for _, part := range [][2]float64{{real(a), real(b)}, {imag(a), imag(b)}} {
			if !math.IsNaN(part[0]) || !math.IsNaN(part[1]) {
				require.Equal(t, math.Float64bits(part[0]), math.Float64bits(part[1]), "%s: element %d", name, i)
			}
		}
		if want.Kind() == array.Int {
			require.Equal(t, want.IntAt(i), got.IntAt(i))
		}
	}
}

// madeUp is an array of any kind, with up to four axes that may have no length, labels that repeat and awkward ones.
func madeUp(r *rand.Rand) *array.Array {
	labels := []string{"", "week", "rope", "depth", "complex", "axis_1", "week_1", "empty"}
	shape, names := make([]int, r.IntN(5)), []string{}
	for i := range shape {
		shape[i] = r.IntN(5)
		names = append(names, labels[r.IntN(len(labels))])
	}
	n, _ := array.Size(shape)
	var a *array.Array
	switch r.IntN(5) {
	case 0:
		data := make([]bool, n)
		for i := range data {
			data[i] = r.IntN(2) == 0
		}
		a = array.FromBools(data, shape...)
	case 1, 2:
		data := make([]int64, n)
		wide := r.IntN(2) == 0
		for i := range data {
			if data[i] = int64(int32(r.Uint32())); wide {
				data[i] = int64(r.Uint64())
			}
		}
		a = array.FromInts(data, shape...)
	case 3:
		data := make([]complex128, n)
		for i := range data {
			data[i] = complex(r.NormFloat64(), math.Float64frombits(r.Uint64()))
		}
		a = array.FromComplexes(data, shape...)
	default:
		data := make([]float64, n)
		for i := range data {
			data[i] = []float64{r.NormFloat64(), math.Float64frombits(r.Uint64()), math.NaN(), math.Inf(1), 0,
				math.Copysign(0, -1), 9.9692099683868690e+36}[r.IntN(7)]
		}
		a = array.FromReals(data, shape...)
	}
	if r.IntN(4) > 0 {
		a = a.WithLabels(names)
	}
	return a
}

func TestWhatIsWrittenIsReadBack(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for round := range 3000 {
		var list []dataio.Variable
		for i := range 1 + r.IntN(5) {
			list = append(list, dataio.Variable{Name: fmt.Sprintf("own-%d.a%d", round%3, i), Array: madeUp(r), Unit: "cm"})
		}
		raw := written(t, list...)
		f := opened(t, raw)
		assert.Equal(t, "Ropes", f.Text("title"))
		require.Len(t, f.Names(), len(list))
		for _, v := range list {
			got, err := f.Array(v.Name, true)
			require.NoError(t, err)
			assertSame(t, v.Array, got, fmt.Sprintf("round %d, %s, labels %q", round, v.Name, v.Array.Labels()))
			assert.Equal(t, "cm", f.Unit(v.Name))
		}
	}
}

func TestFilesAreReadByTheFormatsOwnProgram(t *testing.T) {
	raw := written(t,
		dataio.Variable{Name: "growth", Unit: "cm", About: "growth since the last visit", Array: array.FromReals(
			[]float64{0.1, 2, math.NaN(), 4, 5, 1e300}, 2, 3).WithLabels([]string{"week", "rope"})},
		dataio.Variable{Name: "cov", Array: array.FromReals([]float64{1, 2, 3, 4, 5, 6, 7, 8, 9}, 3, 3).WithLabels(
			[]string{"rope", "rope"})},
		dataio.Variable{Name: "ripe", Array: array.FromBools([]bool{true, false, true}, 3)},
		dataio.Variable{Name: "counts", Array: array.FromInts([]int64{-5, 7}, 2).WithLabels([]string{"week"})},
		dataio.Variable{Name: "total", Array: array.FromInts([]int64{3})},
		dataio.Variable{Name: "wave", Array: array.FromComplexes([]complex128{1 + 2i, 3 - 4i}, 2)},
		dataio.Variable{Name: "none", Array: array.New(array.Real, []int{0, 3}).WithLabels([]string{"buoy", "rope"})})
	require.Equal(t, dataio.CDF1, raw[3])
	text := dumped(t, raw)
	for _, want := range []string{"week = 2 ;", "rope = 3 ;", "rope_1 = 3 ;", "axis_0 = 3 ;", "complex = 2 ;",
		"buoy = UNLIMITED ; // (0 currently)", "double growth(week, rope) ;", `growth:units = "cm" ;`,
		"growth:_FillValue = NaN ;", "double cov(rope, rope_1) ;", `cov:axis_labels = "rope rope" ;`, "byte ripe(axis_0) ;",
		"ripe:flag_values = 0b, 1b ;", `ripe:flag_meanings = "false true" ;`, "int counts(week) ;", "int total ;",
		"double wave(axis_0_1, complex) ;", "double none(buoy, rope) ;", "0.10000000000000001, 2, _,",
		"4, 5, 1.0000000000000001e+300 ;", "ripe = 1, 0, 1 ;", "counts = -5, 7 ;", "total = 3 ;", "  1, 2,\n  3, -4 ;",
		`:title = "Ropes" ;`} {
		assert.Contains(t, text, want)
	}
	wide := written(t, dataio.Variable{Name: "n", Array: array.FromInts([]int64{1 << 40, -1}, 2)},
		dataio.Variable{Name: "x", Array: array.FromInts([]int64{1}, 1)})
	require.Equal(t, dataio.CDF5, wide[3])
	text = dumped(t, wide)
	for _, want := range []string{"int64 n(axis_0) ;", "n = 1099511627776, -1 ;", "int x(axis_0_1) ;"} {
		assert.Contains(t, text, want)
	}
}

// TestBothProgramsAgree sends made-up arrays through the format's own program, there and back.
func TestBothProgramsAgree(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	names := map[byte]string{dataio.CDF1: "classic", dataio.CDF2: "64-bit offset", dataio.CDF5: "cdf5"}
	for range 40 {
		var list []dataio.Variable
		for i := range 1 + r.IntN(4) {
			list = append(list, dataio.Variable{Name: fmt.Sprintf("a%d", i), Array: madeUp(r)})
		}
		raw := written(t, list...)
		f := opened(t, generated(t, names[raw[3]], dumped(t, raw)))
		for _, v := range list {
			got, err := f.Array(v.Name, true)
			require.NoError(t, err)
			assert.True(t, array.SameShape(v.Array, got))
			for i := range got.Size() { // to the value: in the language of the other program -0 is 0
				a, b := v.Array.ComplexAt(i), got.ComplexAt(i)
				require.True(t, a == b || array.HasNaN(a) && array.HasNaN(b), "%s: element %d is %v, not %v", v.Name, i, b, a)
			}
		}
	}
}

func TestDamagedFilesSayWhere(t *testing.T) {
	good := written(t, dataio.Variable{Name: "x", Array: array.FromReals([]float64{1, 2, 3}, 3).WithLabels([]string{
		"rope"})},
		dataio.Variable{Name: "y", Array: array.FromReals([]float64{4, 5}, 2)})
	f := opened(t, good)
	require.Equal(t, []string{"x", "y"}, f.Names())
	for n := range good {
		_, err := dataio.ReadNetCDF(good[:n])
		require.Error(t, err, "cut after %d bytes", n)
		require.ErrorContains(t, err, "byte ")
	}
	for name, c := range map[string]struct {
		raw     []byte
		message string
	}{
		"nothing":   {nil, "byte 0: this is not a classic netCDF file"},
		"netCDF-4":  {[]byte("\x89HDF\r\n\x1a\n and more"), "write it in a classic one"},
		"CDF-3":     {[]byte("CDF\x03\x00\x00\x00\x00"), "begins with CDF and 1, 2 or 5"},
		"no header": {[]byte("CDF\x01"), "the number of records needs 4 bytes, and the file ends after 0 more"},
		"tag": {append([]byte("CDF\x01\x00\x00\x00\x00"), 0, 0, 0, 9, 0, 0, 0, 1),
			"begins with 0x9, and 0xa was expected"},
		"many dims": {append([]byte("CDF\x05"), bytes.Join([][]byte{u64(0), u32(10), u64(1 << 62)}, nil)...),
			"the length of a dimension's name needs 8 bytes"},
		"huge name": {append([]byte("CDF\x05"), bytes.Join([][]byte{u64(0), u32(10), u64(1), u64(1 << 60)}, nil)...),
			"a dimension's name needs 1152921504606846976 bytes"},
		"records": {append([]byte("CDF\x01"), u32(1000000)...), "1000000 records are declared in a file of 8 bytes"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := dataio.ReadNetCDF(c.raw)
			assert.ErrorContains(t, err, c.message)
		})
	}
	at := bytes.Index(good, []byte{0, 0, 0, byte(len(good) - 16)}) // where y begins
	require.Positive(t, at)
	over := bytes.Clone(good)
	binary.BigEndian.PutUint32(over[at:], uint32(len(good)-32))
	_, err := dataio.ReadNetCDF(over)
	assert.ErrorContains(t, err, "the data of `y` lie over those of `x`")
	binary.BigEndian.PutUint32(over[at:], 8)
	_, err = dataio.ReadNetCDF(over)
	assert.ErrorContains(t, err, "inside the header")
	large := bytes.Clone(good)
	rope := bytes.Index(large, []byte("rope"))
	binary.BigEndian.PutUint32(large[rope+4:], 1<<30)
	_, err = dataio.ReadNetCDF(large)
	assert.ErrorContains(t, err, "`x` has more than 10000000 elements")
}

// TestEveryByteFlipped turns each byte of files into others: what can still be read takes no more memory than there are
// bytes, and all else is an error that says where.
func TestEveryByteFlipped(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 10))
	read, refused := 0, 0
	for range 6 {
		good := written(t, dataio.Variable{Name: "a", Array: madeUp(r), Unit: "cm"}, dataio.Variable{Name: "b",
			Array: madeUp(r)})
		for i := range good {
			for _, to := range []byte{good[i] ^ 1, good[i] ^ 0x80, ^good[i], 0, 0x7f} {
				bad := bytes.Clone(good)
				bad[i] = to
				f, err := dataio.ReadNetCDF(bad)
				if err != nil {
					refused++
					assert.ErrorContains(t, err, "byte ")
					continue
				}
				read++
				cells := 0
				for _, name := range f.Names() {
					if a, err := f.Array(name, true); err == nil {
						cells += a.Size()
					}
				}
				assert.LessOrEqual(t, cells, 2*len(bad))
			}
		}
	}
	assert.Greater(t, refused, 500)
	assert.Greater(t, read, 500)
}

// TestTheSizeOfLargeVariablesIsWorkedOut: files say 2^32-1 where a variable is too large for the field.
func TestTheSizeOfLargeVariablesIsWorkedOut(t *testing.T) {
	raw := written(t, dataio.Variable{Name: "x", Array: array.FromReals([]float64{1, 2, 3}, 3)})
	at := bytes.LastIndex(raw[:len(raw)-24], u32(24)) // before the offset, at the header's end
	require.Equal(t, len(raw)-24-8, at)
	copy(raw[at:], u32(math.MaxUint32))
	f, err := dataio.ReadNetCDF(raw)
	require.NoError(t, err)
	a, err := f.Array("x", false)
	require.NoError(t, err)
	assert.Equal(t, []float64{1, 2, 3}, a.Reals())
}

func u32(n uint32) []byte { return binary.BigEndian.AppendUint32(nil, n) }

func u64(n uint64) []byte { return binary.BigEndian.AppendUint64(nil, n) }

// FuzzNetCDF holds that no bytes end in a panic or take more memory than they are long, and that what is read is
// written and read back the same.
func FuzzNetCDF(f *testing.F) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 40 {
		f.Add(written(f, dataio.Variable{Name: "a", Array: madeUp(r)}, dataio.Variable{Name: "b", Array: madeUp(r)}))
	}
	f.Fuzz(func(t *testing.T, raw []byte) {
		file, err := dataio.ReadNetCDF(raw)
		if err != nil {
			return
		}
		cells := 0
		for i, name := range file.Names() {
			if strings.Contains(strings.Join(file.Names()[:i], "\x00"), name) {
				continue // of two of one name the first is read
			}
			a, err := file.Array(name, true)
			if err != nil {
				continue
			}
			if cells += a.Size(); cells > len(raw) {
				t.Fatalf("%d elements from %d bytes", cells, len(raw))
			}
			again := opened(t, written(t, dataio.Variable{Name: "again", Array: a}))
			back, err := again.Array("again", true)
			require.NoError(t, err)
			assertSame(t, a, back, name)
		}
	})
}

func BenchmarkReadNetCDF(b *testing.B) {
	raw, plain := million(b)
	b.Run("netCDF", func(b *testing.B) {
		for b.Loop() {
			f, err := dataio.ReadNetCDF(raw)
			require.NoError(b, err)
			_, err = f.Array("x", true)
			require.NoError(b, err)
		}
	})
	b.Run("encoding", func(b *testing.B) {
		for b.Loop() {
			out := make([]float64, 1_000_000)
			require.NoError(b, binary.Read(bytes.NewReader(plain), binary.BigEndian, out))
		}
	})
}

// million is a million reals as netCDF, and as they lie in it.
func million(b testing.TB) (raw, plain []byte) {
	data := make([]float64, 1_000_000)
	r := rand.New(rand.NewPCG(7, 8))
	for i := range data {
		data[i] = r.NormFloat64()
	}
	raw = written(b, dataio.Variable{Name: "x", Array: array.FromReals(data, len(data))})
	return raw, raw[len(raw)-8*len(data):]
}
