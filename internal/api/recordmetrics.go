package api

import (
	"context"
	"time"

	"tachyphor/wire"

	"github.com/prometheus/client_golang/prometheus"
)

// A gauge is one number, or one for each of some labels.
type gauge struct {
	desc   *prometheus.Desc
	value  float64
	labels []string
}

// gauges are asked for anew whenever somebody reads them; none is told while the database does not answer.
type gauges struct {
	descs []*prometheus.Desc
	ask   func(ctx context.Context) ([]gauge, error)
}

// Describe tells which there are.
func (x gauges) Describe(to chan<- *prometheus.Desc) {
	for _, d := range x.descs {
		to <- d
	}
}

// Collect tells them.
func (x gauges) Collect(to chan<- prometheus.Metric) {
	ctx, cancel := context.WithTimeout(context.Background(), 3*time.Second)
	defer cancel()
	list, err := x.ask(ctx)
	if err != nil {
		return
	}
	for _, g := range list {
		to <- prometheus.MustNewConstMetric(g.desc, prometheus.GaugeValue, g.value, g.labels...)
	}
}

// asNumber is 1 for what is, else 0.
func asNumber(is bool) float64 {
	if is {
		return 1
	}
	return 0
}

// ofRecords registers what is told of the records: how large they are, how much work waits, how the disk and the
// backups stand.
func (m *metrics) ofRecords(c Config) {
	m.registry.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{
		Name: "tachyphor_full", Help: "Whether nothing can be stored because the disk is full: 1 or 0.",
	}, func() float64 { return asNumber(c.Full() != nil) }))
	size := prometheus.NewDesc("tachyphor_records_bytes", "Size of the records with their indexes, as the database has counted.", []string{"table"}, nil)
	m.registry.MustRegister(gauges{[]*prometheus.Desc{size}, func(ctx context.Context) (out []gauge, err error) {
		list, err := c.Store.Sizes(ctx)
		for _, x := range list {
			out = append(out, gauge{size, float64(x.Bytes), []string{x.Table}})
		}
		return out, err
	}})
	unfinished := prometheus.NewDesc("tachyphor_work_open", "Work that waits or runs.", []string{"state"}, nil)
	m.registry.MustRegister(gauges{[]*prometheus.Desc{unfinished}, func(ctx context.Context) (out []gauge, err error) {
		counts, err := c.Store.CountOpen(ctx)
		for _, state := range []wire.State{wire.Queued, wire.Running} {
			out = append(out, gauge{unfinished, float64(counts[state]), []string{string(state)}})
		}
		return out, err
	}})
	last := prometheus.NewDesc("tachyphor_backup_last_timestamp_seconds",
		"When the newest backup was made that the service makes by itself; 0: there is none.", nil, nil)
	every := prometheus.NewDesc("tachyphor_backup_interval_seconds", "How often the service backs itself up; 0: it does not.", nil, nil)
	failed := prometheus.NewDesc("tachyphor_backup_failed", "Whether the last backup failed: 1 or 0.", nil, nil)
	m.registry.MustRegister(gauges{[]*prometheus.Desc{last, every, failed}, func(context.Context) ([]gauge, error) {
		b := c.Backups()
		at := 0.0
		if b.Last != nil {
			at = float64(b.Last.Unix())
		}
		return []gauge{{last, at, nil}, {every, time.Duration(b.Every).Seconds(), nil}, {failed, asNumber(b.Failure != ""), nil}}, nil
	}})
}
