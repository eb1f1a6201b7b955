package store

import "time"

// The records as they were when a step was written: a number behind each counts how often it has changed. None of
// them is ever changed.

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
