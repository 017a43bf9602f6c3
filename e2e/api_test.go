package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/demo"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service"
)

func TestAttemptsReachVerdicts(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	ada, aron := w.as(t, "ada"), w.as(t, "aron")

	got, err := ada.HandIn(ctx, course, "rope-means", wrong, "", 20)
	require.NoError(t, err)
	require.NotNil(t, got.Verdict)
	assert.Equal(t, check.Differs, got.Verdict.Verdict)
	assert.Equal(t, "shape.differs", string(got.Verdict.Findings[0].Code))
	assert.Nil(t, got.Seconds, "students see no timings")

	got, err = ada.HandIn(ctx, course, "rope-means", right, "", 20)
	require.NoError(t, err)
	assert.Equal(t, check.Agrees, got.Verdict.Verdict)

	mine, err := ada.Course(ctx, course)
	require.NoError(t, err)
	for _, e := range mine.Exercises {
		if e.Name == "rope-means" {
			assert.Equal(t, 2, e.Mine.Attempts)
			assert.True(t, e.Mine.Agrees)
			assert.Equal(t, 4.0, *e.Mine.Best)
		}
	}
	ex, err := ada.Exercise(ctx, course, "rope-means")
	require.NoError(t, err)
	assert.Len(t, ex.Cases, 1, "only shown cases come with data")
	assert.Equal(t, 2, ex.Held)
	assert.Equal(t, right, ex.Last.Program)

	d, err := aron.Desk(ctx, course)
	require.NoError(t, err)
	assert.Equal(t, 2, d.Students)
	assert.EqualValues(t, 2, d.Attempts)
	assert.Empty(t, d.Knots, "her newest attempt agrees")

	_, err = w.as(t, "bree").HandIn(ctx, course, "rope-means", wrong, "", 20)
	require.NoError(t, err)
	d, err = aron.Desk(ctx, course)
	require.NoError(t, err)
	require.Len(t, d.Knots, 1)
	assert.Equal(t, "axis.other", d.Knots[0].Code)
	assert.NotEmpty(t, d.Knots[0].Says)
	assert.Equal(t, "per_rope", d.Knots[0].Output)
	sides, err := aron.Arrays(ctx, d.Knots[0].Attempts[0], "autumn", "per_rope")
	require.NoError(t, err)
	assert.Equal(t, []int{5}, sides.Expected.Shape())
	assert.Equal(t, []int{3}, sides.Actual.Shape())
	assert.Nil(t, sides.Difference)
}

// problem asserts that an error is a problem with a status, and returns it.
func problem(t *testing.T, err error, status int) wire.Problem {
	t.Helper()
	var e *client.Error
	require.ErrorAs(t, err, &e)
	assert.Equal(t, status, e.Status, "%s", e.Detail)
	assert.NotEmpty(t, e.Detail)
	assert.NotEmpty(t, e.Hint)
	assert.True(t, strings.HasPrefix(e.Type, "urn:nimbus:problem:"))
	return e.Problem
}

func TestWhoMayDoWhat(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	ctx := background(t)
	ada, bree, aron, imke, operator := w.as(t, "ada"), w.as(t, "bree"), w.as(t, "aron"), w.as(t, "imke"),
		w.as(t, demo.Operator)
	a, err := ada.HandIn(ctx, course, "rope-means", wrong, "", 20)
	require.NoError(t, err)
	archive, err := exercise.Pack(demo.Course())
	require.NoError(t, err)

	_, err = ada.Desk(ctx, course)
	problem(t, err, 403)
	_, err = bree.Attempt(ctx, a.ID, 0)
	problem(t, err, 404)
	_, err = ada.Arrays(ctx, a.ID, "autumn", "per_rope")
	problem(t, err, 404)
	_, err = ada.Arrays(ctx, a.ID, "spring", "per_rope")
	assert.NoError(t, err, "a shown case's values show")
	_, err = aron.Attempt(ctx, a.ID, 0)
	assert.NoError(t, err)
	_, err = ada.Publish(ctx, course, archive)
	problem(t, err, 403)
	_, err = aron.Publish(ctx, "another", archive)
	problem(t, err, 403)
	out, err := imke.PublishFrom(ctx, course, archive, anew)
	require.NoError(t, err)
	assert.True(t, out.Unchanged)
	problem(t, aron.SetRole(ctx, course, "ada", "instructor"), 403)
	_, err = imke.AddPerson(ctx, wire.NewPerson{Name: "finn"})
	problem(t, err, 403)
	_, err = operator.AddPerson(ctx, wire.NewPerson{Name: "f in"})
	assert.Contains(t, problem(t, err, 422).Detail, "cannot be a name")
	_, err = operator.AddPerson(ctx, wire.NewPerson{Name: "ada"})
	problem(t, err, 409)
	stranger, err := operator.AddPerson(ctx, wire.NewPerson{Name: "gwen"})
	require.NoError(t, err)
	_, err = client.New(w.base, "").OpenLink(ctx, stranger.Link.Address, password)
	require.NoError(t, err)
	_, err = w.as(t, stranger.Name).Course(ctx, course)
	problem(t, err, 404)
	_, err = client.New(w.base, "no token").Me(ctx)
	problem(t, err, 401)
	require.NoError(t, ada.SignOut(ctx))
	_, err = ada.Me(ctx)
	problem(t, err, 401)

	own, err := bree.Attempts(ctx, course, client.AttemptsFilter{})
	require.NoError(t, err)
	assert.Empty(t, own.Attempts, "students list their own attempts only")
	all, err := aron.Attempts(ctx, course, client.AttemptsFilter{})
	require.NoError(t, err)
	assert.Len(t, all.Attempts, 1)
}

func TestWrongSignIns(t *testing.T) {
	w := start(t, -1)
	w.enrol(t, map[string]string{"ada": "student"})
	ctx := background(t)
	try := func(name, pass string) wire.Problem {
		_, err := client.New(w.base, "").SignIn(ctx, name, pass, "")
		return problem(t, err, 401)
	}
	known, unknown := try("ada", "wrong password"), try("nobody", "wrong password")
	assert.Equal(t, known, unknown, "the answer does not tell whether the name exists")
	for range 3 {
		try("ada", "wrong password")
	}
	_, err := client.New(w.base, "").SignIn(ctx, "ada", "wrong password", "")
	problem(t, err, 401)
	_, err = client.New(w.base, "").SignIn(ctx, "ada", password, "")
	assert.Contains(t, problem(t, err, 429).Detail, "try again in")
}

func TestPagesOfAttempts(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	ada, aron := w.as(t, "ada"), w.as(t, "aron")
	for range 5 {
		_, err := ada.HandIn(ctx, course, "ripe-fronds", "ripe = 1", "", 20)
		require.NoError(t, err)
	}
	seen := map[uint64]bool{}
	f := client.AttemptsFilter{Exercise: "ripe-fronds", Verdict: "differs", Limit: 2}
	for pages := 1; ; pages++ {
		page, err := aron.Attempts(ctx, course, f)
		require.NoError(t, err)
		for _, a := range page.Attempts {
			assert.False(t, seen[a.ID])
			seen[a.ID] = true
		}
		if page.Next == nil {
			assert.Equal(t, 3, pages)
			break
		}
		f.Before = *page.Next
	}
	assert.Len(t, seen, 5)
}

// TestAVerdictIsTheSameWhoeverReadsIt: what the process that checked answers at once is what the database has, for
// students and for the team.
func TestAVerdictIsTheSameWhoeverReadsIt(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	story, err := demo.Story()
	require.NoError(t, err)
	seen := map[string]int{}
	for _, a := range story {
		if a.Program == "" || seen[a.Exercise] >= 3 || !slices.Contains([]string{"rope-means", "gain-on-start", "quiet-bay",
			"missing-visits", "current-modes"}, a.Exercise) {
			continue
		}
		seen[a.Exercise]++
		for _, name := range []string{"ada", "aron"} {
			c := w.as(t, name)
			answered, err := c.HandIn(ctx, course, a.Exercise, a.Program, "", 20)
			require.NoError(t, err, a.Exercise)
			require.NotNil(t, answered.Verdict)
			read, err := c.Attempt(ctx, answered.ID, 0)
			require.NoError(t, err)
			one, err := json.Marshal(answered)
			require.NoError(t, err)
			other, err := json.Marshal(read)
			require.NoError(t, err)
			assert.JSONEq(t, string(other), string(one), "%s by %s", a.Exercise, name)
		}
	}
	assert.Len(t, seen, 5)
}

func TestIdempotencyKeys(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	ada := w.as(t, "ada")
	ids := make([]uint64, 6)
	var wg sync.WaitGroup
	for i := range ids {
		wg.Go(func() {
			a, err := ada.HandIn(ctx, course, "rope-means", wrong, "one-key", 20)
			if assert.NoError(t, err) {
				ids[i] = a.ID
			}
		})
	}
	wg.Wait()
	for _, id := range ids {
		assert.Equal(t, ids[0], id)
	}
	_, err := ada.HandIn(ctx, course, "rope-means", right, "one-key", 0)
	problem(t, err, 409)
}

// changed is the demo course with one file's text changed.
func changed(t *testing.T, name, old, new string) []byte {
	t.Helper()
	archive, err := exercise.Pack(demo.Course())
	require.NoError(t, err)
	folder, err := exercise.Unpack(archive)
	require.NoError(t, err)
	files := fstest.MapFS{}
	for _, file := range allFiles(t, archive) {
		r, err := folder.Open(file)
		require.NoError(t, err)
		text, err := io.ReadAll(r)
		require.NoError(t, err)
		if file == name {
			require.Contains(t, string(text), old)
			text = bytes.Replace(text, []byte(old), []byte(new), 1)
		}
		files[file] = &fstest.MapFile{Data: text}
	}
	out, err := exercise.Pack(files)
	require.NoError(t, err)
	return out
}

func TestClosingTimes(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	ctx := background(t)
	imke, ada, aron := w.as(t, "imke"), w.as(t, "ada"), w.as(t, "aron")
	_, err := imke.PublishFrom(ctx, course, changed(t, "exercises/rope-means/exercise.yaml", "title:",
		"opens: 2020-01-01T00:00:00Z\ncloses: 2020-02-01T00:00:00Z\ntitle:"), anew)
	require.NoError(t, err)
	_, err = ada.HandIn(ctx, course, "rope-means", right, "", 0)
	assert.Contains(t, problem(t, err, 403).Detail, "closed at 2020-02-01")
	_, err = aron.HandIn(ctx, course, "rope-means", right, "", 0)
	assert.NoError(t, err, "the team may try at any time")
	_, err = imke.PublishFrom(ctx, course, changed(t, "exercises/rope-means/exercise.yaml", "title:",
		"opens: 2999-01-01T00:00:00Z\ntitle:"), anew)
	require.NoError(t, err)
	_, err = ada.Exercise(ctx, course, "rope-means")
	problem(t, err, 403)
	_, err = ada.HandIn(ctx, course, "rope-means", right, "", 0)
	problem(t, err, 403)
}

func TestACourseWithErrorsIsNotPublished(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	ctx := background(t)
	imke := w.as(t, "imke")
	_, err := imke.PublishFrom(ctx, course, changed(t, "exercises/rope-means/exercise.yaml", "topics:", "topcis:"), anew)
	p := problem(t, err, 422)
	require.Len(t, p.Errors, 1)
	assert.Equal(t, "exercises/rope-means/exercise.yaml", p.Errors[0].File)
	assert.Equal(t, 2, p.Errors[0].Line)
	_, err = imke.PublishFrom(ctx, course, changed(t, "exercises/rope-means/reference.nra", "growth", "grwth"), anew)
	assert.Contains(t, problem(t, err, 422).Errors[0].Message, "cannot run")
	_, err = imke.PublishFrom(ctx, course, []byte("no archive"), anew)
	problem(t, err, 422)
	now, err := imke.Course(ctx, course)
	require.NoError(t, err)
	assert.Equal(t, 1, now.Revision)
}

func TestAnOldAttemptKeepsItsRevision(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	ada, imke := w.as(t, "ada"), w.as(t, "imke")
	a, err := ada.HandIn(ctx, course, "rope-means", right, "", 20)
	require.NoError(t, err)
	_, err = imke.PublishFrom(ctx, course, changed(t, "exercises/rope-means/reference.nra", "max(growth over week)",
		"min(growth over week)"), anew)
	require.NoError(t, err)
	again, err := ada.Attempt(ctx, a.ID, 0)
	require.NoError(t, err)
	assert.Equal(t, check.Agrees, again.Verdict.Verdict)
	b, err := ada.HandIn(ctx, course, "rope-means", right, "", 20)
	require.NoError(t, err)
	assert.Equal(t, check.Differs, b.Verdict.Verdict)
}

// browserlike is an HTTP client with a cookie jar.
func browserlike(t *testing.T) *http.Client {
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	return &http.Client{Jar: jar, Timeout: patience}
}

func send(t *testing.T, c *http.Client, method, url, body string, header map[string]string) (*http.Response, []byte) {
	t.Helper()
	req, err := http.NewRequest(method, url, strings.NewReader(body))
	require.NoError(t, err)
	req.Header.Set("Content-Type", "application/json")
	for k, v := range header {
		req.Header.Set(k, v)
	}
	res, err := c.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return res, text
}

func TestCookiesNeedTheirToken(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	c := browserlike(t)
	res, text := send(t, c, "POST", w.base+"/api/v1/session", `{"name": "ada", "password": "`+password+`"}`, nil)
	require.Equal(t, 200, res.StatusCode)
	var me wire.Me
	require.NoError(t, json.Unmarshal(text, &me))
	cookie := res.Header.Get("Set-Cookie")
	assert.Contains(t, cookie, "HttpOnly")
	assert.Contains(t, cookie, "SameSite=Lax")
	path := w.base + "/api/v1/courses/" + course + "/exercises/rope-means/attempts"
	res, _ = send(t, c, "POST", path, `{"program": "x = 1"}`, nil)
	assert.Equal(t, 403, res.StatusCode, "without the token")
	res, _ = send(t, c, "POST", path, `{"program": "x = 1"}`, map[string]string{"X-CSRF-Token": me.CSRF,
		"Origin": "http://elsewhere.example"})
	assert.Equal(t, 403, res.StatusCode, "from another site")
	res, _ = send(t, c, "POST", path, `{"program": "x = 1"}`, map[string]string{"X-CSRF-Token": me.CSRF, "Origin": w.base})
	assert.Equal(t, 202, res.StatusCode)
	res, _ = send(t, c, "DELETE", w.base+"/api/v1/session", "", map[string]string{"X-CSRF-Token": me.CSRF})
	assert.Equal(t, 204, res.StatusCode)
	res, _ = send(t, c, "GET", w.base+"/api/v1/session", "", nil)
	assert.Equal(t, 401, res.StatusCode)
}

func TestRequestsThatCannotBeRead(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	ada := w.as(t, "ada")
	me, err := ada.SignIn(background(t), "ada", password, "")
	require.NoError(t, err)
	token := map[string]string{"Authorization": "Bearer " + me.Token}
	attempts := "/api/v1/courses/" + course + "/exercises/rope-means/attempts"
	huge := `{"program": "` + strings.Repeat("# long\\n", 200_000) + `"}`
	for _, c := range []struct {
		method, path, body string
		status             int
	}{
		{"POST", attempts, `{"program": `, 400},
		{"POST", attempts, `{"text": "x = 1"}`, 400},
		{"POST", attempts, huge, 413},
		{"POST", attempts, strings.Repeat("x", 18<<20), 400},
		{"POST", "/api/v1/courses/" + course + "/exercises/rope-means/try", strings.Repeat("x", 18<<20), 413},
		{"POST", "/api/v1/courses/no-such/exercises/nets/attempts", strings.Repeat("x", 18<<20), 404},
		{"POST", attempts + "?wait=soon", `{"program": "x = 1"}`, 400},
		{"GET", "/api/v1/courses/" + course + "/attempts?limit=0", "", 400},
		{"GET", "/api/v1/attempts/none", "", 404},
		{"GET", "/api/v1/nothing", "", 404},
		{"POST", "/api/v1/courses/" + course + "/exercises/nets/attempts", `{"program": "x = 1"}`, 404},
	} {
		t.Run(c.method, func(t *testing.T) {
			req, err := http.NewRequest(c.method, w.base+c.path, strings.NewReader(c.body))
			require.NoError(t, err)
			req.Header.Set("Content-Type", "application/json")
			req.Header.Set("Authorization", token["Authorization"])
			res, err := http.DefaultClient.Do(req)
			require.NoError(t, err, c.path)
			text, err := io.ReadAll(res.Body)
			require.NoError(t, err)
			res.Body.Close()
			assert.Equal(t, c.status, res.StatusCode, "%s %s: %s", c.method, c.path, text)
			assert.Equal(t, "application/problem+json", res.Header.Get("Content-Type"), c.path)
			assert.NotEmpty(t, res.Header.Get("X-Request-Id"))
			var p wire.Problem
			require.NoError(t, json.Unmarshal(text, &p))
			assert.Equal(t, c.status, p.Status)
		})
	}
}

func TestTheDeskHearsOfAttempts(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	heard := make(chan wire.Event, 16)
	listening, stop := context.WithCancel(ctx)
	ended := make(chan error, 1)
	go func() {
		ended <- w.as(t, "aron").Events(listening, course, func(e wire.Event) bool { heard <- e; return true })
	}()
	require.Equal(t, "refresh", (<-heard).Kind, "whoever connects is told to look")
	a, err := w.as(t, "ada").HandIn(ctx, course, "rope-means", right, "", 20)
	require.NoError(t, err)
	kinds := map[string]bool{}
	for !kinds["attempt"] || !kinds["verdict"] {
		select {
		case e := <-heard:
			if e.Attempt != nil && *e.Attempt == a.ID {
				kinds[e.Kind] = true
			}
		case <-ctx.Done():
			t.Fatalf("heard only %v", kinds)
		}
	}
	stop()
	assert.ErrorIs(t, <-ended, context.Canceled)
	assert.Error(t, w.as(t, "ada").Events(ctx, course, func(wire.Event) bool { return false }), "not for students")
}

func TestADatabaseThatIsNotThere(t *testing.T) {
	ctx, stop := context.WithCancel(context.Background())
	address, ended := make(chan string, 1), make(chan error, 1)
	go func() {
		ended <- service.Run(ctx, service.Config{DSN: "nimbus:x@tcp(127.0.0.1:1)/nimbus", Listen: "127.0.0.1:0",
			Log: quiet(), Listening: func(at string) { address <- at }})
	}()
	base := "http://" + <-address
	for path, status := range map[string]int{"/healthz": 200, "/readyz": 503, "/api/v1/session": 503, "/metrics": 404,
		"/api/openapi.json": 200} {
		t.Run(path, func(t *testing.T) {
			res, err := http.Get(base + path)
			require.NoError(t, err)
			text, _ := io.ReadAll(res.Body)
			res.Body.Close()
			assert.Equal(t, status, res.StatusCode, path)
			if status == 503 {
				assert.Contains(t, string(text), "database has not answered yet")
				assert.NotEmpty(t, res.Header.Get("Retry-After"))
			}
		})
	}
	stop()
	require.NoError(t, <-ended)
}

func TestHealthAndMetrics(t *testing.T) {
	w := startWith(t, service.Config{Workers: 1, MetricsToken: "to read metrics"})
	w.enrol(t, team)
	_, err := w.as(t, "ada").HandIn(background(t), course, "rope-means", right, "", 20)
	require.NoError(t, err)
	read := func(token string) (int, string) {
		req, err := http.NewRequest("GET", w.base+"/metrics", nil)
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+token)
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		text, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		return res.StatusCode, string(text)
	}
	status, text := read("a guess")
	assert.Equal(t, 401, status)
	assert.NotContains(t, text, "nimbus_attempts_total")
	_, text = read("to read metrics")
	for _, line := range []string{"nimbus_attempts_total 1", `nimbus_verdicts_total{verdict="agrees"} 1`,
		"nimbus_queue_length 0", "nimbus_verdict_seconds_count 1"} {
		t.Run(line, func(t *testing.T) {
			assert.Contains(t, text, line)
		})
	}
	require.NoError(t, client.New(w.base, "").Ready(background(t)))
	closed := start(t, -1)
	res, err := http.Get(closed.base + "/metrics")
	require.NoError(t, err)
	res.Body.Close()
	assert.Equal(t, 404, res.StatusCode, "without a token they are not for everybody")
}

func TestTheOpenAPIDocumentIsTrue(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	res, err := http.Get(w.base + "/api/openapi.json")
	require.NoError(t, err)
	text, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	res.Body.Close()
	doc, err := openapi3.NewLoader().LoadFromData(text)
	require.NoError(t, err)
	assert.Equal(t, "3.1.0", doc.OpenAPI)

	compiler := jsonschema.NewCompiler()
	var raw any
	require.NoError(t, json.Unmarshal(text, &raw))
	require.NoError(t, compiler.AddResource("nimbus.json", raw))

	aron := w.as(t, "aron")
	a, err := w.as(t, "ada").HandIn(ctx, course, "rope-means", wrong, "", 20)
	require.NoError(t, err)
	me, err := aron.SignIn(ctx, "aron", password, "")
	require.NoError(t, err)
	fill := strings.NewReplacer("{course}", course, "{exercise}", "rope-means", "{attempt}", fmt.Sprint(a.ID),
		"{revision}", "1")
	asked := 0
	for path, item := range doc.Paths.Map() {
		for method, op := range item.Operations() {
			// Every route of the document is answered: nothing says that there is no
			// such address.
			url := w.base + fill.Replace(path)
			if strings.HasSuffix(path, "/arrays") {
				url += "?case=spring&output=per_rope"
			}
			if strings.HasSuffix(path, "/events") {
				continue // a stream; TestTheDeskHearsOfAttempts reads it
			}
			req, err := http.NewRequest(method, url, strings.NewReader("{}"))
			require.NoError(t, err)
			req.Header.Set("Authorization", "Bearer "+me.Token)
			if method == "DELETE" {
				req.Header.Set("Authorization", "Bearer nobody's")
			}
			req.Header.Set("Content-Type", "application/json")
			res, err := http.DefaultClient.Do(req)
			require.NoError(t, err)
			answer, err := io.ReadAll(res.Body)
			require.NoError(t, err)
			res.Body.Close()
			assert.NotContains(t, string(answer), "There is no such address", path)
			pointer := strings.NewReplacer("~", "~0", "/", "~1").Replace(path)
			where := "default"
			if res.StatusCode < 400 {
				where = fmt.Sprint(res.StatusCode)
				require.NotNil(t, op.Responses.Value(where), "%s %s answered %s", method, path, where)
			}
			media := strings.ReplaceAll(strings.Split(res.Header.Get("Content-Type"), ";")[0], "/", "~1")
			if !strings.HasSuffix(media, "json") {
				assert.Contains(t, op.Responses.Value(where).Value.Content, strings.ReplaceAll(media, "~1", "/"))
				continue
			}
			schema, err := compiler.Compile(fmt.Sprintf("nimbus.json#/paths/%s/%s/responses/%s/content/%s/schema", pointer,
				strings.ToLower(method), where, media))
			require.NoError(t, err, "%s %s: %s", method, path, answer)
			value, err := jsonschema.UnmarshalJSON(bytes.NewReader(answer))
			require.NoError(t, err)
			assert.NoError(t, schema.Validate(value), "%s %s: %s", method, path, answer)
			asked++
		}
	}
	assert.Greater(t, asked, 15)
}

func TestASlowVerdictIsWaitedFor(t *testing.T) {
	w := start(t, -1) // nobody checks
	w.enrol(t, team)
	ctx := background(t)
	ada := w.as(t, "ada")
	begin := time.Now()
	a, err := ada.HandIn(ctx, course, "rope-means", right, "", 1)
	require.NoError(t, err)
	assert.Equal(t, "waiting", a.State)
	assert.Nil(t, a.Verdict)
	assert.GreaterOrEqual(t, time.Since(begin), time.Second)
}
