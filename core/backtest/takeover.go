package backtest

import (
	"errors"
	"fmt"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/doubt"
	"tachyphor/core/units"
)

// TakeOver are the edits of a cluster with which the fact that would explain most has the value
// that would, and measured says where it comes from. The cluster must still say of it what it said.
func (b *Backtest) TakeOver(cluster *document.Document, at time.Time) ([]document.Edit, error) {
	if b.Fact == nil {
		return nil, errors.New("no single fact explains what happened; there is nothing to take over")
	}
	spec := &cluster.Value.(*document.Cluster).Spec
	for _, f := range doubt.Facts(spec, nil, at) {
		if f.Fact != b.Fact.Fact {
			continue
		}
		if f.Says != b.Fact.Says {
			return nil, fmt.Errorf("%s says %s of %s now, and %s was held against what happened; run the backtest again", cluster.Name, f.Says, f.Fact, b.Fact.Says)
		}
		m := document.Measured{
			Fact: f.Fact, Value: b.Fact.Would, At: units.Instant{Time: at.UTC().Truncate(time.Second)}, Count: b.Fact.Count,
			Where: "the jobs of " + b.Scenario + ", " + b.From.Format(time.DateOnly) + " to " + b.Until.Format(time.DateOnly),
			How:   "a backtest: the value with which they would have come out nearest",
		}
		measured := document.Remeasured(spec.Measured, m)
		return []document.Edit{
			{Op: "replace", Path: f.Path(), Value: b.Fact.Edit}, {Op: "add", Path: "/spec/measured", Value: document.Plain(measured)},
		}, nil
	}
	return nil, fmt.Errorf("%s has no %s any more", cluster.Name, b.Fact.Fact)
}
