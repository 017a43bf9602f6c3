package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"strconv"
	"sync"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/scripts/soak/record"
)

// journal is the file that clients write to, each line whole before the next.
type journal struct {
	mu   sync.Mutex
	file *os.File
	to   *json.Encoder
}

func newJournal(file *os.File) *journal { return &journal{file: file, to: json.NewEncoder(file)} }

func (j *journal) write(l record.Line) error {
	j.mu.Lock()
	defer j.mu.Unlock()
	return j.to.Encode(l)
}

func (j *journal) close() error { return j.file.Close() }

// student hands in one attempt after the other, each until it is acknowledged; what does not answer is
// passed over for the next service.
type student struct {
	id      uint64
	token   string
	bases   []string
	first   int
	journal *journal
}

const (
	thinkTime = 600 * time.Millisecond // between two attempts, on average
	pauseTime = 250 * time.Millisecond // before the same attempt again
	patience  = 12 * time.Second       // for an answer
)

var attempts = []struct{ exercise, program string }{
	{"rope-means", "per_rope = mean(growth over [week, depth])\nbest_week = max(growth over week)\n" +
		"spread = max(growth over [rope, depth]) - min(growth over [rope, depth])\n"},
	{"rope-means", "per_rope = mean(growth over [week, rope])\nbest_week = max(growth over week)\n" +
		"spread = max(growth over [rope, depth]) - min(growth over [rope, depth])\n"},
	{"rope-means", "per_rope = mean(growth over [week, depth])\nbest_week = max(growth over depth)\nspread = 3\n"},
}

func (s *student) handInUntil(ctx context.Context) {
	client := &http.Client{Timeout: patience}
	for n := 0; ctx.Err() == nil; n++ {
		what := attempts[rand.IntN(len(attempts))]
		key := fmt.Sprintf("%d-%d", s.id, n)
		body, err := json.Marshal(wire.HandIn{Program: fmt.Sprintf("%s# %s\n", what.program, key)})
		if err != nil {
			panic(err)
		}
		begun := time.Now()
		for try := 0; ctx.Err() == nil; try++ {
			line := s.handIn(client, s.bases[(s.first+n+try)%len(s.bases)], what.exercise, key, body)
			line.Begun, line.Key, line.Person, line.At = begun, key, s.id, time.Now()
			if err := s.journal.write(line); err != nil {
				panic(err)
			}
			if line.Status == http.StatusAccepted {
				break
			}
			time.Sleep(pauseTime)
		}
		time.Sleep(time.Duration(float64(thinkTime) * rand.ExpFloat64()))
	}
}

func (s *student) handIn(client *http.Client, base, exercise, key string, body []byte) (line record.Line) {
	wait := rand.IntN(2) * 5 // some wait for the verdict
	req, err := http.NewRequest(http.MethodPost, base+"/api/v1/courses/"+course+"/exercises/"+exercise+"/attempts?wait="+
		strconv.Itoa(wait), bytes.NewReader(body))
	if err != nil {
		panic(err)
	}
	req.Header.Set("Authorization", "Bearer "+s.token)
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Idempotency-Key", key)
	res, err := client.Do(req)
	if err != nil {
		return line
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	if err != nil {
		return line
	}
	line.Status, line.After = res.StatusCode, res.Header.Get("Retry-After")
	var a wire.Attempt
	var p wire.Problem
	switch {
	case res.StatusCode != http.StatusAccepted:
		_ = json.Unmarshal(text, &p)
		line.Kind = p.Type
	case json.Unmarshal(text, &a) != nil || a.ID == 0:
		line.Status = 0 // cut short: nothing was acknowledged
	}
	line.Attempt = a.ID
	return line
}
