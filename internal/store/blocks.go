package store

import (
	"context"
	"errors"

	"tachyphor/wire"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// PutBlock stores a block of the jobs of work that runs, in place of an earlier one of the
// same number. ErrConflict: it is the holder's no more, and the block would be nobody's.
func (s *Store) PutBlock(ctx context.Context, holder string, b Block) error {
	return s.write(large(ctx), func(tx *gorm.DB) error {
		var w Work
		err := tx.Clauses(clause.Locking{Strength: "SHARE"}).Select("id").
			Where("id = ? AND state = ? AND holder = ?", b.WorkID, wire.Running, holder).Take(&w).Error
		if errors.Is(err, gorm.ErrRecordNotFound) {
			return ErrConflict
		}
		if err != nil {
			return err
		}
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&b).Error
	})
}

// DropBlocks takes the blocks away of work that came to nothing or are no more: of one,
// or of all for 0.
func (s *Store) DropBlocks(ctx context.Context, work uint64) error {
	q := s.db.WithContext(large(ctx)).Where("work_id NOT IN (?)",
		s.db.Model(&Work{}).Select("id").Where("state IN ?", []wire.State{wire.Queued, wire.Running, wire.Done}))
	if work > 0 {
		q = q.Where("work_id = ?", work)
	}
	return q.Delete(&Block{}).Error
}

// GetBlock returns one block of a work's jobs.
func (s *Store) GetBlock(ctx context.Context, work uint64, number int) (Block, error) {
	var b Block
	return b, known(s.db.WithContext(ctx).Where("work_id = ? AND number = ?", work, number).Take(&b).Error)
}

// CountBlocks returns how many blocks a work has, and how many jobs in all.
func (s *Store) CountBlocks(ctx context.Context, work uint64) (blocks, jobs int, err error) {
	ctx = large(ctx)
	var row struct{ Blocks, Jobs int }
	err = s.db.WithContext(ctx).Model(&Block{}).Select("COUNT(*) AS blocks, COALESCE(SUM(jobs), 0) AS jobs").Where("work_id = ?",
		work).Scan(&row).Error
	return row.Blocks, row.Jobs, err
}
