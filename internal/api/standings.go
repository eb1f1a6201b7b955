package api

import (
	"context"

	"tachyphor/internal/store"
	"tachyphor/internal/work"

	"github.com/prometheus/client_golang/prometheus"
)

var (
	drifted = prometheus.NewDesc("tachyphor_drift", "Whether what happens has departed from what a followed scenario predicts: 1, or 0.", []string{"scenario"}, nil)
	against = prometheus.NewDesc("tachyphor_drift_evidence", "Evidence that it has; 1,000 counts as drift.", []string{"scenario"}, nil)
	lastDay = prometheus.NewDesc("tachyphor_drift_last_day_seconds", "When the last day that was looked at began.", []string{"scenario"}, nil)
	cannot  = prometheus.NewDesc("tachyphor_drift_trouble", "Whether no more days of a followed scenario can be looked at: 1, or 0.", []string{"scenario"}, nil)
	untold  = prometheus.NewDesc("tachyphor_drift_events_waiting", "Events of drift that have not arrived where they are told to.", nil, nil)
)

// standings are how the scenarios stand that are followed.
func standings(records *store.Store) gauges {
	return gauges{[]*prometheus.Desc{drifted, against, lastDay, cannot, untold}, func(ctx context.Context) (out []gauge, err error) {
		list, err := records.AllFollowed(ctx)
		if err != nil {
			return nil, err
		}
		tell := func(d *prometheus.Desc, v float64, labels ...string) { out = append(out, gauge{d, v, labels}) }
		for i := range list {
			s := work.StandingOf(&list[i])
			tell(drifted, asNumber(s.Drifted != nil), list[i].Scenario)
			tell(against, s.Evidence, list[i].Scenario)
			tell(cannot, asNumber(list[i].Trouble != ""), list[i].Scenario)
			if !s.Last.IsZero() {
				tell(lastDay, float64(s.Last.Unix()), list[i].Scenario)
			}
		}
		if n, _, err := records.NoticesWaiting(ctx); err == nil {
			tell(untold, float64(n))
		}
		return out, nil
	}}
}
