package e2e

import (
	"context"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"strconv"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/internal/service/mariadb"
)

// kills is how many processes are killed, service, worker and database in turn.
// NIMBUS_KILLS sets another number, 24 for a thorough run.
func kills(t *testing.T) int {
	text := os.Getenv("NIMBUS_KILLS")
	if text == "" {
		return 3
	}
	n, err := strconv.Atoi(text)
	require.NoError(t, err)
	return n
}

// TestKillsUnderLoadLoseNothing hands attempts in while processes are killed, and finds one
// verdict for each attempt that was acknowledged.
func TestKillsUnderLoadLoseNothing(t *testing.T) {
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Minute)
	defer cancel()
	folder := t.TempDir()
	db, err := mariadb.Start(ctx, folder)
	require.NoError(t, err)
	defer func() { _ = db.Stop() }()
	listen := freeAddress(t)
	service := serve(t, db.DSN, "--listen", listen)
	worker := startWorker(t, db.DSN)
	w := &world{base: service.base, dsn: db.DSN}
	people := map[string]string{}
	var names []string
	for i := range 8 {
		names = append(names, fmt.Sprint("kill", i))
		people[names[i]] = "student"
	}
	w.enrol(t, people)

	var mu sync.Mutex
	acknowledged := map[uint64]bool{}
	load, stop := context.WithCancel(ctx)
	var clients sync.WaitGroup
	for i, name := range names {
		c := w.as(t, name)
		clients.Go(func() {
			for n := 0; load.Err() == nil; n++ {
				program := fmt.Sprintf("%s# %d of %d\n", []string{right, wrong}[n%2], n, i)
				key := fmt.Sprintf("%s-%d", name, n)
				// Until it is acknowledged, the same attempt is handed in again.
				for load.Err() == nil {
					a, err := c.HandIn(load, course, "rope-means", program, key, 0)
					if err == nil {
						mu.Lock()
						acknowledged[a.ID] = true
						mu.Unlock()
						break
					}
					time.Sleep(20 * time.Millisecond)
				}
			}
		})
	}
	for round := range kills(t) {
		time.Sleep(700 * time.Millisecond)
		switch round % 3 {
		case 0:
			require.NoError(t, service.Process.Kill())
			_ = service.Wait()
			service = serve(t, db.DSN, "--listen", listen)
		case 1:
			require.NoError(t, worker.Process.Kill())
			_ = worker.Wait()
			worker = startWorker(t, db.DSN)
		case 2:
			require.NoError(t, db.Kill())
			db, err = mariadb.Start(ctx, folder)
			require.NoError(t, err)
		}
	}
	time.Sleep(500 * time.Millisecond)
	stop()
	clients.Wait()
	require.NotEmpty(t, acknowledged)
	verdicts := map[uint64]*wire.Attempt{}
	for _, name := range names {
		c := (&world{base: service.base}).as(t, name)
		before := uint64(0)
		for {
			page, err := c.Attempts(ctx, course, client.AttemptsFilter{Limit: 200, Before: before})
			require.NoError(t, err)
			for _, line := range page.Attempts {
				a, err := c.Attempt(ctx, line.ID, 30)
				require.NoError(t, err)
				if a.Verdict == nil { // its claim runs out first
					a, err = c.Attempt(ctx, line.ID, 30)
					require.NoError(t, err)
				}
				assert.Nil(t, verdicts[a.ID], "attempt %d is listed twice", a.ID)
				verdicts[a.ID] = a
			}
			if page.Next == nil {
				break
			}
			before = *page.Next
		}
	}
	for id := range acknowledged {
		if assert.NotNil(t, verdicts[id], "attempt %d was acknowledged and is lost", id) {
			assert.Equal(t, "checked", verdicts[id].State, "attempt %d", id)
			assert.NotNil(t, verdicts[id].Verdict, "attempt %d", id)
		}
	}
	t.Logf("%d kills, %d attempts acknowledged, %d stored, none lost", kills(t), len(acknowledged), len(verdicts))
}

func startWorker(t *testing.T, dsn string) *exec.Cmd {
	t.Helper()
	c := exec.Command(binary, "worker", "--database", dsn)
	c.Stderr = io.Discard
	require.NoError(t, c.Start())
	t.Cleanup(func() { _ = c.Process.Kill(); _ = c.Wait() })
	return c
}

// freeAddress is an address that was free a moment ago; a service that is killed is started
// there again.
func freeAddress(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().String()
}
