package api

import (
	"context"
	"time"

	"tachyphor/internal/store"
	"tachyphor/internal/work"

	"github.com/prometheus/client_golang/prometheus"
)

// standings tells, whenever it is asked, how the scenarios stand that are followed.
type standings struct{ records *store.Store }

var (
	drifted = prometheus.NewDesc("tachyphor_drift", "Whether what happens has left what a followed scenario predicts: 1, or 0.", []string{"scenario"}, nil)
	against = prometheus.NewDesc("tachyphor_drift_evidence", "Evidence that it has; 1,000 counts as drift.", []string{"scenario"}, nil)
	lastDay = prometheus.NewDesc("tachyphor_drift_last_day_seconds", "When the last day that was looked at began.", []string{"scenario"}, nil)
	cannot  = prometheus.NewDesc("tachyphor_drift_trouble", "Whether no more days of a followed scenario can be looked at: 1, or 0.", []string{"scenario"}, nil)
	untold  = prometheus.NewDesc("tachyphor_drift_events_waiting", "Events of drift that have not arrived where they are told to.", nil, nil)
)

// Describe tells which metrics there are.
func (standings) Describe(to chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{drifted, against, lastDay, cannot, untold} {
		to <- d
	}
}

// Collect reads how they stand; nothing is told while the database does not answer.
func (x standings) Collect(to chan<- prometheus.Metric) {
	ctx, stop := context.WithTimeout(context.Background(), 3*time.Second)
	defer stop()
	list, err := x.records.AllFollowed(ctx)
	if err != nil {
		return
	}
	number := func(is bool) float64 {
		if is {
			return 1
		}
		return 0
	}
	tell := func(d *prometheus.Desc, v float64, labels ...string) {
		to <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, v, labels...)
	}
	for i := range list {
		s := work.StandingOf(&list[i])
		tell(drifted, number(s.Drifted != nil), list[i].Scenario)
		tell(against, s.Evidence, list[i].Scenario)
		tell(cannot, number(list[i].Trouble != ""), list[i].Scenario)
		if !s.Last.IsZero() {
			tell(lastDay, float64(s.Last.Unix()), list[i].Scenario)
		}
	}
	if n, _, err := x.records.NoticesWaiting(ctx); err == nil {
		tell(untold, float64(n))
	}
}
