package store

import (
	"context"
	"slices"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Claim takes attempts that wait, at most so many, and marks them as being checked for a while. Of each
// line a process takes its own share first, and what is late of the others'. Attempts handed in go
// before those checked again; courses are served in turn, the next after the one given first, each by
// its part of what is taken; within a course those go that are due, one of a person, of people who have
// none being checked.
func (s *Store) Claim(ctx context.Context, life time.Duration, after uint64, share Share, most int) ([]Attempt, error) {
	var lines []struct {
		Behind   bool
		CourseID uint64
	}
	// Grouped by the beginning of the index, of which the first of each group is read, however many wait.
	err := s.db.WithContext(ctx).Raw("SELECT behind, course_id FROM attempts FORCE INDEX (attempts_line) WHERE state = " +
		"'waiting' GROUP BY state, behind, course_id").Scan(&lines).Error
	if err != nil {
		return nil, err
	}
	var out []Attempt
	for _, behind := range []bool{false, true} {
		var courses []uint64
		for _, l := range lines {
			if l.Behind == behind {
				courses = append(courses, l.CourseID)
			}
		}
		slices.Sort(courses)
		at, _ := slices.BinarySearch(courses, after+1)
		for _, course := range slices.Concat(courses[at:], courses[:at]) {
			part := max(1, most/len(courses))
			for _, own := range []bool{true, false} {
				if len(out) == most || !own && (share.Of < 2 || len(out) > 0) {
					break
				}
				some, err := s.claimIn(ctx, course, behind, life, share, own, min(part, most-len(out)))
				if out = append(out, some...); err != nil {
					return out, err
				}
			}
		}
		if len(out) > 0 {
			break
		}
	}
	return out, nil
}

// claimAhead is how many times as many attempts are looked at as are claimed: of a person's one is.
const claimAhead = 4

// claimIn claims in one line. What may be claimed is read without a lock: in a cluster each lock that a
// claim holds is in the way of what other nodes have committed, and loses. The change itself holds only where
// the attempt still waits, and is told from another's by its time.
func (s *Store) claimIn(ctx context.Context, course uint64, behind bool, life time.Duration, share Share, own bool,
	most int) ([]Attempt, error) {
	which, args := "TRUE", []any{behind, course}
	switch {
	case own && share.Of > 1:
		which, args = "a.person_id MOD ? = ?", append(args, share.Of, share.Index)
	case !own:
		which, args = "a.due < ?", append(args, s.now().Add(-lateBy))
	}
	var list, out []Attempt
	err := s.db.WithContext(ctx).Raw(`SELECT a.* FROM attempts AS a FORCE INDEX (attempts_line)
		WHERE a.state = 'waiting' AND a.behind = ? AND a.course_id = ? AND `+which+`
		AND NOT EXISTS (SELECT 1 FROM attempts AS b WHERE b.person_id = a.person_id AND b.state = 'checking')
		ORDER BY a.due, a.id LIMIT ?`, append(args, claimAhead*most)...).Scan(&list).Error
	until := s.now().Add(life)
	var ids []uint64
	for _, a := range list {
		if len(ids) < most && !slices.ContainsFunc(out, func(b Attempt) bool { return a.PersonID == b.PersonID }) {
			a.State, a.ClaimedUntil = Checking, &until
			a.Tries++
			ids, out = append(ids, a.ID), append(out, a)
		}
	}
	if err != nil || len(ids) == 0 {
		return nil, err
	}
	done := s.db.WithContext(ctx).Exec("UPDATE attempts SET state = 'checking', claimed_until = ?, tries = tries + 1 "+
		"WHERE id IN ? AND state = 'waiting'", until, ids)
	if done.Error != nil || int(done.RowsAffected) == len(ids) {
		return out, done.Error
	}
	var mine []uint64
	err = s.db.WithContext(ctx).Raw("SELECT id FROM attempts WHERE id IN ? AND state = 'checking' AND claimed_until = ?",
		ids, until).Scan(&mine).Error
	return slices.DeleteFunc(out, func(a Attempt) bool { return !slices.Contains(mine, a.ID) }), err
}

// Extend lets claims last longer, while their process is at work on them.
func (s *Store) Extend(ctx context.Context, ids []uint64, life time.Duration) error {
	if len(ids) == 0 {
		return nil
	}
	return s.db.WithContext(ctx).Model(&Attempt{}).Where("id IN ? AND state = ?", ids, Checking).Update("claimed_until",
		s.now().Add(life)).Error
}

// mostExpired bounds the claims that are looked at in one go.
const mostExpired = 200

// Expire gives claims back that have run out, whose process died or lost its way: to the
// end of the line, or as stuck where that has happened often enough. Those are returned.
func (s *Store) Expire(ctx context.Context, mostTries int) (stuck []Attempt, err error) {
	err = s.tx(ctx, func(tx *gorm.DB) error {
		stuck = nil
		var over []Attempt
		err := tx.Clauses(clause.Locking{Strength: "UPDATE", Options: "SKIP LOCKED"}).
			Where("state = ? AND claimed_until < ?", Checking, s.now()).Order("claimed_until").Limit(mostExpired).Find(&over).
			Error
		if err != nil {
			return err
		}
		for i := range over {
			if over[i].Tries >= mostTries {
				stuck = append(stuck, over[i])
			}
			if err := s.giveBack(tx, &over[i], mostTries); err != nil {
				return err
			}
		}
		return nil
	})
	return stuck, err
}

// GiveBack returns a claimed attempt to the end of the line, or marks it stuck when it has
// been tried often enough.
func (s *Store) GiveBack(ctx context.Context, a *Attempt, mostTries int) error {
	return s.tx(ctx, func(tx *gorm.DB) error { return s.giveBack(tx, a, mostTries) })
}

func (s *Store) giveBack(tx *gorm.DB, a *Attempt, mostTries int) error {
	state := Waiting
	if a.Tries >= mostTries {
		state = Stuck
	}
	done := tx.Model(&Attempt{}).Where("id = ? AND state = ?", a.ID, Checking).Updates(map[string]any{"state": state,
		"claimed_until": nil, "due": s.now()})
	if done.Error != nil || done.RowsAffected == 0 {
		return done.Error
	}
	return tx.Create(&Change{CourseID: &a.CourseID, AttemptID: &a.ID, Kind: "verdict", CreatedAt: s.now()}).Error
}

// Wait returns how many attempts wait that a worker may take, up to so many.
func (s *Store) Wait(ctx context.Context, most int) (int, error) {
	var ids []uint64
	err := s.db.WithContext(ctx).Raw(`SELECT a.id FROM attempts AS a FORCE INDEX (attempts_line) WHERE a.state = 'waiting'
		AND NOT EXISTS (SELECT 1 FROM attempts AS b WHERE b.person_id = a.person_id AND b.state = 'checking') LIMIT ?`, most).
		Scan(&ids).Error
	return len(ids), err
}

// QueueLength returns how many attempts of all courses wait or are being checked.
func (s *Store) QueueLength(ctx context.Context) (int64, error) {
	var n int64
	err := s.db.WithContext(ctx).Model(&Attempt{}).Where("state IN ?", []State{Waiting, Checking}).Count(&n).Error
	return n, err
}
