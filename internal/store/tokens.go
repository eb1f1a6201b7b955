package store

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"tachyphor/wire"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Kinds of tokens.
const (
	Bearer  = "bearer"  // made by someone, for a program
	Local   = "local"   // in a service's state folder, for who may read that
	Events  = "events"  // lets events in and nothing else
	Session = "session" // of the console
	Link    = "link"    // signs the console in once
)

// A Token lets someone in. Only its hash is kept.
type Token struct {
	Hash    string     `gorm:"primaryKey;size:64"`
	Name    string     `gorm:"size:63"` // what it is for
	Kind    string     `gorm:"size:16"`
	Expires *time.Time `gorm:"type:datetime(6)"`
	At      time.Time  `gorm:"type:datetime(6)"`
	Person  string     `gorm:"size:63;not null;default:'';index"` // whose rights it has
	Role    wire.Role  `gorm:"size:16;not null;default:''"`       // that it has at most
	Used    *time.Time `gorm:"type:datetime(6)"`                  // last, to the minute
	From    string     `gorm:"size:64;not null;default:''"`       // where that was
	Parent  string     `gorm:"size:64;not null;default:'';index"` // hash of the token that it came of, with which it ends
	Place   string     `gorm:"size:32;not null;default:''"`       // state folder of a local one
}

// A Person may sign in.
type Person struct {
	Name    string     `gorm:"primaryKey;size:63"`
	Role    wire.Role  `gorm:"size:16"`                     // empty: nothing any more
	Most    string     `gorm:"size:16;not null;default:''"` // role above which an owner does not let one whom a provider names; none, or empty: no such
	Subject *string    `gorm:"size:255;uniqueIndex"`        // who the identity provider says they are; nil: an owner here named them
	At      time.Time  `gorm:"type:datetime(6)"`
	Seen    *time.Time `gorm:"type:datetime(6)"`
}

// TableName names the table.
func (Person) TableName() string { return "people" }

// None is what stands for no role where empty stands for no bound.
const None = "none"

// May is the role that someone has.
func (p Person) May() wire.Role {
	switch p.Most {
	case "":
		return p.Role
	case None:
		return ""
	}
	return p.Role.Lower(wire.Role(p.Most))
}

// ErrLastOwner says that nobody would be an owner any more.
var ErrLastOwner = errors.New("there must be an owner")

// A Bearing is a token with what it lets in to now.
type Bearing struct {
	Token
	// May is the lower of its role and what its person may; empty: nothing.
	May wire.Role `gorm:"-"`
}

// PutToken stores a token's hash.
func (s *Store) PutToken(ctx context.Context, t Token) error {
	t.At = s.now()
	return s.write(ctx, func(tx *gorm.DB) error {
		said(ctx, fmt.Sprintf("%s, %s, %s", t.Name, t.Role, t.Hash[:min(12, len(t.Hash))]))
		return tx.Create(&t).Error
	})
}

// mostLinks is how many unused links to sign in there are of a person; the oldest go.
const mostLinks = 10

// PutLink stores a link that signs a person in, who gets the role first where nobody knows them yet. It returns
// the role that it gives, at most the token's.
func (s *Store) PutLink(ctx context.Context, t Token, first wire.Role) (has wire.Role, err error) {
	t.At, t.Kind = s.now(), Link
	return has, s.write(ctx, func(tx *gorm.DB) error {
		if has, err = introduced(tx, t.Person, first, s.now()); err != nil {
			return err
		}
		t.Role = t.Role.Lower(has)
		has = t.Role
		said(ctx, fmt.Sprintf("for %s, %s", t.Person, t.Role))
		if err := tx.Create(&t).Error; err != nil {
			return err
		}
		var last Token
		err := tx.Where("kind = ? AND person = ?", Link, t.Person).Order("at DESC, hash").Offset(mostLinks).Limit(1).Take(&last).Error
		if errors.Is(err, gorm.ErrRecordNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
		return tx.Where("kind = ? AND person = ? AND at <= ?", Link, t.Person, last.At).Delete(&Token{}).Error
	})
}

// introduced returns the role of a person, who gets one where nobody knows them yet.
func introduced(tx *gorm.DB, name string, role wire.Role, now time.Time) (wire.Role, error) {
	p := Person{Name: name, Role: role, At: now}
	if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&p).Error; err != nil {
		return "", err
	}
	p = Person{}
	err := tx.Where("name = ?", name).Take(&p).Error
	return p.May(), err
}

// PutLocal makes a token the only one of a state folder.
func (s *Store) PutLocal(ctx context.Context, t Token) error {
	t.At, t.Kind = s.now(), Local
	return s.write(ctx, func(tx *gorm.DB) error {
		var old []Token
		if err := tx.Select("hash").Where("kind = ? AND place IN ?", Local, []string{t.Place, ""}).Find(&old).Error; err != nil {
			return err
		}
		for _, o := range old {
			if err := ended(tx, o.Hash); err != nil {
				return err
			}
		}
		if _, err := introduced(tx, t.Person, t.Role, t.At); err != nil {
			return err
		}
		return tx.Create(&t).Error
	})
}

// FindToken returns the token with a hash and what it lets in to, if it has not expired. A session that was
// not used for idle has.
func (s *Store) FindToken(ctx context.Context, hash string, idle time.Duration) (Bearing, error) {
	return s.find(s.db.WithContext(ctx), hash, idle)
}

func (s *Store) find(tx *gorm.DB, hash string, idle time.Duration) (Bearing, error) {
	var row struct {
		Token
		Has  wire.Role
		Most string
	}
	now := s.now()
	err := tx.Table("tokens").Select("tokens.*, people.role AS has, people.most").Joins("LEFT JOIN people ON people.name = tokens.person").
		Where("tokens.hash = ? AND (tokens.expires IS NULL OR tokens.expires > ?)", hash, now).Take(&row).Error
	if err != nil {
		return Bearing{}, known(err)
	}
	b, has := Bearing{Token: row.Token}, Person{Role: row.Has, Most: row.Most}.May()
	switch b.Kind {
	case Local: // who reads the state folder can do all anyway
		b.May = b.Role
	case Session:
		if last := b.At; idle > 0 {
			if b.Used != nil {
				last = *b.Used
			}
			if now.Sub(last) > idle {
				return Bearing{}, ErrNotFound
			}
		}
		b.May = b.Role.Lower(has)
	case Events:
		if b.May = wire.Events; has == "" {
			return Bearing{}, ErrNotFound
		}
	default:
		b.May = b.Role.Lower(has)
	}
	if b.May == "" {
		return Bearing{}, ErrNotFound
	}
	return b, nil
}

// usedEvery is how often at most it is noted that a token was used.
const usedEvery = time.Minute

// NoteUse notes that a token was used from an address, where that was not noted in the last minute.
func (s *Store) NoteUse(ctx context.Context, t Token, from string) error {
	now := s.now()
	if t.Used != nil && now.Sub(*t.Used) < usedEvery && t.From == from {
		return nil
	}
	return s.db.WithContext(ctx).Model(&Token{}).Where("hash = ?", t.Hash).Updates(map[string]any{"used": now, "from": from}).Error
}

// SignIn makes a session of a link, which is used up by that, or of a token, with which it ends. Of two who
// use a link, one succeeds.
func (s *Store) SignIn(ctx context.Context, hash string, kinds []string, session Token) (Bearing, error) {
	var b Bearing
	err := s.write(ctx, func(tx *gorm.DB) (err error) {
		if b, err = s.find(tx, hash, 0); err != nil {
			return err
		}
		if !slices.Contains(kinds, b.Kind) {
			return ErrNotFound
		}
		if b.Kind == Link {
			res := tx.Where("hash = ?", hash).Delete(&Token{})
			if res.Error != nil || res.RowsAffected == 0 {
				return errors.Join(res.Error, ErrNotFound)
			}
		} else {
			session.Parent = b.Hash
		}
		session.Name, session.Person, session.Role = b.Person, b.Person, b.May
		return s.begin(ctx, tx, session)
	})
	return b, err
}

// mostSessions is how many sessions a person has at once; the oldest go.
const mostSessions = 20

// begin stores a session in a transaction.
func (s *Store) begin(ctx context.Context, tx *gorm.DB, t Token) error {
	t.At, t.Kind = s.now(), Session
	if d := deedOf(ctx); d != nil {
		d.Who, d.Role = t.Person, t.Role
	}
	if err := tx.Create(&t).Error; err != nil {
		return err
	}
	var last Token
	err := tx.Where("kind = ? AND person = ?", Session, t.Person).Order("at DESC, hash").Offset(mostSessions).Limit(1).Take(&last).Error
	if err == nil {
		err = tx.Where("kind = ? AND person = ? AND at <= ?", Session, t.Person, last.At).Delete(&Token{}).Error
	} else if errors.Is(err, gorm.ErrRecordNotFound) {
		err = nil
	}
	if err != nil {
		return err
	}
	return tx.Model(&Person{}).Where("name = ?", t.Person).Update("seen", t.At).Error
}

// Tokens lists the tokens of some kinds that let in, the newest first: of a person, or of all when empty.
func (s *Store) Tokens(ctx context.Context, person string, kinds ...string) ([]Token, error) {
	q := s.db.WithContext(ctx).Where("kind IN ? AND (expires IS NULL OR expires > ?)", kinds, s.now())
	if person != "" {
		q = q.Where("person = ?", person)
	}
	var list []Token
	return list, q.Order("at DESC, hash").Limit(mostListed).Find(&list).Error
}

// mostListed is how many of anything are listed at once.
const mostListed = 1000

// EndToken takes a token of some kinds out whose hash begins with a text, with the sessions that came of
// it: of a person, or of anyone when empty. ErrNotFound: there is none.
func (s *Store) EndToken(ctx context.Context, person, id string, kinds ...string) error {
	return s.write(ctx, func(tx *gorm.DB) error {
		q := tx.Select("hash", "name", "person", "kind").Where("kind IN ? AND LEFT(hash, ?) = ?", kinds, len(id), id)
		if person != "" {
			q = q.Where("person = ?", person)
		}
		var t Token
		if err := q.Take(&t).Error; err != nil {
			return err
		}
		said(ctx, t.Kind+" "+t.Name+" of "+t.Person)
		return ended(tx, t.Hash)
	})
}

// ended takes a token out with what came of it.
func ended(tx *gorm.DB, hash string) error {
	return tx.Where("hash = ? OR parent = ?", hash, hash).Delete(&Token{}).Error
}

// DropToken takes a token out by its hash, as who signs out does; one that is gone is as good.
func (s *Store) DropToken(ctx context.Context, hash string) error {
	return s.write(ctx, func(tx *gorm.DB) error { return ended(tx, hash) })
}

// DropExpired clears what has expired away; sessions also that were not used for idle.
func (s *Store) DropExpired(ctx context.Context, idle time.Duration) error {
	now := s.now()
	q := s.db.WithContext(ctx).Where("expires < ?", now)
	if idle > 0 {
		q = s.db.WithContext(ctx).Where("expires < ? OR kind = ? AND COALESCE(used, at) < ?", now, Session, now.Add(-idle))
	}
	return q.Delete(&Token{}).Error
}

// A Known is a person with what they have open.
type Known struct {
	Person
	Sessions, Tokens int
}

// People lists everyone who may sign in, or might.
func (s *Store) People(ctx context.Context) ([]Known, error) {
	var list []Known
	return list, s.db.WithContext(ctx).Model(&Person{}).Select("people.*, "+
		"(SELECT COUNT(*) FROM tokens WHERE person = people.name AND kind = ? AND (expires IS NULL OR expires > ?)) AS sessions, "+
		"(SELECT COUNT(*) FROM tokens WHERE person = people.name AND kind IN ? AND (expires IS NULL OR expires > ?)) AS tokens",
		Session, s.now(), []string{Bearer, Events, Local}, s.now()).Order("people.name").Limit(mostListed).Scan(&list).Error
}

// SetRole gives someone who is known, or is to be, a role. Sessions and tokens can do no more than that from
// then on; with none they end. Of one whom a provider names it is the most that they have, whatever that says.
// ErrLastOwner: nobody else would be an owner.
func (s *Store) SetRole(ctx context.Context, name string, role wire.Role) error {
	return s.write(ctx, func(tx *gorm.DB) error {
		if _, err := introduced(tx, name, role, s.now()); err != nil {
			return err
		}
		if err := owned(tx, name, role); err != nil {
			return err
		}
		said(ctx, "role "+orNone(role))
		var p Person
		if err := tx.Where("name = ?", name).Take(&p).Error; err != nil {
			return err
		}
		set := map[string]any{"role": role}
		if p.Subject != nil {
			set = map[string]any{"most": orNone(role)}
		}
		if err := tx.Model(&Person{}).Where("name = ?", name).Updates(set).Error; err != nil {
			return err
		}
		if role != "" {
			return nil
		}
		return endAll(tx, name)
	})
}

func orNone(r wire.Role) string {
	if r == "" {
		return None
	}
	return string(r)
}

// owned is ErrLastOwner where no owner would be left once someone has a role.
func owned(tx *gorm.DB, name string, role wire.Role) error {
	if role == wire.Owner {
		return nil
	}
	var owners []string
	if err := tx.Model(&Person{}).Clauses(clause.Locking{Strength: "UPDATE"}).
		Where("role = ? AND most IN ?", wire.Owner, []string{"", string(wire.Owner)}).Pluck("name", &owners).Error; err != nil {
		return err
	}
	if slices.ContainsFunc(owners, func(o string) bool { return o != name }) {
		return nil
	}
	return ErrLastOwner
}

// endAll ends what lets someone in, but for the tokens of state folders: who reads those can do all anyway.
func endAll(tx *gorm.DB, name string) error {
	return tx.Where("person = ? AND kind <> ?", name, Local).Delete(&Token{}).Error
}

// DropPerson forgets someone, with what lets them in. ErrNotFound: nobody knows them.
func (s *Store) DropPerson(ctx context.Context, name string) error {
	return s.write(ctx, func(tx *gorm.DB) error {
		if err := tx.Where("name = ?", name).Take(&Person{}).Error; err != nil {
			return err
		}
		if err := owned(tx, name, ""); err != nil {
			return err
		}
		if err := endAll(tx, name); err != nil {
			return err
		}
		return tx.Where("name = ?", name).Delete(&Person{}).Error
	})
}

// ErrOther says that a name is someone else's.
var ErrOther = errors.New("the name is someone else's")

// SignInBy makes a session of someone whom an identity provider knows as a subject, with the role that it
// says, which they have from then on. With none, what let them in ends, and it is ErrNotFound. ErrOther: the
// name is that of someone else.
func (s *Store) SignInBy(ctx context.Context, subject, name string, role wire.Role, session Token) error {
	var refused error
	err := s.write(ctx, func(tx *gorm.DB) error {
		refused = nil
		var p Person
		err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("subject = ?", subject).Take(&p).Error
		switch {
		case errors.Is(err, gorm.ErrRecordNotFound):
			if role == "" {
				refused = ErrNotFound
				refuses(ctx, name, "in no group that has a role")
				return nil
			}
			p = Person{Name: name, Role: role, Subject: &subject, At: s.now()}
			if err := tx.Create(&p).Error; errors.Is(err, gorm.ErrDuplicatedKey) {
				return ErrOther
			} else if err != nil {
				return err
			}
		case err != nil:
			return err
		case p.Role != role:
			if err := tx.Model(&p).Update("role", role).Error; err != nil {
				return err
			}
			p.Role = role
		}
		may := p.May()
		if may == "" { // and that is kept
			refused = ErrNotFound
			refuses(ctx, p.Name, "has no role any more; what let them in ended")
			return endAll(tx, p.Name)
		}
		session.Name, session.Person, session.Role = p.Name, p.Name, may
		return s.begin(ctx, tx, session)
	})
	return errors.Join(err, refused)
}
