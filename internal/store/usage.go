package store

import (
	"context"
	"maps"
	"slices"

	"tachyphor/core/document"
	"tachyphor/core/sizing"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// MostRuns is how many runs of a template are kept; the oldest go first.
const MostRuns = 20_000

// Kept says what storing runs came to.
type Kept struct {
	New      int // runs that were not known
	Replaced int // runs that were known from fewer samples, or without their job
	Known    int // runs that were known as well, and left out
	Dropped  int // old runs that had to go
}

// runsAtOnce is how many rows go to the database together.
const runsAtOnce = 200

// sighting is what tells a run from others.
func (r *Run) sighting() sizing.Sighting {
	return sizing.Sighting{
		Pod: r.Pod, Container: r.Container, Job: r.Job, From: r.Began, To: r.Began + float64(r.WallNs)/1e9,
		Samples: r.Samples,
	}
}

// PutRuns stores runs of a template. One that overlaps a stored one of the same
// container takes its place when it tells more, and is left out otherwise. ErrNotFound:
// there is no such template.
func (s *Store) PutRuns(ctx context.Context, in Intake, runs []Run) (kept Kept, err error) {
	ctx = large(ctx)
	err = s.write(ctx, func(tx *gorm.DB) error {
		kept = Kept{}
		// one at a time for a template, so that nothing is stored twice
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("kind = ? AND name = ?", document.KindPodTemplate,
			in.Template).First(&Document{}).Error; err != nil {
			return err
		}
		old, err := sightings(tx, in.Template, runs)
		if err != nil {
			return err
		}
		told, seen := make([]sizing.Sighting, len(runs)), make([]sizing.Sighting, len(old))
		for i := range runs {
			told[i] = runs[i].sighting()
		}
		for i := range old {
			seen[i] = old[i].sighting()
		}
		skip, better := sizing.Merge(told, seen)
		var gone []uint64
		for i := range old {
			if better[i] {
				gone = append(gone, old[i].ID)
			}
		}
		kept.Replaced = len(gone)
		for some := range slices.Chunk(gone, runsAtOnce) {
			if err := tx.Delete(&Run{}, some).Error; err != nil {
				return err
			}
		}
		fresh := make([]Run, 0, len(runs))
		for i, r := range runs {
			if skip[i] {
				kept.Known++
				continue
			}
			r.ID, r.Template = 0, in.Template
			fresh = append(fresh, r)
		}
		kept.New = max(len(fresh)-kept.Replaced, 0)
		if len(fresh) > 0 {
			if err := tx.CreateInBatches(fresh, runsAtOnce).Error; err != nil {
				return err
			}
		}
		var count int64
		if err := tx.Model(&Run{}).Where("template = ?", in.Template).Count(&count).Error; err != nil {
			return err
		}
		if over := int(count) - MostRuns; over > 0 {
			kept.Dropped = over
			return tx.Where("template = ?", in.Template).Order("began").Limit(over).Delete(&Run{}).Error
		}
		return nil
	})
	return kept, err
}

// sightings are what is stored of runs in the pods of others, without their curves.
func sightings(tx *gorm.DB, template string, runs []Run) (old []Run, err error) {
	pods := map[string]bool{}
	for i := range runs {
		pods[runs[i].Pod] = true
	}
	for some := range slices.Chunk(slices.Sorted(maps.Keys(pods)), runsAtOnce) {
		var list []Run
		if err := tx.Omit("curve").Where("template = ? AND pod IN ?", template, some).Find(&list).Error; err != nil {
			return nil, err
		}
		old = append(old, list...)
	}
	return old, nil
}

// PutIntake notes that usage was taken in.
func (s *Store) PutIntake(ctx context.Context, in Intake) error {
	in.At = s.now()
	return s.write(ctx, func(tx *gorm.DB) error { return tx.Create(&in).Error })
}

// Runs returns what is known of a template's runs, from the oldest on.
func (s *Store) Runs(ctx context.Context, template string) ([]Run, error) {
	ctx = large(ctx)
	var list []Run
	return list, s.db.WithContext(ctx).Where("template = ?", template).Order("began, pod").Find(&list).Error
}

// A UsageSum is what is known of one class on a template.
type UsageSum struct {
	Class        string
	Runs, Killed int
	From, Until  float64 // seconds since 1970
}

// UsageOf sums up what is known of a template's runs, by class.
func (s *Store) UsageOf(ctx context.Context, template string) ([]UsageSum, error) {
	var list []UsageSum
	return list, s.db.WithContext(ctx).Model(&Run{}).Where("template = ?", template).
		Select("class, COUNT(*) AS runs, SUM(killed) AS killed, MIN(began) AS `from`, MAX(began + wall_ns / 1e9) AS until").
		Group("class").Order("runs DESC, class").Scan(&list).Error
}

// Walls returns when a template's runs began and how long they took, of one class or, when
// that is empty, of all: nothing else of them.
func (s *Store) Walls(ctx context.Context, template, class string) ([]Run, error) {
	q := s.db.WithContext(ctx).Select("began", "wall_ns").Where("template = ?", template)
	if class != "" {
		q = q.Where("class = ?", class)
	}
	var list []Run
	return list, q.Find(&list).Error
}

// Intakes returns the newest times that usage of a template was taken in.
func (s *Store) Intakes(ctx context.Context, template string, limit int) ([]Intake, error) {
	var list []Intake
	return list, s.db.WithContext(ctx).Where("template = ?", template).Order("id DESC").Limit(limit).Find(&list).Error
}

// DropRuns forgets what a template's runs used; ErrNotFound when nothing is known.
func (s *Store) DropRuns(ctx context.Context, template string) error {
	ctx = large(ctx)
	return s.write(ctx, func(tx *gorm.DB) error {
		res := tx.Where("template = ?", template).Delete(&Run{})
		if res.Error == nil && res.RowsAffected == 0 {
			return ErrNotFound
		}
		if res.Error != nil {
			return res.Error
		}
		return tx.Where("template = ?", template).Delete(&Intake{}).Error
	})
}
