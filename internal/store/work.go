package store

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"time"

	"tachyphor/wire"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// A Work is a piece of long work that was asked for, of whatever kind: the records know
// what it is called, not what it is.
type Work struct {
	ID       uint64     `gorm:"primaryKey;index:by_subject,priority:3;index:last_done,priority:5"`
	Kind     string     `gorm:"size:16;not null;default:'';index:by_subject,priority:1;index:last_done,priority:1"`
	Subject  string     `gorm:"size:63;index:by_subject,priority:2;index:last_done,priority:4"` // what it is about
	State    wire.State `gorm:"size:16;index;index:last_done,priority:2"`
	Question string     `gorm:"type:mediumtext"` // JSON, by kind
	Error    string     `gorm:"type:text"`
	Progress float64    // 0 to 1, as last heard
	// Checkpoint is what the kind keeps along the way, JSON: to go on from, or to be told.
	Checkpoint *string    `gorm:"type:mediumtext"`
	Lease      *time.Time `gorm:"type:datetime(6)"` // until then it is someone's
	Holder     string     `gorm:"size:32"`          // who has the lease
	Asked      time.Time  `gorm:"type:datetime(6)"`
	Started    *time.Time `gorm:"type:datetime(6)"`
	Ended      *time.Time `gorm:"type:datetime(6)"`
	By         string     `gorm:"size:63"`
	Gist       string     `gorm:"type:text"`                  // what lists show, JSON by kind
	Digest     string     `gorm:"size:64"`                    // sha256 of the result before compression
	Varied     bool       `gorm:"index:last_done,priority:3"` // not of what is stored as it is
	// Attempts is how often it was begun, less how often it was given back in order: what
	// is left when a process died over it.
	Attempts int     `gorm:"not null;default:0"`
	Stack    *string `gorm:"type:mediumtext"` // of a defect, with its seed
	// Called is a name that someone gave it, Pinned that someone wants it kept; Trimmed is when its result went.
	Called  string     `gorm:"size:120;not null;default:''"`
	Pinned  bool       `gorm:"not null;default:false"`
	Trimmed *time.Time `gorm:"type:datetime(6)"`
}

// TableName names the table, which has no plural.
func (Work) TableName() string { return "work" }

// heavy are the columns that lists and looks go without.
var heavy = []string{"stack", "checkpoint"}

// open are the states of work that is not over.
var open = []wire.State{wire.Queued, wire.Running}

// MostResults is how many results of one person are kept at once.
const MostResults = 5000

// Enter enters work into the queue; with a holder it is that one's at once, until the
// lease ends. ErrBusy: as much as most of some kinds is there already that is not over; ErrOwnBusy: as much as
// own of one's own is; ErrOwnFull: of one's own MostResults are kept.
func (s *Store) Enter(ctx context.Context, w Work, lease time.Duration, kinds []string, most, own int) (Work, error) {
	now := s.now()
	w.State, w.Asked = wire.Queued, now
	if w.Holder != "" {
		until := now.Add(lease)
		w.State, w.Lease, w.Started, w.Attempts = wire.Running, &until, &now, 1
	}
	return w, s.write(ctx, func(tx *gorm.DB) error {
		var n int64
		if err := tx.Model(&Work{}).Where("kind IN ? AND state IN ?", kinds, open).Count(&n).Error; err != nil {
			return err
		}
		if int(n) >= most {
			return ErrBusy
		}
		if own > 0 && w.By != "" {
			if err := tx.Model(&Work{}).Where("kind IN ? AND state IN ? AND `by` = ?", kinds, open, w.By).Count(&n).Error; err != nil {
				return err
			}
			if int(n) >= own {
				return ErrOwnBusy
			}
			if err := tx.Model(&Work{}).Where("kind IN ? AND `by` = ? AND state = ? AND trimmed IS NULL", kinds, w.By, wire.Done).Count(&n).Error; err != nil {
				return err
			}
			if n >= MostResults {
				return ErrOwnFull
			}
		}
		w.ID = 0
		if err := tx.Create(&w).Error; err != nil {
			return err
		}
		said(ctx, fmt.Sprintf("%s %d of %s", w.Kind, w.ID, w.Subject))
		return nil
	})
}

// NewHolder names a process that takes work on, unlike any other.
func NewHolder() string {
	b := make([]byte, 8)
	_, _ = rand.Read(b)
	return hex.EncodeToString(b)
}

// A Claimable says how work of a kind is claimed: how often it is begun over which a
// process dies, and what it fails with when that was too often.
type Claimable struct {
	Kind     string
	Attempts int
	Broken   string
}

// Claim takes the oldest work of some kinds that is queued, or whose holder has gone
// silent, for holder until the lease ends. ErrNotFound: there is none. One that was
// begun often enough, and never given back, fails instead.
func (s *Store) Claim(ctx context.Context, holder string, lease time.Duration, kinds []Claimable) (Work, error) {
	names := make([]string, len(kinds))
	of := map[string]Claimable{}
	for i, k := range kinds {
		names[i], of[k.Kind] = k.Kind, k
	}
	var w Work
	found := false
	err := s.write(ctx, func(tx *gorm.DB) error {
		for {
			w, found = Work{}, false
			err := tx.Clauses(clause.Locking{Strength: "UPDATE", Options: "SKIP LOCKED"}).
				Where("kind IN ? AND (state = ? OR (state = ? AND lease < ?))", names, wire.Queued, wire.Running, s.now()).
				Order("id").First(&w).Error
			if errors.Is(err, gorm.ErrRecordNotFound) {
				return nil // and what was given up stays so
			}
			if err != nil {
				return err
			}
			now := s.now()
			if w.Attempts < of[w.Kind].Attempts {
				until := now.Add(lease)
				w.State, w.Holder, w.Lease, w.Started, w.Attempts = wire.Running, holder, &until, &now, w.Attempts+1
				found = true
				return tx.Save(&w).Error
			}
			w.State, w.Lease, w.Ended, w.Error = wire.Failed, nil, &now, of[w.Kind].Broken
			if err := tx.Save(&w).Error; err != nil {
				return err
			}
		}
	})
	if err == nil && !found {
		err = ErrNotFound
	}
	return w, err
}

// Renew keeps claimed work and notes how far it has come; a checkpoint of nil leaves the
// last one. ErrConflict: it is the holder's no more, because it was cancelled or taken
// over.
func (s *Store) Renew(ctx context.Context, id uint64, holder string, lease time.Duration, progress float64, checkpoint *string) error {
	set := map[string]any{"lease": s.now().Add(lease), "progress": progress}
	if checkpoint != nil {
		ctx, set["checkpoint"] = large(ctx), *checkpoint
	}
	res := s.db.WithContext(ctx).Model(&Work{}).Where("id = ? AND state = ? AND holder = ?", id, wire.Running, holder).Updates(set)
	if res.Error == nil && res.RowsAffected == 0 {
		return ErrConflict
	}
	return res.Error
}

// Finish stores claimed work's end: its result, or its error.
func (s *Store) Finish(ctx context.Context, id uint64, holder string, end Work, data []byte) error {
	ctx = large(ctx)
	return s.write(ctx, func(tx *gorm.DB) error {
		set := map[string]any{
			"state": end.State, "error": end.Error, "ended": s.now(), "progress": 1.0, "lease": nil,
			"gist": end.Gist, "digest": end.Digest, "stack": end.Stack,
		}
		if end.Checkpoint != nil {
			set["checkpoint"] = *end.Checkpoint
		}
		res := tx.Model(&Work{}).Where("id = ? AND state = ? AND holder = ?", id, wire.Running, holder).Updates(set)
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 {
			return ErrConflict
		}
		if data == nil {
			return nil
		}
		return tx.Create(&Result{WorkID: id, Data: data}).Error
	})
}

// LastWords stores the last checkpoint of work that was cancelled elsewhere while its holder
// worked on it.
func (s *Store) LastWords(ctx context.Context, id uint64, holder, checkpoint string) error {
	return s.db.WithContext(large(ctx)).Model(&Work{}).Where("id = ? AND holder = ? AND state = ?", id, holder, wire.Cancelled).
		Update("checkpoint", checkpoint).Error
}

// Release puts one piece of a holder's work back into the queue, in order: at the end of
// the process that held it, or because the database failed it. It does not count as an
// attempt.
func (s *Store) Release(ctx context.Context, id uint64, holder string) error {
	return s.db.WithContext(ctx).Model(&Work{}).Where("id = ? AND state = ? AND holder = ?", id, wire.Running, holder).
		Updates(map[string]any{"state": wire.Queued, "lease": nil, "attempts": gorm.Expr("GREATEST(attempts - 1, 0)")}).Error
}

// ReleaseAll puts all work that runs back into the queue. Only for a database
// that no other service uses.
func (s *Store) ReleaseAll(ctx context.Context) error {
	ctx = large(ctx)
	return s.db.WithContext(ctx).Model(&Work{}).Where("state = ?", wire.Running).
		Updates(map[string]any{"state": wire.Queued, "lease": nil}).Error
}

// Cancel ends work of some kinds that is not over. What is over is left as it is.
func (s *Store) Cancel(ctx context.Context, kinds []string, id uint64) (Work, error) {
	err := s.write(ctx, func(tx *gorm.DB) error {
		return tx.Model(&Work{}).Where("id = ? AND kind IN ? AND state IN ?", id, kinds, open).
			Updates(map[string]any{"state": wire.Cancelled, "ended": s.now(), "lease": nil}).Error
	})
	if err != nil {
		return Work{}, err
	}
	return s.GetWork(ctx, kinds, id)
}

// GetWork returns work of some kinds without its result.
func (s *Store) GetWork(ctx context.Context, kinds []string, id uint64) (Work, error) {
	var w Work
	return w, known(s.db.WithContext(ctx).Where("id = ? AND kind IN ?", id, kinds).Take(&w).Error)
}

// LookAt returns those pieces of work that there are, of any kind, by number.
func (s *Store) LookAt(ctx context.Context, ids []uint64) (map[uint64]Work, error) {
	var list []Work
	err := s.db.WithContext(ctx).Omit("stack").Where("id IN ?", ids).Find(&list).Error
	out := make(map[uint64]Work, len(list))
	for _, w := range list {
		out[w.ID] = w
	}
	return out, err
}

// GetResult returns a work's compressed result.
func (s *Store) GetResult(ctx context.Context, id uint64) ([]byte, error) {
	ctx = large(ctx)
	var r Result
	err := known(s.db.WithContext(ctx).Where("work_id = ?", id).Take(&r).Error)
	if errors.Is(err, ErrNotFound) {
		var w Work
		if s.db.WithContext(ctx).Select("id").Where("id = ? AND trimmed IS NOT NULL", id).Take(&w).Error == nil {
			err = ErrTrimmed
		}
	}
	return r.Data, err
}

// ListWork returns up to limit pieces of work of some kinds, newest first, about a subject
// (all when empty) and below an id (0: from the newest); with unfinished only what waits or runs.
func (s *Store) ListWork(ctx context.Context, kinds []string, subject string, unfinished bool, below uint64, limit int) ([]Work, error) {
	q := s.db.WithContext(ctx).Omit(heavy...).Where("kind IN ?", kinds).Order("id DESC").Limit(limit)
	if subject != "" {
		q = q.Where("subject = ?", subject)
	}
	if unfinished {
		q = q.Where("state IN ?", open)
	}
	if below > 0 {
		q = q.Where("id < ?", below)
	}
	var list []Work
	return list, q.Find(&list).Error
}

// LastDone returns the newest finished work of a kind on each of some subjects as it is stored, by
// its name.
func (s *Store) LastDone(ctx context.Context, kind string, subjects ...string) (map[string]Work, error) {
	if len(subjects) == 0 {
		return map[string]Work{}, nil
	}
	var list []Work
	newest := s.db.Model(&Work{}).Select("MAX(id)").Where("state = ? AND varied = ? AND kind = ? AND subject IN ?", wire.Done, false, kind, subjects).
		Group("subject")
	err := s.db.WithContext(ctx).Omit(heavy...).Where("id IN (?)", newest).Find(&list).Error
	out := map[string]Work{}
	for _, w := range list {
		out[w.Subject] = w
	}
	return out, err
}

// FindDone returns the newest work that is done and was asked the same. ErrNotFound: there is none.
func (s *Store) FindDone(ctx context.Context, kind, subject, question string) (Work, error) {
	var w Work
	return w, known(s.db.WithContext(ctx).Omit(heavy...).Where("kind = ? AND subject = ? AND state = ? AND question = ?", kind, subject,
		wire.Done, question).Order("id DESC").Take(&w).Error)
}

// CountOpen counts work that is not over, by its state.
func (s *Store) CountOpen(ctx context.Context) (map[wire.State]int64, error) {
	var list []struct {
		State wire.State
		N     int64
	}
	err := s.db.WithContext(ctx).Model(&Work{}).Select("state, COUNT(*) AS n").Where("state IN ?", open).Group("state").Scan(&list).Error
	out := map[wire.State]int64{}
	for _, x := range list {
		out[x.State] = x.N
	}
	return out, err
}

// DropWork takes work of some kinds that is over away, with its result and its jobs. What
// waits or runs is ErrConflict.
func (s *Store) DropWork(ctx context.Context, kinds []string, id uint64) error {
	ctx = large(ctx)
	return s.write(ctx, func(tx *gorm.DB) error {
		res := tx.Where("id = ? AND kind IN ? AND state NOT IN ?", id, kinds, open).Delete(&Work{})
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 {
			if err := known(tx.Where("id = ? AND kind IN ?", id, kinds).Take(&Work{}).Error); err != nil {
				return err
			}
			return ErrConflict
		}
		if err := tx.Where("work_id = ?", id).Delete(&Result{}).Error; err != nil {
			return err
		}
		return tx.Where("work_id = ?", id).Delete(&Block{}).Error
	})
}
