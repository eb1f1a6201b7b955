package store

import (
	"context"

	"gorm.io/gorm/clause"
)

// PutBlock stores a block of an outcome's jobs, in place of an earlier one of the
// same number.
func (s *Store) PutBlock(ctx context.Context, b Block) error {
	ctx = large(ctx)
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&b).Error
}

// GetBlock returns one block of an outcome's jobs.
func (s *Store) GetBlock(ctx context.Context, outcome uint64, number int) (Block, error) {
	var b Block
	return b, known(s.db.WithContext(ctx).Where("outcome_id = ? AND number = ?", outcome, number).Take(&b).Error)
}

// CountBlocks returns how many blocks an outcome has, and how many jobs in all.
func (s *Store) CountBlocks(ctx context.Context, outcome uint64) (blocks, jobs int, err error) {
	ctx = large(ctx)
	var row struct{ Blocks, Jobs int }
	err = s.db.WithContext(ctx).Model(&Block{}).Select("COUNT(*) AS blocks, COALESCE(SUM(jobs), 0) AS jobs").Where("outcome_id = ?", outcome).Scan(&row).Error
	return row.Blocks, row.Jobs, err
}
