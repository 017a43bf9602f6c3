package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"nimbusreach/client/wire"
)

// MemberQuery narrows a list of a course's people; what is empty narrows nothing.
type MemberQuery struct{ Search, Role, Group, State string }

// Members returns a course's people, all of them.
func (c *Client) Members(ctx context.Context, course string, q ...MemberQuery) (*wire.Members, error) {
	var out wire.Members
	query := url.Values{}
	for _, x := range q {
		for key, value := range map[string]string{"search": x.Search, "role": x.Role, "group": x.Group, "state": x.State} {
			if value != "" {
				query.Set(key, value)
			}
		}
	}
	for {
		var page wire.Members
		if err := c.send(ctx, http.MethodGet, at("courses", course, "people")+"?"+query.Encode(), nil, &page); err != nil {
			return nil, err
		}
		out.People = append(out.People, page.People...)
		if page.Next == nil {
			return &out, nil
		}
		query.Set("after", *page.Next)
	}
}

// SetMember changes a person's place in a course.
func (c *Client) SetMember(ctx context.Context, course, name string, to wire.SetMember) (*wire.Member, error) {
	var out wire.Member
	return &out, c.send(ctx, http.MethodPatch, at("courses", course, "people", name), to, &out)
}

// SetPerson changes what an account says of its person.
func (c *Client) SetPerson(ctx context.Context, name string, to wire.SetPerson) (*wire.Person, error) {
	var out wire.Person
	return &out, c.send(ctx, http.MethodPatch, at("people", name), to, &out)
}

// People returns a page of everybody's accounts.
func (c *Client) People(ctx context.Context, search, after string, limit int) (*wire.People, error) {
	var out wire.People
	q := url.Values{"search": {search}, "after": {after}, "limit": {strconv.Itoa(limit)}}
	return &out, c.send(ctx, http.MethodGet, at("people")+"?"+q.Encode(), nil, &out)
}

// Groups lists a course's groups.
func (c *Client) Groups(ctx context.Context, course string) ([]wire.Group, error) {
	var out []wire.Group
	err := c.send(ctx, http.MethodGet, at("courses", course, "groups"), nil, &out)
	return out, err
}

// Import says how a roster is imported.
type Import struct {
	DryRun, SkipRefused, Leave bool
	Role                       string
	Columns                    []string // field=header
}

// Import imports a roster, or says with DryRun what that would change. Refused rows come with the error.
func (c *Client) Import(ctx context.Context, course string, roster []byte, o Import) (*wire.RosterPlan, error) {
	var out wire.RosterPlan
	q := url.Values{"dry_run": {strconv.FormatBool(o.DryRun)}, "skip_refused": {strconv.FormatBool(o.SkipRefused)},
		"column": o.Columns}
	if o.Leave {
		q.Set("missing", "leave")
	}
	if o.Role != "" {
		q.Set("role", o.Role)
	}
	return &out, c.do(ctx, http.MethodPost, at("courses", course, "roster")+"?"+q.Encode(),
		http.Header{"Content-Type": {"text/csv"}}, roster, &out)
}

// GiveExtension gives a person or a group another closing time or number of attempts.
func (c *Client) GiveExtension(ctx context.Context, course string, x wire.NewExtension) (*wire.Extension, error) {
	var out wire.Extension
	return &out, c.send(ctx, http.MethodPost, at("courses", course, "extensions"), x, &out)
}

// Extensions returns a course's extensions, newest first, all of them.
func (c *Client) Extensions(ctx context.Context, course string) (*wire.Extensions, error) {
	var out wire.Extensions
	for query := ""; ; {
		var page wire.Extensions
		if err := c.send(ctx, http.MethodGet, at("courses", course, "extensions")+query, nil, &page); err != nil {
			return nil, err
		}
		out.Extensions = append(out.Extensions, page.Extensions...)
		if page.Next == nil {
			return &out, nil
		}
		query = "?before=" + strconv.FormatUint(*page.Next, 10)
	}
}

// WithdrawExtension withdraws an extension.
func (c *Client) WithdrawExtension(ctx context.Context, course string, id uint64) error {
	return c.send(ctx, http.MethodDelete, at("courses", course, "extensions", strconv.FormatUint(id, 10)), nil, nil)
}

// Courses lists one's own courses.
func (c *Client) Courses(ctx context.Context) ([]wire.CourseRef, error) {
	var out []wire.CourseRef
	err := c.send(ctx, http.MethodGet, at("courses"), nil, &out)
	return out, err
}

// CreateCourse makes an empty course.
func (c *Client) CreateCourse(ctx context.Context, n wire.NewCourse) (*wire.CourseRef, error) {
	var out wire.CourseRef
	return &out, c.send(ctx, http.MethodPost, at("courses"), n, &out)
}

// CopyCourse copies a course's newest revision under another name.
func (c *Client) CopyCourse(ctx context.Context, course string, to wire.CopyCourse) (*wire.Copied, error) {
	var out wire.Copied
	return &out, c.send(ctx, http.MethodPost, at("courses", course, "copy"), to, &out)
}

// Archive archives a course, or takes it back.
func (c *Client) Archive(ctx context.Context, course string, archived bool) (*wire.CourseRef, error) {
	var out wire.CourseRef
	return &out, c.send(ctx, http.MethodPut, at("courses", course, "archived"), wire.Archive{Archived: archived}, &out)
}

// AllCourses returns a page of all courses. For operators.
func (c *Client) AllCourses(ctx context.Context, after string) (*wire.CourseLines, error) {
	var out wire.CourseLines
	return &out, c.send(ctx, http.MethodGet, at("service", "courses")+"?after="+url.QueryEscape(after), nil, &out)
}

// Service says how the service is. For operators.
func (c *Client) Service(ctx context.Context) (*wire.Service, error) {
	var out wire.Service
	return &out, c.send(ctx, http.MethodGet, at("service"), nil, &out)
}

// TrailQuery narrows the audit trail; what is empty narrows nothing.
type TrailQuery struct {
	Subject, Action, By string
	Before              uint64
	Limit               int
}

// Trail returns a page of the audit trail, newest first. For operators.
func (c *Client) Trail(ctx context.Context, f TrailQuery) (*wire.AuditTrail, error) {
	q := url.Values{"subject": {f.Subject}, "action": {f.Action}, "by": {f.By}}
	if f.Before > 0 {
		q.Set("before", strconv.FormatUint(f.Before, 10))
	}
	if f.Limit > 0 {
		q.Set("limit", strconv.Itoa(f.Limit))
	}
	var out wire.AuditTrail
	return &out, c.send(ctx, http.MethodGet, at("service", "audit")+"?"+q.Encode(), nil, &out)
}

// Outbox returns a page of the mail, newest first. For operators.
func (c *Client) Outbox(ctx context.Context, before uint64) (*wire.Outbox, error) {
	var out wire.Outbox
	path := at("service", "outbox")
	if before > 0 {
		path += "?before=" + strconv.FormatUint(before, 10)
	}
	return &out, c.send(ctx, http.MethodGet, path, nil, &out)
}

// MailChoices says what reaches one by mail.
func (c *Client) MailChoices(ctx context.Context) (*wire.MailChoices, error) {
	var out wire.MailChoices
	return &out, c.send(ctx, http.MethodGet, at("account", "mail"), nil, &out)
}

// SetMailChoices changes what reaches one by mail.
func (c *Client) SetMailChoices(ctx context.Context, to wire.SetMailChoices) (*wire.MailChoices, error) {
	var out wire.MailChoices
	return &out, c.send(ctx, http.MethodPut, at("account", "mail"), to, &out)
}

// RenewCalendar makes the address of one's calendar, or another one.
func (c *Client) RenewCalendar(ctx context.Context) (string, error) {
	var out wire.Calendar
	err := c.send(ctx, http.MethodPost, at("account", "calendar"), nil, &out)
	return out.Address, err
}

// EndCalendar makes the address of one's calendar void.
func (c *Client) EndCalendar(ctx context.Context) error {
	return c.send(ctx, http.MethodDelete, at("account", "calendar"), nil, nil)
}

// Model returns an exercise's reference, where it may be seen.
func (c *Client) Model(ctx context.Context, course, exercise string) (*wire.Model, error) {
	var out wire.Model
	return &out, c.send(ctx, http.MethodGet, at("courses", course, "exercises", exercise, "model"), nil, &out)
}

// GradebookQuery says which gradebook is asked for; what is empty narrows nothing.
type GradebookQuery struct {
	Group, Search string
	At            time.Time // zero for now
}

func (q GradebookQuery) values() url.Values {
	out := url.Values{}
	if q.Group != "" {
		out.Set("group", q.Group)
	}
	if q.Search != "" {
		out.Set("search", q.Search)
	}
	if !q.At.IsZero() {
		out.Set("at", q.At.UTC().Format(time.RFC3339Nano))
	}
	return out
}

// Gradebook returns what a course's students have earned, all of them.
func (c *Client) Gradebook(ctx context.Context, course string, q GradebookQuery) (*wire.Gradebook, error) {
	query := q.values()
	query.Set("limit", "5000")
	var out *wire.Gradebook
	for {
		var page wire.Gradebook
		if err := c.send(ctx, http.MethodGet, at("courses", course, "gradebook")+"?"+query.Encode(), nil, &page); err != nil {
			return nil, err
		}
		if out == nil {
			out = &page
		} else {
			out.Rows = append(out.Rows, page.Rows...)
		}
		if page.Next == nil {
			out.Next = nil
			return out, nil
		}
		query.Set("after", *page.Next)
	}
}

// ExportGrades returns the gradebook as a file: csv, xlsx or oneroster.
func (c *Client) ExportGrades(ctx context.Context, course, format string, q GradebookQuery) ([]byte, error) {
	query := q.values()
	query.Set("format", format)
	var out []byte
	err := c.do(ctx, http.MethodGet, at("courses", course, "gradebook")+"?"+query.Encode(), http.Header{}, nil, &out)
	return out, err
}

// Adjust changes a student's grade by hand, in the place of the change before.
func (c *Client) Adjust(ctx context.Context, course, name, exercise string, x wire.NewAdjustment) (*wire.Grade, error) {
	var out wire.Grade
	return &out, c.send(ctx, http.MethodPut, at("courses", course, "people", name, "grades", exercise), x, &out)
}

// WithdrawAdjustment takes back what was changed by hand of a student's grade.
func (c *Client) WithdrawAdjustment(ctx context.Context, course, name, exercise string) (*wire.Grade, error) {
	var out wire.Grade
	return &out, c.send(ctx, http.MethodDelete, at("courses", course, "people", name, "grades", exercise), nil, &out)
}

// AdjustmentHistory lists what was changed by hand of a student's grade, newest first.
func (c *Client) AdjustmentHistory(ctx context.Context, course, name, exercise string) ([]wire.PastAdjustment, error) {
	var out []wire.PastAdjustment
	err := c.send(ctx, http.MethodGet, at("courses", course, "people", name, "grades", exercise), nil, &out)
	return out, err
}

// Quiet lists the students who have handed in nothing for some days at an exercise that is open.
func (c *Client) Quiet(ctx context.Context, course string, days int) (*wire.Quiet, error) {
	var out wire.Quiet
	return &out, c.send(ctx, http.MethodGet, at("courses", course, "quiet")+"?days="+strconv.Itoa(days), nil, &out)
}
