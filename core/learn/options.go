package learn

import (
	"time"

	"tachyphor/core/units"
)

// JobOptions say what of a job log is known and need not be guessed. The zero value guesses
// everything.
type JobOptions struct {
	Name      string            // of the workload
	Columns   map[string]string // role: name of the column, or its number from 1; "-" for none
	Units     map[string]string // role of a duration or a size: its unit
	Delimiter string            // one character, or "tab"
	Encoding  string            // one of Encodings
	Header    string            // "yes", "no", or empty
	Dates     string            // "day-first", "month-first", or empty
	Decimal   string            // "point", "comma", or empty
	Zone      units.Zone        // of times without one; zero: none was told
	Results   map[string]Ending // words of the result column, in lower case
	Trunk     []string          // names of branches that are the trunk
	From      time.Time         // jobs before are left out; zero: none
	Until     time.Time         // jobs from here on are left out; zero: none
	ColdAfter time.Duration     // a run of a class after a pause of so long may be cold; 0: 6 h, below 0: none is
	Least     int               // fewest jobs of a class of its own; 0: by the number of jobs
	Whole     bool              // the log that is written says of each job what it wants, also where its class says the same
	SkipBad   bool              // rows that cannot be read are left out
	Most      int64             // bytes that a file may have once it is unpacked; 0: MostBytes
}
