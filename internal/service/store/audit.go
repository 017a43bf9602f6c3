package store

import (
	"context"
	"errors"
	"math"
	"strings"
	"time"

	"gorm.io/gorm"
)

// audit adds a line to the trail.
func (s *Store) audit(tx *gorm.DB, person *uint64, action, subject, detail string) error {
	return tx.Create(&AuditLine{PersonID: person, Action: action, Subject: subject, Detail: detail, CreatedAt: s.now()}).
		Error
}

// Audit adds a line about a change that is no row of this database's.
func (s *Store) Audit(ctx context.Context, person uint64, action, subject, detail string) error {
	return s.audit(s.db.WithContext(ctx), &person, action, subject, detail)
}

// TrailLine is a line of the trail with the name of who it is about.
type TrailLine struct {
	AuditLine
	By *string
}

// TrailFilter narrows the trail. Before is a cursor: only lines with a smaller id.
type TrailFilter struct {
	Subject string // the beginning of what was changed: a course, a course and a person
	Action  string // the beginning of what was done
	Person  uint64 // who did it; 0: anybody
	Before  uint64
	Limit   int
}

// Trail lists the audit trail, newest first.
func (s *Store) Trail(ctx context.Context, f TrailFilter) ([]TrailLine, error) {
	q := s.db.WithContext(ctx).Table("audit AS a").Select("a.*, p.name AS `by`").
		Joins("LEFT JOIN people AS p ON p.id = a.person_id")
	begins := func(column, text string) {
		q = q.Where("a."+column+" LIKE ?", strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(text)+"%")
	}
	if f.Subject != "" {
		begins("subject", f.Subject)
	}
	if f.Action != "" {
		begins("action", f.Action)
	}
	if f.Person != 0 {
		q = q.Where("a.person_id = ?", f.Person)
	}
	if f.Before == 0 {
		f.Before = math.MaxInt64
	}
	q = q.Where("a.id < ?", f.Before)
	var out []TrailLine
	err := q.Order("a.id DESC").Limit(f.Limit).Scan(&out).Error
	return out, err
}

// Figures is what the database says of itself and what it holds.
type Figures struct {
	Database        string // its version
	Schema          int64  // the newest migration
	People, Courses int64
	Stuck           int64 // attempts without a verdict for good
	Workers         int   // processes that gave a sign of life within a time
}

// Figures reads what the operator's page shows.
func (s *Store) Figures(ctx context.Context, alive time.Duration) (*Figures, error) {
	var out Figures
	db := s.db.WithContext(ctx)
	err := errors.Join(db.Raw("SELECT VERSION()").Scan(&out.Database).Error,
		db.Raw("SELECT MAX(version_id) FROM goose_db_version").Scan(&out.Schema).Error,
		db.Raw("SELECT COUNT(*) FROM people").Scan(&out.People).Error,
		db.Raw("SELECT COUNT(*) FROM courses").Scan(&out.Courses).Error,
		db.Raw("SELECT COUNT(*) FROM attempts FORCE INDEX (attempts_line) WHERE state = 'stuck'").Scan(&out.Stuck).Error,
		db.Raw("SELECT COUNT(*) FROM workers FORCE INDEX (workers_seen) WHERE seen > ?", s.now().Add(-alive)).
			Scan(&out.Workers).Error)
	return &out, err
}

// NodeState is how a database node is.
type NodeState struct {
	Address string
	Current bool
	Err     error // why it does not serve
}

// Nodes asks nothing: it says how the nodes were when they were asked last.
func (s *Store) Nodes() []NodeState {
	out := make([]NodeState, len(s.nodes.list))
	for i, n := range s.nodes.list {
		out[i] = NodeState{Address: n.addr, Current: int(s.nodes.current.Load()) == i}
		if n.down.Load() {
			out[i].Err = errors.New("it does not serve")
		}
	}
	return out
}
