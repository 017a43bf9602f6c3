package store_test

import (
	"cmp"
	"database/sql"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/e2e/testdb"
	"nimbusreach/internal/service/store"
)

// stood is how a person stands in an exercise, told from all their attempts: the slow and obvious way.
type stood struct {
	Person                       uint64
	Exercise                     string
	Tries                        int
	Newest, Best                 uint64
	Verdict, LeadCode            string
	Earned                       float64
	First, NewestAt, Agreed, All string // times; All is when the last verdict was written
}

// judged is an attempt with its verdict.
type judged struct {
	id, person       uint64
	exercise         string
	number           int
	at, written      string
	word, lead       string
	earned, possible float64
}

func standOf(list []judged) []stood {
	type key struct {
		person   uint64
		exercise string
	}
	by := map[key][]judged{}
	for _, j := range list {
		k := key{j.person, j.exercise}
		by[k] = append(by[k], j)
	}
	var out []stood
	for k, all := range by {
		slices.SortFunc(all, func(a, b judged) int { return cmp.Compare(a.id, b.id) })
		x := stood{Person: k.person, Exercise: k.exercise, First: all[0].at}
		best := -1.0
		for _, j := range all {
			share := 0.0
			if j.possible > 0 {
				share = j.earned / j.possible
			}
			if share > best {
				best, x.Best, x.Earned = share, j.id, j.earned
			}
			x.Tries, x.Newest, x.NewestAt, x.Verdict, x.LeadCode = max(x.Tries, j.number), j.id, j.at, j.word, j.lead
			if j.word == "agrees" && x.Agreed == "" {
				x.Agreed = j.at
			}
			x.All = max(x.All, j.written)
		}
		out = append(out, x)
	}
	slices.SortFunc(out, func(a, b stood) int {
		return cmp.Or(cmp.Compare(a.Person, b.Person), cmp.Compare(a.Exercise, b.Exercise))
	})
	return out
}

func readJudged(t *testing.T, db *sql.DB) (out []judged) {
	t.Helper()
	rows, err := db.Query("SELECT a.id, a.person_id, a.exercise, a.number, a.created_at, v.created_at, v.verdict, " +
		"v.lead_code, v.earned, v.possible FROM attempts AS a JOIN verdicts AS v ON v.attempt_id = a.id")
	require.NoError(t, err)
	defer rows.Close()
	for rows.Next() {
		var j judged
		require.NoError(t, rows.Scan(&j.id, &j.person, &j.exercise, &j.number, &j.at, &j.written, &j.word, &j.lead, &j.earned,
			&j.possible))
		out = append(out, j)
	}
	require.NoError(t, rows.Err())
	return out
}

func readStanding(t *testing.T, db *sql.DB) (out []stood) {
	t.Helper()
	rows, err := db.Query("SELECT person_id, exercise, tries, newest_id, best_id, verdict, lead_code, best_earned, " +
		"first_at, newest_at, COALESCE(agreed_at, ''), written_at FROM standing ORDER BY person_id, exercise")
	require.NoError(t, err)
	defer rows.Close()
	for rows.Next() {
		var x stood
		require.NoError(t, rows.Scan(&x.Person, &x.Exercise, &x.Tries, &x.Newest, &x.Best, &x.Verdict, &x.LeadCode, &x.Earned,
			&x.First, &x.NewestAt, &x.Agreed, &x.All))
		out = append(out, x)
	}
	require.NoError(t, rows.Err())
	return out
}

// TestStandingIsWhatAllAttemptsComeTo draws histories of several people: verdicts come in any order,
// together or alone, and some attempts are checked again. What stands is what is told from all of them.
func TestStandingIsWhatAllAttemptsComeTo(t *testing.T) {
	dsn := testdb.New(t)
	s, err := store.Open(ctx, dsn, nil)
	require.NoError(t, err)
	defer s.Close()
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	imke, c := course(t, s)
	people := []*store.Person{imke}
	for i := range 3 {
		p := &store.Person{Name: fmt.Sprint("p", i), Display: "P", PasswordHash: "x"}
		require.NoError(t, s.AddPerson(ctx, nil, p))
		people = append(people, p)
	}
	draw := rand.New(rand.NewPCG(7, 11))
	verdict := func() *store.Verdict {
		earned := float64(draw.IntN(5))
		return &store.Verdict{Verdict: []string{"agrees", "differs", "failed"}[draw.IntN(3)], Earned: earned,
			Possible: []float64{4, 8, 0}[draw.IntN(3)], LeadCode: fmt.Sprint("c", draw.IntN(3)), Body: "{}"}
	}
	var open, closed []*store.Attempt
	for range 40 {
		for range 1 + draw.IntN(6) {
			a := &store.Attempt{CourseID: c.ID, RevisionID: *c.CurrentRevisionID, PersonID: people[draw.IntN(4)].ID,
				Exercise: []string{"means", "masks"}[draw.IntN(2)], Program: "x = 1"}
			_, err := s.HandIn(ctx, a, store.Bounds{})
			require.NoError(t, err)
			open = append(open, a)
		}
		draw.Shuffle(len(open), func(i, j int) { open[i], open[j] = open[j], open[i] })
		var done []store.Done
		for range draw.IntN(len(open) + 1) {
			done = append(done, store.Done{Attempt: open[0], Verdict: verdict(), Findings: []store.Finding{{Code: "a"},
				{Code: "b",
					Ordinal: 1}}})
			open, closed = open[1:], append(closed, open[0])
		}
		if draw.IntN(3) == 0 && len(closed) > 0 { // one is checked again
			a := closed[draw.IntN(len(closed))]
			_, err := db.Exec("UPDATE attempts SET state = 'waiting', behind = TRUE WHERE id = ? AND state = 'checked'", a.ID)
			require.NoError(t, err)
			if !slices.ContainsFunc(done, func(d store.Done) bool { return d.Attempt == a }) {
				again := *a
				again.Behind = true
				done = append(done, store.Done{Attempt: &again, Verdict: verdict()})
			}
		}
		if len(done) > 0 {
			require.NoError(t, s.Finish(ctx, done...))
		}
		require.Equal(t, standOf(readJudged(t, db)), readStanding(t, db))
	}
	want := readStanding(t, db)
	var findings int
	require.NoError(t, db.QueryRow("SELECT COUNT(*) FROM findings").Scan(&findings))
	assert.Positive(t, findings)

	// What processes of an earlier release stored is summed up when it is noticed.
	_, err = db.Exec("DELETE FROM standing WHERE exercise = 'masks'")
	require.NoError(t, err)
	_, err = db.Exec("UPDATE standing SET written_at = '2000-01-01', tries = 0, best_id = 0, agreed_at = NULL")
	require.NoError(t, err)
	require.NoError(t, s.Mend(ctx, time.Now().UTC().Add(-time.Hour)))
	assert.Equal(t, want, readStanding(t, db))

	// The migration sums up the same.
	_, err = db.Exec("DROP TABLE standing")
	require.NoError(t, err)
	_, err = db.Exec("DELETE FROM goose_db_version WHERE version_id >= 6")
	require.NoError(t, err)
	again, err := store.Open(ctx, dsn, nil)
	require.NoError(t, err)
	defer again.Close()
	assert.Equal(t, want, readStanding(t, db))
}

// TestAVerdictThatCannotBeStoredKeepsOthersWhole: of verdicts stored together all are or none is.
func TestAVerdictThatCannotBeStoredKeepsOthersWhole(t *testing.T) {
	s := open(t)
	p, c := course(t, s)
	first, second := handIn(t, s, p, c, ""), handIn(t, s, p, c, "")
	good := store.Done{Attempt: first, Verdict: &store.Verdict{Verdict: "agrees", Body: "{}"}}
	bad := store.Done{Attempt: second, Verdict: &store.Verdict{Verdict: "no word", Body: "{}"}}
	require.Error(t, s.Finish(ctx, good, bad))
	line, err := s.AttemptByID(ctx, first.ID)
	require.NoError(t, err)
	assert.Nil(t, line.Verdict)
	assert.Equal(t, store.Waiting, line.State)
	require.NoError(t, s.Finish(ctx, good))
	line, err = s.AttemptByID(ctx, first.ID)
	require.NoError(t, err)
	assert.Equal(t, "agrees", *line.Verdict)
}

// TestVerdictsBesideOneThatIsThere: of several that are stored together those that are new are stored once, however
// many there are, and what was there stays.
func TestVerdictsBesideOneThatIsThere(t *testing.T) {
	dsn := testdb.New(t)
	s, err := store.Open(ctx, dsn, nil)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	p, c := course(t, s)
	var list []store.Done
	for range 40 { // more than one statement takes
		list = append(list, store.Done{Attempt: handIn(t, s, p, c, ""), Verdict: &store.Verdict{Verdict: "differs",
			LeadCode: "axis.other", Body: "{}"}, Findings: []store.Finding{{Code: "value.differs", CaseName: "a", Output: "y",
			Message: "a \"quoted\" message, ünïcode 🪸"}, {Ordinal: 1, Code: "shape.differs"}}})
	}
	there := list[17]
	first := there
	first.Verdict = &store.Verdict{Verdict: "agrees", Body: "{}"}
	require.NoError(t, s.Finish(ctx, first))
	require.NoError(t, s.Finish(ctx, list...))
	require.NoError(t, s.Finish(ctx, list...), "and again, which changes nothing")
	changes, _, err := s.ChangesAfter(ctx, 0)
	require.NoError(t, err)
	told := map[uint64]int{}
	for _, x := range changes {
		if x.Kind == "verdict" {
			told[*x.AttemptID]++
		}
	}
	for i, d := range list {
		line, err := s.AttemptByID(ctx, d.Attempt.ID)
		require.NoError(t, err)
		require.NotNil(t, line.Verdict, i)
		want := "differs"
		if i == 17 {
			want = "agrees"
		}
		assert.Equal(t, want, *line.Verdict)
		assert.Equal(t, store.Checked, line.State)
		assert.Equal(t, 1, told[d.Attempt.ID])
	}

	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	var findings int
	var message string
	require.NoError(t, db.QueryRow("SELECT COUNT(*), MAX(message) FROM findings").Scan(&findings, &message))
	assert.Equal(t, 2*40, findings)
	assert.Equal(t, list[0].Findings[0].Message, message, "character by character")
}
