package store

import (
	"context"
	"errors"
	"os"
	"reflect"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"

	"nimbusreach/e2e/testdb"
	"nimbusreach/internal/service/mariadb"
	"nimbusreach/scripts/fill"
)

// recorder notes every statement that GORM sends.
type recorder struct {
	logger.Interface
	mu         sync.Mutex
	statements []string
}

func (r *recorder) LogMode(logger.LogLevel) logger.Interface { return r }

func (r *recorder) Trace(_ context.Context, _ time.Time, f func() (string, int64), _ error) {
	text, _ := f()
	r.mu.Lock()
	defer r.mu.Unlock()
	r.statements = append(r.statements, text)
}

func (r *recorder) take() []string {
	r.mu.Lock()
	defer r.mu.Unlock()
	out := r.statements
	r.statements = nil
	return out
}

// filledSize is how large the tables are that queries are explained on: as many people, courses and exercises as a
// faculty has, and attempts enough that a scan of them costs more than any index.
var filledSize = func() fill.Size {
	size := fill.Faculty
	size.Attempts = 100_000
	return size
}()

var filledAttempts = filledSize.Attempts

// filled is a store with tables of a faculty's size, and a recorder of its statements.
func filled(t *testing.T) (*Store, *recorder) {
	t.Helper()
	ctx := context.Background()
	folder, err := os.MkdirTemp("", "nimbus-explain-")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(folder) })
	server, err := mariadb.Start(ctx, folder)
	require.NoError(t, err)
	t.Cleanup(func() { _ = server.Stop() })
	s, err := Open(ctx, server.DSN, nil)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	root, err := server.Root()
	require.NoError(t, err)
	defer root.Close()
	_, err = root.Exec("SET GLOBAL innodb_flush_log_at_trx_commit = 0") // nothing here is to be kept
	require.NoError(t, err)
	require.NoError(t, fill.Tables(ctx, s.sql, filledSize))
	r := &recorder{Interface: logger.Discard}
	s.db = s.db.Session(&gorm.Session{Logger: r})
	return s, r
}

// TestNoQueryScans sends every query of the store to tables that are filled, explains each
// and fails where one reads a whole table. A method that no call here reaches fails too.
func TestNoQueryScans(t *testing.T) {
	s, r := filled(t)
	ctx := context.Background()
	hash := make([]byte, 32)
	by := uint64(1)
	key := "k400"
	person, c := &Person{ID: 7, Name: "p7"}, &Course{ID: 1, Slug: "c1"}
	attempt := func() *Attempt {
		return &Attempt{CourseID: 1, RevisionID: 40, Exercise: "e3", PersonID: 7, Program: "x = 1"}
	}
	job := func() *Job { return &Job{Kind: "publish", Course: "c1", CourseID: &c.ID, PersonID: 7} }
	list := func(f Filter) func() error {
		return func() error {
			f.Course, f.Limit = 1, 50
			_, err := s.Attempts(ctx, f)
			return err
		}
	}
	calls := map[string][]func() error{
		"AddPerson": {func() error { return s.AddPerson(ctx, &by, &Person{Name: "new", Display: "New", PasswordHash: "x"}) }},
		"AddSession": {func() error {
			return s.AddSession(ctx, &Session{SecretHash: hash, PersonID: 7, ExpiresAt: s.now().Add(time.Hour)})
		}},
		"AddToken": {func() error {
			return s.AddToken(ctx, &Token{SecretHash: hash, PersonID: 7, Label: "l", ExpiresAt: s.now().Add(time.Hour)})
		}},
		"AttemptByID": {func() error { _, err := s.AttemptByID(ctx, 500); return err }},
		"Attempts": {
			list(Filter{}), list(Filter{Before: 9000}), list(Filter{Exercise: "e3"}),
			list(Filter{Exercise: "e3", Before: 9000}), list(Filter{Person: 7}), list(Filter{Person: 7, Exercise: "e6",
				Before: 9000}),
			list(Filter{Groups: []string{"g1"}}), list(Filter{Verdict: "agrees"}),
			list(Filter{Verdict: "agrees", Exercise: "e3", Before: 9000}),
			list(Filter{LeadCode: "code4"}), list(Filter{LeadCode: "code4", Exercise: "e3", Before: 9000}),
			list(Filter{LeadCode: "code4", Verdict: "differs"}), list(Filter{Person: 7, Verdict: "differs", Exercise: "e6",
				Before: 9000}),
		},
		"Claim": {func() error {
			_, err := s.Claim(ctx, time.Minute, 0, Share{1, 3}, 4)
			return err
		}},
		"Extend":   {func() error { return s.Extend(ctx, []uint64{301, 602}, time.Minute) }},
		"Expire":   {func() error { _, err := s.Expire(ctx, 3); return err }},
		"GiveBack": {func() error { return s.GiveBack(ctx, &Attempt{ID: 903, CourseID: 1}, 3) }},
		"HandIn": {func() error { _, err := s.HandIn(ctx, attempt(), Bounds{Waiting: 100}); return err },
			func() error { a := attempt(); a.RepeatKey = &key; _, err := s.HandIn(ctx, a, Bounds{}); return err }},
		"MakeTicket": {func() error {
			return s.MakeTicket(ctx, &Ticket{CourseID: 1, RevisionID: 40, Exercise: "e3", PersonID: 7,
				ExpiresAt: s.now().Add(time.Hour)}, 5)
		}},
		"TicketByID": {func() error { _, err := s.TicketByID(ctx, 5); return err }},
		"Secret":     {func() error { _, err := s.Secret(ctx, "tickets"); return err }},
		"KeepArrays": {func() error { _, err := s.KeepArrays(ctx, []byte("x")); return err }},
		"Arrays": {func() error {
			_, err := s.Arrays(ctx, "6b86b273ff34fce19d6b804eff5a3f5747ada4eaa22f1d49c01e52ddb7875b4b")
			return err
		}},
		"ForgetArrays": {func() error {
			return s.ForgetArrays(ctx, s.now().Add(-19990*time.Second))
		}},
		"Keyed": {func() error { _, err := s.Keyed(ctx, 401, key); return err }},
		"Finish": {func() error {
			again := &Attempt{ID: 1200, CourseID: 1, RevisionID: 40, Exercise: "e0", PersonID: 1, Behind: true}
			return s.Finish(ctx, Done{&Attempt{ID: 600, CourseID: 1, RevisionID: 40, Exercise: "e0", PersonID: 1},
				&Verdict{Verdict: "agrees", Body: "{}"}, []Finding{{AttemptID: 600, Ordinal: 1, Code: "c", Message: "m"}}},
				Done{again, &Verdict{Verdict: "differs", Body: "{}"}, nil})
		}},
		"Judged": {func() error { _, err := s.Judged(ctx, 1, 0); return err }, func() error {
			_, err := s.Judged(ctx, 1, 9000)
			return err
		}},
		"Recheck": {func() error {
			four := uint64(4)
			_, _, err := s.Recheck(ctx, &Job{ID: 41, CourseID: &four, Owner: "me"}, 40, "e11", 0, 100, true,
				func(uint64, int64) string {
					return ""
				})
			if errors.Is(err, ErrNotMine) {
				return nil
			}
			return err
		}},
		"CountRecheck": {func() error { _, err := s.CountRecheck(ctx, 4, []string{"e11", "e3"}); return err }},
		"Rechecking":   {func() error { _, err := s.Rechecking(ctx, 4, 400); return err }},
		"Audit":        {func() error { return s.Audit(ctx, 1, "a", "s", "d") }},
		"AddJob":       {func() error { return ignoreMany(s.AddJob(ctx, job(), 3)) }},
		"JobByID":      {func() error { _, err := s.JobByID(ctx, 40); return err }},
		"JobsOf":       {func() error { _, err := s.JobsOf(ctx, "c1", 20); return err }},
		"TakeJob": {func() error {
			_, err := s.TakeJob(ctx, "me", 0, time.Minute, 3, []string{"publish", "preview"})
			return err
		}},
		"BeatJob":     {func() error { _, _, err := s.BeatJob(ctx, &Job{ID: 41, Owner: "me"}, true); return err }},
		"EndJob":      {func() error { return s.EndJob(ctx, &Job{ID: 41, Owner: "me", State: JobDone}) }},
		"LeaveJob":    {func() error { return s.LeaveJob(ctx, &Job{ID: 41, Owner: "me"}) }},
		"StopJob":     {func() error { return s.StopJob(ctx, &Job{ID: 41}) }},
		"ResumeJob":   {func() error { _, err := s.ResumeJob(ctx, &Job{ID: 41}); return err }},
		"ForgetJobs":  {func() error { return s.ForgetJobs(ctx, s.now().Add(-4900*time.Second)) }},
		"MakeLink":    {func() error { return s.MakeLink(ctx, &by, person, &Link{SecretHash: hash}, nil) }},
		"LinkPerson":  {func() error { _, _, err := s.LinkPerson(ctx, hash); return err }},
		"OpenLink":    {func() error { _, err := s.OpenLink(ctx, hash, "x"); return err }},
		"SetPassword": {func() error { return s.SetPassword(ctx, &Person{ID: 9, Name: "p9"}, "x", hash) }},
		"SetState":    {func() error { return s.SetState(ctx, 1, &Person{ID: 8, Name: "p8"}, Left) }},
		"SignIns": {func() error { _, err := s.SignIns(ctx, 7, Sessions); return err }, func() error {
			_, err := s.SignIns(ctx, 7, Tokens)
			return err
		}},
		"EndSignIn": {func() error { return s.EndSignIn(ctx, 12, 11, Sessions) }},
		"Used":      {func() error { return s.Used(ctx, hash, Tokens, "here") }},
		"Manages":   {func() error { _, _, err := s.Manages(ctx, 1, 7); return err }},
		"Turn":      {func() error { _, err := s.Turn(ctx, "x", time.Minute); return err }},
		"Predict": {func() error {
			return s.Predict(ctx, []Prediction{{PersonID: 7, CourseID: 1, Exercise: "e", Answer: "a"}})
		}},
		"DraftOf": {func() error { _, err := s.DraftOf(ctx, 1, 7, "e3"); return err }},
		"KeepDraft": {func() error {
			return s.KeepDraft(ctx, &Draft{PersonID: 7, CourseID: 1, Exercise: "e3", Program: "x = 1"})
		}, func() error {
			return s.KeepDraft(ctx, &Draft{PersonID: 7, CourseID: 1, Exercise: "e3", Program: "x = 2", Version: 1})
		}},
		"Predictions": {func() error { _, err := s.Predictions(ctx, 1, 7, "e3"); return err }},
		"Bodies":      {func() error { _, err := s.Bodies(ctx, []uint64{7, 600, 1200}); return err }},
		"Groups": {func() error { _, err := s.Groups(ctx, 1); return err },
			func() error { _, err := s.Groups(ctx, 1, "g1", "g2"); return err }},
		"OpenAttempts": {func() error { _, err := s.OpenAttempts(ctx, 1); return err },
			func() error { _, err := s.OpenAttempts(ctx, 1, "g1"); return err }},
		"Waiting": {func() error { _, _, err := s.Waiting(ctx, 1); return err }},
		"MineIn": {func() error { _, err := s.MineIn(ctx, 1, 7, ""); return err }, func() error {
			_, err := s.MineIn(ctx, 1, 7, "e6")
			return err
		}},
		"Mend":         {func() error { return s.Mend(ctx, s.now().Add(-20*fill.Apart)) }},
		"Work":         {func() error { _, err := s.Work(ctx, "one", time.Second); return err }},
		"Rest":         {func() error { return s.Rest(ctx, "one") }},
		"Wait":         {func() error { _, err := s.Wait(ctx, 8); return err }},
		"QueueLength":  {func() error { _, err := s.QueueLength(ctx); return err }},
		"ChangesAfter": {func() error { _, _, err := s.ChangesAfter(ctx, uint64(filledAttempts)-100); return err }},
		"NewestChange": {func() error { _, err := s.NewestChange(ctx); return err }},
		"ForgetChanges": {func() error {
			return s.ForgetChanges(ctx, time.Now().UTC().Add(-time.Duration(filledAttempts-30)*fill.Apart))
		}},
		"CourseBySlug": {func() error { _, err := s.CourseBySlug(ctx, "c1"); return err }},
		"Publish": {func() error { _, _, err := s.Publish(ctx, 1, "c1", "C", []byte("y"), AnyRevision); return err },
			func() error { _, _, err := s.Publish(ctx, 2, "c1", "C", []byte("z"), 3); return ignoreConflict(err) }},
		"RevisionByID": {func() error { _, err := s.RevisionByID(ctx, 3); return err }},
		"Revisions": {func() error { _, err := s.Revisions(ctx, 1, 0, 10); return err }, func() error {
			_, err := s.Revisions(ctx, 1, 90, 10)
			return err
		}},
		"RevisionByNumber": {func() error {
			_, err := s.RevisionByNumber(ctx, 1, 40)
			return err
		}},
		"RevisionNumber": {func() error { _, err := s.RevisionNumber(ctx, 3); return err }},
		"CourseFor":      {func() error { _, _, err := s.CourseFor(ctx, "c1", 7); return err }},
		"SlugOf":         {func() error { _, err := s.SlugOf(ctx, 1); return err }},
		"PersonByName":   {func() error { _, err := s.PersonByName(ctx, "p7"); return err }},
		"CountPeople":    {func() error { _, err := s.CountPeople(ctx); return err }},
		"SessionPerson":  {func() error { _, _, err := s.SessionPerson(ctx, hash); return err }},
		"EndSession":     {func() error { _, err := s.EndSession(ctx, hash); return err }},
		"TokenPerson":    {func() error { _, _, err := s.TokenPerson(ctx, hash); return err }},
		"EndToken":       {func() error { _, err := s.EndToken(ctx, hash); return err }},
		"SetRole":        {func() error { return s.SetRole(ctx, &by, c, person, Student) }},
		"SeatIn":         {func() error { _, _, err := s.SeatIn(ctx, 1, 7); return err }},
		"SetSeat": {func() error {
			group, groups := "g1", []string{"g1", "g2"}
			return s.SetSeat(ctx, &by, c, person, Seat{Group: &group, Groups: &groups})
		}},
		"LimitedTo":    {func() error { _, err := s.LimitedTo(ctx, 1, 7); return err }},
		"GroupsOf":     {func() error { _, err := s.GroupsOf(ctx, 1); return err }},
		"ManagesAmong": {func() error { _, err := s.ManagesAmong(ctx, 1, []uint64{7, 8, 9}); return err }},
		"SetAccount":   {func() error { return s.SetAccount(ctx, 1, person, person) }},
		"People": {func() error { _, err := s.People(ctx, "", "p3", 50); return err }, func() error {
			_, err := s.People(ctx, "p19", "", 50)
			return err
		}},
		"Import": {func() error {
			return s.Import(ctx, 1, c, func(people RosterPeople) ([]Enrolment, error) {
				if _, err := people.Taken(ctx, []string{"p3", "x"}); err != nil {
					return nil, err
				}
				known, err := people.Candidates(ctx, []string{"p3"}, []string{"n3"}, []string{"p3@farm.example"})
				if err != nil {
					return nil, err
				}
				return []Enrolment{{Person: Person{Name: "fresh", Display: "F", State: Active}, Role: Student, New: true,
					LinkHash: []byte("0123456789abcdef0123456789abcdef"), Letter: &Letter{Recipient: "f@farm.example"}},
					{Person: known[0].Person, Role: Student, Account: true, Member: true}}, nil
			})
		}},
		"GiveExtension": {func() error { return s.GiveExtension(ctx, &Extension{CourseID: 1, PersonID: &by}, "c1", "p1") }},
		"ExtensionsOf":  {func() error { _, err := s.ExtensionsOf(ctx, 1, 7); return err }},
		"Extensions": {func() error { _, err := s.Extensions(ctx, 1, 0, 10); return err }, func() error {
			_, err := s.Extensions(ctx, 1, 90, 10, "g1")
			return err
		}},
		"WithdrawExtension": {func() error { return s.WithdrawExtension(ctx, 1, &Course{ID: 2, Slug: "c2"}, 1) }},
		"CreateCourse":      {func() error { return s.CreateCourse(ctx, 1, &Course{Slug: "new", Title: "New"}, person) }},
		"SetArchived":       {func() error { return s.SetArchived(ctx, 1, &Course{ID: 2, Slug: "c2"}, true) }},
		"Courses":           {func() error { _, err := s.Courses(ctx, "c1", 20); return err }},
		"Trail": {func() error { _, err := s.Trail(ctx, TrailFilter{Limit: 20}); return err }, func() error {
			_, err := s.Trail(ctx, TrailFilter{Subject: "c1/", Person: 1, Before: 9000, Limit: 20})
			return err
		}},
		"Figures": {func() error { _, err := s.Figures(ctx, time.Second); return err }},
		"TakeLetters": {func() error {
			_, err := s.TakeLetters(ctx, "me", s.now().Add(time.Minute), 20)
			return err
		}},
		"SentLetter": {func() error { return s.SentLetter(ctx, &Letter{ID: 1, Owner: "me"}) }},
		"PutLetterBack": {func() error { return s.PutLetterBack(ctx, &Letter{ID: 1, Owner: "me"}, nil, "gone") },
			func() error { now := s.now(); return s.PutLetterBack(ctx, &Letter{ID: 1, Owner: "me"}, &now, "later") }},
		"LeaveLetters":   {func() error { return s.LeaveLetters(ctx, "me", []uint64{1}) }},
		"Letters":        {func() error { _, err := s.Letters(ctx, 90, 20); return err }},
		"CountLetters":   {func() error { _, _, err := s.CountLetters(ctx); return err }},
		"ForgetLetters":  {func() error { return s.ForgetLetters(ctx, s.now().Add(-time.Hour)) }},
		"SetMail":        {func() error { return s.SetMail(ctx, 7, MailWishes{Notes: true}) }},
		"SetCalendar":    {func() error { return s.SetCalendar(ctx, person, hash) }},
		"CalendarPerson": {func() error { _, err := s.CalendarPerson(ctx, hash); return ignoreNone(err) }},
		"Adjust": {func() error {
			return s.Adjust(ctx, &Adjustment{CourseID: 1, PersonID: 7, Exercise: "e3", Kind: SetPoints, Points: "3"}, "c1", "p7")
		}},
		"WithdrawAdjustment": {func() error {
			return ignoreNone(s.WithdrawAdjustment(ctx, 1, c, &Person{ID: 9, Name: "p9"}, "e3"))
		}},
		"Adjustments": {func() error { _, err := s.Adjustments(ctx, 1, 0, s.now()); return err }, func() error {
			_, err := s.Adjustments(ctx, 1, 7, s.now())
			return err
		}},
		"AdjustmentHistory": {func() error { _, err := s.AdjustmentHistory(ctx, 1, 7, "e3"); return err }},
		"ExtensionsAt":      {func() error { _, err := s.ExtensionsAt(ctx, 1, s.now()); return err }},
		"CountedIn": {func() error { _, err := s.CountedIn(ctx, 2, []string{"e1", "e3"}); return err }, func() error {
			_, err := s.CountedIn(ctx, 1, []string{"e1"}, "g1")
			return err
		}},
		"Tries":        {func() error { _, err := s.Tries(ctx, 1, "e3", []uint64{7, 8, 9}); return err }},
		"TriesOf":      {func() error { _, err := s.TriesOf(ctx, 1, 7); return err }},
		"TriesAsOf":    {func() error { _, err := s.TriesAsOf(ctx, 1, s.now(), 900, 50); return err }},
		"RevisionAsOf": {func() error { _, err := s.RevisionAsOf(ctx, 1, s.now()); return err }},
		"Roll": {func() error { _, err := s.Roll(ctx, 1, 7); return err }, func() error {
			_, err := s.Roll(ctx, 1, 0, "g1")
			return err
		}},
		"QuietIn": {func() error {
			_, err := s.QuietIn(ctx, 1, []string{"e1", "e3"}, s.now(), 50)
			return err
		}, func() error { _, err := s.QuietIn(ctx, 1, []string{"e1"}, s.now(), 50, "g1"); return err }},
		"AddNote": {func() error {
			_, err := s.AddNote(ctx, &Note{CourseID: 2, Kind: NoteKnot, Exercise: "e3", LeadCode: "code4", Text: "t"}, "c2")
			return err
		}, func() error {
			_, err := s.AddNote(ctx, &Note{CourseID: 2, Kind: NoteCourse, Text: "t"}, "c2")
			return err
		}},
		"ReachLate": {func() error { return s.ReachLate(ctx, 2) }},
		"Notes": {func() error {
			_, err := s.Notes(ctx, NoteFilter{Course: 1, Exercise: "e3", Knot: true, LeadCode: "code4", Limit: 20})
			return err
		}, func() error {
			_, err := s.Notes(ctx, NoteFilter{Course: 1, Attempt: 500, Groups: []string{"g1"}, Limit: 20})
			return err
		}},
		"EditNote":     {func() error { return s.EditNote(ctx, 1, "c1", &Note{ID: 1, CourseID: 2}, 1, "u") }},
		"WithdrawNote": {func() error { return s.WithdrawNote(ctx, 1, "c1", &Note{ID: 3, CourseID: 4}) }},
		"NoteHistory":  {func() error { _, err := s.NoteHistory(ctx, 1); return err }},
		"ReceivedBy": {func() error { _, err := s.ReceivedBy(ctx, 7, 0); return err }, func() error {
			_, err := s.ReceivedBy(ctx, 7, 1)
			return err
		}},
		"CountUnseen": {func() error { _, err := s.CountUnseen(ctx, 7); return err }},
		"SeeNotes":    {func() error { return s.SeeNotes(ctx, 7, []uint64{1, 2, 3}) }},
		"SeeAnswers": {func() error { return s.SeeAnswers(ctx, &Note{ID: 1}) },
			func() error { return s.SeeAnswers(ctx, &Note{ID: 1}, "g1") }},
		"Feel": {func() error { return ignoreNone(s.Feel(ctx, 7, 1, "helped")) }},
		"Answer": {func() error {
			return ignoreNone(s.Answer(ctx, &NoteAnswer{NoteID: 1, PersonID: 7, AuthorID: &by, Text: "t"}, "c1",
				&HookCall{MessageID: "m", Kind: "note.answered"}))
		}},
		"Answers": {func() error { _, err := s.Answers(ctx, []uint64{1, 2}, 0, "g1"); return err }, func() error {
			_, err := s.Answers(ctx, []uint64{1, 2}, 7)
			return err
		}},
		"MailNotes": {func() error {
			_, err := s.MailNotes(ctx, 50, func(*ToMail) (*Letter, error) { return nil, nil })
			return err
		}},
		"CourseOfNote": {func() error { _, err := s.CourseOfNote(ctx, 1); return err }},
		"SetProbed":    {func() error { return ignoreNone(s.SetProbed(ctx, "c1", 40, []Probed{{"e3", 9, 8}})) }},
		"ProbedOf":     {func() error { _, err := s.ProbedOf(ctx, 40); return err }},
		"DigestTimeOf": {func() error { _, err := s.DigestTimeOf(ctx, 1); return err }},
		"SetDigestTime": {func() error {
			monday := 1
			return s.SetDigestTime(ctx, 1, c, DigestTime{&monday, 7, "UTC"})
		}},
		"DigestCourses": {func() error { _, err := s.DigestCourses(ctx); return err }},
		"DigestSent":    {func() error { _, err := s.DigestSent(ctx, 1, s.now()); return err }},
		"SendDigest": {func() error {
			_, err := s.SendDigest(ctx, 1, s.now(), []Letter{{Recipient: "r"}},
				&HookCall{MessageID: "m", Kind: "digest.sent"})
			return err
		}},
		"TeamFor": {func() error { _, err := s.TeamFor(ctx, 1, MailDigest); return err }, func() error {
			_, err := s.TeamFor(ctx, 1, MailKnots)
			return err
		}},
		"MarkKnot": {func() error {
			_, err := s.MarkKnot(ctx, 1, Knot{"e3", "code4", ""}, time.Hour, nil,
				&HookCall{MessageID: "m", Kind: "knot.growing"})
			return err
		}},
		"Lively": {func() error { _, err := s.Lively(ctx, s.now().Add(-20*fill.Apart)); return err }},
		"AddHook": {func() error {
			return s.AddHook(ctx, &Hook{CourseID: 1, Address: "a", Secret: hash, Events: "e"}, "c1", &HookCall{MessageID: "m"})
		}},
		"HooksOf": {func() error { _, err := s.HooksOf(ctx, 1); return err }},
		"EndHook": {func() error { return ignoreNone(s.EndHook(ctx, 1, &Course{ID: 2, Slug: "c2"}, 1)) }},
		"TakeCalls": {func() error {
			_, err := s.TakeCalls(ctx, "me", s.now().Add(time.Minute), 20)
			return err
		}},
		"CalledHook":  {func() error { return s.CalledHook(ctx, &HookCall{ID: 1, Owner: "me"}, nil, "gone") }},
		"HookCalls":   {func() error { _, err := s.HookCalls(ctx, 2, 1, 90, 20); return err }},
		"ForgetCalls": {func() error { return s.ForgetCalls(ctx, s.now().Add(-time.Hour)) }},
		"AnyIn":       {func() error { _, err := s.AnyIn(ctx, 1, Knot{"e3", "code4", ""}); return err }},
		"KnotNotes":   {func() error { _, err := s.KnotNotes(ctx, 1); return err }},
		"InKnot": {func() error {
			_, err := s.InKnot(ctx, 1, Knot{"e3", "code4", ""}, 500)
			return err
		}, func() error {
			_, err := s.InKnot(ctx, 1, Knot{"e3", "code4", ""}, 500, "g1")
			return err
		}},
		"OutOfKnot":  {func() error { _, err := s.OutOfKnot(ctx, 1, Knot{"e3", "code4", ""}, 500); return err }},
		"CountTried": {func() error { _, err := s.CountTried(ctx, 1, "e3"); return err }},
		"Steps":      {func() error { _, err := s.Steps(ctx, 1, "e3", []uint64{7, 8, 9}); return err }},
		"Moves": {func() error {
			_, err := s.Moves(ctx, 1, "", s.now().Add(-24*time.Hour), s.now())
			return err
		}, func() error { _, err := s.Moves(ctx, 1, "", s.now().Add(-time.Hour), s.now(), "g1"); return err }},
		"WrittenIn":  {func() error { _, err := s.WrittenIn(ctx, []uint64{400, 500}); return err }},
		"StandingOf": {func() error { _, err := s.StandingOf(ctx, 1, []uint64{7, 8, 9}); return err }},
		"EverHad": {func() error { _, err := s.EverHad(ctx, 1); return err },
			func() error { _, err := s.EverHad(ctx, 1, "g1"); return err }},
		"StoodAt": {func() error { _, err := s.StoodAt(ctx, 1, s.now()); return err }},
		"CameIn": {func() error {
			_, err := s.CameIn(ctx, 1, s.now().Add(-24*time.Hour), s.now(), "g1")
			return err
		}},
		"Adjusted":  {func() error { _, err := s.Adjusted(ctx, 1, s.now().Add(-24*time.Hour), s.now()); return err }},
		"CoursesOf": {func() error { _, err := s.CoursesOf(ctx, 7); return err }},
		"Members": {func() error {
			_, err := s.Members(ctx, MemberFilter{Course: 1, After: "p3",
				Limit: 50})
			return err
		}},
		"CountMembers": {func() error {
			_, err := s.CountMembers(ctx, MemberFilter{Course: 1, Role: Student, Search: "p3"})
			return err
		}},
		"CountStudents": {func() error { _, err := s.CountStudents(ctx, 1); return err },
			func() error { _, err := s.CountStudents(ctx, 1, "g1"); return err }},
	}
	order := []string{"AddSession", "SessionPerson", "AddToken", "TokenPerson", "MakeLink", "LinkPerson"}
	for name := range calls {
		if name != "AddSession" && name != "AddToken" && name != "SessionPerson" && name != "TokenPerson" &&
			name != "MakeLink" && name != "LinkPerson" {
			order = append(order, name)
		}
	}
	for _, name := range order {
		t.Run(name, func(t *testing.T) {
			for _, call := range calls[name] {
				require.NoError(t, call())
				for _, statement := range r.take() {
					explain(t, s, statement)
				}
				r.take()
			}
		})
	}
	for method := range reflect.TypeFor[*Store]().Methods() {
		switch method.Name {
		case "Ping", "Close", "Away", "Node", "Nodes", "Now": // send no query
		default:
			assert.Contains(t, calls, method.Name, "no call here reaches it")
		}
	}
}

// TestTimesHaveTheColumnsPrecision: a time with nanoseconds compares with a column of
// microseconds through its index.
func TestTimesHaveTheColumnsPrecision(t *testing.T) {
	s, err := Open(context.Background(), testdb.New(t), nil)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	require.NoError(t, s.db.Exec("INSERT INTO changes (kind, created_at) SELECT 'verdict', NOW(6) - INTERVAL seq MINUTE "+
		"FROM seq_1_to_5000").Error)
	at := time.Now().UTC().Truncate(time.Microsecond).Add(789 * time.Nanosecond)
	var sent string
	require.NoError(t, s.sql.QueryRow("SELECT ?", at).Scan(&sent))
	assert.NotContains(t, sent, "789", "the driver cuts it")
	row := struct{ Type, Key string }{}
	require.NoError(t, s.db.Raw("EXPLAIN SELECT * FROM changes WHERE created_at >= ? ORDER BY created_at, id", at).
		Scan(&row).Error)
	assert.Equal(t, "range", row.Type)
	assert.Equal(t, "changes_recent", row.Key)
}

func ignoreMany(err error) error {
	if errors.Is(err, ErrTooManyJobs) {
		return nil
	}
	return err
}

func ignoreNone(err error) error {
	if errors.Is(err, ErrNotFound) {
		return nil
	}
	return err
}

func ignoreConflict(err error) error {
	if c := (*Conflict)(nil); errors.As(err, &c) {
		return nil
	}
	return err
}

// counted are statements that may read an index from one end to the other: how many people
// and courses there are, asked once at the start and by the operator's page.
var counted = map[string]bool{"SELECT count(*) FROM `people`": true, "SELECT COUNT(*) FROM people": true,
	"SELECT COUNT(*) FROM courses": true, "SELECT MAX(version_id) FROM goose_db_version": true}

var (
	intoVariables = regexp.MustCompile(`INTO [a-z_, ]+ FROM`)
	blockWords    = regexp.MustCompile(`(?s)^.*\b(SELECT|UPDATE|DELETE|REPLACE)\b`)
)

// parts are the statements of a block that read rows.
func parts(block string) []string {
	var out []string
	for _, p := range strings.Split(block, ";\n") {
		p = strings.TrimSpace(p)
		verb, _, _ := strings.Cut(p, " ")
		switch verb {
		case "SELECT":
			if !strings.Contains(p, " FROM ") {
				continue
			}
		case "UPDATE", "DELETE", "REPLACE":
		case "INSERT":
			if !strings.Contains(p, " FROM notes ") && !strings.Contains(p, " FROM standing ") {
				continue // of what is given
			}
		case "IF": // and what follows THEN
			p = strings.TrimSpace(p[strings.Index(p, "THEN")+len("THEN"):])
			if !blockWords.MatchString(p) {
				continue
			}
			if strings.HasPrefix(p, "SET ") { // a variable, to whether there is a row
				p = strings.TrimSuffix(p[strings.Index(p, "SELECT"):], ")")
			}
		default:
			continue
		}
		out = append(out, intoVariables.ReplaceAllString(p, "FROM"))
	}
	return out
}

// explain asks the database how it reads a statement, and fails where that is a whole table.
func explain(t *testing.T, s *Store, statement string) {
	t.Helper()
	verb, _, _ := strings.Cut(strings.TrimSpace(statement), " ")
	if verb == "BEGIN" {
		list := parts(statement)
		require.NotEmpty(t, list, statement)
		for _, part := range list {
			explain(t, s, part)
		}
		return
	}
	if verb == "INSERT" && !strings.Contains(statement, "STRAIGHT_JOIN") || counted[statement] ||
		verb == "REPLACE" && !strings.Contains(statement, "SELECT") {
		return
	}
	rows, err := s.sql.Query("EXPLAIN " + statement)
	require.NoError(t, err, statement)
	defer rows.Close()
	columns, err := rows.Columns()
	require.NoError(t, err)
	for rows.Next() {
		values := make([]any, len(columns))
		texts := make([]*string, len(columns))
		for i := range values {
			values[i] = &texts[i]
		}
		require.NoError(t, rows.Scan(values...))
		row := map[string]string{}
		for i, c := range columns {
			if texts[i] != nil {
				row[c] = *texts[i]
			}
		}
		if strings.HasPrefix(row["table"], "<") {
			continue // of rows that an index gave
		}
		assert.NotEqual(t, "ALL", row["type"], "%s\n%v", statement, row)
		assert.NotEqual(t, "index", row["type"], "%s\n%v", statement, row)
	}
}
