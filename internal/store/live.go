package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"time"

	"tachyphor/core/live"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// A LiveRun is what messages told of a run while it happened.
type LiveRun struct {
	ID   string    `gorm:"primaryKey;size:32"` // of its source and its id there
	Came time.Time `gorm:"type:datetime(6);index:came"`
	Open bool      `gorm:"index:open"` // no end of it was told
	Said []byte    `gorm:"type:blob"`  // JSON of a live.Run
}

// A Heard is a message that was counted: it is not counted again.
type Heard struct {
	ID string    `gorm:"primaryKey;size:32"`
	At time.Time `gorm:"type:datetime(6);index"` // when it was taken in
}

// TableName names the table.
func (Heard) TableName() string { return "heard" }

// key is 128 bits that tell texts apart.
func key(of ...string) string {
	h := sha256.New()
	for _, s := range of {
		_, _ = fmt.Fprintf(h, "%d:%s", len(s), s)
	}
	return hex.EncodeToString(h.Sum(nil)[:16])
}

// PutLive takes messages in, each once however often it is sent: whether it is known, and what
// it says of its run, is one transaction. When it returns they are stored; counted tells which of
// them were not before.
func (s *Store) PutLive(ctx context.Context, list []live.Message) (counted []bool, err error) {
	ids := make([]string, len(list))
	for i := range list {
		ids[i] = key(list[i].Key)
	}
	take := func(tx *gorm.DB) error {
		counted = make([]bool, len(list))
		// Several services may take the same in: the same order everywhere, so that none waits
		// for another that waits for it.
		sorted := slices.Compact(slices.Sorted(slices.Values(ids)))
		fresh := make(map[string]bool, len(sorted))
		for some := range slices.Chunk(sorted, runsAtOnce) {
			var known []string
			if err := tx.Model(&Heard{}).Where("id IN ?", some).Pluck("id", &known).Error; err != nil {
				return err
			}
			heard := make([]Heard, 0, len(some))
			for _, id := range some {
				if !slices.Contains(known, id) {
					heard, fresh[id] = append(heard, Heard{id, s.now()}), true
				}
			}
			if len(heard) == 0 {
				continue
			}
			if err := tx.Create(&heard).Error; err != nil {
				return err
			}
		}
		runs := map[string][]*live.Message{}
		for i := range list {
			if !fresh[ids[i]] {
				continue
			}
			fresh[ids[i]], counted[i] = false, true
			id := key(list[i].Run.Source, list[i].Run.ID)
			runs[id] = append(runs[id], &list[i])
		}
		return addLive(tx, runs)
	}
	err = s.write(ctx, take)
	for range 3 {
		if errors.Is(err, gorm.ErrDuplicatedKey) { // another service took some of it in since
			err = s.write(ctx, take)
		}
	}
	return counted, err
}

// addLive adds what messages say to their runs.
func addLive(tx *gorm.DB, runs map[string][]*live.Message) error {
	for some := range slices.Chunk(slices.Sorted(maps.Keys(runs)), runsAtOnce) {
		// Rows to lock, so that of two services that take in what is new of a run one waits.
		rows := make([]LiveRun, 0, len(some))
		for _, id := range some {
			rows = append(rows, LiveRun{ID: id, Came: runs[id][0].At, Said: []byte("{}")})
		}
		if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&rows).Error; err != nil {
			return err
		}
		var old []LiveRun
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("id IN ?", some).Order("id").Find(&old).Error; err != nil {
			return err
		}
		rows = rows[:0]
		for _, id := range some {
			var r live.Run
			if i := slices.IndexFunc(old, func(o LiveRun) bool { return o.ID == id }); i >= 0 {
				if err := json.Unmarshal(old[i].Said, &r); err != nil {
					return fmt.Errorf("what is stored of run %s is not readable: %w", id, err)
				}
			}
			for _, m := range runs[id] {
				r.Take(m)
			}
			said, err := json.Marshal(&r)
			if err != nil {
				return err
			}
			rows = append(rows, LiveRun{id, r.Came(), r.Ended.IsZero(), said})
		}
		if err := tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&rows).Error; err != nil {
			return err
		}
	}
	return nil
}

// liveAtOnce is how many runs are read from the database together.
const liveAtOnce = 2000

// EachLive gives the runs that came from a moment on and before another (zero: no bound), from the
// oldest on, to take, until it says that it has enough.
func (s *Store) EachLive(ctx context.Context, from, until time.Time, take func(*live.Run) (more bool)) error {
	ctx = large(ctx)
	var last LiveRun
	for {
		q := s.db.WithContext(ctx).Order("came, id").Limit(liveAtOnce)
		if last.ID != "" {
			q = q.Where("(came, id) > (?, ?)", last.Came, last.ID)
		} else if !from.IsZero() {
			q = q.Where("came >= ?", from)
		}
		if !until.IsZero() {
			q = q.Where("came < ?", until)
		}
		more, err := s.takeLive(q, &last, take)
		if err != nil || !more {
			return err
		}
	}
}

// takeLive reads runs; more is false when there are no others, or no others are wanted.
func (s *Store) takeLive(q *gorm.DB, last *LiveRun, take func(*live.Run) bool) (more bool, err error) {
	var rows []LiveRun
	if err := q.Find(&rows).Error; err != nil {
		return false, err
	}
	for i := range rows {
		r := new(live.Run)
		if err := json.Unmarshal(rows[i].Said, r); err != nil {
			return false, fmt.Errorf("what is stored of run %s is not readable: %w", rows[i].ID, err)
		}
		if !take(r) {
			return false, nil
		}
		*last = LiveRun{ID: rows[i].ID, Came: rows[i].Came}
	}
	return len(rows) == liveAtOnce, nil
}

// NewestLive gives runs from the newest on, until take has enough.
func (s *Store) NewestLive(ctx context.Context, take func(*live.Run) (more bool)) error {
	ctx = large(ctx)
	var last LiveRun
	for {
		q := s.db.WithContext(ctx).Order("came DESC, id DESC").Limit(liveAtOnce)
		if last.ID != "" {
			q = q.Where("(came, id) < (?, ?)", last.Came, last.ID)
		}
		more, err := s.takeLive(q, &last, take)
		if err != nil || !more {
			return err
		}
	}
}

// A LiveSum is how much of live records is stored.
type LiveSum struct {
	Runs     int64
	Open     int64
	From, To *time.Time // when the first and the last run came
	Messages int64      // that are remembered, so that they are not counted again
	Heard    *time.Time // when the last message was taken in
}

// LiveSum tells how much of live records is stored.
func (s *Store) LiveSum(ctx context.Context) (out LiveSum, err error) {
	db := s.db.WithContext(ctx)
	if err = db.Model(&LiveRun{}).Select("COUNT(*) AS runs, MIN(came) AS `from`, MAX(came) AS `to`").Scan(&out).Error; err != nil {
		return out, err
	}
	if err = db.Model(&LiveRun{}).Where("open").Count(&out.Open).Error; err != nil {
		return out, err
	}
	var heard struct {
		Messages int64
		Heard    *time.Time
	}
	err = db.Model(&Heard{}).Select("COUNT(*) AS messages, MAX(at) AS heard").Scan(&heard).Error
	out.Messages, out.Heard = heard.Messages, heard.Heard
	return out, err
}

// LiveRoom bounds live records.
type LiveRoom struct {
	Age      time.Duration // of runs, since they came
	Runs     int64
	Memory   time.Duration // how long a message is remembered
	Messages int64         // how many are
}

// DropLive forgets what is beyond the bounds, the oldest first, and returns how many runs that was.
func (s *Store) DropLive(ctx context.Context, room LiveRoom) (dropped int64, err error) {
	ctx = large(ctx)
	now := s.now()
	for _, x := range []struct {
		of     any
		at     string // its column of time
		before time.Time
		most   int64
		count  bool
	}{{&LiveRun{}, "came", now.Add(-room.Age), room.Runs, true}, {&Heard{}, "at", now.Add(-room.Memory), room.Messages, false}} {
		var have int64
		if err := s.db.WithContext(ctx).Model(x.of).Count(&have).Error; err != nil {
			return dropped, err
		}
		tooMany, err := s.dropSome(ctx, x.of, func(tx *gorm.DB) *gorm.DB { return tx.Where("1 = 1").Order(x.at + ", id") }, have-x.most)
		if err != nil {
			return dropped, err
		}
		tooOld, err := s.dropSome(ctx, x.of, func(tx *gorm.DB) *gorm.DB { return tx.Where(x.at+" < ?", x.before) }, have)
		if err != nil {
			return dropped, err
		}
		if x.count {
			dropped += tooMany + tooOld
		}
	}
	return dropped, nil
}

// dropSome drops rows that which names, most of them at most, a few at a time.
func (s *Store) dropSome(ctx context.Context, of any, which func(*gorm.DB) *gorm.DB, most int64) (dropped int64, err error) {
	for dropped < most {
		var gone int64
		err := s.write(ctx, func(tx *gorm.DB) error {
			res := which(tx).Limit(int(min(liveAtOnce, most-dropped))).Delete(of)
			gone = res.RowsAffected
			return res.Error
		})
		if dropped += gone; err != nil || gone == 0 {
			return dropped, err
		}
	}
	return dropped, nil
}

// ForgetLive drops the runs that came before a moment, all where it is zero.
func (s *Store) ForgetLive(ctx context.Context, before time.Time) (dropped int64, err error) {
	return s.dropSome(large(ctx), &LiveRun{}, func(tx *gorm.DB) *gorm.DB {
		if before.IsZero() {
			return tx.Where("1 = 1")
		}
		return tx.Where("came < ?", before)
	}, math.MaxInt64)
}
