package e2e

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"io"
	"io/fs"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/demo"
	"nimbusreach/e2e/browser"
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/exercise"
)

// changedCourse packs the demo course with one file changed.
func changedCourse(t *testing.T, file string, change func(string) string) []byte {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, demo.Course()))
	text, err := os.ReadFile(filepath.Join(dir, file))
	require.NoError(t, err)
	after := change(string(text))
	require.NotEqual(t, string(text), after)
	require.NoError(t, os.WriteFile(filepath.Join(dir, file), []byte(after), 0o644))
	archive, err := exercise.Pack(os.DirFS(dir))
	require.NoError(t, err)
	return archive
}

const ropeMeans = "exercises/rope-means/exercise.yaml"

// loosen gives one output a tolerance that takes nearly anything.
func loosen(text string) string {
	return strings.Replace(text, "per_rope: {axes: [rope], unit: cm, points: 2}",
		"per_rope: {axes: [rope], unit: cm, points: 2, tolerance: {absolute: 1000}, ones: ignore}", 1)
}

func TestPublishingShowsWhatWouldChangeAndChecksAgain(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	imke, ada := w.as(t, "imke"), w.as(t, "ada")
	median := strings.Replace(right, "mean(growth", "median(growth", 1)
	a, err := ada.HandIn(ctx, course, "rope-means", median, "", 20)
	require.NoError(t, err)
	require.Equal(t, check.Differs, a.Verdict.Verdict)

	loose := changedCourse(t, ropeMeans, loosen)
	seen, err := imke.Preview(ctx, course, loose, nil)
	require.NoError(t, err)
	assert.True(t, seen.Preview)
	assert.Equal(t, 1, seen.Revision, "nothing was stored")
	assert.Equal(t, 1, seen.Checked)
	require.Len(t, seen.Changes, 1)
	assert.Equal(t, wire.VerdictChange{Attempt: a.ID, Exercise: "rope-means", Display: "ada Shoalby", Before: "differs",
		After: "agrees", Earned: 2, Now: 4}, seen.Changes[0])
	assert.Positive(t, seen.Survivors, "a loose tolerance lets slips through")
	given := ""
	for _, x := range seen.Advice {
		given += string(x.Code) + " "
	}
	assert.Contains(t, given, "loose")
	list, err := imke.Revisions(ctx, course)
	require.NoError(t, err)
	assert.Len(t, list.Revisions, 1)

	out, err := imke.PublishFrom(ctx, course, loose, client.Publishing{From: client.AnyRevision, Recheck: true})
	require.NoError(t, err)
	assert.Equal(t, 2, out.Revision)
	assert.EqualValues(t, 1, out.Rechecked)
	require.Eventually(t, func() bool {
		again, err := ada.Attempt(ctx, a.ID, 5)
		return err == nil && again.Verdict != nil && again.Verdict.Verdict == check.Agrees
	}, patience, patience/600)

	archive, err := imke.Revision(ctx, course, 1)
	require.NoError(t, err)
	before, err := exercise.Unpack(archive)
	require.NoError(t, err)
	text, err := fs.ReadFile(before, ropeMeans)
	require.NoError(t, err)
	assert.NotContains(t, string(text), "absolute: 1000", "a revision never changes")
	_, err = ada.Revision(ctx, course, 1)
	problem(t, err, 403)
	_, err = imke.Revision(ctx, course, 7)
	problem(t, err, 404)
}

func TestACourseBelowItsOwnBarIsNotPublished(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	weak := changedCourse(t, ropeMeans, func(text string) string {
		return strings.NewReplacer("best_week: {axes: [rope, depth], unit: cm}",
			"best_week: {axes: [rope, depth], unit: cm, tolerance: {absolute: 1e6}}", "spread: {axes: [week], unit: cm}",
			"spread: {axes: [week], unit: cm, tolerance: {absolute: 1e6}}").Replace(loosen(text))
	})
	dir := t.TempDir()
	folder, err := exercise.Unpack(weak)
	require.NoError(t, err)
	require.NoError(t, os.CopyFS(dir, folder))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "course.yaml"),
		[]byte("title: Weak\nteam: {caught: 0.99}\nexercises: [rope-means]\n"), 0o644))
	archive, err := exercise.Pack(os.DirFS(dir))
	require.NoError(t, err)
	_, err = w.as(t, "imke").Publish(background(t), course, archive)
	assert.Contains(t, problem(t, err, 422).Detail, "the course asks for 99.0 %")
}

func TestAFormAndBombsAreReadAsArchives(t *testing.T) {
	w := start(t, -1)
	w.enrol(t, team)
	ctx := background(t)
	imke := w.as(t, "imke")
	token, err := imke.SignIn(ctx, "imke", password, "")
	require.NoError(t, err)
	archive := changedCourse(t, ropeMeans, loosen)
	var form bytes.Buffer
	form.WriteString("--x\r\nContent-Disposition: form-data; name=\"course\"; filename=\"kelp.zip\"\r\n" +
		"Content-Type: application/zip\r\n\r\n")
	form.Write(archive)
	form.WriteString("\r\n--x--\r\n")
	send := func(kind string, body io.Reader) (int, string) {
		req, err := http.NewRequestWithContext(ctx, "POST", w.base+"/api/v1/courses/"+course+"/revisions", body)
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+token.Token)
		req.Header.Set("Content-Type", kind)
		req.Header.Set("If-Match", `"1"`)
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		text, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		return res.StatusCode, string(text)
	}
	status, text := send("multipart/form-data; boundary=x", &form)
	assert.Equal(t, 201, status, text)
	status, text = send("multipart/form-data; boundary=x", strings.NewReader("--x--\r\n"))
	assert.Equal(t, 400, status, text)

	var bomb bytes.Buffer
	z := zip.NewWriter(&bomb)
	f, err := z.Create("course.yaml")
	require.NoError(t, err)
	_, err = io.CopyN(f, zeros{}, 40<<20)
	require.NoError(t, err)
	require.NoError(t, z.Close())
	status, text = send("application/zip", &bomb)
	assert.Equal(t, 422, status)
	assert.Contains(t, text, "too large inside")
}

type zeros struct{}

func (zeros) Read(p []byte) (int, error) {
	clear(p)
	return len(p), nil
}

// asked sends JSON as a person and reads the answer.
func (w *world) asked(t *testing.T, name, method, path string, in, out any) int {
	t.Helper()
	return w.askedWith(t, name, method, path, in, out, nil)
}

// askedWith is asked with headers of its own.
func (w *world) askedWith(t *testing.T, name, method, path string, in, out any, header map[string]string) int {
	t.Helper()
	body, err := json.Marshal(in)
	require.NoError(t, err)
	status, text := w.sent(t, name, method, path, "application/json", body, header)
	if out != nil && status < 400 {
		require.NoError(t, json.Unmarshal(text, out), "%s", text)
	}
	return status
}

// sent sends a body of a kind as a person and reads the answer as it is.
func (w *world) sent(t *testing.T, name, method, path, kind string, body []byte,
	header map[string]string) (status int, text []byte) {
	t.Helper()
	token, err := w.as(t, name).SignIn(background(t), name, password, "")
	require.NoError(t, err)
	req, err := http.NewRequestWithContext(background(t), method, w.base+"/api/v1"+path, bytes.NewReader(body))
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+token.Token)
	req.Header.Set("Content-Type", kind)
	for key, value := range header {
		req.Header.Set(key, value)
	}
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	text, err = io.ReadAll(res.Body)
	require.NoError(t, err)
	return res.StatusCode, text
}

func TestADraftIsLookedAtAndNothingIsStored(t *testing.T) {
	w := start(t, -1)
	w.enrol(t, team)
	var folder wire.Folder
	require.Equal(t, 200, w.asked(t, "imke", "GET", "/courses/"+course+"/folder", nil, &folder))
	assert.Contains(t, folder.Files, "course.yaml")
	assert.Equal(t, 403, w.asked(t, "aron", "GET", "/courses/"+course+"/folder", nil, nil))
	var d wire.Draft
	require.Equal(t, 200, w.asked(t, "imke", "POST", "/courses/"+course+"/draft?exercise=rope-means", folder, &d))
	assert.Empty(t, d.Errors)
	assert.Empty(t, d.Advice)
	require.Len(t, d.Exercises, 1)
	assert.Greater(t, d.Exercises[0].Slips, 50)
	assert.Empty(t, d.Exercises[0].Survivors)
	folder.Files["exercises/spare/exercise.yaml"] = folder.Files[ropeMeans]
	require.Equal(t, 200, w.asked(t, "imke", "POST", "/courses/"+course+"/draft?exercise=rope-means", folder, &d))
	require.Len(t, d.Advice, 1)
	assert.Equal(t, codes.AdviceNotListed, d.Advice[0].Code)
	var preview wire.Published
	require.Equal(t, 200, w.asked(t, "imke", "POST", "/courses/"+course+"/preview", folder, &preview))
	require.Len(t, preview.Advice, 1, "publishing says the same")
	delete(folder.Files, "exercises/spare/exercise.yaml")
	assert.Equal(t, []int{3}, d.Exercises[0].Cases[0].Outputs["per_rope"].Shape())

	folder.Files[ropeMeans] = strings.Replace(folder.Files[ropeMeans], "points: 2", "ponts: 2", 1)
	folder.Files["../outside"] = "x"
	assert.Equal(t, 422, w.asked(t, "imke", "POST", "/courses/"+course+"/draft", folder, nil))
	delete(folder.Files, "../outside")
	require.Equal(t, 200, w.asked(t, "imke", "POST", "/courses/"+course+"/draft", folder, &d))
	require.Len(t, d.Errors, 1)
	assert.Contains(t, d.Errors[0].Message, "no key `ponts`")
	assert.Contains(t, d.Errors[0].Hint, "`points`")
	list, err := w.as(t, "imke").Revisions(background(t), course)
	require.NoError(t, err)
	assert.Len(t, list.Revisions, 1)
}

func TestShapesAndTrialsBeforeHandingIn(t *testing.T) {
	w := start(t, -1)
	w.enrol(t, team)
	path := "/courses/" + course + "/exercises/rope-means"
	var out wire.Lines
	require.Equal(t, 200, w.asked(t, "ada", "POST", path+"/shapes",
		wire.Try{Program: "a = mean(growth over week)\nb = growth - transpose(a)\n"}, &out))
	require.NotEmpty(t, out.Lines)
	assert.Equal(t, "a", out.Lines[0].Name)
	assert.Equal(t, []int{3, 4}, out.Lines[0].Shape.Lengths)
	assert.Equal(t, "real", out.Lines[0].Kind)
	assert.Empty(t, out.Lines[0].Look, "nothing ran")
	require.Len(t, out.Errors, 1)
	assert.EqualValues(t, "shape.broadcast", out.Errors[0].Code)
	assert.Equal(t, 2, out.Errors[0].Place.Line)

	out = wire.Lines{}
	require.Equal(t, 200, w.asked(t, "ada", "POST", path+"/try", wire.Try{Program: right, Case: "spring"}, &out))
	require.Len(t, out.Lines, 3)
	assert.NotEmpty(t, out.Lines[2].Look)
	require.Equal(t, 200, w.asked(t, "ada", "POST", path+"/try",
		wire.Try{Program: "a = [0.1, 5.5] + [0.2, 0.3]\nb = count(a > 1)\nc = [0.1 + 0.2, 1i]", Case: "spring"}, &out))
	require.Len(t, out.Lines, 3)
	assert.Equal(t, []string{"0.3  5.8", "1", "0.3 + 0.0i  0.0 + 1.0i"}, []string{out.Lines[0].Look, out.Lines[1].Look,
		out.Lines[2].Look})
	own := array.FromReals([]float64{1, 2, 3, 5}, 1, 2, 2)
	require.Equal(t, 200, w.asked(t, "ada", "POST", path+"/try", wire.Try{Program: "a = mean(growth over depth)",
		Inputs: map[string]dataio.JSON{"growth": {Array: own}}}, &out))
	require.Len(t, out.Lines, 1)
	assert.Equal(t, "1.5  4.0", out.Lines[0].Look, "data of one's own take the place of the case's, with its labels")
	assert.Equal(t, 404, w.asked(t, "ada", "POST", path+"/try", wire.Try{Program: right, Case: "autumn"}, nil),
		"held cases are not tried")
	all, err := w.as(t, "aron").Desk(background(t), course)
	require.NoError(t, err)
	assert.Zero(t, all.Attempts, "a trial is no attempt")
}

func TestArraysPredictionsAndLimits(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	ada := w.as(t, "ada")
	w.shownOnly(t)
	reals := func(v ...float64) dataio.JSON { return dataio.JSON{Array: array.FromReals(v, len(v))} }
	a, err := ada.HandInArrays(ctx, course, "pigment-mix", nil, map[string]map[string]dataio.JSON{"workshop": {
		"jar_price": reals(8.05, 8.1, 4.225), "needed": reals(9, 22.5, 19.5, 11), "bill": reals(20.325, 48.55)}}, 20)
	require.NoError(t, err)
	assert.Equal(t, "results", a.Verdict.Kind)
	assert.False(t, a.Verdict.RulesChecked)
	assert.Equal(t, check.OnShown, a.Verdict.On, "and it says so")
	assert.Len(t, a.Verdict.Cases, 1, "only the shown case is judged")
	agreed := 0
	for _, f := range a.Verdict.Findings {
		assert.NotEqual(t, "jar_price", *f.Output, "%s", f.Message)
		agreed++
	}
	_, err = ada.HandInArrays(ctx, course, "rope-means", nil, map[string]map[string]dataio.JSON{"spring": {}}, 1)
	assert.Contains(t, problem(t, err, 422).Detail, "takes no arrays")

	e, err := ada.Exercise(ctx, course, "shapes-first")
	require.NoError(t, err)
	require.Len(t, e.Asks, 3)
	var got wire.Answered
	require.Equal(t, 200, w.asked(t, "ada", "POST", "/courses/"+course+"/exercises/shapes-first/predictions",
		wire.Answers{Answers: []string{"3, 4", "[3]", "int"}}, &got))
	assert.True(t, got.Predictions[0].Right)
	assert.False(t, got.Predictions[1].Right)
	assert.Equal(t, "[4]", got.Predictions[1].Expected)
	assert.True(t, got.Predictions[2].Right)
	assert.Equal(t, 422, w.asked(t, "ada", "POST", "/courses/"+course+"/exercises/shapes-first/predictions",
		wire.Answers{Answers: []string{"1"}}, nil))
	e, err = ada.Exercise(ctx, course, "shapes-first")
	require.NoError(t, err)
	assert.Empty(t, e.Asks, "what was said stays")

	limited := changedCourse(t, ropeMeans, func(text string) string {
		return text +
			"attempts: {limit: 2}\nfeedback: {causes: after 2}\n"
	})
	_, err = w.as(t, "imke").PublishFrom(ctx, course, limited, anew)
	require.NoError(t, err)
	first, err := ada.HandIn(ctx, course, "rope-means", wrong, "", 20)
	require.NoError(t, err)
	assert.Empty(t, first.Verdict.Causes, "causes come after the second attempt")
	second, err := ada.HandIn(ctx, course, "rope-means", wrong, "again", 20)
	require.NoError(t, err)
	require.NotEmpty(t, second.Verdict.Causes)
	assert.Equal(t, "Which axis must go, and which must stay?", second.Verdict.Causes[0].Message)
	assert.Empty(t, second.Verdict.Causes[0].Change, "the change could give the answer away")
	_, err = ada.HandIn(ctx, course, "rope-means", wrong, "again", 20)
	assert.NoError(t, err, "a repeat is no new attempt")
	_, err = ada.HandIn(ctx, course, "rope-means", right, "", 1)
	assert.Contains(t, problem(t, err, 403).Detail, "takes 2 attempts")
	seen, err := w.as(t, "aron").Attempt(ctx, first.ID, 0)
	require.NoError(t, err)
	require.NotEmpty(t, seen.Verdict.Causes)
	assert.Contains(t, seen.Verdict.Causes[0].Change, "→", "the team sees all")
}

// TestAnExerciseIsMendedInTheBrowser edits a tolerance away, sees a slip survive, puts
// it back, and publishes another change.
func TestAnExerciseIsMendedInTheBrowser(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	_, err := w.as(t, "ada").HandIn(background(t), course, "rope-means", wrong, "", 20)
	require.NoError(t, err)
	p := open(t, w, "imke")
	require.NoError(t, p.Go("/courses/"+course))
	require.NoError(t, p.Click(`a[href="/courses/`+course+`/author"]`))
	require.NoError(t, p.Await(`document.querySelector('[data-health="rope-means"]')?.textContent.includes("%")`))
	require.NoError(t, p.Click(`[data-health="rope-means"] a`))
	require.NoError(t, p.AwaitText("h2", "Mean growth of each rope"))
	require.NoError(t, p.Edit("points: 2}", "points: 2, tolerance: {absolute: 1000}}"))
	require.NoError(t, p.AwaitText("[role=tab]", "Inspect and probe ("))
	require.NoError(t, p.AwaitText("[role=tab]", "Changes (1)"))
	require.NoError(t, p.AwaitText(`[aria-label="publishing"]`, "1 file differs"))
	require.NoError(t, p.Click(`[aria-label="publishing"] .button-main`))
	require.NoError(t, p.AwaitText(`[aria-label="publishing"]`, "1 attempts checked"))
	buttons, err := browser.Eval[bool](p,
		`(() => { [...document.querySelectorAll('[aria-label="publishing"] button')].find((b) => b.textContent === "Publish").click(); return true })()`)
	require.NoError(t, err)
	assert.True(t, buttons)
	require.NoError(t, p.AwaitText(`[aria-label="publishing"]`, "Published as revision 2"))
	list, err := w.as(t, "imke").Revisions(background(t), course)
	require.NoError(t, err)
	assert.Len(t, list.Revisions, 2)
	archive, err := w.as(t, "imke").Revision(background(t), course, 2)
	require.NoError(t, err)
	folder, err := exercise.Unpack(archive)
	require.NoError(t, err)
	_, problems := exercise.LoadCourse(folder)
	assert.Empty(t, problems, "what is edited in the browser loads offline")
}
