package store

import (
	"context"
	"time"

	"gorm.io/gorm"
)

// A Trial is a preflight or a rehearsal on a live cluster.
type Trial struct {
	ID       uint64     `gorm:"primaryKey"`
	Kind     string     `gorm:"size:16"`
	Template string     `gorm:"size:63;index"`
	Scenario string     `gorm:"size:63"`
	Context  string     `gorm:"size:255"` // of the kubeconfig
	State    State      `gorm:"size:16;index"`
	Error    string     `gorm:"type:text"`
	Report   string     `gorm:"type:mediumtext"` // JSON
	By       string     `gorm:"size:63"`
	Asked    time.Time  `gorm:"type:datetime(6)"`
	Ended    *time.Time `gorm:"type:datetime(6)"`
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

// BreakOffTrials ends trials that nobody works on any more.
func (s *Store) BreakOffTrials(ctx context.Context, why string) error {
	return s.write(ctx, func(tx *gorm.DB) error {
		return tx.Model(&Trial{}).Where("state IN ?", []State{Queued, Running}).
			Updates(map[string]any{"state": Failed, "error": why, "ended": s.now()}).Error
	})
}
