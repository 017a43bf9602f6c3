package api

import (
	"errors"
	"fmt"
	"strings"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/store"
	"nimbusreach/internal/service/teaching"
)

// formats are how a gradebook is answered beside JSON, with their media types.
var formats = map[string]string{"csv": "text/csv; charset=utf-8",
	"xlsx":      "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
	"oneroster": "application/zip"}

// gradebook answers what a course's students have earned, now or as it was at a time.
func gradebook(r *request) error {
	c, content, a, err := r.asked()
	if err != nil {
		return err
	}
	book, err := teaching.Grades(r.Context(), r.Store, a)
	if err != nil {
		return err
	}
	format := r.Query("format", "json")
	kind, export := formats[format]
	switch {
	case !export && format != "json":
		return badQuery("format", format, "give json, csv, xlsx or oneroster")
	case export:
		text, err := book.Export(format, c, content.Takes)
		if err != nil {
			return err
		}
		name := c.Slug + "-grades." + map[string]string{"csv": "csv", "xlsx": "xlsx", "oneroster": "zip"}[format]
		r.Set("Content-Type", kind)
		r.Set("Content-Disposition", fmt.Sprintf(`attachment; filename=%q`, name))
		return r.Send(text)
	}
	limit, err := r.number("limit", 500, 1, 5000)
	if err != nil {
		return err
	}
	return r.JSON(book.Wire(a, teaching.Page{Search: strings.TrimSpace(r.Query("search")), After: r.Query("after"),
		Limit: int(limit)}))
}

// asked reads which gradebook is asked for, with the course as it was then.
func (r *request) asked() (*store.Course, *exercise.Course, teaching.Asked, error) {
	var a teaching.Asked
	c, _, scope, err := r.team(access.SeeTeam)
	if err != nil {
		return nil, nil, a, err
	}
	a = teaching.Asked{Course: c, At: r.Store.Now(), Groups: scope}
	if group := r.Query("group"); group != "" {
		if !access.InScope(scope, group) {
			return nil, nil, a, store.ErrNotFound
		}
		a.Groups = []string{group}
	}
	if text := r.Query("at"); text != "" {
		at, err := time.Parse(time.RFC3339, text)
		if err != nil {
			return nil, nil, a, badQuery("at", short(text), "give a time with its zone: 2031-09-14T22:00:00Z")
		}
		if at = at.UTC(); at.Before(a.At) {
			a.At, a.Past = at, true
		}
	}
	a.Content, err = r.contentAt(c, a.At)
	return c, a.Content, a, err
}

// contentAt is a course's content as it was at a time; without exercises where nothing was published.
func (r *request) contentAt(c *store.Course, at time.Time) (*exercise.Course, error) {
	id, err := r.Store.RevisionAsOf(r.Context(), c.ID, at)
	if errors.Is(err, store.ErrNotFound) {
		return &exercise.Course{Takes: "best"}, nil
	}
	if err != nil {
		return nil, err
	}
	return r.Library.Course(r.Context(), id)
}

// adjustGrade changes a student's grade in an exercise by hand.
func adjustGrade(r *request) error {
	g, err := r.graded(access.AdjustGrades)
	if err != nil {
		return err
	}
	var in wire.NewAdjustment
	if err := r.json(&in); err != nil {
		return err
	}
	x := &store.Adjustment{CourseID: g.course.ID, PersonID: g.person.ID, Exercise: g.exercise.Name,
		Kind: store.AdjustmentKind(in.Kind), Points: strings.TrimSpace(in.Points), Beyond: in.Beyond,
		Reason:  strings.TrimSpace(in.Reason),
		GivenBy: &r.who.Person.ID}
	if err := fitAdjustment(x, g.exercise); err != nil {
		return err
	}
	before, err := r.gradeOf(g)
	if err != nil {
		return err
	}
	if t := before.Attempt; t != nil {
		x.UnderAttempt, x.UnderEarned, x.UnderPossible = &t.ID, t.Earned, t.Possible
	}
	if err := r.Store.Adjust(r.Context(), x, g.course.Slug, g.person.Name); err != nil {
		return err
	}
	return r.answerGrade(g)
}

func withdrawAdjustment(r *request) error {
	g, err := r.graded(access.AdjustGrades)
	if err != nil {
		return err
	}
	if err := r.Store.WithdrawAdjustment(r.Context(), r.who.Person.ID, g.course, g.person, g.exercise.Name); err != nil {
		return err
	}
	return r.answerGrade(g)
}

// graded is a student of a course and an exercise, whose grade is asked for.
type graded struct {
	course   *store.Course
	content  *exercise.Course
	person   *store.Person
	exercise *exercise.Exercise
}

// graded finds the student and the exercise that a grade is of.
func (r *request) graded(action access.Action) (*graded, error) {
	c, role, content, err := r.opened(action)
	if err != nil {
		return nil, err
	}
	e := content.Find(r.Params("exercise"))
	if e == nil {
		return nil, store.ErrNotFound
	}
	p, err := r.member(c, role, r.Params("name"))
	return &graded{c, content, p, e}, err
}

// gradeOf computes one grade.
func (r *request) gradeOf(g *graded) (*teaching.Grade, error) {
	book, err := teaching.Grades(r.Context(), r.Store, teaching.Asked{Course: g.course, Content: g.content,
		At: r.Store.Now(), Person: g.person.ID})
	if err != nil {
		return nil, err
	}
	for i := range book.Exercises {
		if book.Exercises[i].Name == g.exercise.Name && len(book.Rows) == 1 {
			return &book.Rows[0].Grades[i], nil
		}
	}
	return nil, &access.Unfit{Field: "name", Message: g.person.Display + " is no student of the course",
		Hint: "students alone have grades"}
}

func (r *request) answerGrade(g *graded) error {
	grade, err := r.gradeOf(g)
	if err != nil {
		return err
	}
	return r.JSON(grade.Wire())
}

// fitAdjustment refuses an adjustment that cannot be.
func fitAdjustment(x *store.Adjustment, e *exercise.Exercise) error {
	points, isNumber := teaching.ParsePoints(x.Points)
	switch {
	case x.Kind != store.SetPoints && x.Kind != store.AddPoints && x.Kind != store.Excused:
		return &access.Unfit{Field: "kind", Message: fmt.Sprintf("there is no adjustment %q", short(string(x.Kind))),
			Hint: "give set, add or excused"}
	case x.Kind == store.Excused && x.Points != "":
		return &access.Unfit{Field: "points", Message: "who is excused has no points", Hint: "leave the points out"}
	case x.Kind != store.Excused && !isNumber:
		return &access.Unfit{Field: "points", Message: fmt.Sprintf("%q is no number of points", short(x.Points)),
			Hint: "write it as 2.5"}
	case x.Kind == store.SetPoints && !x.Beyond && (points.Sign() < 0 || points.Cmp(teaching.Points(e)) > 0):
		return &access.Unfit{Field: "points", Message: fmt.Sprintf("%s points are not within 0 and the possible %v", x.Points,
			e.Possible()), Hint: "say that they go beyond, if that is meant"}
	case x.Reason == "":
		return &access.Unfit{Field: "reason", Message: "the adjustment has no reason", Hint: "say why; the student sees it"}
	case len([]rune(x.Reason)) > mostReason:
		return &access.Unfit{Field: "reason", Message: "the reason is too long",
			Hint: fmt.Sprintf("use at most %d characters", mostReason)}
	}
	return nil
}

// ownGrades are what one's own attempts are worth, by exercise. Who is of the team has none.
func (r *request) ownGrades(c *store.Course, content *exercise.Course) (map[string]*wire.Grade, error) {
	book, err := teaching.Grades(r.Context(), r.Store, teaching.Asked{Course: c, Content: content, At: r.Store.Now(),
		Person: r.who.Person.ID})
	if err != nil {
		return nil, err
	}
	out := map[string]*wire.Grade{}
	for _, row := range book.Rows {
		for i := range row.Grades {
			g := row.Grades[i].Wire()
			out[book.Exercises[i].Name] = &g
		}
	}
	return out, nil
}

// adjustmentHistory lists what was changed by hand of a student's grade in an exercise, newest first.
func adjustmentHistory(r *request) error {
	g, err := r.graded(access.SeeTeam)
	if err != nil {
		return err
	}
	list, err := r.Store.AdjustmentHistory(r.Context(), g.course.ID, g.person.ID, g.exercise.Name)
	if err != nil {
		return err
	}
	out := []wire.PastAdjustment{}
	for _, x := range list {
		line := wire.PastAdjustment{Kind: string(x.Kind), Points: x.Points, Beyond: x.Beyond, Reason: x.Reason,
			At: x.CreatedAt, Withdrawn: x.WithdrawnAt}
		if x.By != nil {
			line.By = *x.By
		}
		out = append(out, line)
	}
	return r.JSON(out)
}
