package client_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client"
	"nimbusreach/client/wire"
)

// answering serves one answer after another, the last one for good.
func answering(t *testing.T, answers ...http.HandlerFunc) (*client.Client, *atomic.Int64) {
	t.Helper()
	asked := &atomic.Int64{}
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		n := int(asked.Add(1)) - 1
		answers[min(n, len(answers)-1)](w, r)
	}))
	t.Cleanup(s.Close)
	return client.New(s.URL+"/", "secret"), asked
}

func sends(status int, v any) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) {
		w.WriteHeader(status)
		_ = json.NewEncoder(w).Encode(v)
	}
}

var busy = sends(503, wire.Problem{Type: "urn:nimbus:problem:database", Status: 503,
	Detail: "The database does not answer.", Hint: "wait"})

func TestReadingIsTriedAgain(t *testing.T) {
	c, asked := answering(t, busy, busy, sends(200, wire.Me{Name: "ada"}))
	me, err := c.Me(context.Background())
	require.NoError(t, err)
	assert.Equal(t, "ada", me.Name)
	assert.EqualValues(t, 3, asked.Load())
}

func TestHandingInIsTriedAgainWithItsKey(t *testing.T) {
	keys := map[string]bool{}
	remember := func(next http.HandlerFunc) http.HandlerFunc {
		return func(w http.ResponseWriter, r *http.Request) {
			keys[r.Header.Get("Idempotency-Key")] = true
			next(w, r)
		}
	}
	c, _ := answering(t, remember(busy), remember(sends(202, wire.Attempt{ID: 7})))
	a, err := c.HandIn(context.Background(), "kelp", "rope-means", "x = 1", "", 0)
	require.NoError(t, err)
	assert.EqualValues(t, 7, a.ID)
	assert.Len(t, keys, 1, "one key for both sendings")
	assert.NotContains(t, keys, "")
}

func TestOtherChangesAreSentOnce(t *testing.T) {
	c, asked := answering(t, busy)
	_, err := c.AddPerson(context.Background(), wire.NewPerson{Name: "ada"})
	assert.Error(t, err)
	assert.EqualValues(t, 1, asked.Load())
}

func TestProblemsAreNotTriedAgain(t *testing.T) {
	c, asked := answering(t, sends(404, wire.Problem{Status: 404, Detail: "There is nothing here.",
		Hint: "check the address"}))
	_, err := c.Course(context.Background(), "kelp")
	var problem *client.Error
	require.ErrorAs(t, err, &problem)
	assert.Equal(t, 404, problem.Status)
	assert.Equal(t, "There is nothing here. Try: check the address.", problem.Error())
	assert.EqualValues(t, 1, asked.Load())
}

func TestAnswersThatAreNotOurs(t *testing.T) {
	c, _ := answering(t, func(w http.ResponseWriter, _ *http.Request) {
		http.Error(w, "<html>bad gateway</html>", http.StatusGatewayTimeout)
	})
	_, err := c.Me(context.Background())
	var problem *client.Error
	require.ErrorAs(t, err, &problem)
	assert.Equal(t, 504, problem.Status)
	c, _ = answering(t, func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write([]byte("no JSON")) })
	_, err = c.Me(context.Background())
	assert.Error(t, err)
}

func TestNobodyThere(t *testing.T) {
	c := client.New("http://127.0.0.1:1", "")
	_, err := c.AddPerson(context.Background(), wire.NewPerson{})
	var gone *client.Unreachable
	require.ErrorAs(t, err, &gone)
	assert.Contains(t, err.Error(), "http://127.0.0.1:1 does not answer")
}

func TestNamesAreEscaped(t *testing.T) {
	var path string
	c, _ := answering(t, func(w http.ResponseWriter, r *http.Request) {
		path = r.URL.EscapedPath()
		_, _ = w.Write([]byte("{}"))
	})
	_, err := c.Exercise(context.Background(), "a/b", "c d?")
	require.NoError(t, err)
	assert.Equal(t, "/api/v1/courses/a%2Fb/exercises/c%20d%3F", path)
}

func TestAsSpeaksForAnother(t *testing.T) {
	var header string
	c, _ := answering(t, func(w http.ResponseWriter, r *http.Request) {
		header = r.Header.Get("Authorization")
		_, _ = w.Write([]byte("{}"))
	})
	_, _ = c.As("other").Me(context.Background())
	assert.Equal(t, "Bearer other", header)
	_, _ = c.Me(context.Background())
	assert.Equal(t, "Bearer secret", header)
}

func TestEventsAreReadUntilTheReaderHasEnough(t *testing.T) {
	c, _ := answering(t, func(w http.ResponseWriter, _ *http.Request) {
		for i := range 5 {
			fmt.Fprintf(w, ": beat\n\nevent: attempt\ndata: {\"kind\": \"attempt\", \"attempt\": %d}\n\n", i)
		}
	})
	var seen []uint64
	require.NoError(t, c.Events(context.Background(), "kelp", func(e wire.Event) bool {
		seen = append(seen, *e.Attempt)
		return len(seen) < 3
	}))
	assert.Equal(t, []uint64{0, 1, 2}, seen)
}

func TestAJobIsFollowedToItsEnd(t *testing.T) {
	ctx, now := context.Background(), time.Now()
	c, asked := answering(t, sends(200, wire.Job{ID: 3, State: "running", Done: 1, Total: 3}), busy,
		sends(200, wire.Job{ID: 3, State: "running", Done: 2, Total: 3}),
		sends(200, wire.Job{ID: 3, State: "done", Done: 3, Total: 3, Ended: &now, Rechecked: &wire.Rechecked{Attempts: 3}}))
	var seen []int64
	j, err := c.Follow(ctx, &wire.Job{ID: 3, State: "waiting"}, func(j *wire.Job) { seen = append(seen, j.Done) })
	require.NoError(t, err)
	assert.Equal(t, []int64{0, 1, 2, 3}, seen)
	assert.EqualValues(t, 3, j.Rechecked.Attempts)
	assert.EqualValues(t, 4, asked.Load(), "a service that is busy is asked again")

	c, _ = answering(t, sends(200, wire.Job{ID: 3, State: "failed", Ended: &now, Problem: &wire.Problem{Status: 422,
		Detail: "2 to fix"}}))
	_, err = c.Follow(ctx, &wire.Job{ID: 3}, nil)
	var problem *client.Error
	require.ErrorAs(t, err, &problem)
	assert.Equal(t, 422, problem.Status)
	c, _ = answering(t, sends(200, wire.Job{ID: 3, Kind: "recheck", State: "stopped", Done: 2, Total: 3, Ended: &now}))
	_, err = c.Follow(ctx, &wire.Job{ID: 3}, nil)
	var stopped *client.Stopped
	require.ErrorAs(t, err, &stopped)
	assert.Contains(t, err.Error(), "2 of 3 done")
}

func TestPublishingNamesTheRevisionItBeganFrom(t *testing.T) {
	var from, query string
	c, _ := answering(t, func(w http.ResponseWriter, r *http.Request) {
		now := time.Now()
		if r.Method == http.MethodPost {
			from, query = r.Header.Get("If-Match"), r.URL.RawQuery
			sends(202, wire.Job{ID: 9, State: "waiting"})(w, r)
			return
		}
		assert.Equal(t, "/api/v1/jobs/9", r.URL.Path)
		sends(200, wire.Job{ID: 9, State: "done", Ended: &now, Published: &wire.Published{Revision: 4}})(w, r)
	})
	ctx := context.Background()
	for _, it := range []struct {
		p           client.Publishing
		from, query string
	}{
		{client.Publishing{}, "", "wait=0"},
		{client.Publishing{From: 3, Recheck: true}, `"3"`, "wait=0&recheck=true"},
		{client.Publishing{From: client.AnyRevision}, "*", "wait=0"},
	} {
		t.Run(it.from, func(t *testing.T) {
			out, err := c.PublishFrom(ctx, "kelp", []byte("zip"), it.p)
			require.NoError(t, err)
			assert.Equal(t, 4, out.Revision)
			assert.Equal(t, it.from, from)
			assert.Equal(t, it.query, query)
		})
	}
}
