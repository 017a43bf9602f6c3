// Package e2e starts the service for real and drives it through its client, its
// API and, in headless Chromium, its console.
package e2e

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/demo"
	"nimbusreach/e2e/testdb"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/store"
)

// binary is nimbus, built once for all tests.
var binary string

func TestMain(m *testing.M) { os.Exit(run(m)) }

func run(m *testing.M) int {
	dir, err := os.MkdirTemp("", "nimbus-e2e-")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer os.RemoveAll(dir)
	binary = filepath.Join(dir, "nimbus")
	if out, err := exec.Command("go", "build", "-o", binary, "../cmd/nimbus").CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "building nimbus: %v\n%s", err, out)
		return 1
	}
	return testdb.Main(m)
}

const (
	course   = demo.CourseSlug
	password = demo.Password
)

// world is a running service with the demo course, an operator and a few people.
type world struct {
	base string
	dsn  string
}

// start runs the service in this process until the test ends.
func start(t testing.TB, workers int) *world {
	t.Helper()
	return startWith(t, service.Config{Workers: workers})
}

// startWith runs the service with settings of its own.
func startWith(t testing.TB, config service.Config) *world {
	t.Helper()
	w := &world{dsn: testdb.New(t)}
	ctx, stop := context.WithCancel(context.Background())
	address, ready, ended := make(chan string, 1), make(chan error, 1), make(chan error, 1)
	go func() {
		config.DSN, config.Listen, config.Log = w.dsn, "127.0.0.1:0", quiet()
		config.Listening = func(at string) { address <- at }
		config.Ready = func(_ *store.Store, gate *access.Gate) {
			ready <- gate.FirstOperator(ctx, demo.Operator, password)
		}
		ended <- service.Run(ctx, config)
	}()
	t.Cleanup(func() {
		stop()
		require.NoError(t, <-ended)
	})
	w.base = "http://" + <-address
	require.NoError(t, <-ready)
	require.NoError(t, client.New(w.base, "").Ready(background(t)))
	return w
}

// enrol publishes the demo course and makes its people.
func (w *world) enrol(t testing.TB, people map[string]string) {
	t.Helper()
	ctx := context.Background()
	operator := w.as(t, demo.Operator)
	archive, err := exercise.Pack(demo.Course())
	require.NoError(t, err)
	_, err = operator.Publish(ctx, course, archive)
	require.NoError(t, err)
	for name, role := range people {
		made, err := operator.AddPerson(ctx, wire.NewPerson{Name: name, Display: name + " Shoalby"})
		require.NoError(t, err)
		_, err = client.New(w.base, "").OpenLink(ctx, made.Link.Address, password)
		require.NoError(t, err)
		require.NoError(t, operator.SetRole(ctx, course, name, role))
	}
}

// as signs a client in.
func (w *world) as(t testing.TB, name string) *client.Client {
	t.Helper()
	c := client.New(w.base, "")
	_, err := c.SignIn(context.Background(), name, password, "test")
	require.NoError(t, err)
	return c
}

var team = map[string]string{"imke": "instructor", "aron": "assistant", "ada": "student", "bree": "student"}

const (
	right = "per_rope = mean(growth over [week, depth])\nbest_week = max(growth over week)\nspread = max(growth over " +
		"[rope, depth]) - min(growth over [rope, depth])\n"
	wrong = "per_rope = mean(growth over [week, rope])\nbest_week = max(growth over week)\nspread = max(growth over " +
		"[rope, depth]) - min(growth over [rope, depth])\n"
)

// patience bounds what a test waits for; nothing is measured by it.
const patience = 60 * time.Second

func background(t testing.TB) context.Context {
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	t.Cleanup(cancel)
	return ctx
}

// again publishes over what the operator published before.
var anew = client.Publishing{From: client.AnyRevision}
