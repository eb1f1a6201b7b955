package store

import (
	"time"
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

// A Result is a work's result, apart from its row so that lists stay light.
type Result struct {
	WorkID uint64 `gorm:"primaryKey;autoIncrement:false"`
	Data   []byte `gorm:"type:longblob"` // compressed JSON
}

// A Block is a part of an outcome's jobs, in compressed columns.
type Block struct {
	WorkID uint64 `gorm:"primaryKey;autoIncrement:false"`
	Number int    `gorm:"primaryKey;autoIncrement:false"` // from 0
	Jobs   int    // rows in it
	Data   []byte `gorm:"type:longblob"`
}

// A Tried is what a single run of exploring said, by the digest of what it was computed from.
type Tried struct {
	Digest string    `gorm:"primaryKey;size:64"`
	Said   []byte    `gorm:"type:mediumblob"` // JSON
	At     time.Time `gorm:"type:datetime(6);index"`
}

// TableName names the table.
func (Tried) TableName() string { return "tried" }

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
