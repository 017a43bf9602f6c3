package store

import (
	"context"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// PersonState says whether a person may sign in.
type PersonState string

// The states of a person. Who has left cannot sign in; what they did remains.
const (
	Active PersonState = "active"
	Left   PersonState = "left"
)

// Link lets its holder choose a password, once. Of a person there is one; the secret itself is never
// stored.
type Link struct {
	PersonID   uint64 `gorm:"primaryKey"`
	SecretHash []byte
	Forgotten  bool // the password was forgotten: all sign-ins end when it is used
	CreatedAt  time.Time
	ExpiresAt  time.Time
}

// LinkLife is how long a link may be used.
const LinkLife = 14 * 24 * time.Hour

// MakeLink stores a person's link in the place of the one before, and the letter that brings it, if any.
func (s *Store) MakeLink(ctx context.Context, by *uint64, p *Person, l *Link, letter *Letter) error {
	l.PersonID, l.CreatedAt = p.ID, s.now()
	l.ExpiresAt = l.CreatedAt.Add(LinkLife)
	return s.tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Where("expires_at < ?", l.CreatedAt).Limit(100).Delete(&Link{}).Error; err != nil {
			return err
		}
		if err := tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(l).Error; err != nil {
			return err
		}
		if letter != nil {
			if err := s.post(letter); err != nil {
				return err
			}
			if err := tx.Create(letter).Error; err != nil {
				return err
			}
		}
		return s.audit(tx, by, "link.make", p.Name, map[bool]string{true: "forgotten"}[l.Forgotten])
	})
}

// LinkPerson finds whose a link's secret is, if it has not run out.
func (s *Store) LinkPerson(ctx context.Context, hash []byte) (*Link, *Person, error) {
	var l Link
	if err := s.db.WithContext(ctx).Where("secret_hash = ? AND expires_at > ?", hash, s.now()).Take(&l).Error; err != nil {
		return nil, nil, known(err)
	}
	p, err := s.person(ctx, l.PersonID)
	return &l, p, err
}

// OpenLink uses a link up: the person has a new password, and where the old one was forgotten no sign-in
// of before is left.
func (s *Store) OpenLink(ctx context.Context, hash []byte, passwordHash string) (*Person, error) {
	var p Person
	err := s.tx(ctx, func(tx *gorm.DB) error {
		var l Link
		p = Person{}
		err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("secret_hash = ? AND expires_at > ?", hash, s.now()).
			Take(&l).Error
		if err == nil {
			err = tx.Where("id = ? AND state = ?", l.PersonID, Active).Take(&p).Error
		}
		if err != nil {
			return err
		}
		if err := tx.Exec("DELETE FROM links WHERE person_id = ?", l.PersonID).Error; err != nil {
			return err
		}
		if l.Forgotten {
			if err := s.signOut(tx, p.ID, nil, true); err != nil {
				return err
			}
		}
		if err := tx.Model(&p).Update("password_hash", passwordHash).Error; err != nil {
			return err
		}
		return s.audit(tx, &p.ID, "link.use", p.Name, "")
	})
	return &p, known(err)
}

// signOut ends a person's sessions, but for the one with a hash, and their tokens too where that is asked.
func (s *Store) signOut(tx *gorm.DB, person uint64, except []byte, tokens bool) error {
	if except == nil {
		except = []byte{}
	}
	err := tx.Exec("DELETE FROM sessions WHERE person_id = ? AND secret_hash <> ?", person, except).Error
	if err == nil && tokens {
		err = tx.Exec("DELETE FROM tokens WHERE person_id = ?", person).Error
	}
	if err != nil {
		return err
	}
	return s.revoked(tx, person)
}

// SetPassword gives a person a new password, and ends their other sessions.
func (s *Store) SetPassword(ctx context.Context, p *Person, passwordHash string, session []byte) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Model(&Person{}).Where("id = ?", p.ID).Update("password_hash", passwordHash).Error; err != nil {
			return err
		}
		if err := s.signOut(tx, p.ID, session, false); err != nil {
			return err
		}
		return s.audit(tx, &p.ID, "password.change", p.Name, "")
	})
}

// SetState lets a person leave or come back. Who leaves is signed out everywhere.
func (s *Store) SetState(ctx context.Context, by uint64, p *Person, state PersonState) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Model(&Person{}).Where("id = ?", p.ID).Update("state", state).Error; err != nil {
			return err
		}
		if state == Left {
			if err := tx.Exec("DELETE FROM links WHERE person_id = ?", p.ID).Error; err != nil {
				return err
			}
			if err := s.signOut(tx, p.ID, nil, true); err != nil {
				return err
			}
		}
		return s.audit(tx, &by, "person.state", p.Name, string(state))
	})
}

// SignIn is one of a person's sessions or tokens.
type SignIn struct {
	ID         uint64
	Label      string
	SecretHash []byte
	CreatedAt  time.Time
	ExpiresAt  time.Time
	LastUsed   *time.Time
	Address    string
}

// mostSignIns bounds the sign-ins that are listed of each kind.
const mostSignIns = 100

// The tables of sign-ins.
const (
	Sessions = "sessions"
	Tokens   = "tokens"
)

// SignIns lists a person's sessions or tokens that have not run out, newest first.
func (s *Store) SignIns(ctx context.Context, person uint64, table string) ([]SignIn, error) {
	columns := "id, secret_hash, created_at, expires_at, last_used, address"
	if table == Tokens {
		columns += ", label"
	}
	var out []SignIn
	err := s.db.WithContext(ctx).Table(table).Select(columns).Where("person_id = ? AND expires_at > ?", person, s.now()).
		Order("id DESC").Limit(mostSignIns).Scan(&out).Error
	return out, err
}

// EndSignIn ends one of a person's sessions or tokens.
func (s *Store) EndSignIn(ctx context.Context, person, id uint64, table string) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		done := tx.Exec("DELETE FROM "+table+" WHERE id = ? AND person_id = ?", id, person)
		if done.Error != nil {
			return done.Error
		}
		if done.RowsAffected == 0 {
			return ErrNotFound
		}
		if err := s.revoked(tx, person); err != nil {
			return err
		}
		return s.audit(tx, &person, "signin.end", fmt.Sprint(table, "/", id), "")
	})
}

// Used notes when a sign-in was used, from which address, and that its person was seen.
func (s *Store) Used(ctx context.Context, hash []byte, table, address string) error {
	now := s.now()
	return s.db.WithContext(ctx).Exec("UPDATE "+table+" AS x STRAIGHT_JOIN people AS p ON p.id = x.person_id SET "+
		"x.last_used = ?, x.address = ?, p.seen_at = ? WHERE x.secret_hash = ?", now, address, now, hash).Error
}

// Manages reports whether a person teaches every course that another is in, and one at least.
func (s *Store) Manages(ctx context.Context, by, person uint64) (shares, all bool, err error) {
	var n struct{ Courses, Taught int }
	err = s.db.WithContext(ctx).Raw("SELECT COUNT(*) AS courses, COUNT(i.person_id) AS taught FROM memberships AS m LEFT "+
		"JOIN memberships AS i ON i.course_id = m.course_id AND i.person_id = ? AND i.role = 'instructor' AND i.state = "+
		"'active' WHERE "+
		"m.person_id = ?", by, person).Scan(&n).Error
	return n.Taught > 0, n.Taught > 0 && n.Taught == n.Courses, err
}

// ManagesAmong says of which people somebody teaches every course that they are in.
func (s *Store) ManagesAmong(ctx context.Context, by uint64, people []uint64) (map[uint64]bool, error) {
	var ids []uint64
	out := make(map[uint64]bool, len(people))
	for some := range slices.Chunk(people, rosterAt) {
		err := s.db.WithContext(ctx).Raw("SELECT m.person_id FROM memberships AS m JOIN people AS p ON p.id = m.person_id "+
			"AND NOT p.operator LEFT JOIN memberships AS i ON i.course_id = m.course_id AND i.person_id = ? AND i.role = "+
			"'instructor' AND i.state = 'active' WHERE m.person_id IN ? GROUP BY m.person_id HAVING COUNT(*) = "+
			"COUNT(i.person_id)", by, some).Scan(&ids).Error
		if err != nil {
			return nil, err
		}
		for _, id := range ids {
			out[id] = id != by
		}
	}
	return out, nil
}

// person finds a person who may sign in.
func (s *Store) person(ctx context.Context, id uint64) (*Person, error) {
	var p Person
	err := s.db.WithContext(ctx).Where("id = ? AND state = ?", id, Active).Take(&p).Error
	return &p, known(err)
}
