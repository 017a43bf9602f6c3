package api

import (
	"runtime"
	"runtime/debug"
	"strings"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/store"
)

// alive is how long ago a process that checks has given its last sign of life.
const alive = 10 * time.Second

var started = time.Now().UTC()

// serviceState says how the service is. For operators.
func serviceState(r *request) error {
	if err := r.Gate.May(r.Context(), r.who, access.RunService); err != nil {
		return err
	}
	f, err := r.Store.Figures(r.Context(), alive)
	if err != nil {
		return err
	}
	waiting, err := r.Store.QueueLength(r.Context())
	if err != nil {
		return err
	}
	letters, oldest, err := r.Store.CountLetters(r.Context())
	if err != nil {
		return err
	}
	out := wire.Service{Version: version(), Go: runtime.Version(), Database: f.Database, Schema: f.Schema,
		Nodes: []wire.Node{}, Queue: waiting, Stuck: f.Stuck, Workers: f.Workers, People: f.People, Courses: f.Courses,
		StartedAt: started, Mail: wire.MailState{Configured: r.Mail.Configured(),
			Server: r.Mail.Server(), Waiting: letters[store.LetterWaiting] + letters[store.LetterSending],
			Failed: letters[store.LetterFailed], Sent: letters[store.LetterSent], Oldest: oldest}}
	for _, n := range r.Store.Nodes() {
		out.Nodes = append(out.Nodes, wire.Node{Address: n.Address, Serves: n.Err == nil, Current: n.Current})
	}
	return r.JSON(out)
}

// version is the build's.
func version() string {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return "unknown"
	}
	for _, s := range info.Settings {
		if s.Key == "vcs.revision" && len(s.Value) >= 12 {
			return s.Value[:12]
		}
	}
	if v := info.Main.Version; v != "" && v != "(devel)" {
		return v
	}
	return "of no release"
}

func allCourses(r *request) error {
	if err := r.Gate.May(r.Context(), r.who, access.RunService); err != nil {
		return err
	}
	limit, err := r.number("limit", 200, 1, 500)
	if err != nil {
		return err
	}
	list, err := r.Store.Courses(r.Context(), r.Query("after"), int(limit)+1)
	if err != nil {
		return err
	}
	out := wire.CourseLines{Courses: []wire.CourseLine{}}
	out.Next = paged(list, limit, func(c *store.CourseLine) string { return c.Slug }, func(c *store.CourseLine) {
		line := wire.CourseLine{Slug: c.Slug, Title: c.Title, Students: c.Students, Team: c.Team, Created: c.CreatedAt,
			Archived: c.ArchivedAt}
		if c.Revision != nil {
			line.Revision = *c.Revision
		}
		out.Courses = append(out.Courses, line)
	})
	return r.JSON(out)
}

func trail(r *request) error {
	if err := r.Gate.May(r.Context(), r.who, access.RunService); err != nil {
		return err
	}
	before, limit, err := r.page(100, 500)
	if err != nil {
		return err
	}
	out := wire.AuditTrail{Lines: []wire.AuditLine{}}
	f := store.TrailFilter{Subject: r.Query("subject"), Action: r.Query("action"), Before: before, Limit: int(limit) + 1}
	if name := r.Query("by"); name != "" {
		p, err := r.Store.PersonByName(r.Context(), strings.ToLower(name))
		if err != nil {
			return r.JSON(out) // nobody of that name has done anything
		}
		f.Person = p.ID
	}
	list, err := r.Store.Trail(r.Context(), f)
	if err != nil {
		return err
	}
	out.Next = paged(list, limit, func(x *store.TrailLine) uint64 { return x.ID }, func(x *store.TrailLine) {
		line := wire.AuditLine{ID: x.ID, At: x.CreatedAt, Action: x.Action, Subject: x.Subject, Detail: x.Detail}
		if x.By != nil {
			line.By = *x.By
		}
		out.Lines = append(out.Lines, line)
	})
	return r.JSON(out)
}

func letters(r *request) error {
	if err := r.Gate.May(r.Context(), r.who, access.RunService); err != nil {
		return err
	}
	before, limit, err := r.page(100, 500)
	if err != nil {
		return err
	}
	list, err := r.Store.Letters(r.Context(), before, int(limit)+1)
	if err != nil {
		return err
	}
	out := wire.Outbox{Letters: []wire.Letter{}}
	out.Next = paged(list, limit, func(l *store.Letter) uint64 { return l.ID }, func(l *store.Letter) {
		out.Letters = append(out.Letters, wire.Letter{ID: l.ID, Recipient: l.Recipient, Subject: l.Subject,
			State: string(l.State), Tries: l.Tries, Error: l.Error, Created: l.CreatedAt, Due: l.Due, Sent: l.SentAt})
	})
	return r.JSON(out)
}
