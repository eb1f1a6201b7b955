package store

import (
	"context"
	"time"

	"tachyphor/wire"

	"github.com/go-gormigrate/gormigrate/v2"
	"gorm.io/gorm"
)

// A Document is the head of a document: its newest revision.
type Document struct {
	ID       uint64 `gorm:"primaryKey"`
	Kind     string `gorm:"size:32;uniqueIndex:name,priority:1"`
	Name     string `gorm:"size:63;uniqueIndex:name,priority:2"`
	Revision int    // newest; counts from 1 and goes on after a drop
	Dropped  bool
	At       time.Time `gorm:"type:datetime(6)"`
}

// A Revision is one state of a document. What it says never changes; its text
// may be replaced by one that says the same.
type Revision struct {
	DocumentID uint64    `gorm:"primaryKey;autoIncrement:false"`
	Number     int       `gorm:"primaryKey;autoIncrement:false"`
	Digest     string    `gorm:"size:64"`
	Text       string    `gorm:"type:mediumtext"`
	By         string    `gorm:"size:63"`
	At         time.Time `gorm:"type:datetime(6)"`
	// Edited is when the text was written again, saying the same.
	Edited *time.Time `gorm:"type:datetime(6)"`
}

// A Recording is a file of recorded jobs, by the digest of its content.
type Recording struct {
	Digest string    `gorm:"primaryKey;size:64"`
	Jobs   int       // good rows
	Data   []byte    `gorm:"type:longblob"` // compressed; empty when its pieces hold it
	At     time.Time `gorm:"type:datetime(6)"`
	Pieces int       `gorm:"not null;default:0"`
}

// A Piece is a part of a recording's file, compressed by itself.
type Piece struct {
	Digest string `gorm:"primaryKey;size:64"`
	Number int    `gorm:"primaryKey;autoIncrement:false"` // from 0
	Data   []byte `gorm:"type:longblob"`
}

// Work says what an outcome is the outcome of.
type Work string

// The kinds of work.
const (
	Simulating Work = ""
	Weighing   Work = "weigh" // cache plans
)

// String names one of the kind.
func (w Work) String() string {
	if w == Weighing {
		return "weighing"
	}
	return "outcome"
}

// An Outcome is long work that was asked for, a simulation as a rule, and its result
// once it is done.
type Outcome struct {
	ID       uint64     `gorm:"primaryKey;index:by_scenario,priority:3;index:last_done,priority:5"`
	Work     Work       `gorm:"size:16;not null;default:'';index:by_scenario,priority:1;index:last_done,priority:1"`
	Scenario string     `gorm:"size:63;index;index:by_scenario,priority:2;index:last_done,priority:4"`
	State    wire.State `gorm:"size:16;index;index:last_done,priority:2"`
	Inputs   string     `gorm:"type:mediumtext"` // JSON of Inputs
	Error    string     `gorm:"type:text"`
	Progress float64    // 0 to 1, as last heard
	Lease    *time.Time `gorm:"type:datetime(6)"` // until then a running outcome is someone's
	Holder   string     `gorm:"size:32"`          // who has the lease
	Asked    time.Time  `gorm:"type:datetime(6)"`
	Started  *time.Time `gorm:"type:datetime(6)"`
	Ended    *time.Time `gorm:"type:datetime(6)"`
	By       string     `gorm:"size:63"`
	Summary  string     `gorm:"type:text"`                  // JSON of what lists show
	Digest   string     `gorm:"size:64"`                    // sha256 of the result before compression
	Varied   bool       `gorm:"index:last_done,priority:3"` // changes were made in its documents first
	// Attempts is how often it was begun, less how often it was given back in order: what
	// is left when a process died over it.
	Attempts int    `gorm:"not null;default:0"`
	Stack    string `gorm:"type:mediumtext"` // of a defect, with its seed
}

// A Result is an outcome's result, apart from its row so that lists stay light.
type Result struct {
	OutcomeID uint64 `gorm:"primaryKey;autoIncrement:false"`
	Data      []byte `gorm:"type:longblob"` // compressed JSON
}

// A Block is a part of an outcome's jobs, in compressed columns.
type Block struct {
	OutcomeID uint64 `gorm:"primaryKey;autoIncrement:false"`
	Number    int    `gorm:"primaryKey;autoIncrement:false"` // from 0
	Jobs      int    // rows in it
	Data      []byte `gorm:"type:longblob"`
}

// A Run is what one agent, or one job on it, used.
type Run struct {
	ID          uint64  `gorm:"primaryKey"`
	Template    string  `gorm:"size:63;index:pod,priority:1;index:began,priority:1"`
	Pod         string  `gorm:"size:253;index:pod,priority:2"`
	Container   string  `gorm:"size:63"`
	Job         string  `gorm:"size:120"`
	Class       string  `gorm:"size:120"`
	Began       float64 `gorm:"index:began,priority:2"` // seconds since 1970
	WallNs      int64
	CPUNs       int64
	ThrottledNs int64
	Memory      int64
	Disk        int64
	MeanCores   float64
	PeakCores   float64
	Parallel    *float64 // nil: not known
	Killed      bool
	Evicted     bool
	Samples     int
	Spacing     float64 // usual time between samples, seconds
	Duplicates  int
	Steps       int
	Gaps        int
	Resets      int
	Missing     int
	Restarts    int
	Curve       []byte `gorm:"type:mediumblob"`
}

// An Intake is one time that usage of a template was taken in.
type Intake struct {
	ID       uint64    `gorm:"primaryKey"`
	Template string    `gorm:"size:63;index"`
	Source   string    `gorm:"size:255"`
	Report   string    `gorm:"type:text"` // JSON
	By       string    `gorm:"size:63"`
	At       time.Time `gorm:"type:datetime(6)"`
}

// A Token lets someone in. Only its hash is kept.
type Token struct {
	Hash    string     `gorm:"primaryKey;size:64"`
	Name    string     `gorm:"size:63"`
	Kind    string     `gorm:"size:16"` // bearer, session or link
	Expires *time.Time `gorm:"type:datetime(6)"`
	At      time.Time  `gorm:"type:datetime(6)"`
}

// steps are the versions of the tables. A step that has been released is never
// changed; a new one is added behind it.
func steps() []*gormigrate.Migration {
	add := func(id string, tables ...any) *gormigrate.Migration {
		return &gormigrate.Migration{ID: id, Migrate: func(tx *gorm.DB) error {
			for _, t := range tables {
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
	column := func(id string, table any, field string) *gormigrate.Migration {
		return &gormigrate.Migration{ID: id, Migrate: func(tx *gorm.DB) error {
			if tx.Migrator().HasColumn(table, field) {
				return nil
			}
			return tx.Migrator().AddColumn(table, field)
		}}
	}
	index := func(id string, table any, name string) *gormigrate.Migration {
		return &gormigrate.Migration{ID: id, Migrate: func(tx *gorm.DB) error {
			if tx.Migrator().HasIndex(table, name) {
				return nil
			}
			return tx.Migrator().CreateIndex(table, name)
		}}
	}
	return []*gormigrate.Migration{
		add("2026-11-23-documents", &Document{}, &Revision{}),
		add("2026-11-23-recordings", &Recording{}),
		add("2026-11-23-outcomes", &Outcome{}, &Result{}),
		add("2026-11-23-tokens", &Token{}),
		add("2026-11-24-blocks", &Block{}),
		add("2026-11-25-trials", &Trial{}),
		add("2026-11-26-usage", &Run{}, &Intake{}),
		column("2026-11-26-varied", &Outcome{}, "Varied"),
		column("2026-11-27-work", &Outcome{}, "Work"),
		column("2026-11-28-attempts", &Outcome{}, "Attempts"),
		column("2026-11-28-stack", &Outcome{}, "Stack"),
		column("2026-11-28-trial-holder", &Trial{}, "Holder"),
		column("2026-11-28-trial-lease", &Trial{}, "Lease"),
		column("2026-11-28-edited", &Revision{}, "Edited"),
		column("2026-11-28-recording-pieces", &Recording{}, "Pieces"),
		add("2026-11-28-pieces", &Piece{}),
		index("2026-11-28-outcomes-by-scenario", &Outcome{}, "by_scenario"),
		index("2026-11-28-outcomes-by-state", &Outcome{}, "last_done"),
	}
}

func (s *Store) migrate(ctx context.Context) error {
	o := *gormigrate.DefaultOptions
	o.TableName = "table_versions"
	return gormigrate.New(s.db.WithContext(ctx), &o, steps()).Migrate()
}
