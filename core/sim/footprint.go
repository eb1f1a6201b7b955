package sim

import "tachyphor/core/units"

// TraceBytes and RunBytes are what a job takes of memory in a trace, and in a run of
// which it is a part until that has been measured; both as found on runs of 50,000 to
// 10^6 jobs, rounded up.
const (
	TraceBytes units.Bytes = 250
	RunBytes   units.Bytes = 900
)
