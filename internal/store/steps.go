package store

import (
	"context"
	"errors"
	"fmt"

	"github.com/go-gormigrate/gormigrate/v2"
	"gorm.io/gorm"
)

// Steps bring the tables up to date. A step that has been released is never changed, nor
// is what it makes: it has copies of the records as they were then (was.go). A new one is
// added behind it, and a dump of the tables before it to testdata.
func steps() []*gormigrate.Migration {
	return []*gormigrate.Migration{
		tables("2026-11-23-documents", &documents1{}, &revisions1{}),
		tables("2026-11-23-recordings", &recordings1{}),
		tables("2026-11-23-outcomes", &outcomes1{}, &results1{}),
		tables("2026-11-23-tokens", &tokens1{}),
		tables("2026-11-24-blocks", &blocks1{}),
		tables("2026-11-25-trials", &trials1{}),
		tables("2026-11-26-usage", &runs1{}, &intakes1{}),
		column("2026-11-26-varied", &outcomes2{}, "Varied"),
		column("2026-11-27-work", &outcomes2{}, "Work"),
		column("2026-11-28-attempts", &outcomes2{}, "Attempts"),
		column("2026-11-28-stack", &outcomes2{}, "Stack"),
		column("2026-11-28-trial-holder", &trials2{}, "Holder"),
		column("2026-11-28-trial-lease", &trials2{}, "Lease"),
		column("2026-11-28-edited", &revisions2{}, "Edited"),
		column("2026-11-28-recording-pieces", &recordings2{}, "Pieces"),
		tables("2026-11-28-pieces", &pieces1{}),
		index("2026-11-28-outcomes-by-scenario", &outcomes2{}, "by_scenario"),
		index("2026-11-28-outcomes-by-state", &outcomes2{}, "last_done"),
		tables("2026-11-28-work-table", &work1{}),
		{ID: "2026-11-28-work-rows", Migrate: carryWork},
		renamed("2026-11-28-results-of-work", "results", "outcome_id", "work_id"),
		renamed("2026-11-28-blocks-of-work", "blocks", "outcome_id", "work_id"),
		tables("2026-11-29-tried", &tried1{}),
		tables("2026-11-29-live", &liveRuns1{}, &heard1{}),
		tables("2026-11-29-drift", &followed1{}, &nights1{}, &notices1{}),
		tables("2026-11-30-people", &people1{}, &deeds1{}),
		columns("2026-11-30-tokens-of-people", &tokens2{}, "Person", "Role", "Used", "From", "Parent", "Place"),
		index("2026-11-30-tokens-by-person", &tokens2{}, "idx_tokens_person"),
		index("2026-11-30-tokens-by-parent", &tokens2{}, "idx_tokens_parent"),
		{ID: "2026-11-30-tokens-had-all", Migrate: carryTokens},
		columns("2026-11-30-kept-work", &work2{}, "Called", "Pinned", "Trimmed"),
	}
}

func tables(id string, list ...any) *gormigrate.Migration {
	return &gormigrate.Migration{ID: id, Migrate: func(tx *gorm.DB) error {
		for _, t := range list {
			if tx.Migrator().HasTable(t) { // an earlier try came this far
				continue
			}
			if err := tx.Migrator().CreateTable(t); err != nil {
				return err
			}
		}
		return nil
	}}
}

func column(id string, table any, field string) *gormigrate.Migration {
	return &gormigrate.Migration{ID: id, Migrate: func(tx *gorm.DB) error {
		if tx.Migrator().HasColumn(table, field) {
			return nil
		}
		return tx.Migrator().AddColumn(table, field)
	}}
}

func columns(id string, table any, fields ...string) *gormigrate.Migration {
	return &gormigrate.Migration{ID: id, Migrate: func(tx *gorm.DB) error {
		for _, f := range fields {
			if err := column(id, table, f).Migrate(tx); err != nil {
				return err
			}
		}
		return nil
	}}
}

func index(id string, table any, name string) *gormigrate.Migration {
	return &gormigrate.Migration{ID: id, Migrate: func(tx *gorm.DB) error {
		if tx.Migrator().HasIndex(table, name) {
			return nil
		}
		return tx.Migrator().CreateIndex(table, name)
	}}
}

func renamed(id, table, from, to string) *gormigrate.Migration {
	return &gormigrate.Migration{ID: id, Migrate: func(tx *gorm.DB) error {
		if tx.Migrator().HasColumn(table, to) {
			return nil
		}
		return tx.Exec(fmt.Sprintf("ALTER TABLE `%s` RENAME COLUMN `%s` TO `%s`", table, from, to)).Error
	}}
}

// StepNames are the steps that this program knows, in order.
func StepNames() (out []string) {
	for _, s := range steps() {
		out = append(out, s.ID)
	}
	return out
}

// versions is the table of the steps that were made.
const versions = "table_versions"

// ErrNewer says that the tables are those of a newer version of this program.
var ErrNewer = errors.New("the records were brought up by a newer version of this program, which this one would damage")

func (s *Store) migrate(ctx context.Context) error {
	o := *gormigrate.DefaultOptions
	o.TableName, o.ValidateUnknownMigrations = versions, true
	err := gormigrate.New(s.db.WithContext(ctx), &o, steps()).Migrate()
	if errors.Is(err, gormigrate.ErrUnknownPastMigration) {
		return fmt.Errorf("%w; run that version, or restore a backup that was made before", ErrNewer)
	}
	return err
}
