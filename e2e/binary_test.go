package e2e

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/demo"
	"nimbusreach/e2e/testdb"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/exercise"
)

// process is `nimbus serve` as the operating system sees it.
type process struct {
	*exec.Cmd
	base string
}

// serve starts the binary and waits until it answers.
func serve(t *testing.T, dsn string, arguments ...string) *process {
	t.Helper()
	c := exec.Command(binary, append([]string{"serve", "--listen", "127.0.0.1:0", "--first-operator", demo.Operator},
		arguments...)...)
	c.Env = append(os.Environ(), "NIMBUS_DATABASE="+dsn, "NIMBUS_OPERATOR_PASSWORD="+password)
	logs, err := c.StderrPipe()
	require.NoError(t, err)
	require.NoError(t, c.Start())
	p := &process{Cmd: c}
	t.Cleanup(func() { _ = c.Process.Kill(); _ = c.Wait() })
	lines := bufio.NewScanner(logs)
	for lines.Scan() {
		var line struct{ Msg, Address string }
		require.NoError(t, json.Unmarshal(lines.Bytes(), &line), "logs are structured")
		if line.Msg == "listening" {
			p.base = line.Address
			break
		}
	}
	require.NotEmpty(t, p.base)
	go func() { _, _ = io.Copy(io.Discard, logs) }()
	require.NoError(t, client.New(p.base, "").Ready(background(t)))
	return p
}

// nimbus runs a command of the binary with a sign-in file of the test's own.
func nimbus(t *testing.T, stdin string, arguments ...string) (code int, stdout, stderr string) {
	t.Helper()
	c := exec.Command(binary, arguments...)
	c.Env = append(os.Environ(), "NIMBUS_SIGN_IN_FILE="+filepath.Join(signInDir(t), "sign-in.json"))
	c.Stdin = strings.NewReader(stdin)
	var out, err bytes.Buffer
	c.Stdout, c.Stderr = &out, &err
	e := c.Run()
	if exit := (*exec.ExitError)(nil); errors.As(e, &exit) {
		return exit.ExitCode(), out.String(), err.String()
	}
	require.NoError(t, e)
	return 0, out.String(), err.String()
}

var signInDirs = map[string]string{}

func signInDir(t *testing.T) string {
	if signInDirs[t.Name()] == "" {
		signInDirs[t.Name()] = t.TempDir()
	}
	return signInDirs[t.Name()]
}

// TestKilledBetweenHandInAndVerdict stores attempts in a process that checks
// nothing, kills it, and finds every verdict after the next start.
func TestKilledBetweenHandInAndVerdict(t *testing.T) {
	dsn := testdb.New(t)
	first := serve(t, dsn, "--workers", "-1")
	w := &world{base: first.base, dsn: dsn}
	w.enrol(t, map[string]string{"ada": "student", "bree": "student"})
	ctx := background(t)
	var ids []uint64
	ada := w.as(t, "ada")
	for i := range 5 {
		a, err := []*client.Client{ada, w.as(t, "bree")}[i%2].HandIn(ctx, course, "rope-means", right, "", 0)
		require.NoError(t, err)
		ids = append(ids, a.ID)
	}
	require.NoError(t, first.Process.Signal(syscall.SIGKILL))
	_ = first.Wait()

	second := serve(t, dsn)
	ada = (&world{base: second.base}).as(t, "ada")
	for i, id := range ids {
		a, err := []*client.Client{ada, (&world{base: second.base}).as(t, "bree")}[i%2].Attempt(ctx, id, 30)
		require.NoError(t, err)
		require.NotNil(t, a.Verdict)
		assert.Equal(t, check.Agrees, a.Verdict.Verdict)
	}
	list, err := ada.Attempts(ctx, course, client.AttemptsFilter{})
	require.NoError(t, err)
	assert.Len(t, list.Attempts, 3, "none lost, none twice")
}

func TestAWorkerChecksForAService(t *testing.T) {
	dsn := testdb.New(t)
	p := serve(t, dsn, "--workers", "-1")
	w := &world{base: p.base, dsn: dsn}
	w.enrol(t, map[string]string{"ada": "student"})
	worker := exec.Command(binary, "worker", "--database", dsn, "--workers", "1")
	require.NoError(t, worker.Start())
	a, err := w.as(t, "ada").HandIn(background(t), course, "rope-means", right, "", 30)
	require.NoError(t, err)
	require.NotNil(t, a.Verdict)
	require.NoError(t, worker.Process.Signal(syscall.SIGTERM))
	assert.NoError(t, worker.Wait(), "a worker asked to stop ends well")
	require.NoError(t, p.Process.Signal(syscall.SIGTERM))
	assert.NoError(t, p.Wait(), "so does a service")
}

func TestTheCommandLineFromSignInToDesk(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	code, _, stderr := nimbus(t, "", "whoami")
	assert.Equal(t, 2, code)
	assert.Contains(t, stderr, "nobody is signed in")
	code, _, stderr = nimbus(t, "wrong password\n", "sign-in", "--service", w.base, "--name", "ada")
	assert.Equal(t, 2, code)
	assert.Contains(t, stderr, "name or the password is wrong")
	code, stdout, _ := nimbus(t, password+"\n", "sign-in", "--service", w.base, "--name", "ada")
	assert.Equal(t, 0, code)
	assert.Contains(t, stdout, "Signed in")
	info, err := os.Stat(filepath.Join(signInDir(t), "sign-in.json"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())

	code, stdout, _ = nimbus(t, wrong, "attempt", "rope-means", "-")
	assert.Equal(t, 1, code)
	assert.Contains(t, stdout, "◐ differs")
	assert.Contains(t, stdout, "expected  │  rope 3 │")
	assert.Contains(t, stdout, "got       │ depth 4 │")
	code, stdout, _ = nimbus(t, right, "attempt", "rope-means", "-", "--output", "json")
	assert.Equal(t, 0, code)
	var a wire.Attempt
	require.NoError(t, json.Unmarshal([]byte(stdout), &a))
	assert.Equal(t, check.Agrees, a.Verdict.Verdict)
	code, _, stderr = nimbus(t, right, "attempt", "rope-meens", "-")
	assert.Equal(t, 2, code)
	assert.Contains(t, stderr, "nothing here")
	code, _, _ = nimbus(t, "", "desk")
	assert.Equal(t, 2, code, "the desk is not for students")
	code, stdout, _ = nimbus(t, "", "whoami", "--output", "json")
	assert.Equal(t, 0, code)
	assert.Contains(t, stdout, `"role": "student"`)
	code, _, _ = nimbus(t, "", "sign-out")
	assert.Equal(t, 0, code)
	code, _, _ = nimbus(t, "", "whoami")
	assert.Equal(t, 2, code)

	_, _, _ = nimbus(t, password+"\n", "sign-in", "--service", w.base, "--name", "imke")
	code, stdout, _ = nimbus(t, "", "desk")
	assert.Equal(t, 0, code)
	assert.Contains(t, stdout, "2 attempts")
	folder := t.TempDir()
	require.NoError(t, os.CopyFS(folder, demo.Course()))
	code, stdout, _ = nimbus(t, "", "publish", folder, "--course", course)
	assert.Equal(t, 0, code)
	assert.Contains(t, stdout, "unchanged")
	require.NoError(t, os.WriteFile(filepath.Join(folder, "course.yaml"), []byte("title: K\nexercizes: []\n"), 0o644))
	code, _, stderr = nimbus(t, "", "publish", folder, "--course", course)
	assert.Equal(t, 2, code)
	assert.Contains(t, stderr, "course.yaml:2:1")
	t.Setenv("NIMBUS_SERVICE", "http://127.0.0.1:1")
	code, _, stderr = nimbus(t, "", "whoami")
	assert.Equal(t, 3, code)
	assert.Contains(t, stderr, "does not answer")
}

func TestCommandsWithoutAService(t *testing.T) {
	code, stdout, _ := nimbus(t, "", "evaluate", "-e", "sum([[1, 2], [3, 4]] over 0)", "--output", "json")
	assert.Equal(t, 0, code)
	assert.JSONEq(t,
		`{"values": {"result": {"kind": "int", "shape": [2], "axes": [null], "data": [4, 6]}}, "notices": [],
		"error": null}`, stdout)
	code, stdout, _ = nimbus(t, "x = [1, 2] + [1, 2, 3]\n", "evaluate", "-", "--output", "json")
	assert.Equal(t, 1, code)
	var out struct {
		Error struct {
			Code   string
			Span   map[string]int
			Shapes []any
		}
	}
	require.NoError(t, json.Unmarshal([]byte(stdout), &out))
	assert.Equal(t, "shape.broadcast", out.Error.Code)
	assert.Equal(t, map[string]int{"line": 1, "column": 5, "end_line": 1, "end_column": 23}, out.Error.Span)
	assert.Len(t, out.Error.Shapes, 2)

	dir := t.TempDir()
	data, table := filepath.Join(dir, "in.json"), filepath.Join(dir, "t.csv")
	require.NoError(t, os.WriteFile(data, []byte(
		`{"growth": {"kind": "real", "shape": [2, 2], "axes": ["week", "rope"], "data": [1, 2, 3, 4]}}`), 0o644))
	require.NoError(t, os.WriteFile(table, []byte("5\n6\n"), 0o644))
	code, stdout, _ = nimbus(t, "total = sum(growth over week) + t\nfirst_one = total[1]\n", "evaluate", "-", "--inputs",
		data, "--set", "t="+table, "--counting", "1", "--trace")
	assert.Equal(t, 0, code)
	assert.Contains(t, stdout, "[rope=2]")
	assert.Contains(t, stdout, "9.0")
	for _, wrong := range [][]string{{"evaluate"}, {"evaluate", "-e", "1", "--counting", "2"}, {"evaluate", "none.nra"},
		{"evaluate", "-e", "1", "--output", "xml"}, {"nonsense"}, {"explain", "meen"}, {"serve"}, {"check", dir, "-"}} {
		code, _, stderr := nimbus(t, "", wrong...)
		assert.Equal(t, 2, code, "%v", wrong)
		assert.NotEmpty(t, stderr, "%v", wrong)
	}
	code, stdout, _ = nimbus(t, "", "explain", "mean")
	assert.Equal(t, 0, code)
	assert.Contains(t, stdout, "mean(x over AXES")
	assert.Contains(t, stdout, "3.0")
	code, stdout, _ = nimbus(t, "", "explain")
	assert.Equal(t, 0, code)
	assert.Contains(t, stdout, "shape.broadcast")
	assert.Contains(t, stdout, "transpose")

	code, stdout, _ = nimbus(t, wrong, "check", "../demo/course/exercises/rope-means", "-", "--output", "json")
	assert.Equal(t, 1, code)
	var v struct {
		Verdict  string
		Seconds  *float64
		Findings []struct{ Code, Output string }
	}
	require.NoError(t, json.Unmarshal([]byte(stdout), &v))
	assert.Equal(t, "differs", v.Verdict)
	assert.NotNil(t, v.Seconds)
	code, stdout, _ = nimbus(t, right, "check", "../demo/course/exercises/rope-means", "-")
	assert.Equal(t, 0, code)
	assert.Contains(t, stdout, "● agrees")
}

func TestDemoOnceTellsTheWholeStory(t *testing.T) {
	folder := t.TempDir()
	code, stdout, stderr := nimbus(t, "", "demo", "--once", "--folder", folder)
	require.Equal(t, 0, code, stderr)
	assert.Contains(t, stdout, "published Arrays on the kelp farm, revision 1")
	story, err := demo.Story()
	require.NoError(t, err)
	assert.Greater(t, len(story), 300)
	assert.Contains(t, stdout, fmt.Sprintf("40 students, %d attempts, 0 waiting", len(story)+demo.Elsewhere()))
	assert.Contains(t, stdout, "lost: operands are exchanged")
	assert.Contains(t, stdout, "jar_price: element by element where the matrix product")
	assert.Contains(t, stdout, "this hour, growing")
	assert.Contains(t, stdout, "1 note")
	left, err := os.ReadDir(folder)
	require.NoError(t, err)
	assert.Empty(t, left, "nothing stays behind")
}

func TestDemoComesBackWithTheSameData(t *testing.T) {
	folder := t.TempDir()
	for round := range 2 {
		c := exec.Command(binary, "demo", "--folder", folder, "--listen", "127.0.0.1:0")
		out, err := c.StdoutPipe()
		require.NoError(t, err)
		require.NoError(t, c.Start())
		lines := bufio.NewScanner(out)
		base, played := "", false
		for lines.Scan() {
			if _, after, ok := strings.Cut(lines.Text(), "Nimbus Reach is at"); ok {
				base = strings.TrimSpace(after)
			}
			played = played || strings.Contains(lines.Text(), "making 42 accounts")
			if strings.Contains(lines.Text(), "Ctrl-C") {
				break
			}
		}
		require.NotEmpty(t, base)
		assert.Equal(t, round == 0, played, "the story is told once")
		if round == 0 {
			for _, more := range [][]string{nil, {"--fresh"}} {
				code, _, stderr := nimbus(t, "", append([]string{"demo", "--folder", folder}, more...)...)
				assert.Equal(t, 3, code, "a second one says where the first is, and ends")
				assert.Contains(t, stderr, fmt.Sprintf("(process %d): it answers at %s", c.Process.Pid, base))
			}
		}
		d, err := (&world{base: base}).as(t, demo.Assistant).Desk(background(t), course)
		require.NoError(t, err)
		story, err := demo.Story()
		require.NoError(t, err)
		assert.EqualValues(t, len(story)+demo.Elsewhere(), d.Attempts)
		require.NoError(t, c.Process.Signal(os.Interrupt))
		rest, err := io.ReadAll(out)
		require.NoError(t, err)
		require.NoError(t, c.Wait())
		assert.Contains(t, string(rest), "stopped; the data stays")
	}
	_, err := os.Stat(filepath.Join(folder, "demo", "mariadb.pid"))
	assert.True(t, os.IsNotExist(err), "the database is stopped too")
}

func TestACourseFolderOfOnesOwn(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, demo.Course()))
	lone := filepath.Join(dir, "exercises", "rope-means")
	e, problems := exercise.LoadExercise(os.DirFS(lone), "rope-means")
	require.Empty(t, problems)
	assert.Equal(t, 0, e.Counting)
	elsewhere := filepath.Join(t.TempDir(), "alone")
	require.NoError(t, os.CopyFS(elsewhere, os.DirFS(lone)))
	code, stdout, _ := nimbus(t, right, "check", elsewhere, "-")
	assert.Equal(t, 0, code, stdout)
}

// TestTheCommandLineTellsOfAConflict publishes a folder from two homes.
func TestTheCommandLineTellsOfAConflict(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	_, _, _ = nimbus(t, password+"\n", "sign-in", "--service", w.base, "--name", "imke")
	folder := t.TempDir()
	require.NoError(t, os.CopyFS(folder, demo.Course()))
	prompt := filepath.Join(folder, "exercises", "rope-means", "prompt.md")
	write := func(text string) {
		t.Helper()
		require.NoError(t, os.WriteFile(prompt, []byte(text), 0o644))
	}
	write("Bind the three.\n")
	code, stdout, stderr := nimbus(t, "", "publish", folder, "--course", course, "--from", "1")
	require.Equal(t, 0, code, stderr)
	assert.Contains(t, stdout, "revision 2")
	write("Bind all three.\n")
	code, stdout, stderr = nimbus(t, "", "publish", folder, "--course", course)
	require.Equal(t, 0, code, stderr)
	assert.Contains(t, stdout, "revision 3", "the folder remembers where it began")

	archive, err := exercise.Pack(demo.Course())
	require.NoError(t, err)
	_, err = w.as(t, demo.Operator).PublishFrom(background(t), course, archive, client.Publishing{From: 3})
	require.NoError(t, err)
	write("Bind all the three.\n")
	code, _, stderr = nimbus(t, "", "publish", folder, "--course", course)
	assert.Equal(t, 2, code)
	assert.Contains(t, stderr, "Revision 4 is current, published by "+demo.Operator)
	assert.Contains(t, stderr, "revision 3")
	list, err := w.as(t, "imke").Revisions(background(t), course)
	require.NoError(t, err)
	assert.Len(t, list.Revisions, 4, "nothing was published")
	code, stdout, stderr = nimbus(t, "", "publish", folder, "--course", course, "--replace")
	require.Equal(t, 0, code, stderr)
	assert.Contains(t, stdout, "revision 5")
}

// TestTheCommandLineAsksForPredictions hands in what asks first.
func TestTheCommandLineAsksForPredictions(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	_, _, _ = nimbus(t, password+"\n", "sign-in", "--service", w.base, "--name", "ada")
	program := "by_day = reshape(readings, [auto, depths])\nby_depth = mean(by_day over 0)\n"
	code, _, stderr := nimbus(t, program, "attempt", "shapes-first", "-")
	assert.Equal(t, 2, code)
	assert.Contains(t, stderr, "one --predict for each question")
	assert.Contains(t, stderr, "Of which kind is this?")
	code, _, stderr = nimbus(t, program, "attempt", "shapes-first", "-", "--predict", "[3, 4]", "--predict", "hello",
		"--predict", "int")
	assert.Equal(t, 2, code)
	assert.Contains(t, stderr, "nothing was counted")
	code, stdout, stderr := nimbus(t, program, "attempt", "shapes-first", "-", "--predict", "[3, 4]", "--predict", "[9]",
		"--predict", "int")
	assert.Equal(t, 0, code, stderr)
	assert.Contains(t, stdout, "5 of 6 points", "a wrong prediction costs its point and leaves the verdict")
	mine, err := w.as(t, "ada").Exercise(background(t), course, "shapes-first")
	require.NoError(t, err)
	assert.Equal(t, "[9]", *mine.Counts.Predictions[1].Said)
	assert.False(t, mine.Counts.Predictions[1].Came.Right)
}
