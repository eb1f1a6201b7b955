package api

import (
	"net/http"
	"slices"
	"strconv"
	"time"

	"tachyphor/internal/intake"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// metrics are what the service tells about itself.
type metrics struct {
	registry *prometheus.Registry
	seconds  *prometheus.HistogramVec
}

func newMetrics(c Config) *metrics {
	q, in, records := c.Queue, c.Intake, c.Store
	m := &metrics{
		registry: prometheus.NewRegistry(),
		seconds: prometheus.NewHistogramVec(prometheus.HistogramOpts{
			Name: "tachyphor_request_duration_seconds", Help: "Time to answer requests.",
			Buckets: []float64{.001, .003, .01, .03, .1, .3, 1, 3, 10},
		}, []string{"route", "method", "status"}),
	}
	m.registry.MustRegister(m.seconds, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	for state, pick := range map[string]func() int64{
		"done":   func() int64 { n, _ := q.Counts(); return n },
		"failed": func() int64 { _, n := q.Counts(); return n },
	} {
		m.registry.MustRegister(prometheus.NewCounterFunc(prometheus.CounterOpts{
			Name: "tachyphor_outcomes_total", Help: "Outcomes ended by this process.", ConstLabels: prometheus.Labels{"state": state},
		}, func() float64 { return float64(pick()) }))
	}
	for result, pick := range map[string]func(intake.Sum) int64{
		"counted": func(s intake.Sum) int64 { return s.New },
		"known":   func(s intake.Sum) int64 { return s.Known },
		"other":   func(s intake.Sum) int64 { return s.Other },
		"turned":  func(s intake.Sum) int64 { return s.Turned },
	} {
		m.registry.MustRegister(prometheus.NewCounterFunc(prometheus.CounterOpts{
			Name: "tachyphor_events_total", Help: "Events on jobs that came in: counted, known already, not of runs, refused because there was no room.",
			ConstLabels: prometheus.Labels{"result": result},
		}, func() float64 { return float64(pick(in.Sum())) }))
	}
	m.registry.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{
		Name: "tachyphor_events_waiting", Help: "Events on jobs that wait to be stored.",
	}, func() float64 { return float64(in.Sum().Waiting) }))
	m.registry.MustRegister(standings(records))
	m.ofRecords(c)
	return m
}

func (m *metrics) handler() http.Handler {
	return promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{})
}

// methods are those that are told apart; a request can name any other.
var methods = []string{
	http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPut, http.MethodPatch, http.MethodDelete, http.MethodOptions,
}

func (m *metrics) observe(route, method string, status int, took time.Duration) {
	if !slices.Contains(methods, method) {
		method = "other"
	}
	m.seconds.WithLabelValues(route, method, strconv.Itoa(status)).Observe(took.Seconds())
}
