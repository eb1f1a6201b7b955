package wire

import "time"

// Backups says how the backups stand that the service makes by itself.
type Backups struct {
	Every   int64      `json:"every" doc:"How often, nanoseconds; 0: the service makes none by itself."`
	Keep    int        `json:"keep" doc:"How many are kept."`
	Kept    int        `json:"kept" doc:"How many there are."`
	Bytes   int64      `json:"bytes" doc:"How large the newest is."`
	Last    *time.Time `json:"last,omitempty" doc:"When the newest was made; absent: there is none."`
	Failure string     `json:"failure,omitempty" doc:"Why the last backup failed; absent: it did not."`
}

// KeepWork gives work a name and a pin, with either of which its result is kept.
type KeepWork struct {
	Called *string `json:"called,omitempty" maxLength:"120" doc:"Name; empty: none any more; absent: as it is."`
	Pinned *bool   `json:"pinned,omitempty" doc:"Whether it is kept; absent: as it is."`
}

// Kept says how much is kept of what, what goes, and how backups stand.
type Kept struct {
	Tables  []KeptTable `json:"tables" doc:"The largest first."`
	Bytes   int64       `json:"bytes" doc:"Of all tables with their indexes, as the database has counted."`
	Terms   []KeptTerm  `json:"terms" doc:"How long things are kept."`
	Going   []Going     `json:"going" doc:"What goes within the days that were asked about."`
	Backups Backups     `json:"backups" doc:"Those that the service makes by itself."`
}

// KeptTable is how large a table is.
type KeptTable struct {
	Name  string `json:"name" doc:"What it holds."`
	Rows  int64  `json:"rows" doc:"About how many."`
	Bytes int64  `json:"bytes" doc:"With its indexes."`
}

// KeptTerm is how long something is kept.
type KeptTerm struct {
	Kind string `json:"kind" enum:"outcomes,trials,revisions,recordings,audit,live" doc:"Of what."`
	Days int    `json:"days" doc:"How long; 0: for ever."`
}

// Going is what goes, of one kind.
type Going struct {
	Kind  string   `json:"kind" enum:"outcomes,trials,revisions,recordings,audit" doc:"Of what."`
	Count int64    `json:"count" doc:"How many."`
	Bytes int64    `json:"bytes" doc:"How much that is; 0 where it is not counted."`
	IDs   []uint64 `json:"ids" doc:"Of outcomes and other work: the numbers of the first hundred. A name or a pin keeps them."`
}
