package store

import (
	"context"
	"time"

	"tachyphor/wire"

	"gorm.io/gorm"
)

// A Trial is a preflight or a rehearsal on a live cluster.
type Trial struct {
	ID       uint64     `gorm:"primaryKey"`
	Kind     string     `gorm:"size:16"`
	Template string     `gorm:"size:63;index"`
	Scenario string     `gorm:"size:63"`
	Context  string     `gorm:"size:255"` // of the kubeconfig
	State    wire.State `gorm:"size:16;index"`
	Error    string     `gorm:"type:text"`
	Report   string     `gorm:"type:mediumtext"` // JSON
	By       string     `gorm:"size:63"`
	Asked    time.Time  `gorm:"type:datetime(6)"`
	Ended    *time.Time `gorm:"type:datetime(6)"`
	Holder   string     `gorm:"size:32;not null;default:''"` // process that works on it
	Lease    *time.Time `gorm:"type:datetime(6)"`            // until then it does
}

// PutTrial stores a trial, new when its id is 0.
func (s *Store) PutTrial(ctx context.Context, t *Trial) error {
	if t.ID == 0 {
		t.Asked = s.now()
	}
	if t.State.Over() && t.Ended == nil {
		now := s.now()
		t.Ended = &now
	}
	return s.write(ctx, func(tx *gorm.DB) error { return tx.Save(t).Error })
}

// GetTrial returns a trial.
func (s *Store) GetTrial(ctx context.Context, id uint64) (Trial, error) {
	var t Trial
	return t, known(s.db.WithContext(ctx).Where("id = ?", id).Take(&t).Error)
}

// GetTrials returns those of the trials that there are, by number.
func (s *Store) GetTrials(ctx context.Context, ids []uint64) (map[uint64]Trial, error) {
	var list []Trial
	err := s.db.WithContext(ctx).Where("id IN ?", ids).Find(&list).Error
	out := make(map[uint64]Trial, len(list))
	for _, t := range list {
		out[t.ID] = t
	}
	return out, err
}

// ListTrials returns the newest trials of a template, of all when empty, without
// their reports.
func (s *Store) ListTrials(ctx context.Context, template string, limit int) ([]Trial, error) {
	q := s.db.WithContext(ctx).Omit("report").Order("id DESC").Limit(limit)
	if template != "" {
		q = q.Where("template = ?", template)
	}
	var list []Trial
	return list, q.Find(&list).Error
}

// Until is when a lease of some length ends that begins now.
func (s *Store) Until(lease time.Duration) *time.Time {
	at := s.now().Add(lease)
	return &at
}

// RenewTrials keeps the trials that a holder works on, and returns which of them still
// run: others were cancelled elsewhere.
func (s *Store) RenewTrials(ctx context.Context, holder string, lease time.Duration) (running []uint64, err error) {
	q := s.db.WithContext(ctx).Model(&Trial{}).Where("holder = ? AND state = ?", holder, wire.Running)
	if err := q.Update("lease", s.Until(lease)).Error; err != nil {
		return nil, err
	}
	return running, s.db.WithContext(ctx).Model(&Trial{}).Where("holder = ? AND state = ?", holder, wire.Running).Pluck("id", &running).Error
}

// CancelTrial ends a trial that is not over, whoever works on it.
func (s *Store) CancelTrial(ctx context.Context, id uint64) error {
	return s.db.WithContext(ctx).Model(&Trial{}).Where("id = ? AND state IN ?", id, []wire.State{wire.Queued, wire.Running}).
		Updates(map[string]any{"state": wire.Cancelled, "ended": s.now(), "lease": nil}).Error
}

// BreakOffTrials ends trials that nobody works on any more: those whose lease is over,
// or all where nobody else can be working on this database.
func (s *Store) BreakOffTrials(ctx context.Context, why string, all bool) error {
	return s.write(ctx, func(tx *gorm.DB) error {
		q := tx.Model(&Trial{}).Where("state IN ?", []wire.State{wire.Queued, wire.Running})
		if !all {
			q = q.Where("lease IS NULL OR lease < ?", s.now())
		}
		return q.Updates(map[string]any{"state": wire.Failed, "error": why, "ended": s.now()}).Error
	})
}
