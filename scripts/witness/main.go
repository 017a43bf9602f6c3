// Command witness compares what a soak's clients wrote down with what the database holds: whether each
// acknowledged attempt is there once, with one verdict, how long it waited, and how requests were
// answered. It ends with 1 where anything was lost, stored twice or answered by a fault.
package main

import (
	"bufio"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"os"
	"slices"
	"time"

	_ "github.com/go-sql-driver/mysql"

	"nimbusreach/scripts/soak/record"
)

func main() {
	file := flag.String("file", "", "what the clients wrote down")
	dsn := flag.String("database", "", "the database's address")
	drain := flag.Duration("drain", 30*time.Second, "how long to wait for the last verdicts")
	longest := flag.Duration("longest", 0, "the longest that an attempt may wait for its verdict; 0 for any")
	flag.Parse()
	if err := judge(context.Background(), *file, *dsn, *drain, *longest); err != nil {
		fmt.Fprintln(os.Stderr, "witness:", err)
		os.Exit(1)
	}
}

// heard is what the clients were told.
type heard struct {
	attempts map[string]uint64 // by person and key, as acknowledged
	begun    map[string]time.Time
	twice    int // keys acknowledged as two attempts
	statuses map[int]int
	kinds    map[string]int // of refusals
	bare     int            // 503s that do not say when to try again
	slowest  time.Duration  // from the first try to the acknowledgement
}

func read(name string) (*heard, error) {
	f, err := os.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	h := &heard{attempts: map[string]uint64{}, begun: map[string]time.Time{}, statuses: map[int]int{},
		kinds: map[string]int{}}
	lines := bufio.NewScanner(f)
	for lines.Scan() {
		var l record.Line
		if err := json.Unmarshal(lines.Bytes(), &l); err != nil {
			return nil, err
		}
		h.statuses[l.Status]++
		if l.Status >= 400 {
			h.kinds[fmt.Sprintf("%d %s", l.Status, l.Kind)]++
		}
		if l.Status == 503 && l.After == "" {
			h.bare++
		}
		if l.Status != 202 {
			continue
		}
		key := fmt.Sprintf("%d/%s", l.Person, l.Key)
		if before, known := h.attempts[key]; known && before != l.Attempt {
			h.twice++
		}
		h.attempts[key] = l.Attempt
		h.slowest = max(h.slowest, l.At.Sub(l.Begun))
	}
	return h, lines.Err()
}

// held is what the database has of an attempt.
type held struct {
	key      string
	state    string
	verdicts int
	waited   time.Duration
}

func judge(ctx context.Context, file, dsn string, drain, longest time.Duration) error {
	h, err := read(file)
	if err != nil {
		return err
	}
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		return err
	}
	defer db.Close()
	for deadline := time.Now().Add(drain); ; time.Sleep(time.Second) {
		var open int
		if err := db.QueryRowContext(ctx, "SELECT COUNT(*) FROM attempts WHERE state IN ('waiting', 'checking')").
			Scan(&open); err != nil {
			return err
		}
		if open == 0 || time.Now().After(deadline) {
			break
		}
	}
	stored, err := attempts(ctx, db)
	if err != nil {
		return err
	}
	lost, without, several, stuck := 0, 0, 0, 0
	var waits []time.Duration
	for key, id := range h.attempts {
		x, there := stored[id]
		switch {
		case !there || x.key != key:
			lost++
		case x.state == "stuck":
			stuck++
		case x.verdicts == 0:
			without++
		case x.verdicts > 1:
			several++
		default:
			waits = append(waits, x.waited)
		}
	}
	slices.Sort(waits)
	at := func(share float64) time.Duration {
		if len(waits) == 0 {
			return 0
		}
		return waits[min(len(waits)-1, int(share*float64(len(waits))))].Round(time.Millisecond)
	}
	wrong, err := standing(ctx, db)
	if err != nil {
		return err
	}
	faults := 0
	for status, n := range h.statuses {
		if status >= 500 && status != 503 {
			faults += n
		}
	}
	fmt.Printf("acknowledged            %d attempts, of %d stored\n", len(h.attempts), len(stored))
	fmt.Printf("lost                    %d\n", lost)
	fmt.Printf("without a verdict       %d, and %d stuck\n", without, stuck)
	fmt.Printf("twice                   %d attempts for one key, %d verdicts for one attempt\n", h.twice, several)
	fmt.Printf("standing otherwise      %d people and exercises\n", wrong)
	fmt.Printf("wait for a verdict      median %s, 99 of 100 %s, longest %s\n", at(0.5), at(0.99), at(1))
	fmt.Printf("to be acknowledged      longest %s, with every try\n", h.slowest.Round(time.Millisecond))
	fmt.Printf("answers by status       %v (0: none came)\n", h.statuses)
	for kind, n := range h.kinds {
		fmt.Printf("                        %d × %s\n", n, kind)
	}
	var failed []error
	for what, n := range map[string]int{"attempts were lost": lost, "attempts have no verdict": without + stuck,
		"keys were stored twice": h.twice, "attempts have several verdicts": several, "rows of standing are wrong": wrong,
		"answers are faults of ours": faults, "answers 503 do not say when to try again": h.bare} {
		if n > 0 {
			failed = append(failed, fmt.Errorf("%d %s", n, what))
		}
	}
	if longest > 0 && at(1) >= longest {
		failed = append(failed, fmt.Errorf("an attempt waited %s, and at most %s are allowed", at(1), longest))
	}
	if len(h.attempts) == 0 {
		failed = append(failed, errors.New("nothing was acknowledged"))
	}
	return errors.Join(failed...)
}

func attempts(ctx context.Context, db *sql.DB) (map[uint64]held, error) {
	rows, err := db.QueryContext(ctx, `SELECT a.id, CONCAT(a.person_id, '/', a.repeat_key), a.state, COUNT(v.attempt_id),
		COALESCE(TIMESTAMPDIFF(MICROSECOND, a.created_at, MAX(v.created_at)), 0)
		FROM attempts AS a LEFT JOIN verdicts AS v ON v.attempt_id = a.id GROUP BY a.id`)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := map[uint64]held{}
	for rows.Next() {
		var id uint64
		var x held
		var micros int64
		if err := rows.Scan(&id, &x.key, &x.state, &x.verdicts, &micros); err != nil {
			return nil, err
		}
		x.waited = time.Duration(micros) * time.Microsecond
		out[id] = x
	}
	return out, rows.Err()
}

// standing counts rows of `standing` that are not what all verdicts come to.
func standing(ctx context.Context, db *sql.DB) (int, error) {
	var n int
	err := db.QueryRowContext(ctx, `SELECT COUNT(*) FROM (
			SELECT a.course_id, a.person_id, a.exercise, MAX(a.id) AS newest, MAX(a.number) AS tries,
				MAX(v.earned) AS best FROM attempts AS a JOIN verdicts AS v ON v.attempt_id = a.id
			GROUP BY a.course_id, a.person_id, a.exercise) AS t
		JOIN verdicts AS v ON v.attempt_id = t.newest
		LEFT JOIN standing AS s ON t.course_id = s.course_id AND t.person_id = s.person_id AND t.exercise = s.exercise
		WHERE s.newest_id IS NULL OR s.newest_id <> t.newest OR s.tries <> t.tries OR s.best_earned <> t.best
			OR s.verdict <> v.verdict`).Scan(&n)
	return n, err
}
