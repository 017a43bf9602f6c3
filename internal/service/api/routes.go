package api

import (
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"nimbusreach/client/wire"
	"nimbusreach/docs/schema"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/roster"
)

// request is one request, parsed as far as every handler needs it.
type request struct {
	fiber.Ctx
	*Backend
	server *Server
	who    *access.Who // nil on public routes
	body   []byte
	// arriving is the body of a route that reads it as it arrives.
	arriving *arriving
}

// route is one entry of the table that the router and the OpenAPI document read.
type route struct {
	method, path string
	id, summary  string
	public       bool
	in           any      // the body's form, nil for none
	binary       string   // the body's media type when it is not JSON
	files        bool     // or a form with files
	streamed     bool     // the handler reads the body as it arrives
	out          any      // the answer's form, nil for none
	orOut        any      // another form that the answer may have
	stream       bool     // the answer is a stream of events
	media        []string // what the answer is when it is no JSON
	status       int
	query        []string
	limit        int // of the body, in bytes; 0 for a small form
	handle       func(*request) error
}

// dataMedia are what files of data are.
var dataMedia = []string{"application/zip", "application/x-netcdf"}

// table lists every route under /api/v1.
func table() []route {
	return []route{
		{method: "POST", path: "/session", id: "signIn", summary: "Sign a console in; sets the session cookie.",
			public: true, in: wire.SignIn{}, out: wire.Me{}, status: http.StatusOK, limit: signInBytes, handle: signIn},
		{method: "GET", path: "/session", id: "whoAmI", summary: "Who is signed in, with their courses.", out: wire.Me{},
			status: http.StatusOK, handle: whoAmI},
		{method: "DELETE", path: "/session", id: "signOut", summary: "Sign the console out.", status: http.StatusNoContent,
			handle: signOut},
		{method: "POST", path: "/tokens", id: "addToken", summary: "Sign a client in; answers a bearer token.",
			public: true, in: wire.SignIn{}, out: wire.Token{}, status: http.StatusCreated, limit: signInBytes,
			handle: addToken},
		{method: "DELETE", path: "/tokens/current", id: "endToken",
			summary: "Make the bearer token of this request worthless.", status: http.StatusNoContent, handle: endToken},
		{method: "POST", path: "/people", id: "addPerson", summary: "Make an account. For operators.", in: wire.NewPerson{},
			out: wire.Person{}, status: http.StatusCreated, handle: addPerson},
		{method: "GET", path: "/people", id: "people", summary: "Everybody's accounts, by name. For operators.",
			out: wire.People{}, status: http.StatusOK, query: []string{"search", "after", "limit"}, handle: people},
		{method: "PATCH", path: "/people/{name}", id: "setPerson",
			summary: "Change what an account says of its person. For operators, and instructors of all their courses.",
			in:      wire.SetPerson{}, out: wire.Person{}, status: http.StatusOK, handle: setPerson},
		{method: "POST", path: "/people/{name}/link", id: "makeLink",
			summary: "Make a link that lets its holder choose the person's password, once; the one before is void.",
			in:      wire.NewLink{}, out: wire.Link{}, status: http.StatusCreated, handle: makeLink},
		{method: "PUT", path: "/people/{name}/state", id: "setState",
			summary: "Let a person leave, who then cannot sign in, or come back. For operators.", in: wire.SetState{},
			out: wire.Person{}, status: http.StatusOK, handle: setState},
		{method: "POST", path: "/links/look", id: "lookLink", summary: "Whose a link is.", public: true,
			in:  wire.LinkSecret{},
			out: wire.LinkFor{}, status: http.StatusOK, limit: signInBytes, handle: lookLink},
		{method: "POST", path: "/links/open", id: "openLink",
			summary: "Use a link up: its person has the password, and the console is signed in.", public: true,
			in: wire.OpenLink{}, out: wire.Me{}, status: http.StatusOK, limit: signInBytes, handle: openLink},
		{method: "PUT", path: "/account/password", id: "changePassword",
			summary: "Change one's own password; one's other sessions end.", in: wire.NewPassword{},
			status: http.StatusNoContent, limit: signInBytes, handle: changePassword},
		{method: "GET", path: "/account/sign-ins", id: "signIns", summary: "Where one is signed in.", out: wire.SignIns{},
			status: http.StatusOK, handle: signIns},
		{method: "DELETE", path: "/account/sessions/{id}", id: "endOwnSession", summary: "End one of one's own sessions.",
			status: http.StatusNoContent, handle: endOwnSession},
		{method: "POST", path: "/account/tokens", id: "addOwnToken",
			summary: "Make a token with a label and a number of days.",
			in:      wire.NewToken{}, out: wire.OwnToken{}, status: http.StatusCreated, handle: addOwnToken},
		{method: "DELETE", path: "/account/tokens/{id}", id: "endOwnToken",
			summary: "Make one of one's own tokens worthless.",
			status:  http.StatusNoContent, handle: endOwnToken},
		{method: "GET", path: "/account/mail", id: "mailChoices", summary: "What reaches one by mail, and where.",
			out: wire.MailChoices{}, status: http.StatusOK, handle: mailChoices},
		{method: "PUT", path: "/account/mail", id: "setMailChoices", summary: "Change what reaches one by mail.",
			in: wire.SetMailChoices{}, out: wire.MailChoices{}, status: http.StatusOK, handle: setMailChoices},
		{method: "POST", path: "/account/calendar", id: "renewCalendar",
			summary: "Make the address of one's calendar, or another one: the one before is void.", out: wire.Calendar{},
			status: http.StatusCreated, handle: renewCalendar},
		{method: "DELETE", path: "/account/calendar", id: "endCalendar", summary: "Make the address of one's calendar void.",
			status: http.StatusNoContent, handle: endCalendar},
		{method: "GET", path: "/service", id: "serviceState", summary: "How the service is. For operators.",
			out: wire.Service{}, status: http.StatusOK, handle: serviceState},
		{method: "GET", path: "/service/courses", id: "allCourses", summary: "All courses, by name. For operators.",
			out: wire.CourseLines{}, status: http.StatusOK, query: []string{"after", "limit"}, handle: allCourses},
		{method: "GET", path: "/service/audit", id: "trail", summary: "The audit trail, newest first: by the beginning of " +
			"the subject and of the action, and by who did it. For operators.", out: wire.AuditTrail{}, status: http.StatusOK,
			query: []string{"subject", "action", "by", "before", "limit"}, handle: trail},
		{method: "GET", path: "/service/outbox", id: "letters", summary: "The mail, newest first, without its text. For " +
			"operators.",
			out: wire.Outbox{}, status: http.StatusOK, query: []string{"before", "limit"}, handle: letters},
		{method: "GET", path: "/words", id: "words", summary: "The functions and reserved words of the notation.",
			out: wire.Words{}, status: http.StatusOK, handle: words},
		{method: "GET", path: "/courses", id: "courses", summary: "One's own courses.", out: []wire.CourseRef{},
			status: http.StatusOK, handle: ownCourses},
		{method: "POST", path: "/courses", id: "newCourse", summary: "Make an empty course, with its instructor.",
			in: wire.NewCourse{}, out: wire.CourseRef{}, status: http.StatusCreated, handle: newCourse},
		{method: "POST", path: "/courses/{course}/copy", id: "copyCourse",
			summary: "Copy a course's newest revision under another name, its times shifted: no people, attempts or notes.",
			in:      wire.CopyCourse{}, out: wire.Copied{}, status: http.StatusCreated, handle: copyCourse},
		{method: "PUT", path: "/courses/{course}/archived", id: "archive",
			summary: "Archive a course, which is read from then on, or take it back.", in: wire.Archive{},
			out: wire.CourseRef{}, status: http.StatusOK, handle: archive},
		{method: "GET", path: "/courses/{course}", id: "course",
			summary: "A course with its exercises and one's own state in each.", out: wire.Course{}, status: http.StatusOK,
			handle: course},
		{method: "POST", path: "/courses/{course}/revisions", id: "publish",
			summary: "Publish a course folder, packed as a zip archive, whole or not at all.", binary: "application/zip",
			out: wire.Published{}, status: http.StatusCreated, query: []string{"recheck", "keep_better", "wait"},
			limit:  packedBytes,
			handle: publish},
		{method: "POST", path: "/courses/{course}/preview", id: "preview",
			summary: "Tell what publishing a course folder would change: advice, survivors, verdicts. Nothing is stored.",
			binary:  "application/zip", out: wire.Published{}, status: http.StatusOK, query: []string{"wait"},
			limit: packedBytes, handle: preview},
		{method: "POST", path: "/courses/{course}/probe", id: "probeCourse",
			summary: "Probe every exercise of a course folder, packed as a zip archive. Nothing is stored.",
			binary:  "application/zip", out: wire.Draft{}, status: http.StatusOK, query: []string{"wait"},
			limit: packedBytes, handle: probeCourse},
		{method: "POST", path: "/courses/{course}/recheck", id: "recheck",
			summary: "Check attempts again by the current revision, behind those handed in.", in: wire.Recheck{},
			out: wire.Job{}, status: http.StatusAccepted, handle: recheck},
		{method: "GET", path: "/courses/{course}/jobs", id: "jobs", summary: "A course's newest jobs. For its authors.",
			out: wire.Jobs{}, status: http.StatusOK, handle: courseJobs},
		{method: "GET", path: "/jobs/{job}", id: "job", summary: "A job, how far it is and what came of it; `wait` seconds " +
			"for more than `since` done.", out: wire.Job{}, status: http.StatusOK, query: []string{"wait", "since"},
			handle: oneJob},
		{method: "DELETE", path: "/jobs/{job}", id: "stopJob", summary: "Ask a job to stop. What it has done stays.",
			out: wire.Job{}, status: http.StatusOK, handle: stopJob},
		{method: "POST", path: "/jobs/{job}/resume", id: "resumeJob", summary: "Let a job go on that was stopped.",
			out: wire.Job{}, status: http.StatusOK, handle: resumeJob},
		{method: "GET", path: "/courses/{course}/revisions", id: "revisions",
			summary: "A course's revisions, newest first. For the team.", out: wire.Revisions{}, status: http.StatusOK,
			query: []string{"before", "limit"}, handle: revisions},
		{method: "GET", path: "/courses/{course}/revisions/{revision}", id: "revision",
			summary: "A revision's course folder, as a zip archive.", status: http.StatusOK, handle: oneRevision},
		{method: "GET", path: "/courses/{course}/folder", id: "folder",
			summary: "The files of the current revision, or of another, to edit.", out: wire.Folder{}, status: http.StatusOK,
			query: []string{"revision"}, handle: courseFolder},
		{method: "GET", path: "/skeletons", id: "skeletons", summary: "Exercises to begin from, one for each topic.",
			out: []wire.Skeleton{}, status: http.StatusOK, handle: skeletonList},
		{method: "POST", path: "/courses/{course}/draft", id: "draft",
			summary: "Look at a course folder before it is published: errors, advice, probes, results. Nothing is stored.",
			in:      wire.Folder{}, out: wire.Draft{}, status: http.StatusOK, query: []string{"exercise"}, limit: folderBytes,
			handle: draft},
		{method: "POST", path: "/courses/{course}/draft/archive", id: "packDraft",
			summary: "A folder's files as a zip archive.", in: wire.Folder{}, status: http.StatusOK, limit: folderBytes,
			handle: packFolder},
		{method: "GET", path: "/courses/{course}/people", id: "members",
			summary: "A course's people, by name. For the team.", out: wire.Members{}, status: http.StatusOK,
			query: []string{"search", "role", "group", "state", "after", "limit"}, handle: members},
		{method: "PATCH", path: "/courses/{course}/people/{name}", id: "setMember",
			summary: "Change a person's place in a course: role, group, state, the groups they are limited to.",
			in:      wire.SetMember{}, out: wire.Member{}, status: http.StatusOK, handle: setMember},
		{method: "GET", path: "/courses/{course}/groups", id: "groups", summary: "A course's groups. For the team.",
			out: []wire.Group{}, status: http.StatusOK, handle: groups},
		{method: "POST", path: "/courses/{course}/roster", id: "importRoster",
			summary: "Import a roster, CSV or a OneRoster archive, or say with dry_run what that would change.",
			binary:  "text/csv", out: wire.RosterPlan{}, status: http.StatusOK, limit: roster.MaxBytes,
			query: []string{"dry_run", "role", "missing", "skip_refused", "column"}, handle: importRoster},
		{method: "GET", path: "/courses/{course}/extensions", id: "extensions",
			summary: "A course's extensions, newest first. For the team.", out: wire.Extensions{}, status: http.StatusOK,
			query: []string{"before", "limit"}, handle: extensions},
		{method: "POST", path: "/courses/{course}/extensions", id: "giveExtension",
			summary: "Give a person or a group another closing time or number of attempts.", in: wire.NewExtension{},
			out: wire.Extension{}, status: http.StatusCreated, handle: giveExtension},
		{method: "DELETE", path: "/courses/{course}/extensions/{extension}", id: "withdrawExtension",
			summary: "Withdraw an extension; it stays in the list.", status: http.StatusNoContent, handle: withdrawExtension},
		{method: "PUT", path: "/courses/{course}/people/{name}", id: "setRole",
			summary: "Give a person a role in a course.", in: wire.SetRole{}, out: wire.Member{}, status: http.StatusOK,
			handle: setRole},
		{method: "GET", path: "/courses/{course}/gradebook", id: "gradebook",
			summary: "What the attempts of a course's students are worth, now or as it was `at` a time, as JSON by page or " +
				"whole as CSV, workbook or OneRoster. For the team.", out: wire.Gradebook{}, status: http.StatusOK,
			query: []string{"format", "group", "at", "search", "after", "limit"}, handle: gradebook},
		{method: "GET", path: "/courses/{course}/people/{name}/grades/{exercise}", id: "adjustmentHistory",
			summary: "What was changed by hand of a student's grade, newest first. For the team.", out: []wire.PastAdjustment{},
			status: http.StatusOK, handle: adjustmentHistory},
		{method: "PUT", path: "/courses/{course}/people/{name}/grades/{exercise}", id: "adjustGrade",
			summary: "Change a student's grade by hand, in the place of the change before.", in: wire.NewAdjustment{},
			out: wire.Grade{}, status: http.StatusOK, handle: adjustGrade},
		{method: "DELETE", path: "/courses/{course}/people/{name}/grades/{exercise}", id: "withdrawAdjustment",
			summary: "Take back what was changed by hand of a student's grade.", out: wire.Grade{}, status: http.StatusOK,
			handle: withdrawAdjustment},
		{method: "GET", path: "/courses/{course}/exercises/{exercise}", id: "exercise",
			summary: "An exercise as its workspace shows it.", out: wire.Exercise{}, status: http.StatusOK, handle: oneExercise},
		{method: "GET", path: "/courses/{course}/exercises/{exercise}/model", id: "model",
			summary: "The reference, line by line on a shown case: for the team, and for students where and when it is shown.",
			out:     wire.Model{}, status: http.StatusOK, handle: model},
		{method: "POST", path: "/courses/{course}/exercises/{exercise}/attempts", id: "handIn",
			summary: "Hand an attempt in: a program, or arrays, also as files of a form. With Idempotency-Key a repeat " +
				"answers " +
				"the first; `check=form` looks at the form of arrays alone, and hands nothing in.",
			in: wire.HandIn{}, files: true, out: wire.Attempt{}, orOut: check.Form{}, status: http.StatusAccepted,
			query: []string{"wait", "check"}, limit: resultBytes, streamed: true, handle: handIn},
		{method: "POST", path: "/courses/{course}/exercises/{exercise}/tickets", id: "makeTicket",
			summary: "Take data of one's own, to compute the outputs from elsewhere; the ticket that is held open already, if " +
				"there is one.", out: wire.Ticket{}, status: http.StatusCreated, handle: makeTicket},
		{method: "GET", path: "/courses/{course}/exercises/{exercise}/data", id: "shownData",
			summary: "The data of the shown cases as files: an archive, or one netCDF file.", status: http.StatusOK,
			media: dataMedia, query: []string{"format"}, handle: shownFiles},
		{method: "GET", path: "/tickets/{ticket}", id: "ticket",
			summary: "A ticket with its data: one's own, or for the team.",
			out:     wire.Ticket{}, status: http.StatusOK, handle: oneTicket},
		{method: "GET", path: "/tickets/{ticket}/data", id: "ticketData",
			summary: "A ticket's data as files, with what is wanted: an archive, or one netCDF file.", status: http.StatusOK,
			query: []string{"format"}, media: dataMedia, handle: ticketFiles},
		{method: "POST", path: "/courses/{course}/exercises/{exercise}/shapes", id: "shapes",
			summary: "Kind and shape of every line of a program, before any run.", in: wire.Try{}, out: wire.Lines{},
			status: http.StatusOK, limit: programBytes, handle: shapesOf},
		{method: "POST", path: "/courses/{course}/exercises/{exercise}/try", id: "try",
			summary: "Run a program on a shown case and report what each statement gave. Nothing is stored.", in: wire.Try{},
			out: wire.Lines{}, status: http.StatusOK, limit: programBytes, handle: try},
		{method: "POST", path: "/courses/{course}/exercises/{exercise}/trace", id: "traceCell",
			summary: "From which cells of the inputs a cell came of what a line gave, of a program as `try` runs it.",
			in:      wire.TraceCell{}, out: wire.Lineage{}, status: http.StatusOK, limit: programBytes, handle: traceCell},
		{method: "PUT", path: "/courses/{course}/exercises/{exercise}/draft", id: "keepDraft",
			summary: "Keep what one is writing for one's other devices; a text from an older version changes nothing.",
			in:      wire.OwnDraft{}, out: wire.OwnDraft{}, status: http.StatusOK, limit: programBytes, handle: keepDraft},
		{method: "POST", path: "/courses/{course}/exercises/{exercise}/predictions", id: "predict",
			summary: "Answer the questions that are asked before the first attempt. The first answers stay.",
			in:      wire.Answers{}, out: wire.Answered{}, status: http.StatusOK, handle: predict},
		{method: "GET", path: "/courses/{course}/attempts", id: "attempts",
			summary: "Attempts, newest first: the course's for the team, one's own for students.", out: wire.Attempts{},
			status: http.StatusOK, query: []string{"exercise", "verdict", "lead", "person", "before", "limit"},
			handle: attempts},
		{method: "GET", path: "/courses/{course}/desk", id: "desk", summary: "The team's view of a course.",
			out: wire.Desk{}, status: http.StatusOK, query: []string{"group"}, handle: deskView},
		{method: "GET", path: "/courses/{course}/knots", id: "knots",
			summary: "A course's knots: by group, exercise, topic and code, sorted by people, growth or age. For the team.",
			out:     wire.Knots{}, status: http.StatusOK, query: []string{"group", "exercise", "topic", "code", "sort"},
			handle: knots},
		{method: "GET", path: "/courses/{course}/knots/{exercise}/{code}/{output}", id: "knot",
			summary: "One knot: ways of writing it, who is in it, who has left it, notes and their effect; `-` for no output. " +
				"For the team.", out: wire.KnotPage{}, status: http.StatusOK, query: []string{"group"}, handle: knotPage},
		{method: "GET", path: "/courses/{course}/map", id: "classMap",
			summary: "How a course's students stand in its exercises, by name. For the team.", out: wire.ClassMap{},
			status: http.StatusOK, query: []string{"group", "search", "after", "limit"}, handle: classMap},
		{method: "GET", path: "/courses/{course}/map/causes", id: "causeMap",
			summary: "How many people ever had which cause, exercise by exercise. For the team.", out: wire.CauseMap{},
			status: http.StatusOK, query: []string{"group"}, handle: causeMap},
		{method: "GET", path: "/courses/{course}/notes", id: "notes",
			summary: "A course's notes, newest first, with what they have come to. For the team.", out: wire.TeamNotes{},
			status: http.StatusOK, query: []string{"exercise", "code", "output", "attempt", "withdrawn", "before", "limit"},
			handle: notes},
		{method: "POST", path: "/courses/{course}/notes", id: "addNote",
			summary: "Write a note to everybody in a knot, to the student of an attempt, to an exercise or the course.",
			in:      wire.NewNote{}, out: wire.NotePage{}, status: http.StatusCreated, limit: noteBytes, handle: addNote},
		{method: "GET", path: "/courses/{course}/notes/{note}", id: "note",
			summary: "A note with its threads and what it said before; its answers are seen then. For the team.",
			out:     wire.NotePage{}, status: http.StatusOK, handle: oneNote},
		{method: "PATCH", path: "/courses/{course}/notes/{note}", id: "editNote",
			summary: "Change a note's text, with If-Match; what it said before is kept.", in: wire.EditNote{},
			out: wire.NotePage{}, status: http.StatusOK, limit: noteBytes, handle: editNote},
		{method: "DELETE", path: "/courses/{course}/notes/{note}", id: "withdrawNote",
			summary: "Hide a note from students; it stays in the team's list.", status: http.StatusNoContent,
			handle: withdrawNote},
		{method: "POST", path: "/courses/{course}/notes/{note}/messages", id: "answerStudent",
			summary: "Answer a student in their thread below a note. For the team.", in: wire.NewMessage{}, out: wire.NotePage{},
			status: http.StatusCreated, limit: noteBytes, handle: answerStudent},
		{method: "POST", path: "/courses/{course}/notes/{note}/keep", id: "keepNote",
			summary: "Turn a note and an example into a slip of the exercise: answers which files of the folder change.",
			in:      wire.KeepSlip{}, out: wire.KeptSlip{}, status: http.StatusOK, limit: programBytes, handle: keepNote},
		{method: "GET", path: "/notes", id: "ownNotes", summary: "The notes that one has got, newest first.",
			out: wire.OwnNotes{}, status: http.StatusOK, query: []string{"course"}, handle: ownNotes},
		{method: "GET", path: "/notes/unseen", id: "unseenNotes", summary: "How many notes one has not seen.",
			out: wire.UnseenCount{}, status: http.StatusOK, handle: unseenNotes},
		{method: "POST", path: "/notes/seen", id: "seeNotes", summary: "Say that one has seen notes.", in: wire.SeenNotes{},
			out: wire.UnseenCount{}, status: http.StatusOK, handle: seeNotes},
		{method: "PUT", path: "/notes/{note}/feeling", id: "feelNote",
			summary: "Say of a note that it helped, or that one is still stuck.", in: wire.Feeling{},
			status: http.StatusNoContent, handle: feelNote},
		{method: "POST", path: "/notes/{note}/messages", id: "answerNote", summary: "Answer below a note that one has got.",
			in: wire.NewMessage{}, out: wire.OwnNotes{}, status: http.StatusCreated, limit: noteBytes, handle: answerNote},
		{method: "GET", path: "/courses/{course}/digest", id: "digest",
			summary: "What happened in a course within a span, the last week unless `from` and `to` say another, as JSON, " +
				"text, Markdown or HTML, with times in a zone. For the team.", out: wire.Digest{}, status: http.StatusOK,
			query: []string{"from", "to", "group", "format", "zone"}, handle: digest},
		{method: "GET", path: "/courses/{course}/settings", id: "settings", summary: "When a course's digest is sent. For " +
			"the team.", out: wire.CourseSettings{}, status: http.StatusOK, handle: settings},
		{method: "PUT", path: "/courses/{course}/settings", id: "setSettings",
			summary: "Change when a course's digest is sent.", in: wire.CourseSettings{}, out: wire.CourseSettings{},
			status: http.StatusOK, handle: setSettings},
		{method: "GET", path: "/courses/{course}/hooks", id: "hooks", summary: "A course's web hooks. For its authors.",
			out: []wire.Hook{}, status: http.StatusOK, handle: hooks},
		{method: "POST", path: "/courses/{course}/hooks", id: "addHook",
			summary: "Have an address told of events in a course; the answer holds the secret that they are signed with, once.",
			in:      wire.NewHook{}, out: wire.Hook{}, status: http.StatusCreated, handle: addHook},
		{method: "DELETE", path: "/courses/{course}/hooks/{hook}", id: "endHook",
			summary: "Tell an address nothing any more.", status: http.StatusNoContent, handle: endHook},
		{method: "GET", path: "/courses/{course}/hooks/{hook}/calls", id: "hookCalls",
			summary: "What was sent to a web hook, newest first.", out: wire.HookCalls{}, status: http.StatusOK,
			query: []string{"before", "limit"}, handle: hookCalls},
		{method: "GET", path: "/courses/{course}/quiet", id: "quiet",
			summary: "Students who have handed in nothing for some days at an exercise that is open. For the team.",
			out:     wire.Quiet{}, status: http.StatusOK, query: []string{"days"}, handle: quiet},
		{method: "GET", path: "/courses/{course}/desk/events", id: "deskEvents",
			summary: "What changes in a course, as server-sent events.", stream: true, out: wire.Event{},
			status: http.StatusOK, handle: deskEvents},
		{method: "GET", path: "/attempts/{attempt}", id: "attempt", summary: "An attempt with its verdict; `wait` seconds " +
			"for one.", out: wire.Attempt{}, status: http.StatusOK, query: []string{"wait"}, handle: attempt},
		{method: "GET", path: "/attempts/{attempt}/arrays", id: "arrays",
			summary: "Expected, got and difference of one output in one case.", out: wire.Arrays{}, status: http.StatusOK,
			media: dataMedia, query: []string{"case", "output", "format"}, handle: arrays},
		{method: "GET", path: "/attempts/{attempt}/lineage", id: "origins",
			summary: "From which cells of the inputs a cell of an output came, in the attempt and in the reference.",
			out:     wire.Lineage{}, status: http.StatusOK, query: []string{"case", "output", "cell", "side"}, handle: origins},
	}
}

// fiberPath spells {name} as the router does.
func fiberPath(path string) string {
	return "/api/v1" + strings.NewReplacer("{", ":", "}", "").Replace(path)
}

func (s *Server) routes() {
	for _, r := range table() {
		s.app.Add([]string{r.method}, fiberPath(r.path), s.serve(r))
	}
	s.app.Get("/api/openapi.json", func(c fiber.Ctx) error {
		c.Set("Content-Type", "application/json")
		return c.Send(s.spec)
	})
	s.app.Get("/calendar/:file", s.calendar)
	s.app.Get("/schema/:name", func(c fiber.Ctx) error {
		text, err := schema.Files.ReadFile(c.Params("name"))
		if err != nil {
			return fiber.ErrNotFound
		}
		c.Set("Content-Type", "application/schema+json")
		return c.Send(text)
	})
	s.app.All("/api/*", func(fiber.Ctx) error { return fiber.ErrNotFound })
}

// serve wraps a handler: the database must be there, somebody signed in, and a
// browser's change must carry its session's token.
func (s *Server) serve(r route) fiber.Handler {
	return func(c fiber.Ctx) error {
		b := s.backend.Load()
		if b == nil {
			return errNoDatabase()
		}
		req := &request{Ctx: c, Backend: b, server: s}
		if err := s.sameOrigin(c); err != nil {
			return err
		}
		if !r.public {
			who, err := s.identify(c, b)
			if err != nil {
				return err
			}
			req.who = who
		}
		if r.in != nil || r.binary != "" {
			limit := r.limit
			if limit == 0 {
				limit = formBytes
			}
			body, done, err := s.bodies.open(req, limit)
			if err != nil {
				return err
			}
			defer done()
			if r.streamed {
				req.arriving = body
			} else if req.body, err = body.whole(); err != nil {
				return err
			}
		}
		c.Set("Cache-Control", "no-store")
		c.Status(r.status)
		return r.handle(req)
	}
}

func errNoDatabase() error {
	f := fail(http.StatusServiceUnavailable, "database", "The database does not answer",
		"The service runs, and its database has not answered yet.", "try again in a moment")
	f.after = 1e9
	return f
}

const cookieName = "nimbus_session"

// identify finds who sends a request: by bearer token, or by session cookie.
func (s *Server) identify(c fiber.Ctx, b *Backend) (*access.Who, error) {
	if header := c.Get("Authorization"); header != "" {
		token, ok := strings.CutPrefix(header, "Bearer ")
		if !ok {
			return nil, access.ErrSignedOut
		}
		return b.Gate.ByToken(c.Context(), token, s.proxies.client(c))
	}
	cookie := c.Cookies(cookieName)
	if cookie == "" {
		return nil, access.ErrSignedOut
	}
	who, err := b.Gate.BySession(c.Context(), cookie, s.proxies.client(c))
	if err != nil {
		return nil, err
	}
	if !safe(c.Method()) && c.Get("X-CSRF-Token") != who.CSRF {
		return nil, fail(http.StatusForbidden, "csrf", "Not allowed", "The request does not carry its session's token.",
			"send X-CSRF-Token as GET /api/v1/session gives it")
	}
	return who, nil
}

// sameOrigin refuses changes that a browser sends from another site.
func (s *Server) sameOrigin(c fiber.Ctx) error {
	origin := c.Get("Origin")
	if safe(c.Method()) || origin == "" {
		return nil
	}
	if u, err := url.Parse(origin); err == nil && u.Host == s.proxies.host(c) {
		return nil
	}
	return fail(http.StatusForbidden, "origin", "Not allowed", "The request comes from another site.",
		"use the console itself, or a client with a token")
}

// number reads a query parameter that is a whole number from low to high.
func (r *request) number(name string, or, low, high uint64) (uint64, error) {
	text := r.Query(name)
	if text == "" {
		return or, nil
	}
	n, err := strconv.ParseUint(text, 10, 64)
	if err != nil || n < low || n > high {
		return 0, fail(http.StatusBadRequest, "query", "The request cannot be read",
			"The parameter "+name+" is "+strconv.Quote(text)+".", "give a whole number from "+strconv.FormatUint(low,
				10)+" to "+strconv.FormatUint(high, 10))
	}
	return n, nil
}
