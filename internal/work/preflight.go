package work

import (
	"context"
	"slices"

	"tachyphor/wire"
)

// Preflight tests the connection to a live cluster for a template; its question is Tried,
// its checkpoints are Reports.
var Preflight = Kind{Name: wire.WorkPreflight, Called: "preflight", Live: true, Run: preflight}

func preflight(ctx context.Context, _ *Queue, j *Job) (End, error) {
	s := j.with.(setting)
	var said Report
	s.conn.Preflight(ctx, s.plan, func(c wire.Check) {
		said.Checks = append(slices.Clone(said.Checks), c)
		j.Keep(said)
	})
	return End{}, nil
}
