package trying_test

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/trying"
)

const exercise = `{"name": "ropes", "counting": 1, "inputs": [
	{"name": "growth", "axes": ["week", "rope"], "kind": "real", "unit": "cm", "about": ""},
	{"name": "least", "axes": [], "kind": "int"}, {"name": "any", "axes": null, "kind": "complex"}],
	"cases": [{"name": "spring", "group": "spring", "repeat": 0, "drawn": false, "inputs": {
		"growth": {"kind": "real", "shape": [2, 3], "axes": ["week", "rope"], "data": [1.5, 2, 3, 4, 5, 6]},
		"least": {"kind": "int", "shape": [], "axes": [], "data": [9007199254740993]},
		"any": {"kind": "int", "shape": [2], "axes": null, "data": [1, 2]}}},
	{"name": "drawn", "group": "drawn", "repeat": 0, "drawn": true, "inputs": {
		"growth": [[1, 2], [3, 4]], "least": 1, "any": 0}}]}`

// said is an answer of an engine, read.
type said struct {
	Answer    json.RawMessage
	Problem   *trying.Refusal
	Elsewhere string
}

func loaded(t *testing.T) *trying.Engine {
	t.Helper()
	d := &trying.Engine{}
	require.Empty(t, d.Load([]byte(exercise)))
	return d
}

func ask(t *testing.T, d *trying.Engine, question, request string) said {
	t.Helper()
	var out said
	require.NoError(t, json.Unmarshal(d.Ask(question, []byte(request)), &out))
	return out
}

func lines(t *testing.T, s said) trying.Lines {
	t.Helper()
	require.Empty(t, s.Elsewhere)
	require.Nil(t, s.Problem)
	var out trying.Lines
	require.NoError(t, json.Unmarshal(s.Answer, &out))
	return out
}

func TestAnEngineAnswersAboutItsExercise(t *testing.T) {
	d := loaded(t)
	shapes := lines(t, ask(t, d, "shapes", `{"program": "m = mean(growth over week)\nk = growth[3]"}`))
	require.Len(t, shapes.Lines, 2)
	assert.False(t, shapes.Lines[1].Known)
	assert.Equal(t, "m", shapes.Lines[0].Name)
	assert.Equal(t, []int{3}, shapes.Lines[0].Shape.Lengths)
	require.NotEmpty(t, shapes.Errors, "one axis of two, counted from 1")

	tried := lines(t, ask(t, d, "try", `{"program": "m = growth[2, last]\nn = least + 1"}`))
	require.Len(t, tried.Lines, 2)
	assert.Equal(t, "6.0", tried.Lines[0].Look, "positions count from 1")
	assert.Equal(t, "9007199254740994", tried.Lines[1].Look, "ints are not rounded on the way")
	assert.NotEmpty(t, tried.Parts)

	tried = lines(t, ask(t, d, "try", `{"case": "drawn", "program": "m = sum(growth)"}`))
	assert.Equal(t, "10", tried.Lines[0].Look)

	tried = lines(t, ask(t, d, "try", `{"program": "m = sum(growth over week)\nd = draw_uniform([2], 0, 1)", "inputs": {
		"growth": [[1, 2]], "least": 3, "any": [true]}}`))
	require.Len(t, tried.Lines, 2)
	assert.Equal(t, "1.0  2.0", tried.Lines[0].Look, "the data have the labels and the kind that are declared")
	assert.Equal(t, []int{2}, tried.Lines[1].Shape.Lengths, "draws on one's own data need nobody")
}

func TestWhatAnEngineRefuses(t *testing.T) {
	d := loaded(t)
	for inputs, want := range map[string]string{
		`"growth": [[1, 2]]`:                         "there is no array for the input `least`",
		`"grwoth": [[1, 2]], "least": 1`:             "`grwoth` is no input of this exercise",
		`"growth": [1, 2], "least": 1, "any": 1`:     "`growth` has 1 axes, and 2 are declared",
		`"growth": [[1, 2]], "least": 1.5, "any": 1`: "`least` is real, and int is declared",
		`"growth": [[` + strings.Repeat("1,", 10_000) + `1]], "least": 1, "any": 1`: "`growth` has 10001 elements, " +
			"and at most 10000 are tried",
	} {
		request := `{"program": "x = 1", "inputs": {` + inputs + `}}`
		s := ask(t, d, "try", request)
		if assert.NotNil(t, s.Problem, request) {
			assert.Equal(t, want, s.Problem.Detail)
			assert.Equal(t, 400, s.Problem.Status)
			assert.Equal(t, "urn:nimbus:problem:inputs", s.Problem.Type)
			assert.NotEmpty(t, s.Problem.Hint)
		}
	}
	for request, want := range map[string]string{
		`{"program": "x = (", "step": 0, "cell": 0}`:                                "The program does not run",
		`{"program": "x = growth", "step": 0, "cell": 6}`:                           "There is no such cell",
		`{"program": "x = growth", "step": 1, "cell": 0}`:                           "There is no such cell",
		`{"program": "x = growth", "step": -1, "cell": 0}`:                          "There is no such cell",
		`{"program": "x = growth", "step": 0, "cell": -1}`:                          "There is no such cell",
		`{"program": "x = zeros([101, 100]) + growth[1, 1]", "step": 0, "cell": 0}`: "Too large to be traced",
	} {
		for range 2 { // the second time from what is kept
			s := ask(t, d, "trace", request)
			if assert.NotNil(t, s.Problem, request) {
				assert.Equal(t, want, s.Problem.Title)
				assert.Equal(t, 422, s.Problem.Status)
			}
		}
	}
}

func TestWhatOnlyTheServiceAnswers(t *testing.T) {
	d := loaded(t)
	draws := `{"case": "drawn", "program": "x = shuffled(growth)", "step": 0, "cell": 0}`
	assert.Equal(t, trying.ErrDraws.Error(), ask(t, d, "try", draws).Elsewhere)
	assert.Equal(t, trying.ErrDraws.Error(), ask(t, d, "trace", draws).Elsewhere)
	assert.Empty(t, ask(t, d, "shapes", draws).Elsewhere)
	assert.Empty(t, ask(t, d, "try", strings.Replace(draws, "drawn", "spring", 1)).Elsewhere)
	assert.Equal(t, trying.ErrNoCase.Error(), ask(t, d, "try", `{"case": "autumn", "program": ""}`).Elsewhere)
	assert.NotEmpty(t, ask(t, d, "try", `{"program": 5}`).Elsewhere)
	assert.NotEmpty(t, ask(t, d, "try", `{`).Elsewhere)
	assert.NotEmpty(t, ask(t, d, "judge", `{"program": "x = 1"}`).Elsewhere)
	assert.NotEmpty(t, ask(t, &trying.Engine{}, "try", `{"program": "x = 1"}`).Elsewhere, "nothing was loaded")
	assert.NotEmpty(t, (&trying.Engine{}).Load([]byte(`{"cases": 3}`)))
}

// TestCellsOfOneRun asks several cells of one program, and of another between: each answer is that of a fresh engine.
func TestCellsOfOneRun(t *testing.T) {
	d := loaded(t)
	for i := range 12 {
		program := []string{"a = growth * 2\nb = sort(a along rope)", "b = mean(growth over week)"}[i/3%2]
		request := fmt.Sprintf(`{"program": %q, "step": 0, "cell": %d}`, program, i%3)
		assert.Equal(t, ask(t, loaded(t), "trace", request), ask(t, d, "trace", request))
	}
	whole, left := trying.Lineage{}, trying.Lineage{}
	request := `{"program": "a = growth * 2\nb = a + 1", "step": 1, "cell": 2}`
	require.NoError(t, json.Unmarshal(ask(t, d, "trace", request).Answer, &whole))
	require.NoError(t, json.Unmarshal(ask(t, d, "trace", request[:len(request)-1]+`, "have": [1]}`).Answer, &left))
	assert.Equal(t, []int{1, 3}, whole.Cell)
	assert.Len(t, whole.Inputs, 3)
	assert.Equal(t, 7.0, whole.Value.Array.RealAt(2))
	assert.Empty(t, left.Inputs)
	assert.Nil(t, left.Value, "it came before")
	require.Len(t, left.Yours.Lines, 2)
	assert.NotNil(t, left.Yours.Lines[0].Array, "the array of a has not come yet")
	assert.Nil(t, left.Yours.Lines[1].Array)
	assert.Equal(t, whole.Yours.Value, left.Yours.Value)
}

// TestARunIsBounded ends a run with its context, whose end outlives the next exercise.
func TestARunIsBounded(t *testing.T) {
	over, end := context.WithCancel(context.Background())
	end()
	d := &trying.Engine{Bound: func() context.Context { return over }}
	require.Empty(t, d.Load([]byte(exercise)))
	tried := lines(t, ask(t, d, "try", `{"program": "x = 0\neach k in 1 to 1000 { x = x + 1 }"}`))
	require.NotEmpty(t, tried.Errors)
	assert.Contains(t, tried.Errors[0].Message, "limit on seconds")
}

// TestWhatACellWentInto follows a cell of an input through lines and names.
func TestWhatACellWentInto(t *testing.T) {
	d := loaded(t)
	program := `"program": "a = growth * 2\nb = sum(a over week)\na = 0\nc = growth[growth > 3]"`
	var l trying.Lineage
	require.NoError(t, json.Unmarshal(ask(t, d, "trace", `{`+program+`, "input": "growth", "cell": 4}`).Answer, &l))
	assert.Equal(t, "growth", l.Name)
	assert.Equal(t, []int{2, 2}, l.Cell)
	assert.Equal(t, "1 cell of b: rope 2; 1 cell of c: position 2; chosen by 2 cells of c: position 2 to 3", l.Yours.Words)
	assert.Empty(t, l.Yours.Value)
	var went []string
	for _, x := range l.Yours.Lines {
		went = append(went, fmt.Sprint(x.Line, x.Name, x.Value, x.Choice, x.Array != nil))
	}
	assert.Equal(t, []string{"1a[4 1] [] true", "2b[1 1] [] true", "4c[1 1] [1 2] true"}, went)
	require.NoError(t, json.Unmarshal(ask(t, d, "trace", `{`+program+`, "input": "least", "cell": 0}`).Answer, &l))
	assert.Equal(t, "nothing", l.Yours.Words)
	for _, request := range []string{`"input": "nets", "cell": 0}`, `"input": "growth", "cell": 6}`} {
		s := ask(t, d, "trace", `{`+program+`, `+request)
		if assert.NotNil(t, s.Problem) {
			assert.Contains(t, s.Problem.Detail, "of the input `")
		}
	}
}

func TestOnesOwnCaseIsTheExamples(t *testing.T) { assert.Equal(t, check.ExampleName, trying.OwnCase) }

// FuzzEngine gives an engine any exercise and any request: it answers in its form, and never with a fault.
func FuzzEngine(f *testing.F) {
	f.Add(exercise, "try", `{"program": "x = growth[1, 1]"}`)
	f.Add(exercise, "trace", `{"program": "x = growth", "step": 0, "cell": 1, "have": [0]}`)
	f.Add(`{"cases": [{"inputs": {"x": null}}], "inputs": [{"name": "x"}]}`, "shapes", `{"program": "y = x"}`)
	f.Add(`{"cases": [{"inputs": {}}], "inputs": [{"name": "x"}]}`, "try", `{"program": "y = x", "inputs": {"x": null}}`)
	f.Fuzz(func(t *testing.T, exercise, question, request string) {
		if len(request) > 2000 {
			t.Skip()
		}
		d := &trying.Engine{}
		d.Load([]byte(exercise))
		s := ask(t, d, question, request)
		assert.NotContains(t, s.Elsewhere, "fault", "%s %s %s", exercise, question, request)
	})
}
