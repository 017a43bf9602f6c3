package main

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing/fstest"
	"time"

	"nimbusreach/demo"
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/exercise"
)

// elsewhere measures answers computed with any tool: tickets, netCDF, a large check, and what running a command costs.
func elsewhere() error {
	if err := readNetCDF(); err != nil {
		return err
	}
	if err := checkMillion(); err != nil {
		return err
	}
	return tickets()
}

// readNetCDF reads a million reals, beside encoding/binary over the same bytes.
func readNetCDF() error {
	values := make([]float64, 1_000_000)
	for i := range values {
		values[i] = math.Sin(float64(i))
	}
	var b bytes.Buffer
	if err := dataio.WriteNetCDF(&b, []dataio.Variable{{Name: "x", Array: array.FromReals(values,
		len(values))}}); err != nil {
		return err
	}
	raw := b.Bytes()
	plain := raw[len(raw)-8*len(values):]
	var ours, theirs []time.Duration
	for range 31 {
		start := time.Now()
		f, err := dataio.ReadNetCDF(raw)
		if err != nil {
			return err
		}
		if _, err := f.Array("x", true); err != nil {
			return err
		}
		ours = append(ours, time.Since(start))
		start = time.Now()
		out := make([]float64, len(values))
		if err := binary.Read(bytes.NewReader(plain), binary.BigEndian, out); err != nil {
			return err
		}
		theirs = append(theirs, time.Since(start))
	}
	a, c := median(ours), median(theirs)
	row("reading 10^6 reals from netCDF, against encoding/binary", fmt.Sprintf("%.2f ×", float64(a)/float64(c)), "≤ 1.2 ×")
	row("  the same", fmt.Sprintf("%.1f ms", ms(a)), "")
	return nil
}

// checkMillion checks an output of a million elements.
func checkMillion() error {
	e, problems := exercise.LoadExercise(fstest.MapFS{
		"exercise.yaml": {Data: []byte("title: T\ninputs: {x: {axes: [week, rope]}}\noutputs: {y: {axes: [week, rope]}}\n" +
			"accepts: [results]\ncases: [{name: a, shown: true, inputs: {x: [[1]]}}]\n" +
			"own: {repeat: 1, inputs: {x: {shape: [1000, 1000], from: normal}}}\n")},
		"reference.nra": {Data: []byte("y = x * 2\n")}, "prompt.md": {Data: []byte("p")}}, "t")
	if len(problems) > 0 {
		return fmt.Errorf("%s", problems[0])
	}
	ctx := context.Background()
	p, problems := check.Prepare(ctx, e)
	if len(problems) > 0 {
		return fmt.Errorf("%s", problems[0])
	}
	cases, err := e.OwnCases(1)
	if err != nil {
		return err
	}
	own, err := p.Own(ctx, cases)
	if err != nil {
		return err
	}
	given := check.Results{"own-1": {"y": array.FromReals(slices.Clone(own.Cases[0].Expected["y"].Reals()), 1000, 1000)}}
	var times []time.Duration
	for range 15 {
		start := time.Now()
		form, fitted := check.FormOf(own, given)
		v, err := check.PlainArrays(ctx, own, fitted)
		if err != nil {
			return err
		}
		if !form.OK || v.Verdict != check.Agrees {
			return fmt.Errorf("the check of a million elements ends with %s", v.Verdict)
		}
		times = append(times, time.Since(start))
	}
	row("form and check of 10^6 elements, without causes", fmt.Sprintf("%.1f ms", ms(median(times))), "< 100 ms")
	return nil
}

// tickets takes new data with 32 clients at a time, each on a connection of its own, and runs an empty command.
func tickets() error {
	ctx := context.Background()
	dsn, end, err := database(ctx)
	if err != nil {
		return err
	}
	defer end()
	clock := &demo.Clock{}
	r, err := serve(dsn, 0, clock.Now)
	if err != nil {
		return err
	}
	defer func() { _ = r.stop() }()
	people, err := demo.Roster()
	if err != nil {
		return err
	}
	var takers []*taker
	for _, p := range people[2:34] {
		token, err := r.base.SignIn(ctx, p.Name, demo.Password, "bench")
		if err != nil {
			return err
		}
		takers = append(takers, &taker{base: r.base.Base(), token: token.Token, http: &http.Client{
			Transport: &http.Transport{}}})
	}
	names := []string{"standard-scores", "pigment-mix"}
	for _, t := range takers { // connected, and the exercises ready, as at a lesson
		for _, name := range names {
			if _, err := t.take(ctx, name); err != nil {
				return err
			}
		}
	}
	var times []time.Duration
	for round := range 12 {
		clock.At(time.Duration(round+1) * 31 * time.Minute) // the tickets of the round before have run out
		for _, name := range names {
			took := make([]time.Duration, len(takers))
			errs := make([]error, len(takers))
			var wg sync.WaitGroup
			for i, t := range takers {
				wg.Go(func() { took[i], errs[i] = t.take(ctx, name) })
			}
			wg.Wait()
			if err := errors.Join(errs...); err != nil {
				return err
			}
			times = append(times, took...)
		}
	}
	slices.Sort(times)
	row("a ticket with its data, 32 clients at once, 99th percentile", fmt.Sprintf("%.1f ms",
		ms(times[len(times)*99/100])), "< 50 ms")
	row("  median", fmt.Sprintf("%.1f ms", ms(median(times))), "")
	return emptyCommand(r.base.Base())
}

// taker takes tickets as one person.
type taker struct {
	base, token string
	http        *http.Client
}

// take takes a ticket, and says how long the answer took until its last byte.
func (t *taker) take(ctx context.Context, exercise string) (time.Duration, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, t.base+"/api/v1/courses/"+demo.CourseSlug+
		"/exercises/"+exercise+"/tickets", http.NoBody)
	if err != nil {
		return 0, err
	}
	req.Header.Set("Authorization", "Bearer "+t.token)
	start := time.Now()
	res, err := t.http.Do(req)
	if err != nil {
		return 0, err
	}
	defer res.Body.Close()
	if _, err := io.Copy(io.Discard, res.Body); err != nil {
		return 0, err
	}
	if res.StatusCode != http.StatusCreated {
		return 0, fmt.Errorf("a ticket is answered with %s", res.Status)
	}
	return time.Since(start), nil
}

// emptyCommand times `nimbus run` of a command that writes what was in a file.
func emptyCommand(base string) error {
	folder, err := os.MkdirTemp("", "nimbus-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	env := append(os.Environ(), "NIMBUS_SIGN_IN_FILE="+filepath.Join(folder, "sign-in.json"))
	nimbus := func(args ...string) ([]byte, error) {
		c := exec.Command("bin/nimbus", args...)
		c.Env, c.Stdin = env, strings.NewReader(demo.Password+"\n")
		return c.CombinedOutput()
	}
	if out, err := nimbus("sign-in", "--service", base, "--name", "wren"); err != nil {
		return fmt.Errorf("%w: %s", err, out)
	}
	var times []time.Duration
	for range 9 {
		start := time.Now()
		_, _ = nimbus("run", "standard-scores", "--", "true") // ends with 3: nothing was written
		times = append(times, time.Since(start))
	}
	row("`nimbus run` of an empty command, over its own time", fmt.Sprintf("%.0f ms", ms(median(times))), "< 300 ms")
	return nil
}
