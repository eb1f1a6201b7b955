package api

import (
	"net/http"
	"slices"
	"strconv"
	"time"

	"tachyphor/internal/work"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// metrics are what the service tells about itself.
type metrics struct {
	registry *prometheus.Registry
	seconds  *prometheus.HistogramVec
}

func newMetrics(q *work.Queue) *metrics {
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
