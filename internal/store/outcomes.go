package store

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"time"

	"tachyphor/wire"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// maxOpen is how many outcomes may wait or run at once.
const maxOpen = 200

// Ask enters an outcome into the queue.
func (s *Store) Ask(ctx context.Context, scenario, by string, in wire.Inputs) (Outcome, error) {
	b, err := json.Marshal(in)
	if err != nil {
		return Outcome{}, err
	}
	work := Simulating
	if in.Weigh != nil {
		work = Weighing
	}
	o := Outcome{Work: work, Scenario: scenario, State: wire.Queued, Inputs: string(b), Asked: s.now(), By: by, Varied: len(in.Changes) > 0}
	return o, s.write(ctx, func(tx *gorm.DB) error {
		var open int64
		if err := tx.Model(&Outcome{}).Where("state IN ?", []wire.State{wire.Queued, wire.Running}).Count(&open).Error; err != nil {
			return err
		}
		if open >= maxOpen {
			return ErrBusy
		}
		o.ID = 0
		return tx.Create(&o).Error
	})
}

// NewHolder names a process that takes work on, unlike any other.
func NewHolder() string {
	b := make([]byte, 8)
	_, _ = rand.Read(b)
	return hex.EncodeToString(b)
}

// maxAttempts is how often work is begun over which a process dies.
const maxAttempts = 3

// broken is what work fails with that took so many processes with it.
var broken = fmt.Sprintf("given up: the service ended %d times while it worked on this, as it does when memory runs out; "+
	"ask for less at a time (a shorter span, fewer jobs), or give the service more memory", maxAttempts)

// Claim takes the oldest outcome that is queued, or whose holder has gone
// silent, for holder until the lease ends. ErrNotFound: there is none. One that was
// begun often enough, and never given back, fails instead.
func (s *Store) Claim(ctx context.Context, holder string, lease time.Duration) (Outcome, error) {
	var o Outcome
	return o, s.write(ctx, func(tx *gorm.DB) error {
		for {
			o = Outcome{}
			err := tx.Clauses(clause.Locking{Strength: "UPDATE", Options: "SKIP LOCKED"}).
				Where("state = ? OR (state = ? AND lease < ?)", wire.Queued, wire.Running, s.now()).
				Order("id").First(&o).Error
			if err != nil {
				return err
			}
			now := s.now()
			if o.Attempts < maxAttempts {
				until := now.Add(lease)
				o.State, o.Holder, o.Lease, o.Started, o.Attempts = wire.Running, holder, &until, &now, o.Attempts+1
				return tx.Save(&o).Error
			}
			o.State, o.Lease, o.Ended, o.Error = wire.Failed, nil, &now, broken
			if err := tx.Save(&o).Error; err != nil {
				return err
			}
		}
	})
}

// Renew keeps a claimed outcome and notes its progress. ErrConflict: it is the
// holder's no more, because it was cancelled or taken over.
func (s *Store) Renew(ctx context.Context, id uint64, holder string, lease time.Duration, progress float64) error {
	until := s.now().Add(lease)
	res := s.db.WithContext(ctx).Model(&Outcome{}).
		Where("id = ? AND state = ? AND holder = ?", id, wire.Running, holder).
		Updates(map[string]any{"lease": until, "progress": progress})
	if res.Error == nil && res.RowsAffected == 0 {
		return ErrConflict
	}
	return res.Error
}

// Finish stores a claimed outcome's end: its result, or its error.
func (s *Store) Finish(ctx context.Context, id uint64, holder string, end Outcome, data []byte) error {
	ctx = large(ctx)
	return s.write(ctx, func(tx *gorm.DB) error {
		res := tx.Model(&Outcome{}).Where("id = ? AND state = ? AND holder = ?", id, wire.Running, holder).
			Updates(map[string]any{
				"state": end.State, "error": end.Error, "ended": s.now(), "progress": 1.0, "lease": nil,
				"summary": end.Summary, "digest": end.Digest, "stack": end.Stack,
			})
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 {
			return ErrConflict
		}
		if data == nil {
			return nil
		}
		return tx.Create(&Result{OutcomeID: id, Data: data}).Error
	})
}

// Release puts a holder's outcomes back into the queue, in order: at the end of the
// process that held them, or because the database failed them. It does not count as an
// attempt.
func (s *Store) Release(ctx context.Context, holder string) error {
	return s.db.WithContext(ctx).Model(&Outcome{}).Where("state = ? AND holder = ?", wire.Running, holder).
		Updates(map[string]any{"state": wire.Queued, "lease": nil, "attempts": gorm.Expr("GREATEST(attempts - 1, 0)")}).Error
}

// ReleaseAll puts every running outcome back into the queue. Only for a database
// that no other service uses.
func (s *Store) ReleaseAll(ctx context.Context) error {
	ctx = large(ctx)
	return s.db.WithContext(ctx).Model(&Outcome{}).Where("state = ?", wire.Running).
		Updates(map[string]any{"state": wire.Queued, "lease": nil}).Error
}

// Cancel ends an outcome of one kind of work that is not over. One that is over is left
// as it is.
func (s *Store) Cancel(ctx context.Context, work Work, id uint64) (Outcome, error) {
	err := s.db.WithContext(ctx).Model(&Outcome{}).Where("id = ? AND work = ? AND state IN ?", id, work,
		[]wire.State{wire.Queued, wire.Running}).
		Updates(map[string]any{"state": wire.Cancelled, "ended": s.now(), "lease": nil}).Error
	if err != nil {
		return Outcome{}, err
	}
	return s.GetOutcome(ctx, work, id)
}

// GetOutcome returns an outcome of one kind of work without its result.
func (s *Store) GetOutcome(ctx context.Context, work Work, id uint64) (Outcome, error) {
	var o Outcome
	return o, known(s.db.WithContext(ctx).Where("id = ? AND work = ?", id, work).Take(&o).Error)
}

// GetOutcomes returns those of the outcomes that there are, of any kind of work, by
// number.
func (s *Store) GetOutcomes(ctx context.Context, ids []uint64) (map[uint64]Outcome, error) {
	var list []Outcome
	err := s.db.WithContext(ctx).Omit("stack").Where("id IN ?", ids).Find(&list).Error
	out := make(map[uint64]Outcome, len(list))
	for _, o := range list {
		out[o.ID] = o
	}
	return out, err
}

// GetResult returns an outcome's compressed result.
func (s *Store) GetResult(ctx context.Context, id uint64) ([]byte, error) {
	ctx = large(ctx)
	var r Result
	return r.Data, known(s.db.WithContext(ctx).Where("outcome_id = ?", id).Take(&r).Error)
}

// ListOutcomes returns up to limit outcomes of one kind of work, newest first, of a
// scenario (all when empty) and below an id (0: from the newest).
func (s *Store) ListOutcomes(ctx context.Context, work Work, scenario string, below uint64, limit int) ([]Outcome, error) {
	q := s.db.WithContext(ctx).Omit("stack").Where("work = ?", work).Order("id DESC").Limit(limit)
	if scenario != "" {
		q = q.Where("scenario = ?", scenario)
	}
	if below > 0 {
		q = q.Where("id < ?", below)
	}
	var list []Outcome
	return list, q.Find(&list).Error
}

// LastDone returns the newest finished outcome of each scenario as it is stored, by
// name.
func (s *Store) LastDone(ctx context.Context) (map[string]Outcome, error) {
	var list []Outcome
	err := s.db.WithContext(ctx).Omit("stack").
		Where("id IN (?)", s.db.Model(&Outcome{}).Select("MAX(id)").Where("state = ? AND varied = ? AND work = ?", wire.Done, false,
			Simulating).Group("scenario")).
		Find(&list).Error
	out := map[string]Outcome{}
	for _, o := range list {
		out[o.Scenario] = o
	}
	return out, err
}

// DropOutcome takes an outcome of one kind of work that is over away, with its result
// and its jobs. One that waits or runs is ErrConflict.
func (s *Store) DropOutcome(ctx context.Context, work Work, id uint64) error {
	ctx = large(ctx)
	return s.write(ctx, func(tx *gorm.DB) error {
		res := tx.Where("id = ? AND work = ? AND state NOT IN ?", id, work, []wire.State{wire.Queued, wire.Running}).Delete(&Outcome{})
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 {
			if err := known(tx.Where("id = ? AND work = ?", id, work).Take(&Outcome{}).Error); err != nil {
				return err
			}
			return ErrConflict
		}
		if err := tx.Where("outcome_id = ?", id).Delete(&Result{}).Error; err != nil {
			return err
		}
		return tx.Where("outcome_id = ?", id).Delete(&Block{}).Error
	})
}
