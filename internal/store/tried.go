package store

import (
	"context"
	"errors"
	"slices"
	"strings"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// atOnce is how many rows go with one statement.
const atOnce = 500

// RecallTried returns what is kept of single runs under digests, of those that are known.
func (s *Store) RecallTried(ctx context.Context, digests []string) (map[string][]byte, error) {
	out := make(map[string][]byte, len(digests))
	for part := range slices.Chunk(digests, atOnce) {
		var rows []Tried
		if err := s.db.WithContext(large(ctx)).Where("digest IN ?", part).Find(&rows).Error; err != nil {
			return nil, known(err)
		}
		for _, r := range rows {
			out[r.Digest] = r.Said
		}
	}
	return out, nil
}

// KeepTried keeps what single runs said; what is kept under a digest stays as it is.
func (s *Store) KeepTried(ctx context.Context, said map[string][]byte) error {
	rows := make([]Tried, 0, len(said))
	for digest, b := range said {
		rows = append(rows, Tried{Digest: digest, Said: b, At: s.now()})
	}
	// Always in the same order, so that two who keep the same do not wait for each other.
	slices.SortFunc(rows, func(a, b Tried) int { return strings.Compare(a.Digest, b.Digest) })
	return s.write(large(ctx), func(tx *gorm.DB) error {
		return tx.Clauses(clause.OnConflict{DoNothing: true}).CreateInBatches(rows, atOnce).Error
	})
}

// ForgetTried takes the oldest of what single runs said away, so that about so many stay, and
// returns how many went.
func (s *Store) ForgetTried(ctx context.Context, most int) (int64, error) {
	ctx = large(ctx)
	var last Tried
	err := s.db.WithContext(ctx).Select("at").Order("at DESC").Offset(most).Limit(1).Take(&last).Error
	if err = known(err); err != nil {
		if errors.Is(err, ErrNotFound) {
			err = nil
		}
		return 0, err
	}
	gone := s.db.WithContext(ctx).Where("at <= ?", last.At).Delete(&Tried{})
	return gone.RowsAffected, known(gone.Error)
}
