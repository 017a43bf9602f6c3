package e2e

import (
	"fmt"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client/wire"
	"nimbusreach/e2e/testdb"
)

// TestAJobOutlivesItsProcess kills the worker that checks attempts again, in the middle; another process
// takes the job up and brings it to its end, each attempt checked again once.
func TestAJobOutlivesItsProcess(t *testing.T) {
	const each = 40
	dsn := testdb.New(t)
	service := serve(t, dsn, "--workers", "2")
	w := &world{base: service.base, dsn: dsn}
	people := map[string]string{"imke": "instructor"}
	for i := range 8 {
		people[fmt.Sprint("hand", i)] = "student"
	}
	w.enrol(t, people)
	ctx := background(t)
	var wg sync.WaitGroup
	for i := range 8 {
		c := w.as(t, fmt.Sprint("hand", i))
		wg.Go(func() {
			for n := range each {
				_, err := c.HandIn(ctx, course, "rope-means", fmt.Sprintf("%s# %d\n", []string{right, wrong}[n%2], n), "", 20)
				assert.NoError(t, err)
			}
		})
	}
	wg.Wait()
	// From here on one service answers, and a worker does the work.
	require.NoError(t, service.Process.Kill())
	_ = service.Wait()
	service = serve(t, dsn, "--workers", "-1")
	imke := (&world{base: service.base}).as(t, "imke")
	worker := startWorker(t, dsn)
	j, err := imke.Recheck(ctx, course, nil, false)
	require.NoError(t, err)
	assert.EqualValues(t, 8*each, j.Total)
	var last int64
	killed := false
	done, err := imke.Follow(ctx, j, func(now *wire.Job) {
		assert.GreaterOrEqual(t, now.Done, last, "progress goes one way")
		last = now.Done
		if !killed && now.State == "running" {
			killed = true
			require.NoError(t, worker.Process.Kill())
			_ = worker.Wait()
			startWorker(t, dsn)
		}
	})
	require.NoError(t, err)
	assert.True(t, killed)
	require.NotNil(t, done.Rechecked)
	assert.EqualValues(t, 8*each, done.Rechecked.Attempts)
	d, err := imke.Desk(ctx, course)
	require.NoError(t, err)
	assert.EqualValues(t, 8*each, d.Attempts)
	assert.Zero(t, d.Waiting+d.Stuck)
	list, err := imke.Jobs(ctx, course)
	require.NoError(t, err)
	assert.Equal(t, "recheck", list.Jobs[0].Kind)
}

// TestJobsInTheTerminal does in the terminal what the console does with jobs.
func TestJobsInTheTerminal(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, map[string]string{"imke": "instructor", "ada": "student"})
	ctx := background(t)
	for range 3 {
		_, err := w.as(t, "ada").HandIn(ctx, course, "rope-means", wrong, "", 20)
		require.NoError(t, err)
	}
	code, _, told := nimbus(t, password+"\n", "sign-in", "--service", w.base, "--name", "imke")
	require.Zero(t, code, told)
	run := func(arguments ...string) string {
		code, out, told := nimbus(t, "", arguments...)
		require.Zero(t, code, told)
		return out
	}
	out := run("recheck", course, "--exercise", "rope-means", "--follow")
	assert.Contains(t, out, "3 attempts checked again by revision 1")
	assert.Contains(t, run("jobs", course), "recheck   done     3 of 3")
	list, err := w.as(t, "imke").Jobs(ctx, course)
	require.NoError(t, err)
	id := fmt.Sprint(list.Jobs[0].ID)
	assert.Contains(t, run("job", id), "job "+id+", recheck of "+course+": done")
	assert.Contains(t, run("job", id, "-o", "json"), `"attempts": 3`)
	assert.True(t, strings.HasPrefix(run("job", id, "--stop"), "job "+id), "one that has ended stays as it is")
	code, _, told = nimbus(t, "", "job", id, "--resume")
	assert.Equal(t, 2, code)
	assert.Contains(t, told, "It is done")
	code, _, told = nimbus(t, "", "job", "first")
	assert.Equal(t, 2, code)
	assert.Contains(t, told, "a job has a number")
}
