package api

import (
	"context"
	"time"

	"tachyphor/internal/store"
	"tachyphor/wire"

	"github.com/prometheus/client_golang/prometheus"
)

// ofRecords registers what is told of the records: how large they are, how the disk and the backups stand.
func (m *metrics) ofRecords(c Config) {
	gauge := func(name, help string, value func() float64) {
		m.registry.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: name, Help: help}, value))
	}
	gauge("tachyphor_full", "Whether nothing is stored for want of space: 1 or 0.", func() float64 {
		if c.Full != nil && c.Full() != nil {
			return 1
		}
		return 0
	})
	if c.Backups != nil {
		gauge("tachyphor_backup_last_timestamp_seconds", "When the newest backup was made that the service makes by itself; 0: there is none.",
			func() float64 {
				if at := c.Backups().Last; at != nil {
					return float64(at.Unix())
				}
				return 0
			})
		gauge("tachyphor_backup_interval_seconds", "How often the service backs itself up; 0: it does not.", func() float64 {
			return time.Duration(c.Backups().Every).Seconds()
		})
		gauge("tachyphor_backup_failed", "Whether the last try to back up came to nothing: 1 or 0.", func() float64 {
			if c.Backups().Failure != "" {
				return 1
			}
			return 0
		})
	}
	m.registry.MustRegister(sizes{c.Store}, openWork{c.Store})
}

// openWork tells how much work waits and runs.
type openWork struct{ records *store.Store }

var openDesc = prometheus.NewDesc("tachyphor_work_open", "Work that waits or runs.", []string{"state"}, nil)

// Describe tells which metrics there are.
func (openWork) Describe(to chan<- *prometheus.Desc) { to <- openDesc }

// Collect tells them; none while the database does not answer.
func (o openWork) Collect(to chan<- prometheus.Metric) {
	ctx, cancel := context.WithTimeout(context.Background(), 3*time.Second)
	defer cancel()
	counts, err := o.records.CountOpen(ctx)
	if err != nil {
		return
	}
	for _, state := range []wire.State{wire.Queued, wire.Running} {
		to <- prometheus.MustNewConstMetric(openDesc, prometheus.GaugeValue, float64(counts[state]), string(state))
	}
}

// sizes tells how large the tables are.
type sizes struct{ records *store.Store }

var sizeDesc = prometheus.NewDesc("tachyphor_records_bytes", "Size of the records with their indexes, as the database has counted.",
	[]string{"table"}, nil)

// Describe tells which metrics there are.
func (sizes) Describe(to chan<- *prometheus.Desc) { to <- sizeDesc }

// Collect tells them; none while the database does not answer.
func (s sizes) Collect(to chan<- prometheus.Metric) {
	ctx, cancel := context.WithTimeout(context.Background(), 3*time.Second)
	defer cancel()
	list, err := s.records.Sizes(ctx)
	if err != nil {
		return
	}
	for _, x := range list {
		to <- prometheus.MustNewConstMetric(sizeDesc, prometheus.GaugeValue, float64(x.Bytes), x.Table)
	}
}
