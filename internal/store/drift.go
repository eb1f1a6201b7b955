package store

import (
	"context"
	"slices"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// A Followed is a scenario that every day of the live records is held against.
type Followed struct {
	Scenario string    `gorm:"primaryKey;size:63"`
	From     string    `gorm:"size:10"`   // the first day, as in 2026-11-02, in the workload's time zone
	Project  string    `gorm:"size:255"`  // only jobs of this; empty: of all
	Tell     string    `gorm:"size:2000"` // address that is told what is found; empty: none
	Trouble  string    `gorm:"type:text"` // why no more days can be looked at
	Stands   []byte    `gorm:"type:blob"` // JSON of a drift.Course after all its days; empty: none was looked at
	Ahead    string    `gorm:"size:10"`   // the Monday of the last week that was looked ahead to
	By       string    `gorm:"size:63"`
	At       time.Time `gorm:"type:datetime(6)"`
}

// TableName names the table.
func (Followed) TableName() string { return "followed" }

// A Night is what was said of one day of a followed scenario.
type Night struct {
	Scenario string    `gorm:"primaryKey;size:63"`
	Day      time.Time `gorm:"primaryKey;type:datetime(6)"` // when it began
	Said     []byte    `gorm:"type:mediumblob"`             // JSON of a drift.HeldDay
	At       time.Time `gorm:"type:datetime(6)"`
}

// A Notice is an event that is on its way to an address.
type Notice struct {
	ID       string    `gorm:"primaryKey;size:64"`
	Address  string    `gorm:"size:2000"`
	Event    []byte    `gorm:"type:blob"` // a CloudEvent as JSON
	Attempts int       `gorm:"not null;default:0"`
	Next     time.Time `gorm:"type:datetime(6);index:next"` // when it is tried again
	Failure  string    `gorm:"type:text"`
	At       time.Time `gorm:"type:datetime(6)"`
}

// mostNights is how many days are kept of a scenario; the oldest go.
const mostNights = 1100

// Follow follows a scenario. What was said of it stays where the same days and jobs are followed as
// before, and goes where they are others.
func (s *Store) Follow(ctx context.Context, f Followed) error {
	f.At = s.now()
	return s.write(ctx, func(tx *gorm.DB) error {
		var old Followed
		err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("scenario = ?", f.Scenario).Limit(1).Find(&old).Error
		if err != nil {
			return err
		}
		if old.Scenario != "" && old.From == f.From && old.Project == f.Project {
			f.Ahead, f.Stands, f.Trouble = old.Ahead, old.Stands, old.Trouble
		} else if err := tx.Where("scenario = ?", f.Scenario).Delete(&Night{}).Error; err != nil {
			return err
		}
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&f).Error
	})
}

// Unfollow ends following a scenario, and drops what was said of its days.
func (s *Store) Unfollow(ctx context.Context, scenario string) error {
	return s.write(ctx, func(tx *gorm.DB) error {
		gone := tx.Where("scenario = ?", scenario).Delete(&Followed{})
		if gone.Error != nil {
			return gone.Error
		}
		if gone.RowsAffected == 0 {
			return ErrNotFound
		}
		return tx.Where("scenario = ?", scenario).Delete(&Night{}).Error
	})
}

// AllFollowed are the scenarios that are followed, by name.
func (s *Store) AllFollowed(ctx context.Context) (out []Followed, err error) {
	err = s.db.WithContext(ctx).Order("scenario").Find(&out).Error
	return out, known(err)
}

// GetFollowed is one of them.
func (s *Store) GetFollowed(ctx context.Context, scenario string) (out Followed, err error) {
	err = s.db.WithContext(ctx).Where("scenario = ?", scenario).Take(&out).Error
	return out, known(err)
}

// Troubled notes why no more days of a scenario can be looked at, "" where they can.
func (s *Store) Troubled(ctx context.Context, scenario, why string) error {
	return known(s.db.WithContext(ctx).Model(&Followed{}).Where("scenario = ?", scenario).Update("trouble", why).Error)
}

// LookedAhead notes that a week was looked ahead to.
func (s *Store) LookedAhead(ctx context.Context, scenario, monday string) error {
	return known(s.db.WithContext(ctx).Model(&Followed{}).Where("scenario = ?", scenario).Update("ahead", monday).Error)
}

// Nights are the days that were looked at of a scenario, from the first on.
func (s *Store) Nights(ctx context.Context, scenario string) (out []Night, err error) {
	err = s.db.WithContext(large(ctx)).Where("scenario = ?", scenario).Order("day").Find(&out).Error
	return out, known(err)
}

// KeepNights keeps what was said of days, how the scenario stands after them (f.Stands), and what is to be
// told of it: all or nothing. What another
// service said of a day before stays; nothing is kept where the scenario is not followed as f says any more.
func (s *Store) KeepNights(ctx context.Context, f Followed, nights []Night, notices []Notice) (kept bool, err error) {
	for i := range nights {
		nights[i].At = s.now()
	}
	for i := range notices {
		notices[i].At, notices[i].Next = s.now(), s.now()
	}
	err = s.write(large(ctx), func(tx *gorm.DB) error {
		var is Followed
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("scenario = ?", f.Scenario).Limit(1).Find(&is).Error; err != nil {
			return err
		}
		if is.Scenario == "" || is.From != f.From || is.Project != f.Project {
			return nil
		}
		kept = true
		for some := range slices.Chunk(nights, 50) {
			if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&some).Error; err != nil {
				return err
			}
		}
		if err := tx.Model(&Followed{}).Where("scenario = ?", f.Scenario).Update("stands", f.Stands).Error; err != nil {
			return err
		}
		if len(notices) > 0 {
			if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&notices).Error; err != nil {
				return err
			}
		}
		var last Night
		err := tx.Select("day").Where("scenario = ?", f.Scenario).Order("day DESC").Offset(mostNights).Limit(1).Find(&last).Error
		if err != nil || last.Day.IsZero() {
			return err
		}
		return tx.Where("scenario = ? AND day <= ?", f.Scenario, last.Day).Delete(&Night{}).Error
	})
	return kept && err == nil, err
}

// TakeNotice takes the notice that is due first, and keeps it from others for so long; ErrNotFound:
// none is due.
func (s *Store) TakeNotice(ctx context.Context, long time.Duration) (out Notice, err error) {
	now := s.now()
	err = s.write(ctx, func(tx *gorm.DB) error {
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE", Options: "SKIP LOCKED"}).Where("next <= ?", now).Order("next, id").Limit(1).
			Take(&out).Error; err != nil {
			return err
		}
		out.Attempts++
		return tx.Model(&Notice{}).Where("id = ?", out.ID).Updates(map[string]any{"next": now.Add(long), "attempts": out.Attempts}).Error
	})
	return out, err
}

// NoticeOver drops a notice that arrived, or was given up.
func (s *Store) NoticeOver(ctx context.Context, id string) error {
	return known(s.db.WithContext(ctx).Where("id = ?", id).Delete(&Notice{}).Error)
}

// NoticeLater has a notice that did not arrive tried again at a moment.
func (s *Store) NoticeLater(ctx context.Context, id string, at time.Time, failure string) error {
	return known(s.db.WithContext(ctx).Model(&Notice{}).Where("id = ?", id).Updates(map[string]any{"next": at, "failure": failure}).Error)
}

// NoticesWaiting counts notices that have not arrived, and tells why the oldest has not.
func (s *Store) NoticesWaiting(ctx context.Context) (n int64, failure string, err error) {
	db := s.db.WithContext(ctx)
	if err := db.Model(&Notice{}).Count(&n).Error; err != nil || n == 0 {
		return n, "", known(err)
	}
	var first Notice
	err = db.Order("at, id").Limit(1).Find(&first).Error
	return n, first.Failure, known(err)
}
