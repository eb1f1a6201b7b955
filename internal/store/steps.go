package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/go-gormigrate/gormigrate/v2"
	"gorm.io/gorm"
)

// Steps bring the tables up to date. A step that has been released is never changed, nor
// is what it makes: it has copies of the records as they were then, below. A new one is
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

// carryWork takes outcomes, weighings and trials over into the one table of work. Numbers
// of outcomes and weighings stay; trials, which were counted by themselves, get new ones.
// The database commits each statement by itself, so that every one can be done again.
func carryWork(tx *gorm.DB) error {
	m := tx.Migrator()
	if m.HasTable("outcomes") {
		err := tx.Exec("INSERT IGNORE INTO work (id, kind, subject, state, question, error, progress, lease, holder, asked, " +
			"started, ended, `by`, gist, digest, varied, attempts, stack) " +
			"SELECT id, IF(work = 'weigh', 'weighing', 'simulation'), scenario, state, inputs, error, progress, lease, holder, " +
			"asked, started, ended, `by`, summary, digest, varied, attempts, stack FROM outcomes").Error
		if err != nil {
			return err
		}
	}
	if m.HasTable("trials") {
		if err := tx.Exec("DELETE FROM work WHERE kind IN ('preflight', 'rehearsal')").Error; err != nil {
			return err
		}
		err := tx.Exec("INSERT INTO work (kind, subject, state, question, error, progress, lease, holder, asked, started, ended, " +
			"`by`, attempts, checkpoint) " +
			"SELECT kind, template, state, JSON_OBJECT('template', template, 'scenario', scenario, 'context', context), error, " +
			"IF(state = 'done', 1, 0), lease, holder, asked, asked, ended, `by`, 1, report FROM trials ORDER BY id").Error
		if err != nil {
			return err
		}
	}
	for _, old := range []string{"trials", "outcomes"} {
		if err := m.DropTable(old); err != nil {
			return err
		}
	}
	return nil
}

// carryTokens has those who were let in before there were roles be owners, as they were.
func carryTokens(tx *gorm.DB) error {
	for _, q := range []string{
		"UPDATE tokens SET person = name, role = 'owner' WHERE role = '' AND kind IN ('bearer', 'session', 'link')",
		"UPDATE tokens SET kind = 'local' WHERE kind = 'bearer' AND role = 'owner' AND place = ''",
		"UPDATE tokens SET person = 'owner', role = 'events' WHERE role = '' AND kind = 'events'",
		"INSERT IGNORE INTO people (name, role, at) SELECT DISTINCT person, 'owner', UTC_TIMESTAMP(6) FROM tokens",
	} {
		if err := tx.Exec(q).Error; err != nil {
			return err
		}
	}
	return nil
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

// The records as they were.

type documents1 struct {
	ID       uint64 `gorm:"primaryKey"`
	Kind     string `gorm:"size:32;uniqueIndex:name,priority:1"`
	Name     string `gorm:"size:63;uniqueIndex:name,priority:2"`
	Revision int
	Dropped  bool
	At       time.Time `gorm:"type:datetime(6)"`
}

func (documents1) TableName() string { return "documents" }

type revisions1 struct {
	DocumentID uint64    `gorm:"primaryKey;autoIncrement:false"`
	Number     int       `gorm:"primaryKey;autoIncrement:false"`
	Digest     string    `gorm:"size:64"`
	Text       string    `gorm:"type:mediumtext"`
	By         string    `gorm:"size:63"`
	At         time.Time `gorm:"type:datetime(6)"`
}

func (revisions1) TableName() string { return "revisions" }

type revisions2 struct {
	revisions1
	Edited *time.Time `gorm:"type:datetime(6)"`
}

type recordings1 struct {
	Digest string `gorm:"primaryKey;size:64"`
	Jobs   int
	Data   []byte    `gorm:"type:longblob"`
	At     time.Time `gorm:"type:datetime(6)"`
}

func (recordings1) TableName() string { return "recordings" }

type recordings2 struct {
	recordings1
	Pieces int `gorm:"not null;default:0"`
}

type pieces1 struct {
	Digest string `gorm:"primaryKey;size:64"`
	Number int    `gorm:"primaryKey;autoIncrement:false"`
	Data   []byte `gorm:"type:longblob"`
}

func (pieces1) TableName() string { return "pieces" }

type outcomes1 struct {
	ID       uint64 `gorm:"primaryKey"`
	Scenario string `gorm:"size:63;index"`
	State    string `gorm:"size:16;index"`
	Inputs   string `gorm:"type:mediumtext"`
	Error    string `gorm:"type:text"`
	Progress float64
	Lease    *time.Time `gorm:"type:datetime(6)"`
	Holder   string     `gorm:"size:32"`
	Asked    time.Time  `gorm:"type:datetime(6)"`
	Started  *time.Time `gorm:"type:datetime(6)"`
	Ended    *time.Time `gorm:"type:datetime(6)"`
	By       string     `gorm:"size:63"`
	Summary  string     `gorm:"type:text"`
	Digest   string     `gorm:"size:64"`
}

func (outcomes1) TableName() string { return "outcomes" }

type outcomes2 struct {
	ID       uint64 `gorm:"primaryKey;index:by_scenario,priority:3;index:last_done,priority:5"`
	Work     string `gorm:"size:16;not null;default:'';index:by_scenario,priority:1;index:last_done,priority:1"`
	Scenario string `gorm:"size:63;index;index:by_scenario,priority:2;index:last_done,priority:4"`
	State    string `gorm:"size:16;index;index:last_done,priority:2"`
	Varied   bool   `gorm:"index:last_done,priority:3"`
	Attempts int    `gorm:"not null;default:0"`
	Stack    string `gorm:"type:mediumtext"`
}

func (outcomes2) TableName() string { return "outcomes" }

type results1 struct {
	OutcomeID uint64 `gorm:"primaryKey;autoIncrement:false"`
	Data      []byte `gorm:"type:longblob"`
}

func (results1) TableName() string { return "results" }

type blocks1 struct {
	OutcomeID uint64 `gorm:"primaryKey;autoIncrement:false"`
	Number    int    `gorm:"primaryKey;autoIncrement:false"`
	Jobs      int
	Data      []byte `gorm:"type:longblob"`
}

func (blocks1) TableName() string { return "blocks" }

type tokens1 struct {
	Hash    string     `gorm:"primaryKey;size:64"`
	Name    string     `gorm:"size:63"`
	Kind    string     `gorm:"size:16"`
	Expires *time.Time `gorm:"type:datetime(6)"`
	At      time.Time  `gorm:"type:datetime(6)"`
}

func (tokens1) TableName() string { return "tokens" }

type tokens2 struct {
	tokens1
	Person string     `gorm:"size:63;not null;default:'';index"`
	Role   string     `gorm:"size:16;not null;default:''"`
	Used   *time.Time `gorm:"type:datetime(6)"`
	From   string     `gorm:"size:64;not null;default:''"`
	Parent string     `gorm:"size:64;not null;default:'';index"`
	Place  string     `gorm:"size:32;not null;default:''"`
}

type people1 struct {
	Name    string     `gorm:"primaryKey;size:63"`
	Role    string     `gorm:"size:16"`
	Most    string     `gorm:"size:16;not null;default:''"`
	Subject *string    `gorm:"size:255;uniqueIndex"`
	At      time.Time  `gorm:"type:datetime(6)"`
	Seen    *time.Time `gorm:"type:datetime(6)"`
}

func (people1) TableName() string { return "people" }

type deeds1 struct {
	ID     uint64    `gorm:"primaryKey"`
	At     time.Time `gorm:"type:datetime(6);index"`
	Who    string    `gorm:"size:63;index"`
	Role   string    `gorm:"size:16"`
	Via    string    `gorm:"size:63"`
	From   string    `gorm:"size:64"`
	What   string    `gorm:"size:48;index"`
	On     string    `gorm:"size:255"`
	Result string    `gorm:"size:16"`
	Said   string    `gorm:"size:1000"`
}

func (deeds1) TableName() string { return "deeds" }

type trials1 struct {
	ID       uint64     `gorm:"primaryKey"`
	Kind     string     `gorm:"size:16"`
	Template string     `gorm:"size:63;index"`
	Scenario string     `gorm:"size:63"`
	Context  string     `gorm:"size:255"`
	State    string     `gorm:"size:16;index"`
	Error    string     `gorm:"type:text"`
	Report   string     `gorm:"type:mediumtext"`
	By       string     `gorm:"size:63"`
	Asked    time.Time  `gorm:"type:datetime(6)"`
	Ended    *time.Time `gorm:"type:datetime(6)"`
}

func (trials1) TableName() string { return "trials" }

type trials2 struct {
	ID     uint64     `gorm:"primaryKey"`
	Holder string     `gorm:"size:32;not null;default:''"`
	Lease  *time.Time `gorm:"type:datetime(6)"`
}

func (trials2) TableName() string { return "trials" }

type runs1 struct {
	ID          uint64  `gorm:"primaryKey"`
	Template    string  `gorm:"size:63;index:pod,priority:1;index:began,priority:1"`
	Pod         string  `gorm:"size:253;index:pod,priority:2"`
	Container   string  `gorm:"size:63"`
	Job         string  `gorm:"size:120"`
	Class       string  `gorm:"size:120"`
	Began       float64 `gorm:"index:began,priority:2"`
	WallNs      int64
	CPUNs       int64
	ThrottledNs int64
	Memory      int64
	Disk        int64
	MeanCores   float64
	PeakCores   float64
	Parallel    *float64
	Killed      bool
	Evicted     bool
	Samples     int
	Spacing     float64
	Duplicates  int
	Steps       int
	Gaps        int
	Resets      int
	Missing     int
	Restarts    int
	Curve       []byte `gorm:"type:mediumblob"`
}

func (runs1) TableName() string { return "runs" }

type intakes1 struct {
	ID       uint64    `gorm:"primaryKey"`
	Template string    `gorm:"size:63;index"`
	Source   string    `gorm:"size:255"`
	Report   string    `gorm:"type:text"`
	By       string    `gorm:"size:63"`
	At       time.Time `gorm:"type:datetime(6)"`
}

func (intakes1) TableName() string { return "intakes" }

type work1 struct {
	ID         uint64 `gorm:"primaryKey;index:by_subject,priority:3;index:last_done,priority:5"`
	Kind       string `gorm:"size:16;not null;default:'';index:by_subject,priority:1;index:last_done,priority:1"`
	Subject    string `gorm:"size:63;index:by_subject,priority:2;index:last_done,priority:4"`
	State      string `gorm:"size:16;index;index:last_done,priority:2"`
	Question   string `gorm:"type:mediumtext"`
	Error      string `gorm:"type:text"`
	Progress   float64
	Checkpoint *string    `gorm:"type:mediumtext"`
	Lease      *time.Time `gorm:"type:datetime(6)"`
	Holder     string     `gorm:"size:32"`
	Asked      time.Time  `gorm:"type:datetime(6)"`
	Started    *time.Time `gorm:"type:datetime(6)"`
	Ended      *time.Time `gorm:"type:datetime(6)"`
	By         string     `gorm:"size:63"`
	Gist       string     `gorm:"type:text"`
	Digest     string     `gorm:"size:64"`
	Varied     bool       `gorm:"index:last_done,priority:3"`
	Attempts   int        `gorm:"not null;default:0"`
	Stack      *string    `gorm:"type:mediumtext"`
}

func (work1) TableName() string { return "work" }

type work2 struct {
	work1
	Called  string     `gorm:"size:120;not null;default:''"`
	Pinned  bool       `gorm:"not null;default:false"`
	Trimmed *time.Time `gorm:"type:datetime(6)"`
}

type tried1 struct {
	Digest string    `gorm:"primaryKey;size:64"`
	Said   []byte    `gorm:"type:mediumblob"`
	At     time.Time `gorm:"type:datetime(6);index"`
}

func (tried1) TableName() string { return "tried" }

type liveRuns1 struct {
	ID   string    `gorm:"primaryKey;size:32"`
	Came time.Time `gorm:"type:datetime(6);index:came"`
	Open bool      `gorm:"index:open"`
	Said []byte    `gorm:"type:blob"`
}

func (liveRuns1) TableName() string { return "live_runs" }

type heard1 struct {
	ID string    `gorm:"primaryKey;size:32"`
	At time.Time `gorm:"type:datetime(6);index"`
}

func (heard1) TableName() string { return "heard" }

type followed1 struct {
	Scenario string    `gorm:"primaryKey;size:63"`
	From     string    `gorm:"size:10"`
	Project  string    `gorm:"size:255"`
	Tell     string    `gorm:"size:2000"`
	Trouble  string    `gorm:"type:text"`
	Stands   []byte    `gorm:"type:blob"`
	Ahead    string    `gorm:"size:10"`
	By       string    `gorm:"size:63"`
	At       time.Time `gorm:"type:datetime(6)"`
}

func (followed1) TableName() string { return "followed" }

type nights1 struct {
	Scenario string    `gorm:"primaryKey;size:63"`
	Day      time.Time `gorm:"primaryKey;type:datetime(6)"`
	Said     []byte    `gorm:"type:mediumblob"`
	At       time.Time `gorm:"type:datetime(6)"`
}

func (nights1) TableName() string { return "nights" }

type notices1 struct {
	ID       string    `gorm:"primaryKey;size:64"`
	Address  string    `gorm:"size:2000"`
	Event    []byte    `gorm:"type:blob"`
	Attempts int       `gorm:"not null;default:0"`
	Next     time.Time `gorm:"type:datetime(6);index:next"`
	Failure  string    `gorm:"type:text"`
	At       time.Time `gorm:"type:datetime(6)"`
}

func (notices1) TableName() string { return "notices" }
