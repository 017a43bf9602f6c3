package e2e

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/service/desk"
)

// TestStudentsListsKeepToThePolicy: what the policy on causes hides in a verdict is hidden
// in lists, and nothing can be asked by it.
func TestStudentsListsKeepToThePolicy(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	ada, aron := w.as(t, "ada"), w.as(t, "aron")
	for policy, told := range map[string][]bool{"never": {false, false}, "after 4": {false, true},
		"always": {true, true}} {
		t.Run(policy, func(t *testing.T) {
			_, err := w.as(t, "imke").PublishFrom(ctx, course, changedCourse(t, ropeMeans,
				func(text string) string { return text + "feedback: {causes: " + policy + "}\n" }), anew)
			require.NoError(t, err)
			for range 2 {
				a, err := ada.HandIn(ctx, course, "rope-means", wrong, "", 20)
				require.NoError(t, err)
				require.NotNil(t, a.Verdict)
				require.NotNil(t, a.CheckedAt)
				assert.Zero(t, a.CheckedAt.Second(), "when it was checked could tell how long that took")
				assert.Nil(t, a.Seconds)
			}
			mine, err := ada.Attempts(ctx, course, client.AttemptsFilter{Limit: 2})
			require.NoError(t, err)
			all, err := aron.Attempts(ctx, course, client.AttemptsFilter{Limit: 2})
			require.NoError(t, err)
			for i := range mine.Attempts {
				assert.Equal(t, "axis.other", all.Attempts[i].LeadCode, "the team sees all")
				want := "shape.differs"
				if told[0] && told[1] || policy == "after 4" && mine.Attempts[i].ID > 0 && numberOf(t, aron,
					mine.Attempts[i].ID) >= 4 {
					want = "axis.other"
				}
				assert.Equal(t, want, mine.Attempts[i].LeadCode, "%s, attempt %d", policy, mine.Attempts[i].ID)
				assert.Equal(t, desk.Says(want), mine.Attempts[i].LeadSays, "words say no more than the code")
			}
		})
	}
	_, err := ada.Attempts(ctx, course, client.AttemptsFilter{Lead: "axis.other"})
	problem(t, err, 403)
	found, err := aron.Attempts(ctx, course, client.AttemptsFilter{Lead: "axis.other"})
	require.NoError(t, err)
	assert.Len(t, found.Attempts, 6)
}

// numberOf counts a student's attempts up to one.
func numberOf(t *testing.T, team *client.Client, id uint64) int {
	t.Helper()
	all, err := team.Attempts(background(t), course, client.AttemptsFilter{Limit: 200})
	require.NoError(t, err)
	n := 0
	for _, a := range all.Attempts {
		if a.ID <= id {
			n++
		}
	}
	return n
}

// TestArraysHandedInAreSeenByTheTeam shows both sides, and keeps keys apart.
func TestArraysHandedInAreSeenByTheTeam(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	w.shownOnly(t)
	reals := func(v ...float64) dataio.JSON { return dataio.JSON{Array: array.FromReals(v, len(v))} }
	given := map[string]map[string]dataio.JSON{"workshop": {"jar_price": reals(8.05, 8.1, 4), "needed": reals(9, 22.5,
		19.5, 11), "bill": reals(20.325, 48.55)}}
	hand := func(key string, results any) (int, wire.Attempt) {
		var out wire.Attempt
		status := w.askedWith(t, "ada", "POST", "/courses/"+course+"/exercises/pigment-mix/attempts?wait=20",
			map[string]any{"results": results}, &out, map[string]string{"Idempotency-Key": key})
		return status, out
	}
	status, a := hand("one", given)
	require.Equal(t, 202, status)
	require.NotNil(t, a.Verdict)
	for _, c := range a.Verdict.Cases {
		assert.NotNil(t, c.Notices)
	}
	for _, who := range []string{"aron", "ada"} {
		t.Run(who, func(t *testing.T) {
			both, err := w.as(t, who).Arrays(ctx, a.ID, "workshop", "jar_price")
			require.NoError(t, err, who)
			require.NotNil(t, both.Actual, who)
			assert.Equal(t, []float64{8.05, 8.1, 4}, both.Actual.Array.Reals())
			require.NotNil(t, both.Agrees)
		})
	}
	none, err := w.as(t, "aron").Arrays(ctx, a.ID, "workshop", "bills")
	assert.Error(t, err, "%v", none)
	status, again := hand("one", given)
	assert.Equal(t, 202, status)
	assert.Equal(t, a.ID, again.ID)
	given["workshop"]["needed"] = reals(9, 22.5, 19.5, 12)
	status, _ = hand("one", given)
	assert.Equal(t, 409, status, "other arrays are another attempt")
}

// TestALimitCannotBeRaced hands forty in at once where three are allowed.
func TestALimitCannotBeRaced(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	_, err := w.as(t, "imke").PublishFrom(ctx, course, changedCourse(t, ropeMeans,
		func(text string) string { return text + "attempts: {limit: 3}\n" }), anew)
	require.NoError(t, err)
	ada := w.as(t, "ada")
	var taken atomic.Int64
	var wg sync.WaitGroup
	for range 40 {
		wg.Go(func() {
			if _, err := ada.HandIn(ctx, course, "rope-means", wrong, "", 0); err == nil {
				taken.Add(1)
			}
		})
	}
	wg.Wait()
	assert.LessOrEqual(t, taken.Load(), int64(3))
	assert.Positive(t, taken.Load())
}

// TestARepeatAfterClosingIsTheFirst: what was stored once is never told to be lost.
func TestARepeatAfterClosingIsTheFirst(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	ada := w.as(t, "ada")
	first, err := ada.HandIn(ctx, course, "rope-means", right, "before closing", 20)
	require.NoError(t, err)
	_, err = w.as(t, "imke").PublishFrom(ctx, course, changed(t, ropeMeans, "title:",
		"opens: 2020-01-01T00:00:00Z\ncloses: 2020-02-01T00:00:00Z\nattempts: {limit: 1}\ntitle:"), anew)
	require.NoError(t, err)
	again, err := ada.HandIn(ctx, course, "rope-means", right, "before closing", 20)
	require.NoError(t, err)
	assert.Equal(t, first.ID, again.ID)
	_, err = ada.HandIn(ctx, course, "rope-means", right, "after closing", 0)
	assert.Contains(t, problem(t, err, 403).Detail, "was not taken")
}

func TestOnePersonsWaitingAttemptsAreBounded(t *testing.T) {
	w := start(t, -1) // nobody checks
	w.enrol(t, team)
	ctx := background(t)
	ada := w.as(t, "ada")
	for range 3 {
		_, err := ada.HandIn(ctx, course, "rope-means", right, "", 0)
		require.NoError(t, err)
	}
	_, err := ada.HandIn(ctx, course, "ripe-fronds", "ripe = 1", "", 0)
	assert.Contains(t, problem(t, err, 429).Detail, "3 of your attempts wait")
	_, err = w.as(t, "bree").HandIn(ctx, course, "rope-means", right, "", 0)
	assert.NoError(t, err, "others are not held back")
}

// slow takes its two seconds and ends without a result.
const slow = "x = 0\nrepeat up to 90000 until false {\n  x = sum(sort(growth * 1.5 along week))\n}\n"

// TestTryingHasAShareForEachPerson begins many at once: some are turned away with a word,
// none fails otherwise, and somebody else gets in.
func TestTryingHasAShareForEachPerson(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	path := "/courses/" + course + "/exercises/rope-means/try"
	var answers sync.Map
	var wg sync.WaitGroup
	for range 12 {
		wg.Go(func() {
			status := w.asked(t, "ada", "POST", path, wire.Try{Program: slow}, nil)
			n, _ := answers.LoadOrStore(status, new(atomic.Int64))
			n.(*atomic.Int64).Add(1)
		})
	}
	assert.Equal(t, 200, w.asked(t, "bree", "POST", path, wire.Try{Program: right}, nil))
	wg.Wait()
	answers.Range(func(status, n any) bool {
		assert.Contains(t, []int{200, 429}, status)
		return true
	})
	refused, ok := answers.Load(429)
	require.True(t, ok, "more than a share was asked for")
	assert.GreaterOrEqual(t, refused.(*atomic.Int64).Load(), int64(4))
	assert.Equal(t, 200, w.asked(t, "ada", "POST", path, wire.Try{Program: right}, nil), "afterwards all is as before")
}

// TestBodiesAreReadAfterSignIn announces large bodies without sending them: a stranger is
// answered at once, and holds no memory.
func TestBodiesAreReadAfterSignIn(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	for _, path := range []string{"/courses/" + course + "/revisions", "/courses/" + course +
		"/exercises/rope-means/attempts", "/session"} {
		t.Run(path, func(t *testing.T) {
			conn, err := net.Dial("tcp", strings.TrimPrefix(w.base, "http://"))
			require.NoError(t, err)
			require.NoError(t, conn.SetDeadline(time.Now().Add(patience)))
			_, err = fmt.Fprintf(conn, "POST /api/v1%s HTTP/1.1\r\nHost: kelp\r\nContent-Type: application/json\r\n"+
				"Content-Length: 16000000\r\n\r\n%s", path, strings.Repeat(" ", 1<<16))
			require.NoError(t, err)
			res, err := http.ReadResponse(bufio.NewReader(conn), nil)
			require.NoError(t, err, path)
			if path == "/session" {
				assert.Equal(t, 413, res.StatusCode, "signing in needs a small form")
			} else {
				assert.Equal(t, 401, res.StatusCode, path)
			}
			conn.Close()
		})
	}
}

func TestBodiesAreOneJSONValue(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	token, err := w.as(t, "ada").SignIn(background(t), "ada", password, "")
	require.NoError(t, err)
	send := func(body []byte, encoding string) (int, string) {
		req, err := http.NewRequest("POST", w.base+"/api/v1/courses/"+course+"/exercises/rope-means/try",
			bytes.NewReader(body))
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+token.Token)
		req.Header.Set("Content-Type", "application/json")
		if encoding != "" {
			req.Header.Set("Content-Encoding", encoding)
		}
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		text, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		return res.StatusCode, string(text)
	}
	status, text := send([]byte(`{"program": "x = 1"} `), "")
	assert.Equal(t, 200, status, text)
	for _, body := range []string{`{"program": "x = 1"} {"program": "x = 2"}`, `{"program": "x = 1"} more`,
		"{\"program\": \"x = 1 # \xff\xfe\"}", ``, `{"progam": "x = 1"}`, `[1]`} {
		t.Run(body, func(t *testing.T) {
			status, text = send([]byte(body), "")
			assert.Equal(t, 400, status, "%q: %s", body, text)
		})
	}
	status, _ = send([]byte("whatever"), "gzip")
	assert.Equal(t, 415, status)
	big, err := w.as(t, "ada").HandIn(background(t), course, "rope-means", right+strings.Repeat("# kelp\n", 90_000), "",
		20)
	require.NoError(t, err, "a long program is read whole")
	assert.Equal(t, "agrees", string(big.Verdict.Verdict))
}

// TestPredictionsComeFirst: by the API, whatever hands in; and they earn points.
func TestPredictionsComeFirst(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	ada := w.as(t, "ada")
	program := "by_day = reshape(readings, [auto, depths])\nby_depth = mean(by_day over 0)\n"
	_, err := ada.HandIn(ctx, course, "shapes-first", program, "", 20)
	p := problem(t, err, 409)
	require.Len(t, p.Questions, 3)
	assert.Equal(t, "mean(reshape(readings, [auto, depths]) over 0)", p.Questions[1].Of)
	for _, path := range []string{"shapes", "try"} {
		t.Run(path, func(t *testing.T) {
			assert.Equal(t, 409, w.asked(t, "ada", "POST", "/courses/"+course+"/exercises/shapes-first/"+path,
				wire.Try{Program: program}, nil), "%s would give the answers", path)
			assert.Equal(t, 200, w.asked(t, "aron", "POST", "/courses/"+course+"/exercises/shapes-first/"+path,
				wire.Try{Program: program}, nil), "the team is not asked")
		})
	}
	_, err = ada.Predict(ctx, course, "shapes-first", []string{"[3, 4]", "hello", "int"})
	refused := problem(t, err, 422)
	assert.Contains(t, refused.Detail, `Question 2: the answer "hello" does not read as a shape`)
	got, err := ada.Predict(ctx, course, "shapes-first", []string{"[3, 4]", "[3]", "int"})
	require.NoError(t, err, "what was refused was not counted")
	assert.False(t, got.Predictions[1].Right)
	a, err := ada.HandIn(ctx, course, "shapes-first", program, "", 20)
	require.NoError(t, err)
	assert.Equal(t, 5.0, a.Verdict.Points.Earned)
	assert.Equal(t, 6.0, a.Verdict.Points.Possible)
	e, err := ada.Exercise(ctx, course, "shapes-first")
	require.NoError(t, err)
	assert.Equal(t, 6.0, e.Points)
	require.Len(t, e.Counts.Predictions, 3)
	assert.Equal(t, "[3]", *e.Counts.Predictions[1].Said)
	assert.Equal(t, "[4]", e.Counts.Predictions[1].Came.Expected)
}

// TestStudentsSeeAllThatCounts adds up what the page shows to the exercise's points.
func TestStudentsSeeAllThatCounts(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	ctx := background(t)
	ada := w.as(t, "ada")
	c, err := ada.Course(ctx, course)
	require.NoError(t, err)
	for _, line := range c.Exercises {
		e, err := ada.Exercise(ctx, course, line.Name)
		require.NoError(t, err)
		points := 0.0
		for _, x := range e.Outputs {
			points += x.Points
		}
		for _, x := range e.Counts.Steps {
			points += x.Points
		}
		for _, x := range e.Counts.Functions {
			points += x.Points
		}
		for _, x := range e.Counts.Properties {
			points += x.Points
			assert.NotEmpty(t, x.Says)
		}
		for _, x := range e.Counts.Predictions {
			points += x.Points
			assert.Nil(t, x.Came, "not before it is answered")
		}
		assert.Equal(t, line.Points, points, line.Name)
	}
}

// TestTwoPeoplePublish names both revisions, in the API and on the command line.
func TestTwoPeoplePublish(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, map[string]string{"imke": "instructor", "ove": "instructor"})
	ctx := background(t)
	imke, ove := w.as(t, "imke"), w.as(t, "ove")
	mine, theirs := changed(t, ropeMeans, "title:", "# mine\ntitle:"), changed(t, ropeMeans, "title:", "# theirs\ntitle:")
	var folder wire.Folder
	require.Equal(t, 200, w.asked(t, "imke", "GET", "/courses/"+course+"/folder", nil, &folder))
	assert.Equal(t, 1, folder.Revision)
	_, err := ove.PublishFrom(ctx, course, theirs, client.Publishing{From: 1})
	require.NoError(t, err)
	_, err = imke.PublishFrom(ctx, course, mine, client.Publishing{From: folder.Revision})
	p := problem(t, err, 409)
	assert.Contains(t, p.Detail, "Revision 2 is current, published by ove Shoalby")
	assert.Contains(t, p.Detail, "your edit began from revision 1")
	require.NotNil(t, p.Current)
	assert.Equal(t, 2, p.Current.Number)
	_, err = imke.Publish(ctx, course, mine)
	assert.Contains(t, problem(t, err, 409).Detail, "names no revision")
	out, err := imke.PublishFrom(ctx, course, mine, client.Publishing{From: 2})
	require.NoError(t, err)
	assert.Equal(t, 3, out.Revision)
	_, err = imke.PublishFrom(ctx, course, theirs, client.Publishing{From: 99})
	problem(t, err, 409)
	for path, status := range map[string]int{"/revisions/1abc": 404, "/revisions/01": 404, "/revisions/0": 404,
		"/revisions/1": 200} {
		t.Run(path, func(t *testing.T) {
			assert.Equal(t, status, w.asked(t, "imke", "GET", "/courses/"+course+path, nil, nil), path)
		})
	}
}

func TestAnInstructorsFirstCourse(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, map[string]string{"aron": "assistant"})
	_, err := w.as(t, "aron").Publish(context.Background(), "a-new-one", changed(t, ropeMeans, "title:", "# x\ntitle:"))
	p := problem(t, err, 403)
	assert.Contains(t, p.Detail, "Nobody has made a course `a-new-one`")
	assert.Contains(t, p.Hint, "ask the operator")
}
