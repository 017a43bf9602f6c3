package e2e

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/demo"
	"nimbusreach/e2e/browser"
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/service"
)

const (
	pigments = "exercises/pigment-mix/exercise.yaml"
	scores   = "exercises/standard-scores/exercise.yaml"
)

// shownOnly publishes the course with an exercise that draws no data: arrays are checked on the shown case.
func (w *world) shownOnly(t *testing.T) {
	t.Helper()
	_, err := w.as(t, "imke").PublishFrom(background(t), course, changedCourse(t, pigments, func(text string) string {
		return text[:strings.Index(text, "\nown:")+1]
	}), anew)
	require.NoError(t, err)
}

// results are what a program makes of each case of a ticket.
func results(t *testing.T, ticket *wire.Ticket, program string, outputs ...string) map[string]map[string]dataio.JSON {
	t.Helper()
	tree, errs := notation.Parse(program)
	require.Empty(t, errs)
	out := map[string]map[string]dataio.JSON{}
	for _, c := range ticket.Cases {
		inputs := map[string]*array.Array{}
		for name, a := range c.Inputs {
			inputs[name] = a.Array
		}
		got := evaluate.Run(context.Background(), tree, inputs, evaluate.Options{Limits: evaluate.CheckLimits})
		require.Nil(t, got.Error)
		out[c.Name] = map[string]dataio.JSON{}
		for _, name := range outputs {
			out[c.Name][name] = dataio.JSON{Array: got.Value(name)}
		}
	}
	return out
}

// plain are the data of a ticket as they are sent.
func plain(ticket *wire.Ticket) string {
	text, err := json.Marshal(ticket.Cases)
	if err != nil {
		panic(err)
	}
	return string(text)
}

const (
	rightScores = "scores = (weights - mean(weights over harvest, keep: true)) / std(weights over harvest, keep: true)"
	otherAxis   = "scores = (weights - mean(weights over rope, keep: true)) / std(weights over rope, keep: true)"
)

// TestATicketIsGoodForOneHandIn: data of one's own, the same until they are used, another's never.
func TestATicketIsGoodForOneHandIn(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, class)
	ctx := background(t)
	ada, bree := w.as(t, "ada"), w.as(t, "bree")
	one, err := ada.MakeTicket(ctx, course, "standard-scores")
	require.NoError(t, err)
	require.Len(t, one.Cases, 2)
	assert.Equal(t, "own-1", one.Cases[0].Name)
	assert.InDelta(t, 1800, one.Within, 5)
	again, err := ada.MakeTicket(ctx, course, "standard-scores")
	require.NoError(t, err)
	assert.Equal(t, one.ID, again.ID)
	assert.Equal(t, plain(one), plain(again), "the same ticket has the same data")
	others, err := bree.MakeTicket(ctx, course, "standard-scores")
	require.NoError(t, err)
	assert.NotEqual(t, plain(one), plain(others))

	_, err = ada.HandInArrays(ctx, course, "standard-scores", nil, results(t, one, rightScores, "scores"), 20)
	assert.Contains(t, problem(t, err, 422).Detail, "come without a ticket")
	_, err = ada.HandInArrays(ctx, course, "standard-scores", &others.ID, results(t, one, rightScores, "scores"), 20)
	assert.Contains(t, problem(t, err, 404).Detail, "is not yours")
	a, err := ada.HandInArrays(ctx, course, "standard-scores", &one.ID, results(t, one, rightScores, "scores"), 20)
	require.NoError(t, err)
	require.NotNil(t, a.Verdict)
	assert.Equal(t, check.Agrees, a.Verdict.Verdict)
	assert.Equal(t, check.OnOwn, a.Verdict.On)
	assert.False(t, a.Verdict.RulesChecked)
	assert.Equal(t, check.Points{Earned: 2, Possible: 2}, a.Verdict.Points, "functions are a program's")
	_, err = ada.HandInArrays(ctx, course, "standard-scores", &one.ID, results(t, one, rightScores, "scores"), 20)
	assert.Contains(t, problem(t, err, 409).Detail, "handed in for this ticket already")

	_, err = ada.HandIn(ctx, course, "standard-scores", rightScores, "a key", 20)
	require.NoError(t, err)
	path := "/courses/" + course + "/exercises/standard-scores/attempts"
	third, err := ada.MakeTicket(ctx, course, "standard-scores")
	require.NoError(t, err)
	hand := func(key, program string) (int, wire.Attempt) {
		var out wire.Attempt
		status := w.askedWith(t, "ada", "POST", path, map[string]any{"ticket": third.ID,
			"results": results(t, third, program, "scores")}, &out, map[string]string{"Idempotency-Key": key})
		return status, out
	}
	status, first := hand("mine", rightScores)
	require.Equal(t, 202, status)
	status, repeated := hand("mine", rightScores)
	assert.Equal(t, 202, status, "a repeat whose answer was lost")
	assert.Equal(t, first.ID, repeated.ID)
	status, _ = hand("mine", otherAxis)
	assert.Equal(t, 409, status, "other arrays are another attempt")
	status, _ = hand("another", rightScores)
	assert.Equal(t, 409, status)

	next, err := ada.MakeTicket(ctx, course, "standard-scores")
	require.NoError(t, err)
	assert.NotEqual(t, one.ID, next.ID)
	assert.NotEqual(t, plain(one), plain(next), "nobody is given these data again")
	a, err = ada.HandInArrays(ctx, course, "standard-scores", &next.ID, results(t, next, otherAxis, "scores"), 20)
	require.NoError(t, err)
	require.NotEmpty(t, a.Verdict.Causes)
	assert.Equal(t, "axis.other", string(a.Verdict.Causes[0].Code))
	assert.Len(t, a.Verdict.Cases, 2)
	for _, f := range a.Verdict.Findings {
		assert.NotEmpty(t, f.Message)
		assert.NotNil(t, f.Differences, "own cases are as open as shown ones, once there is a verdict")
	}
	both, err := ada.Arrays(ctx, a.ID, "own-2", "scores")
	require.NoError(t, err)
	assert.NotNil(t, both.Difference)
	_, err = bree.Arrays(ctx, a.ID, "own-2", "scores")
	problem(t, err, 404)
	seen, err := w.as(t, "aron").Ticket(ctx, next.ID)
	require.NoError(t, err)
	assert.Equal(t, plain(next), plain(seen), "the team sees the data")
	_, err = bree.Ticket(ctx, next.ID)
	problem(t, err, 404)
	_, err = ada.MakeTicket(ctx, course, "rope-means")
	assert.Contains(t, problem(t, err, 422).Detail, "takes no arrays")
}

// TestWhatATicketMayBe: its time, how many, and how they count towards attempts.
func TestWhatATicketMayBe(t *testing.T) {
	clock := &demo.Clock{}
	w := startWith(t, service.Config{Workers: 2, Clock: clock.Now})
	w.enrol(t, team)
	ctx := background(t)
	_, err := w.as(t, "imke").PublishFrom(ctx, course, changedCourse(t, scores, func(text string) string {
		return text + "own: {repeat: 1, within: 1m}\nattempts: {limit: 3}\n"
	}), anew)
	require.NoError(t, err)
	ada := w.as(t, "ada")
	first, err := ada.MakeTicket(ctx, course, "standard-scores")
	require.NoError(t, err)
	require.Len(t, first.Cases, 1)
	clock.At(2 * time.Minute)
	_, err = ada.HandInArrays(ctx, course, "standard-scores", &first.ID, results(t, first, rightScores, "scores"), 20)
	assert.Contains(t, problem(t, err, 410).Detail, "time of this ticket is over")
	second, err := ada.MakeTicket(ctx, course, "standard-scores")
	require.NoError(t, err)
	require.NotEqual(t, first.ID, second.ID)
	a, err := ada.HandInArrays(ctx, course, "standard-scores", &second.ID, results(t, second, rightScores, "scores"), 20)
	require.NoError(t, err)
	assert.Equal(t, 1, len(a.Verdict.Cases))
	_, err = ada.HandIn(ctx, course, "standard-scores", "function standardize(x) = x\n"+rightScores, "", 20)
	require.NoError(t, err)
	_, err = ada.MakeTicket(ctx, course, "standard-scores")
	assert.Contains(t, problem(t, err, 403).Detail, "takes 3 attempts", "a ticket that was never used is one of them")
	_, err = ada.HandIn(ctx, course, "standard-scores", rightScores, "", 20)
	problem(t, err, 403)

	_, err = w.as(t, "imke").PublishFrom(ctx, course, changedCourse(t, scores, func(text string) string {
		return text + "own: {repeat: 1, within: 1m}\n"
	}), anew)
	require.NoError(t, err)
	for i := 2; ; i++ {
		clock.At(time.Duration(2+2*i) * time.Minute / 2)
		if _, err = ada.MakeTicket(ctx, course, "standard-scores"); err != nil {
			assert.Equal(t, 30, i, "so many within an hour")
			break
		}
		require.Less(t, i, 40)
	}
	assert.Contains(t, problem(t, err, 429).Detail, "at most 30 tickets an hour")
}

// TestFormIsToldBeforeATicketIsUsed: names, kinds and shapes, of all arrays at once.
func TestFormIsToldBeforeATicketIsUsed(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	ada := w.as(t, "ada")
	ticket, err := ada.MakeTicket(ctx, course, "pigment-mix")
	require.NoError(t, err)
	program := "jar_price = recipe dot price\nneeded = sum(jars over customer) dot recipe\nbill = jars dot recipe dot " +
		"price"
	given := results(t, ticket, program, "jar_price", "needed", "bill")
	swapped := map[string]map[string]dataio.JSON{"own-1": {"needed": given["own-1"]["bill"],
		"bill": given["own-1"]["needed"], "jar_prise": given["own-1"]["jar_price"]},
		"own-3": {"bill": given["own-2"]["bill"]}}
	_, err = ada.HandInArrays(ctx, course, "pigment-mix", &ticket.ID, swapped, 20)
	form := problem(t, err, 422).Form
	require.NotNil(t, form)
	assert.False(t, form.OK)
	words := strings.Join(form.Words(), "\n")
	for _, want := range []string{"own-1/jar_price: it is missing", "own-1/jar_prise: nothing of this name is wanted",
		"did you mean `jar_price`", "`needed` and `bill` each have the shape of the other: are their names swapped?",
		"own-2/bill: it is missing", "own-3/bill: there is no case `own-3` here (the cases are own-1, own-2)"} {
		assert.Contains(t, words, want)
	}
	asked := map[string]any{"ticket": ticket.ID, "results": given}
	var told check.Form
	path := "/courses/" + course + "/exercises/pigment-mix/attempts"
	require.Equal(t, 200, w.asked(t, "ada", "POST", path+"?check=form", asked, &told))
	assert.True(t, told.OK)
	assert.Len(t, told.Arrays, 6)
	still, err := ada.MakeTicket(ctx, course, "pigment-mix")
	require.NoError(t, err)
	assert.Equal(t, ticket.ID, still.ID, "nothing of this used the ticket")
	given["own-2"]["needed"] = dataio.JSON{Array: array.FromReals([]float64{math.NaN(), 1, 2, math.NaN()}, 4)}
	asked["results"] = given
	require.Equal(t, 200, w.asked(t, "ada", "POST", path+"?check=form", asked, &told))
	assert.True(t, told.OK, "NaN is a matter of values")
	assert.Equal(t, "2 of its 4 elements are NaN", told.Arrays[4].Remark)
	assert.Equal(t, 400, w.asked(t, "ada", "POST", path+"?check=values", asked, nil))
	assert.Equal(t, 422, w.asked(t, "ada", "POST", path, map[string]any{"ticket": ticket.ID, "program": "x = 1"}, nil))
	assert.Equal(t, 422, w.asked(t, "ada", "POST", path, map[string]any{"ticket": ticket.ID, "results": given,
		"source": strings.Repeat("x", 300<<10)}, nil), "more text than is taken")
}

// TestFilesOfEveryFormat: data come as files, and arrays go back as files, also packed.
func TestFilesOfEveryFormat(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, class)
	ctx := background(t)
	for i, format := range check.Formats {
		t.Run(format, func(t *testing.T) {
			student := w.as(t, []string{"ada", "bree", "cato"}[i%3])
			ticket, err := student.MakeTicket(ctx, course, "standard-scores")
			require.NoError(t, err)
			raw, err := student.Data(ctx, course, "standard-scores", ticket, format)
			require.NoError(t, err)
			files, readme := saved(t, format, raw)
			assert.Contains(t, readme, "Positions count from 0.")
			assert.Contains(t, readme, "in kg: weight of each rope at each harvest")
			assert.Contains(t, readme, "rope | harvest, real")
			data, wrong := check.ReadArrays(files, check.Wanted{Cases: []string{"own-1", "own-2"},
				Arrays: map[string]check.Axes{"weights": {Rank: 2}}})
			require.Empty(t, wrong)
			for _, c := range ticket.Cases {
				assert.Equal(t, c.Inputs["weights"].Array.Reals(), data[c.Name]["weights"].Reals(), "to the bit")
			}
			body := archive(t, asFiles(t, format, results(t, ticket, rightScores, "scores")))
			a, err := student.HandInFiles(ctx, course, "standard-scores", client.Files{Ticket: &ticket.ID,
				Source: "program scores\nend program", Files: []check.File{{Name: []string{"mine.zip", "blob"}[i%2], Body: body}}},
				20)
			require.NoError(t, err)
			assert.Equal(t, check.Agrees, a.Verdict.Verdict)
			assert.Equal(t, "program scores\nend program", a.Source)
			seen, err := w.as(t, "aron").Attempt(ctx, a.ID, 0)
			require.NoError(t, err)
			assert.Equal(t, a.Source, seen.Source, "the team reads it beside the arrays")
			assert.Equal(t, ticket.ID, *seen.Ticket)

			raw, err = student.ArrayFiles(ctx, a.ID, "own-1", "scores", format)
			require.NoError(t, err)
			files, readme = saved(t, format, raw)
			assert.Contains(t, readme, fmt.Sprintf("Attempt %d, the output scores in the case own-1.", a.ID))
			assert.Contains(t, readme, "got less expected")
			two := check.Axes{Rank: 2}
			both, wrong := check.ReadArrays(files, check.Wanted{Cases: []string{"own-1"}, Arrays: map[string]check.Axes{
				"expected": two, "got": two, "difference": two, "agrees": two}})
			require.Empty(t, wrong)
			mine := results(t, ticket, rightScores, "scores")["own-1"]["scores"].Array
			sides := both["own-1"]
			assert.Equal(t, mine.Reals(), sides["got"].Reals(), "to the bit")
			for k, v := range sides["got"].Reals() {
				assert.Equal(t, v-sides["expected"].Reals()[k], real(sides["difference"].ComplexAt(k)),
					"and the reference's to the bit")
			}
			assert.Len(t, sides, 4)
		})
	}
	_, err := w.as(t, "bree").ArrayFiles(ctx, 1, "own-1", "scores", "csv")
	assert.Equal(t, "Not found", problem(t, err, 404).Title, "another's")
	ada := w.as(t, "ada")
	ticket, err := ada.MakeTicket(ctx, course, "standard-scores")
	require.NoError(t, err)
	for name, c := range map[string]struct {
		files []check.File
		says  string
	}{
		"leaves the folder": {[]check.File{{Name: "../scores.csv", Body: []byte("1\n")}},
			"is not a plain name below a folder"},
		"absolute": {[]check.File{{Name: "a.zip", Body: archive(t, map[string][]byte{"/etc/scores.csv": []byte("1\n")})}},
			"is not a plain name below a folder"},
		"too many": {[]check.File{{Name: "a.zip", Body: bytes.Repeat([]byte("PK\x01\x02"), 5000)}},
			"more than 1000 entries"},
		"no archive": {[]check.File{{Name: "a.zip", Body: []byte("hello")}}, "the archive cannot be read"},
		"no case":    {[]check.File{{Name: "scores.csv", Body: []byte("1\n")}}, "each needs a folder of its own"},
		"text":       {[]check.File{{Name: "own-1/scores.csv", Body: []byte("one,two\n1,b\n")}}, "`b` is not a number"},
		"netCDF":     {[]check.File{{Name: "a.nc", Body: []byte("CDF\x01\x00")}}, "byte 4: the number of records"},
		"text in int": {[]check.File{{Name: "own-1/scores.json", Body: []byte(`["9007199254740993"]`)}},
			"own-1/scores.json: "},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := ada.HandInFiles(ctx, course, "standard-scores", client.Files{Ticket: &ticket.ID, Files: c.files}, 20)
			assert.Contains(t, problem(t, err, 422).Detail, c.says)
		})
	}
	still, err := ada.MakeTicket(ctx, course, "standard-scores")
	require.NoError(t, err)
	assert.Equal(t, ticket.ID, still.ID, "nothing of this used the ticket")
}

// saved are the files of a download, and its README.
func saved(t *testing.T, format string, raw []byte) (files []check.File, readme string) {
	t.Helper()
	if format == "nc" {
		return []check.File{{Name: "data.nc", Body: raw}}, check.ReadmeOf(raw)
	}
	require.NoError(t, check.Unzip(raw, func(name string, body []byte) error {
		if name == check.ReadmeFile {
			readme = string(body)
		} else {
			files = append(files, check.File{Name: name, Body: body})
		}
		return nil
	}))
	return files, readme
}

// asFiles writes arrays as files of a format.
func asFiles(t *testing.T, format string, given map[string]map[string]dataio.JSON) map[string][]byte {
	t.Helper()
	out := map[string][]byte{}
	var list []dataio.Variable
	for name, arrays := range given {
		for output, a := range arrays {
			file := name + "/" + output + "." + format
			var err error
			switch format {
			case "csv":
				out[file], err = dataio.WriteCSV(a.Array, output, 0)
			case "mtx":
				out[file], err = dataio.WriteMatrixMarket(a.Array)
			case "json":
				out[file], err = a.MarshalJSON()
			default:
				list = append(list, dataio.Variable{Name: name + "." + output, Array: a.Array})
			}
			require.NoError(t, err)
		}
	}
	if format == "nc" {
		var b bytes.Buffer
		require.NoError(t, dataio.WriteNetCDF(&b, list))
		out["everything.nc"] = b.Bytes()
	}
	return out
}

func archive(t *testing.T, files map[string][]byte) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, body := range files {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write(body)
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

// outer is an exercise whose output has the square of its inputs' elements.
const outer = `title: Light on ropes
topics: [broadcasting]
inputs:
  shade: {axes: [rope], kind: int, about: shade of each rope}
  sun: {axes: [hour], kind: int, about: sun in each hour}
outputs:
  light: {axes: [rope, hour]}
cases:
  - {name: small, shown: true, inputs: {shade: [1, 2], sun: [3, 4, 5]}}
  - {name: other, inputs: {shade: [2, 2, 1], sun: [1, 4]}}
accepts: [program, results]
own:
  repeat: 1
  inputs:
    shade: {shape: [3160], from: whole, low: 1, high: 2}
    sun: {shape: [3160], from: whole, low: 1, high: 4}
`

// TestManyNumbersAreHandedIn: near 10 million numbers and 64 MiB, as JSON in the request, as a table, and as netCDF;
// and what is more is refused before it is read, in words, and costs no ticket.
func TestManyNumbersAreHandedIn(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, class)
	ctx := background(t)
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, demo.Course()))
	folder := filepath.Join(dir, "exercises/pigment-mix")
	require.NoError(t, os.WriteFile(filepath.Join(folder, "exercise.yaml"), []byte(outer), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "reference.nra"),
		[]byte("light = shade[all, new] * sun[new, all]\n"), 0o644))
	folderArchive, err := exercise.Pack(os.DirFS(dir))
	require.NoError(t, err)
	_, err = w.as(t, "imke").PublishFrom(ctx, course, folderArchive, anew)
	require.NoError(t, err)
	ada := w.as(t, "ada")
	light := func(ticket *wire.Ticket) *array.Array {
		return results(t, ticket, "light = shade[all, new] * sun[new, all]", "light")["own-1"]["light"].Array
	}
	agrees := func(ticket *wire.Ticket, a *wire.Attempt, err error) {
		t.Helper()
		require.NoError(t, err)
		a, err = ada.Attempt(ctx, a.ID, 30)
		require.NoError(t, err)
		require.Equal(t, check.Agrees, a.Verdict.Verdict)
	}

	ticket, err := ada.MakeTicket(ctx, course, "pigment-mix")
	require.NoError(t, err)
	all := light(ticket)
	require.Equal(t, 3160*3160, all.Size())
	body := fmt.Appendf(nil, `{"ticket": %d, "results": {"own-1": {"light": [`, ticket.ID)
	for i := range 3160 { // a nested list, with white space up to 64 MiB
		if i > 0 {
			body = append(body, ",\n     "...)
		}
		body = append(body, '[')
		for k, v := range all.Ints()[i*3160 : (i+1)*3160] {
			if k > 0 {
				body = append(body, ",    "...)
			}
			body = append(body, byte('0'+v))
		}
		body = append(body, ']')
	}
	body = append(body, "]}}}"...)
	require.Greater(t, len(body), 57<<20)
	send := func(body []byte) (int, string) {
		status, text := w.sent(t, "ada", "POST", "/courses/"+course+"/exercises/pigment-mix/attempts?wait=30",
			"application/json", body, nil)
		return status, string(text)
	}
	status, answer := send(body)
	require.Equal(t, 202, status, answer)
	var first wire.Attempt
	require.NoError(t, json.Unmarshal([]byte(answer), &first))
	agrees(ticket, &first, nil)

	ticket, err = ada.MakeTicket(ctx, course, "pigment-mix")
	require.NoError(t, err)
	all = light(ticket)
	status, answer = send(append(body[:len(body)-4:len(body)-4], bytes.Repeat([]byte(" "), 20<<20)...))
	assert.Equal(t, 413, status, answer)
	assert.Contains(t, answer, "bytes, which is what is taken here")
	req, err := http.NewRequestWithContext(ctx, "POST", w.base+"/api/v1/courses/"+course+"/exercises/pigment-mix/attempts",
		io.LimitReader(spaces{}, 70<<20)) // of a length that is not said
	require.NoError(t, err)
	token, err := ada.SignIn(ctx, "ada", password, "")
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+token.Token)
	req.Header.Set("Content-Type", "application/json")
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	assert.Equal(t, 413, res.StatusCode)
	status, answer = send(fmt.Appendf(nil, `{"ticket": %d, "source": null, "results": {"own-1": {"light": null}}}`,
		ticket.ID))
	assert.Equal(t, 422, status, answer)
	assert.Contains(t, answer, "it is missing")
	status, answer = send(fmt.Appendf(nil, `{"ticket": %d, "results": {"own-1": null}}`, ticket.ID))
	assert.Equal(t, 422, status, answer)
	status, answer = send([]byte(`{"ticket": 1, "results": {"own-1": {"light": [` + strings.Repeat("1,", 10_000_001) +
		`1]}}}`))
	assert.Equal(t, 400, status, answer)
	assert.Contains(t, answer, "more numbers than are taken")

	var table, nc bytes.Buffer
	for i := range 3160 {
		for k, v := range all.Ints()[i*3160 : (i+1)*3160] {
			if k > 0 {
				table.WriteByte(',')
			}
			table.WriteByte(byte('0' + v))
		}
		table.WriteByte('\n')
	}
	a, err := ada.HandInFiles(ctx, course, "pigment-mix", client.Files{Ticket: &ticket.ID,
		Files: []check.File{{Name: "own-1/light.csv", Body: table.Bytes()}}}, 30)
	agrees(ticket, a, err)

	ticket, err = ada.MakeTicket(ctx, course, "pigment-mix")
	require.NoError(t, err)
	require.NoError(t, dataio.WriteNetCDF(&nc, []dataio.Variable{{Name: "light", Array: light(ticket)}}))
	a, err = ada.HandInFiles(ctx, course, "pigment-mix", client.Files{Ticket: &ticket.ID,
		Files: []check.File{{Name: "light.nc", Body: nc.Bytes()}}}, 30)
	agrees(ticket, a, err)

	ticket, err = ada.MakeTicket(ctx, course, "pigment-mix")
	require.NoError(t, err)
	for what, file := range map[string]check.File{
		"more than 1000 entries":   {Name: "all.zip", Body: manyEntries(1_000_000)},
		"more than 10000000 cells": {Name: "light.csv", Body: append(table.Bytes(), table.Bytes()...)},
	} {
		_, err = ada.HandInFiles(ctx, course, "pigment-mix", client.Files{Ticket: &ticket.ID, Files: []check.File{file}}, 30)
		assert.Contains(t, problem(t, err, 422).Detail, what)
	}
	again, err := ada.MakeTicket(ctx, course, "pigment-mix")
	require.NoError(t, err)
	assert.Equal(t, ticket.ID, again.ID, "what is refused uses no ticket")
}

// spaces is white space without end.
type spaces struct{}

func (spaces) Read(p []byte) (int, error) {
	for i := range p {
		p[i] = ' '
	}
	return len(p), nil
}

// manyEntries is an archive of so many entries, all of the same empty file.
func manyEntries(n int) []byte {
	var b bytes.Buffer
	local := append([]byte("PK\x03\x04"), make([]byte, 26)...)
	local[4], local[26] = 20, 1
	b.Write(append(local, 'y'))
	start := b.Len()
	for i := range n {
		name := fmt.Sprintf("%06d", i)
		entry := append([]byte("PK\x01\x02"), make([]byte, 42)...)
		entry[4], entry[6], entry[28] = 20, 20, byte(len(name))
		b.Write(append(entry, name...))
	}
	size := b.Len() - start
	var end []byte
	number := func(v int) {
		for range 8 {
			end, v = append(end, byte(v)), v>>8
		}
	}
	end = append(end, "PK\x06\x06"...)
	number(44)
	end = append(end, 45, 0, 45, 0, 0, 0, 0, 0, 0, 0, 0, 0)
	for _, v := range []int{n, n, size, start} {
		number(v)
	}
	end = append(end, "PK\x06\x07\x00\x00\x00\x00"...)
	number(b.Len())
	end = append(end, 1, 0, 0, 0)
	end = append(end, "PK\x05\x06\x00\x00\x00\x00"...)
	end = append(end, bytes.Repeat([]byte{0xff}, 12)...)
	end = append(end, 0, 0)
	b.Write(end)
	return b.Bytes()
}

// TestAPreviewKnowsArrays: what an edit changes is told of arrays too, and a re-check judges the same data anew.
func TestAPreviewKnowsArrays(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	ada, imke := w.as(t, "ada"), w.as(t, "imke")
	ticket, err := ada.MakeTicket(ctx, course, "standard-scores")
	require.NoError(t, err)
	a, err := ada.HandInArrays(ctx, course, "standard-scores", &ticket.ID, results(t, ticket, otherAxis, "scores"), 20)
	require.NoError(t, err)
	require.Equal(t, check.Differs, a.Verdict.Verdict)
	edit := changedCourse(t, "exercises/standard-scores/reference.nra", func(text string) string {
		return "function standardize(x) = (x - mean(x)) / std(x)\n" + otherAxis + "\n"
	})
	before, err := imke.Preview(ctx, course, edit, nil)
	require.NoError(t, err)
	require.Len(t, before.Changes, 1)
	assert.Equal(t, []string{"differs", "agrees"}, []string{before.Changes[0].Before, before.Changes[0].After})
	_, err = imke.PublishFrom(ctx, course, edit, anew)
	require.NoError(t, err)
	_, err = imke.Recheck(ctx, course, nil, false)
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		now, err := ada.Attempt(ctx, a.ID, 5)
		return err == nil && now.Verdict != nil && now.Verdict.Verdict == check.Agrees
	}, 20*time.Second, 50*time.Millisecond)
}

// ownTools are the programs that ship as examples, with what becomes of them.
var ownTools = []struct {
	exercise, program string
	code              int
	says              string
}{
	{"standard-scores", "scores.awk", 0, "● agrees"},
	{"standard-scores", "scores-over-ropes.awk", 1, "axis"},
	{"standard-scores", "scores-columns.sh", 1, "◐ differs"},
	{"pigment-mix", "pigments.go", 0, "● agrees"},
	{"pigment-mix", "pigments-shown.sh", 1, "◐ differs"},
}

// command runs an example program.
func command(t *testing.T, program string) []string {
	t.Helper()
	file, err := filepath.Abs(filepath.Join("..", "demo", "own-tools", program))
	require.NoError(t, err)
	switch filepath.Ext(program) {
	case ".awk":
		return []string{"awk", "-f", file}
	case ".go":
		binary := filepath.Join(t.TempDir(), "program")
		out, err := exec.Command("go", "build", "-o", binary, file).CombinedOutput()
		require.NoError(t, err, string(out))
		return []string{binary}
	}
	return []string{"sh", file}
}

// TestProgramsOfOnesOwn runs each example as its student would.
func TestProgramsOfOnesOwn(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	top := t // where the sign-in is kept
	code, _, told := nimbus(t, password+"\n", "sign-in", "--service", w.base, "--name", "ada")
	require.Zero(t, code, told)
	folder := t.TempDir()
	require.NoError(t, os.CopyFS(folder, demo.Course()))
	for _, x := range ownTools {
		t.Run(x.program, func(t *testing.T) {
			run := append([]string{"--"}, command(t, x.program)...)
			code, out, told := nimbus(top, "", append([]string{"run", x.exercise, "--source",
				filepath.Join("..", "demo", "own-tools", x.program)}, run...)...)
			assert.Equal(t, x.code, code, "%s%s", out, told)
			assert.Contains(t, out, x.says)
			assert.Contains(t, out, "judged on the data of your ticket; rules: not checked")
			code, out, told = nimbus(top, "", append([]string{"run", x.exercise, "--shown"}, run...)...)
			assert.Zero(t, code, "%s%s", out, told)
			assert.Contains(t, out, "The form is as wanted.")
			offline := filepath.Join(folder, "exercises", x.exercise)
			code, out, told = nimbus(top, "", append([]string{"run", offline, "--shown"}, run...)...)
			want := x.code
			if x.program == "pigments-shown.sh" {
				want = 0 // on the shown data the shown answer is right
			}
			assert.Equal(t, want, code, "%s%s", out, told)
			assert.Contains(t, out, "judged on the shown cases alone; rules: not checked")
		})
	}
	for name, c := range map[string]struct {
		command []string
		says    string
	}{
		"fails":         {[]string{"sh", "-c", "echo no such rope >&2; exit 4"}, "no such rope"},
		"writes none":   {[]string{"true"}, "wrote nothing into out"},
		"wrong name":    {[]string{"sh", "-c", "mkdir -p out/own-1; echo 1 > out/own-1/score.csv"}, "are not as wanted"},
		"hangs":         {[]string{"sh", "-c", "sleep 60 & sleep 60"}, "ran longer than"},
		"floods":        {[]string{"sh", "-c", "yes rope | head -c 3000000; exit 1"}, "[...]"},
		"writes a lot":  {[]string{"sh", "-c", "yes rope | head -c 400000000 > out/a.csv; sleep 5"}, "wrote more than"},
		"is not there":  {[]string{"no-such-command"}, "cannot be found"},
		"no plain text": {[]string{"sh", "-c", "mkdir -p out/own-1; echo a > out/own-1/scores.json"}, "this is not JSON"},
	} {
		t.Run(name, func(t *testing.T) {
			timeout := "20s"
			if name == "hangs" {
				timeout = "300ms"
			}
			code, out, told := nimbus(top, "", append([]string{"run", "standard-scores", "--timeout", timeout, "--"},
				c.command...)...)
			assert.Equal(t, 3, code, "%s%s", out, told)
			assert.Contains(t, told, c.says)
			assert.Contains(t, told, "nothing was handed in")
			assert.Less(t, len(told), 100<<10)
		})
	}
	code, _, told = nimbus(t, "", "run", "standard-scores", "true")
	assert.Equal(t, 2, code)
	assert.Contains(t, told, "put `--` between")
}

// TestDataAreFetchedAndHandedIn goes the way by hand: files out, files back, the ticket remembered beside them.
func TestDataAreFetchedAndHandedIn(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	code, _, told := nimbus(t, password+"\n", "sign-in", "--service", w.base, "--name", "ada")
	require.Zero(t, code, told)
	into := filepath.Join(t.TempDir(), "mine")
	code, out, told := nimbus(t, "", "fetch", "standard-scores", "--into", into)
	require.Zero(t, code, told)
	assert.Contains(t, out, "nimbus attempt standard-scores --results "+into)
	assert.FileExists(t, filepath.Join(into, "README.txt"))
	awk := exec.Command("awk", "-f", command(t, "scores.awk")[2])
	awk.Env = append(os.Environ(), "NIMBUS_IN="+into, "NIMBUS_OUT="+into)
	said, err := awk.CombinedOutput()
	require.NoError(t, err, string(said))
	code, out, told = nimbus(t, "", "attempt", "standard-scores", "--results", into)
	require.Zero(t, code, "%s%s", out, told)
	assert.Contains(t, out, "● agrees  2 of 2 points")
	code, _, told = nimbus(t, "", "attempt", "standard-scores", "--results", into)
	assert.Equal(t, 2, code)
	assert.Contains(t, told, "handed in for this ticket already")
	for format, file := range map[string]string{"nc": "data.nc", "json": "own-2/weights.json",
		"mtx": "own-1/weights.mtx"} {
		into := filepath.Join(t.TempDir(), format)
		code, out, told = nimbus(t, "", "fetch", "standard-scores", "--into", into, "--format", format)
		require.Zero(t, code, told)
		assert.FileExists(t, filepath.Join(into, filepath.FromSlash(file)))
		assert.FileExists(t, filepath.Join(into, "README.txt"))
		assert.Contains(t, out, file)
	}
	code, _, told = nimbus(t, "", "fetch", "standard-scores", "--format", "xml")
	assert.Equal(t, 2, code)
	assert.Contains(t, told, "it takes csv, json, nc, mtx")

	shown := filepath.Join(t.TempDir(), "shown")
	code, _, told = nimbus(t, "", "fetch", "pigment-mix", "--shown", "--into", shown)
	require.Zero(t, code, told)
	raw, err := os.ReadFile(filepath.Join(shown, "workshop", "jars.csv"))
	require.NoError(t, err)
	rows, err := csv.NewReader(bytes.NewReader(raw)).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"2", "0", "1"}, {"1", "5", "0"}}, rows)
	for name, text := range map[string]string{"jar_price": "8.05\n8.1\n4.225\n", "needed": "10.5\n23.5\n20\n11\n",
		"bill": "20.325\n48.55\n"} {
		require.NoError(t, os.WriteFile(filepath.Join(shown, "workshop", name+".csv"), []byte(text), 0o600))
	}
	folder := t.TempDir()
	require.NoError(t, os.CopyFS(folder, demo.Course()))
	code, out, told = nimbus(t, "", "check", filepath.Join(folder, "exercises", "pigment-mix"), "--results", shown)
	assert.Zero(t, code, "%s%s", out, told)
	require.NoError(t, os.Remove(filepath.Join(shown, "workshop", "bill.csv")))
	code, _, told = nimbus(t, "", "check", filepath.Join(folder, "exercises", "pigment-mix"), "--results", shown)
	assert.Equal(t, 1, code)
	assert.Contains(t, told, "workshop/bill: it is missing")
	code, _, told = nimbus(t, "", "check", filepath.Join(folder, "exercises", "pigment-mix"))
	assert.Equal(t, 2, code, fmt.Sprint(told))
}

// TestNetCDFIsCourseData: a case's data are a variable of a netCDF file, on the command line, published, and edited in
// the browser without harm.
func TestNetCDFIsCourseData(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	folder := t.TempDir()
	require.NoError(t, os.CopyFS(folder, demo.Course()))
	own := filepath.Join(folder, "exercises", "standard-scores")
	var b bytes.Buffer
	require.NoError(t, dataio.WriteNetCDF(&b, []dataio.Variable{
		{Name: "weights", Array: array.FromReals([]float64{1, 2, 3, 4, 5, 7}, 2, 3).WithLabels([]string{"rope", "harvest"})},
		{Name: "turned", Array: array.FromReals([]float64{1, 2, 3, 4, 5, 7}, 2, 3).WithLabels([]string{"harvest", "rope"})},
		{Name: "holes", Array: array.FromReals([]float64{1, math.NaN()}, 1, 2).WithLabels([]string{"rope", "harvest"})}}))
	require.NoError(t, os.WriteFile(filepath.Join(own, "bay.nc"), b.Bytes(), 0o600))
	yaml, err := os.ReadFile(filepath.Join(own, "exercise.yaml"))
	require.NoError(t, err)
	shown := "weights: [[12.5, 14.0, 9.5, 11.0], [8.0, 8.5, 15.5, 10.0], [20.0, 17.5, 18.0, 25.5]]"
	require.Contains(t, string(yaml), shown)
	for variable, says := range map[string]string{
		"{file: bay.nc, column: turned}": "the axes of `turned` are harvest, rope",
		"{file: bay.nc, column: holes}":  "`holes` is missing a value at [0 1]",
		"{file: bay.nc, column: none}":   "the file has no variable `none`", "bay.nc": ""} {
		text := strings.Replace(string(yaml), shown, "weights: "+variable, 1)
		require.NoError(t, os.WriteFile(filepath.Join(own, "exercise.yaml"), []byte(text), 0o600))
		code, out, told := nimbus(t, "", "inspect", own)
		if says != "" {
			assert.Equal(t, 2, code)
			assert.Contains(t, out+told, says)
			continue
		}
		assert.NotEqual(t, 2, code, out+told)
		archive, err := exercise.Pack(os.DirFS(folder))
		require.NoError(t, err)
		_, err = w.as(t, "imke").PublishFrom(ctx, course, archive, anew)
		require.NoError(t, err)
	}
	files := w.folder(ctx, t)
	assert.True(t, strings.HasPrefix(files["exercises/standard-scores/bay.nc"], "data:application/x-netcdf;base64,"))
	var draft wire.Draft
	require.Equal(t, 200, w.asked(t, "imke", "POST", "/courses/"+course+"/draft?exercise=standard-scores",
		wire.Folder{Files: files}, &draft))
	assert.Empty(t, draft.Errors, "what came as a data URL is the same file again")
	code, out, told := nimbus(t, "", "evaluate", "-e", "mean(weights over harvest)", "--set",
		"weights="+filepath.Join(own, "bay.nc"), "--output", "json")
	require.Zero(t, code, told)
	assert.Contains(t, strings.ReplaceAll(strings.ReplaceAll(out, " ", ""), "\n", ""), `"data":[2,5.33333333333333`)
}

// TestResultsAreBroughtInTheBrowser goes the whole way on the page: data, files of a wrong form, of the right one,
// and the verdict with both sides.
func TestResultsAreBroughtInTheBrowser(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	p := open(t, w, "ada")
	require.NoError(t, p.Go("/courses/"+course+"/exercises/standard-scores"))
	press := func(words string) {
		t.Helper()
		find := fmt.Sprintf(`[...document.querySelectorAll("button")].find((b) => b.textContent === %q)`, words)
		require.NoError(t, p.Await("!!"+find))
		_, err := browser.Eval[bool](p, "("+find+".click(), true)")
		require.NoError(t, err)
	}
	press("bring results")
	press("Take data")
	require.NoError(t, p.AwaitText("[aria-label='bring results']", "minutes left"))
	ticket, err := w.as(t, "ada").MakeTicket(background(t), course, "standard-scores")
	require.NoError(t, err)
	saved, err := browser.Eval[string](p, `document.querySelector("a[download][href*=tickets]").getAttribute("href")`)
	require.NoError(t, err)
	assert.Equal(t, fmt.Sprintf("/api/v1/tickets/%d/data?format=csv", ticket.ID), saved)
	bring := func(files map[string][]byte) {
		t.Helper()
		script := `(() => { const d = new DataTransfer();`
		for name, body := range files {
			script += fmt.Sprintf(`d.items.add(new File([%q], %q));`, body, strings.ReplaceAll(name, "/", "."))
		}
		_, err := browser.Eval[bool](p, script+`const i = document.querySelector("input[type=file]"); i.files = d.files;
			i.dispatchEvent(new Event("change", {bubbles: true})); return true })()`)
		require.NoError(t, err)
	}
	files := asFiles(t, "csv", results(t, ticket, rightScores, "scores"))
	bring(map[string][]byte{"own-1/scores.csv": []byte("1,2\n"), "own-2/scores.csv": files["own-2/scores.csv"]})
	require.NoError(t, p.AwaitText("[aria-label='bring results']", "The form is not as wanted yet."))
	require.NoError(t, p.AwaitText("[data-announced]", "1 of 2 arrays are not as wanted"))
	bring(files)
	require.NoError(t, p.AwaitText("[aria-label='bring results']", "The form is as wanted"))
	_, err = browser.Eval[bool](p,
		`([...document.querySelectorAll("[aria-label='bring results'] button")].find((b) => b.textContent === "Hand " +
			"in").click(), true)`)
	require.NoError(t, err)
	require.NoError(t, p.AwaitText("[data-verdict]", "agrees"))
	require.NoError(t, p.AwaitText("[aria-label=verdict]", "judged on the data of the ticket"))
	require.NoError(t, p.Await(`document.querySelectorAll("[aria-labelledby=beside] figure").length > 1`))
}
