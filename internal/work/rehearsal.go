package work

import (
	"context"

	"tachyphor/internal/kube"
	"tachyphor/wire"
)

// Rehearsal makes one agent of a template in a live cluster, with a harmless job; its
// question is Tried, its checkpoints are Reports.
var Rehearsal = Kind{Name: wire.WorkRehearsal, Called: "rehearsal", Live: true, Run: rehearse}

func rehearse(ctx context.Context, _ *Queue, j *Job) (End, error) {
	s := j.with.(setting)
	tell := func(now wire.Rehearsal) { j.Keep(Report{Rehearsal: &now}) }
	tell(s.conn.Rehearse(ctx, s.template, s.tools, kube.Patience{}, tell))
	return End{}, nil
}
