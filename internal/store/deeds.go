package store

import (
	"context"
	"time"

	"tachyphor/wire"

	"gorm.io/gorm"
)

// A Deed is a line of the audit. What is changed and the line that says so are one transaction.
type Deed struct {
	ID     uint64    `gorm:"primaryKey"`
	At     time.Time `gorm:"type:datetime(6);index"`
	Who    string    `gorm:"size:63;index"`
	Role   wire.Role `gorm:"size:16"`
	Via    string    `gorm:"size:63"`
	From   string    `gorm:"size:64"`
	What   string    `gorm:"size:48;index"`
	On     string    `gorm:"size:255"`
	Result string    `gorm:"size:16"`
	Said   string    `gorm:"size:1000"`

	noted bool // it is stored
}

// Results of deeds.
const (
	Done    = "done"
	Refused = "refused"
)

type deedKey struct{}

// Doing has the first change that is made under a context carry a line of the audit with it.
func Doing(ctx context.Context, d Deed) context.Context {
	d.Result = Done
	return context.WithValue(ctx, deedKey{}, &d)
}

func deedOf(ctx context.Context) *Deed {
	d, _ := ctx.Value(deedKey{}).(*Deed)
	return d
}

// Silently is a context that no line of the audit goes with, for a part of what another change will say.
func Silently(ctx context.Context) context.Context {
	return context.WithValue(ctx, deedKey{}, (*Deed)(nil))
}

// said has the line of the audit say what a change comes to. It is for use within the change.
func said(ctx context.Context, what string) {
	if d := deedOf(ctx); d != nil && !d.noted {
		d.Said = what
	}
}

// refuses has the line of the audit say that someone was refused something, where a change goes with that.
func refuses(ctx context.Context, who, why string) {
	if d := deedOf(ctx); d != nil && !d.noted {
		d.Who, d.Result, d.Said = who, Refused, why
	}
}

// mostText cuts texts to what a column holds, in runes.
func mostText(text string, most int) string {
	if r := []rune(text); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return text
}

// row is what is stored of a deed.
func (d Deed) row(now time.Time) *Deed {
	d.ID, d.At = 0, now
	d.Who, d.Via, d.From = mostText(d.Who, 63), mostText(d.Via, 63), mostText(d.From, 64)
	d.On, d.Said = mostText(d.On, 255), mostText(d.Said, 1000)
	return &d
}

// Note stores a line of the audit that goes with no change.
func (s *Store) Note(ctx context.Context, d Deed) error {
	return known(s.db.WithContext(ctx).Create(d.row(s.now())).Error)
}

// Which says which lines of the audit are wanted; what is zero is not asked for.
type Which struct {
	Who, What, Result string
	From, Until       time.Time
	Before            uint64 // ids below this
}

func (w Which) of(q *gorm.DB) *gorm.DB {
	for column, value := range map[string]string{"who": w.Who, "what": w.What, "result": w.Result} {
		if value != "" {
			q = q.Where("`"+column+"` = ?", value)
		}
	}
	if !w.From.IsZero() {
		q = q.Where("at >= ?", w.From)
	}
	if !w.Until.IsZero() {
		q = q.Where("at < ?", w.Until)
	}
	if w.Before > 0 {
		q = q.Where("id < ?", w.Before)
	}
	return q
}

// Deeds lists lines of the audit, the newest first.
func (s *Store) Deeds(ctx context.Context, w Which, limit int) ([]Deed, error) {
	var list []Deed
	return list, w.of(s.db.WithContext(ctx)).Order("id DESC").Limit(limit).Find(&list).Error
}
