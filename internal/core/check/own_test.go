package check_test

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/notation"
)

const ownYaml = "inputs: {x: {axes: [week, rope], unit: cm, about: growth}, k: {axes: [], kind: int}}\n" +
	"outputs: {y: {axes: [week, rope]}, n: {axes: [rope], kind: int, unit: cm}}\nsteps: {m: {points: 1}}\n" +
	"accepts: [program, results]\ncases:\n" +
	"  - {name: a, shown: true, inputs: {x: [[1, 2, 4], [3, 5, 9]], k: 2}}\n" +
	"own: {repeat: 3, inputs: {x: {shape: [3..4, 5..6], from: normal}, k: {shape: [], from: whole, low: 2, high: 9}}}\n"

const ownReference = "m = mean(x over week, keep: true)\ny = (x - m) * k\nn = count(x > 0 over week)\n"

// owned is an exercise on the data that a seed draws.
func owned(t *testing.T, seed uint64) *check.Prepared {
	t.Helper()
	p := made(t, ownYaml, ownReference)
	cases, err := p.Exercise.OwnCases(seed)
	require.NoError(t, err)
	own, err := p.Own(context.Background(), cases)
	require.NoError(t, err)
	assert.True(t, own.MadeOf(p))
	return own
}

// computed is what a program makes of the open cases.
func computed(t *testing.T, p *check.Prepared, program string, names ...string) check.Results {
	t.Helper()
	tree, errs := notation.Parse(program)
	require.Empty(t, errs)
	out := check.Results{}
	for _, c := range p.Open() {
		got := evaluate.Run(context.Background(), tree, c.Inputs, evaluate.Options{Limits: evaluate.CheckLimits})
		require.Nil(t, got.Error)
		out[c.Name] = map[string]*array.Array{}
		for _, name := range names {
			out[c.Name][name] = got.Value(name)
		}
	}
	return out
}

func TestDataOfOnesOwnFollowFromTheSeed(t *testing.T) {
	a, again, b := owned(t, 1), owned(t, 1), owned(t, 2)
	require.Len(t, a.Open(), 3)
	names := map[string]bool{}
	for i, c := range a.Open() {
		names[c.Name] = true
		assert.True(t, array.Equal(c.Inputs["x"], again.Open()[i].Inputs["x"]))
		assert.False(t, array.Equal(c.Inputs["x"], b.Open()[i].Inputs["x"]))
		assert.Equal(t, []string{"week", "rope"}, c.Inputs["x"].Labels())
		assert.Equal(t, array.Int, c.Inputs["k"].Kind())
		if i > 0 {
			assert.False(t, array.Equal(c.Inputs["x"], a.Open()[0].Inputs["x"]), "each case has data of its own")
		}
	}
	assert.Equal(t, map[string]bool{"own-1": true, "own-2": true, "own-3": true}, names)
}

func TestArraysAreJudgedOnATicketsData(t *testing.T) {
	p := owned(t, 5)
	v, err := check.Arrays(context.Background(), p, computed(t, p, ownReference, "y", "n", "m"))
	require.NoError(t, err)
	assert.Equal(t, check.Agrees, v.Verdict)
	assert.Equal(t, check.OnOwn, v.On)
	assert.Equal(t, check.Points{Earned: 3, Possible: 3}, v.Points)
	half := computed(t, p, ownReference, "y", "n", "m")
	half["own-2"]["y"] = half["own-1"]["y"]
	v, err = check.Arrays(context.Background(), p, half)
	require.NoError(t, err)
	assert.InDelta(t, 2+2.0/3, v.Points.Earned, 1e-12, "the share of the cases that agree")
	v, err = check.Arrays(context.Background(), p, computed(t, p, ownReference, "y", "n"))
	require.NoError(t, err)
	assert.Equal(t, check.Points{Earned: 2, Possible: 3}, v.Points)
	assert.Contains(t, v.Findings[0].Hint, "hand it in beside the outputs")

	wrong := "m = mean(x over rope, keep: true)\ny = (x - m) * k\nn = count(x > 0 over week)\n"
	v, err = check.Arrays(context.Background(), p, computed(t, p, wrong, "y", "n", "m"))
	require.NoError(t, err)
	require.NotEmpty(t, v.Causes)
	assert.Equal(t, "axis.other", string(v.Causes[0].Code))
	assert.Equal(t, 3, v.Causes[0].Cases, "in all cases of the ticket together")
	assert.Empty(t, v.Causes[0].Span, "never a place in a text that is not ours")
	student := v.ForStudent(made(t, ownYaml, ownReference).Exercise, 1)
	assert.Len(t, student.Cases, 3)
	assert.Len(t, student.Findings, len(v.Findings), "the cases of a ticket are open once there is a verdict")
	plain, err := check.PlainArrays(context.Background(), p, computed(t, p, wrong, "y", "n", "m"))
	require.NoError(t, err)
	assert.Empty(t, plain.Causes)
	assert.Equal(t, v.Points, plain.Points)
}

func TestAFileReadByColumns(t *testing.T) {
	p := owned(t, 6)
	misread := "t = transpose(reshape(reshape(x, [length(x, axis: week) * length(x, axis: rope)]), [length(x, axis: " +
		"rope), " +
		"length(x, axis: week)]))\nm = mean(t over 0, keep: true)\ny = (t - m) * k\nn = count(x > 0 over week)\n"
	if _, errs := notation.Parse(misread); len(errs) > 0 {
		t.Fatal(errs[0].Message)
	}
	given := computed(t, p, ownReference, "y", "n", "m")
	for _, c := range p.Open() {
		x := c.Inputs["x"]
		turned := x.WithLabels(nil).Reshape([]int{x.Len(1), x.Len(0)}).Transpose([]int{1, 0})
		tree, errs := notation.Parse(ownReference)
		require.Empty(t, errs)
		got := evaluate.Run(context.Background(), tree, map[string]*array.Array{"x": turned.WithLabels(x.Labels()),
			"k": c.Inputs["k"]}, evaluate.Options{Limits: evaluate.CheckLimits})
		require.Nil(t, got.Error)
		given[c.Name]["y"], given[c.Name]["n"] = got.Value("y"), got.Value("n")
	}
	v, err := check.Arrays(context.Background(), p, given)
	require.NoError(t, err)
	require.Len(t, v.Causes, 2)
	assert.Equal(t, "fill.order", string(v.Causes[0].Code))
	assert.Equal(t, "x read by columns where it lies by rows", v.Causes[0].Change)
	given["own-1"]["y"] = computed(t, p, ownReference, "y")["own-1"]["y"]
	v, err = check.Arrays(context.Background(), p, given)
	require.NoError(t, err)
	for _, c := range v.Causes {
		assert.NotEqual(t, "fill.order", string(c.Code), "one case that it does not give is one too many")
	}
}

func TestForm(t *testing.T) {
	p := owned(t, 7)
	right := func() check.Results { return computed(t, p, ownReference, "y", "n", "m") }
	for name, c := range map[string]struct {
		change func(r check.Results)
		says   []string
	}{
		"as wanted": {func(check.Results) {}, nil},
		"no step":   {func(r check.Results) { delete(r["own-1"], "m") }, nil},
		"an input":  {func(r check.Results) { r["own-1"]["x"] = array.FromInts([]int64{1}) }, nil},
		"missing":   {func(r check.Results) { delete(r["own-2"], "y") }, []string{"own-2/y: it is missing"}},
		"wrong name": {func(r check.Results) { r["own-2"]["yy"] = r["own-2"]["y"]; delete(r["own-2"], "y") }, []string{
			"own-2/y: it is missing", "own-2/yy: nothing of this name is wanted"}},
		"transposed": {func(r check.Results) { r["own-1"]["y"] = r["own-1"]["y"].WithLabels(nil).Transpose([]int{1, 0}) },
			[]string{"it looks transposed"}},
		"labels exchanged": {func(r check.Results) {
			a := r["own-1"]["y"]
			r["own-1"]["y"] = a.WithLabels([]string{"rope", "week"})
		}, []string{"it looks transposed"}},
		"other rank": {func(r check.Results) {
			a := r["own-1"]["y"]
			r["own-1"]["y"] = a.WithLabels(nil).Reshape([]int{a.Size()})
		}, []string{"it has 1 axes where 2 are wanted"}},
		"complex": {func(r check.Results) { r["own-1"]["y"] = r["own-1"]["y"].Widen(array.Complex) }, nil},
		"truly complex": {func(r check.Results) {
			z := make([]complex128, r["own-1"]["y"].Size())
			z[1] = 1i
			r["own-1"]["y"] = array.FromComplexes(z, r["own-1"]["y"].Shape()...)
		}, []string{"it is complex, and real is wanted"}},
		"ints for reals": {func(r check.Results) {
			a := r["own-1"]["y"]
			r["own-1"]["y"] = array.New(array.Int, a.Shape())
		}, nil},
		"reals that are whole": {func(r check.Results) { r["own-1"]["n"] = r["own-1"]["n"].Widen(array.Real) }, nil},
		"halves where int is asked": {func(r check.Results) {
			a := r["own-1"]["n"]
			halves := make([]float64, a.Size())
			halves[0] = 0.5
			r["own-1"]["n"] = array.FromReals(halves, a.Size())
		}, []string{"it is real, and int is wanted"}},
		"a case too many": {func(r check.Results) { r["own-4"] = r["own-1"] }, []string{"there is no case `own-4` here"}},
		"nothing":         {func(r check.Results) { clear(r) }, []string{"own-1/y: it is missing", "own-3/n: it is missing"}},
	} {
		t.Run(name, func(t *testing.T) {
			r := right()
			c.change(r)
			form, fitted := check.FormOf(p, r)
			assert.Equal(t, len(c.says) == 0, form.OK, form.Words())
			for _, says := range c.says {
				assert.Contains(t, strings.Join(form.Words(), "\n"), says)
			}
			if form.OK {
				assert.Equal(t, array.Int, fitted["own-1"]["n"].Kind())
				assert.Equal(t, array.Real, fitted["own-1"]["y"].Kind())
				v, err := check.Arrays(context.Background(), p, fitted)
				require.NoError(t, err)
				assert.NotEqual(t, check.Failed, v.Verdict)
			}
		})
	}
}

func TestFilesGoOutAndComeBack(t *testing.T) {
	p := owned(t, 8)
	for _, format := range check.Formats {
		t.Run(format, func(t *testing.T) {
			files, err := p.Files(format, "Ticket 1.")
			require.NoError(t, err)
			readme := string(files[0].Body)
			if format == "nc" {
				readme = check.ReadmeOf(files[0].Body)
			}
			for _, says := range []string{"Ticket 1.", "Positions count from 0.", "real, in cm: growth", "a single number, int",
				"week | rope, real", "rope, int, in cm", "a step, worth points of its own"} {
				assert.Contains(t, readme, says)
			}
			w := p.Wants()
			w.Arrays = map[string]check.Axes{"x": {2, []string{"week", "rope"}}, "k": {0, nil}}
			back, wrong := check.ReadArrays(files, w)
			require.Empty(t, wrong)
			for _, c := range p.Open() {
				assert.Equal(t, c.Inputs["x"].Reals(), back[c.Name]["x"].Reals())
				assert.Equal(t, c.Inputs["k"].IntAt(0), int64(back[c.Name]["k"].RealAt(0)))
			}
		})
	}
	_, err := p.Files("xml", "")
	assert.ErrorContains(t, err, "there are csv, json, nc, mtx")
}

func TestWhereFilesLie(t *testing.T) {
	w := check.Wanted{Cases: []string{"own-1", "own-2"}, Arrays: map[string]check.Axes{"y": {1, nil}}}
	body := []byte("1\n2\n")
	for name, c := range map[string]struct {
		files []string
		want  string
		wrong string
	}{
		"folders":        {[]string{"own-1/y.csv", "own-2/y.csv"}, "own-1 y own-2 y", ""},
		"deeper":         {[]string{"work/out/own-1/y.csv"}, "own-1 y", ""},
		"names":          {[]string{"own-1.y.csv", "own_2_y.csv"}, "own-1 y own-2 y", ""},
		"plain folder":   {[]string{"own_2/y.csv"}, "own-2 y", ""},
		"unknown folder": {[]string{"own-9/y.csv"}, "own-9 y", ""},
		"none":           {[]string{"y.csv"}, "", "there are 2 cases, so each needs a folder of its own: `own-1/y.csv`"},
		"twice":          {[]string{"own-1/y.csv", "own-1.y.csv"}, "own-1 y", "is in two files"},
		"others":         {[]string{"y.txt", "a.out"}, "", "there is y.txt, a.out"},
	} {
		t.Run(name, func(t *testing.T) {
			var files []check.File
			for _, f := range c.files {
				files = append(files, check.File{Name: f, Body: body})
			}
			got, wrong := check.ReadArrays(files, w)
			var list []string
			for _, name := range []string{"own-1", "own-2", "own-9"} {
				for array := range got[name] {
					list = append(list, name+" "+array)
				}
			}
			assert.Equal(t, c.want, strings.Join(list, " "))
			if c.wrong == "" {
				assert.Empty(t, wrong)
			} else {
				assert.Contains(t, strings.Join(wrong, "\n"), c.wrong)
			}
		})
	}
}

func TestArchivesAreBounded(t *testing.T) {
	pack := func(name string, size int) []byte {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = io.CopyN(w, zeros{}, int64(size))
		require.NoError(t, err)
		require.NoError(t, z.Close())
		return b.Bytes()
	}
	none := func(string, []byte) error { return nil }
	assert.NoError(t, check.Unzip(pack("own-1/y.csv", 10), none))
	assert.ErrorContains(t, check.Unzip(pack("own-1/y.csv", check.MaxResultBytes+1), none), "unpacks to more than")
	for _, name := range []string{"/etc/passwd", "../y.csv", "a\\b.csv", "a/../../y.csv", strings.Repeat("a", 300)} {
		assert.ErrorContains(t, check.Unzip(pack(name, 1), none), "is not a plain name", name)
	}
	assert.ErrorContains(t, check.Unzip(pack("a.zip", 1), none), "an archive inside an archive")
	var many bytes.Buffer
	z := zip.NewWriter(&many)
	for i := range 600 {
		_, err := z.Create(fmt.Sprintf("%d.csv", i))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	assert.ErrorContains(t, check.Unzip(many.Bytes(), none), "more than 500 files")
}

type zeros struct{}

func (zeros) Read(b []byte) (int, error) { clear(b); return len(b), nil }

func TestWhatOwnMayBe(t *testing.T) {
	for text, says := range map[string]string{
		strings.Replace(ownYaml, "k: {shape: [], from: whole, low: 2, high: 9}", "",
			1): "`own` draws no `k`",
		strings.Replace(ownYaml, "repeat: 3", "repeat: 0",
			1): "a ticket would have `0` cases",
		strings.Replace(ownYaml, "repeat: 3", "within: 5s",
			1): "is not how long a ticket can be used",
		strings.Replace(ownYaml, "accepts: [program, results]\n", "",
			1): "and the exercise takes none",
		strings.Replace(ownYaml, "3..4, 5..6", "3000, 5000",
			1): "elements of data",
		"outputs: {y: {}}\naccepts: [results]\ncases: [{name: a}]\n": "has no " +
			"data to compute them from",
		strings.Replace(ownYaml, "x: {shape: [3..4, 5..6], from: normal}", "x: {shape: [0, 3], from: normal}",
			1): "cannot be used",
	} {
		t.Run(says, func(t *testing.T) {
			e, problems := exercise.LoadExercise(fstest.MapFS{"exercise.yaml": {Data: []byte("title: Kelp\n" + text)},
				"reference.nra": {Data: []byte("m = x[0, all]\ny = x\nn = count(x > 0 over week)\n")},
				"prompt.md":     {Data: []byte("p")}}, "kelp")
			if len(problems) == 0 {
				_, problems = check.Prepare(context.Background(), e)
			}
			require.NotEmpty(t, problems)
			var all []string
			for _, p := range problems {
				all = append(all, p.Message)
			}
			assert.Contains(t, strings.Join(all, "\n"), says)
		})
	}
}

// FuzzResults holds that whatever is handed in ends in a form and, where it has the right one, a verdict.
func FuzzResults(f *testing.F) {
	e, problems := exercise.LoadExercise(fstest.MapFS{"exercise.yaml": {Data: []byte("title: Kelp\n" + ownYaml)},
		"reference.nra": {Data: []byte(ownReference)}, "prompt.md": {Data: []byte("p")}}, "kelp")
	require.Empty(f, problems)
	p, problems := check.Prepare(context.Background(), e)
	require.Empty(f, problems)
	cases, err := e.OwnCases(3)
	require.NoError(f, err)
	own, err := p.Own(context.Background(), cases)
	require.NoError(f, err)
	for _, format := range check.Formats {
		files, err := own.Files(format, "")
		require.NoError(f, err)
		for _, one := range files {
			f.Add(one.Name, one.Body)
			f.Add(strings.Replace(one.Name, "x.", "y.", 1), one.Body)
		}
	}
	var z bytes.Buffer
	w := zip.NewWriter(&z)
	one, err := w.Create("own-1/y.csv")
	require.NoError(f, err)
	_, err = one.Write([]byte("1,2\n3,4\n"))
	require.NoError(f, err)
	require.NoError(f, w.Close())
	f.Add("a.zip", z.Bytes())
	f.Fuzz(func(t *testing.T, name string, body []byte) {
		files := []check.File{{Name: name, Body: body}}
		if strings.HasSuffix(name, ".zip") {
			files = nil
			if check.Unzip(body, func(name string, body []byte) error {
				files = append(files, check.File{Name: name, Body: body})
				return nil
			}) != nil {
				return
			}
		}
		results, _ := check.ReadArrays(files, own.Wants())
		form, fitted := check.FormOf(own, results)
		require.NotEmpty(t, form.Arrays)
		v, err := check.PlainArrays(context.Background(), own, fitted)
		require.NoError(t, err)
		require.NotEqual(t, check.Agrees, v.Verdict, "one file is not all")
	})
}
