// Package prometheus asks a Prometheus over its HTTP API what containers used.
package prometheus

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"time"

	"k8s.io/apimachinery/pkg/util/wait"

	"tachyphor/core/sizing"

	"github.com/prometheus/client_golang/api"
	v1 "github.com/prometheus/client_golang/api/prometheus/v1"
	"github.com/prometheus/common/model"
)

// A Question is which containers, and when.
type Question struct {
	Address   string // as in http://127.0.0.1:9090, with the path under which its API stands
	Token     string // bearer token; empty: none
	Namespace string // of the pods; empty: all
	Pods      string // regular expression that the whole name of a pod matches
	Container string
	From, To  time.Time
}

// Limits on what is asked and answered.
const (
	longestPart  = 6 * time.Hour
	shortestPart = time.Minute
	answerWithin = 2 * time.Minute
	mostBytes    = 256 << 20 // of one answer
)

// errLarge says that an answer was cut off.
var errLarge = errors.New("the answer is too large")

// Ask asks for every sample as it was scraped, part after part of the time, and puts
// them together. tell is told the share that is done.
func Ask(ctx context.Context, q Question, tell func(done float64)) (*sizing.Log, error) {
	if u, err := url.Parse(q.Address); err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
		return nil, fmt.Errorf("%q is not the address of a Prometheus; write it as in http://127.0.0.1:9090", q.Address)
	}
	if _, err := regexp.Compile(q.Pods); err != nil {
		return nil, fmt.Errorf("pods %q: %w", q.Pods, err)
	}
	if !q.To.After(q.From) {
		return nil, errors.New("the time asked for ends before it begins")
	}
	c, err := api.NewClient(api.Config{Address: q.Address, RoundTripper: &bounded{token: q.Token, next: transport()}})
	if err != nil {
		return nil, err
	}
	a := asking{api: v1.NewAPI(c), q: q, byLabels: map[string]int{}}
	part := longestPart
	for from := q.From; from.Before(q.To); {
		to := from.Add(min(part, q.To.Sub(from)))
		before := a.values
		err := a.part(ctx, from, to)
		switch {
		case err == nil:
			from = to
			tell(float64(from.Sub(q.From)) / float64(q.To.Sub(q.From)))
			if a.values-before < fewValues {
				part = min(2*part, longestPart)
			}
		case tooMuch(err) && part > shortestPart:
			part = max(part/4, shortestPart)
		default:
			return nil, err
		}
	}
	if len(a.metrics) == 0 {
		return nil, fmt.Errorf("no samples of container %s in pods %s%s between %s and %s; it may keep them under other names or not so long",
			q.Container, q.Pods, within(q.Namespace), q.From.Format(time.RFC3339), q.To.Format(time.RFC3339))
	}
	return sizing.FromMetrics(a.metrics), nil
}

func within(namespace string) string {
	if namespace == "" {
		return ""
	}
	return " of namespace " + namespace
}

// fewValues is how many values a part may bring for the next one to be longer.
const fewValues = 500_000

// asking is the answers so far.
type asking struct {
	api      v1.API
	q        Question
	metrics  []sizing.Metric
	byLabels map[string]int // index into metrics
	values   int
}

// part asks for the samples after from up to to. What an earlier part brought at its
// very end is not taken twice.
func (a *asking) part(ctx context.Context, from, to time.Time) error {
	var got []*model.SampleStream
	for _, name := range sizing.Metrics() {
		m, err := a.query(ctx, fmt.Sprintf("%s%s[%dms]", name, a.selector(), to.Sub(from).Milliseconds()), to)
		if err != nil {
			return err
		}
		got = append(got, m...)
	}
	for _, s := range got {
		key := s.Metric.String()
		i, ok := a.byLabels[key]
		if !ok {
			i = len(a.metrics)
			a.byLabels[key] = i
			labels := make(map[string]string, len(s.Metric))
			for name, value := range s.Metric {
				labels[string(name)] = string(value)
			}
			a.metrics = append(a.metrics, sizing.Metric{Labels: labels})
		}
		m := &a.metrics[i]
		for _, v := range s.Values {
			at := float64(v.Timestamp) / 1000
			if n := len(m.At); n > 0 && at <= m.At[n-1] {
				continue
			}
			m.At, m.Value = append(m.At, at), append(m.Value, float64(v.Value))
			a.values++
		}
	}
	if a.values > 4*sizing.MaxSamples {
		return fmt.Errorf("more than %d values; ask for a shorter time or fewer pods", 4*sizing.MaxSamples)
	}
	return nil
}

// selector picks the containers that are meant.
func (a *asking) selector() string {
	parts := []string{fmt.Sprintf("pod=~%q", a.q.Pods), fmt.Sprintf("container=%q", a.q.Container)}
	if a.q.Namespace != "" {
		parts = append(parts, fmt.Sprintf("namespace=%q", a.q.Namespace))
	}
	return "{" + strings.Join(parts, ",") + "}"
}

// tries is how a question is asked again.
var tries = wait.Backoff{Duration: time.Second, Factor: 2, Steps: 3}

// query asks once, and again where the connection broke or it was busy.
func (a *asking) query(ctx context.Context, query string, at time.Time) (model.Matrix, error) {
	var v model.Value
	var err error
	_ = wait.ExponentialBackoffWithContext(ctx, tries, func(ctx context.Context) (done bool, _ error) {
		within, cancel := context.WithTimeout(ctx, answerWithin)
		defer cancel()
		v, _, _, err = a.api.Query(within, query, at)
		return err == nil || !again(err), nil
	})
	switch m, ok := v.(model.Matrix); {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case err != nil:
		return nil, fmt.Errorf("%s does not answer %s: %w", a.q.Address, query, err)
	case !ok:
		return nil, fmt.Errorf("it answered %s with a %s, not a matrix", query, v.Type())
	default:
		return m, nil
	}
}

// again reports whether asking again may help.
func again(err error) bool {
	var e *v1.Error
	if errors.As(err, &e) {
		return e.Type == v1.ErrServer
	}
	var n net.Error
	return errors.As(err, &n) && !errors.Is(err, errLarge)
}

// tooMuch reports whether a shorter time would be answered.
func tooMuch(err error) bool {
	var e *v1.Error
	return errors.Is(err, errLarge) || errors.As(err, &e) && (e.Type == v1.ErrExec || e.Type == v1.ErrTimeout)
}

func transport() *http.Transport {
	t := http.DefaultTransport.(*http.Transport).Clone()
	t.ResponseHeaderTimeout = answerWithin
	return t
}

// bounded sends the token and cuts off answers that are too large.
type bounded struct {
	token string
	next  http.RoundTripper
}

// RoundTrip sends a request.
func (b *bounded) RoundTrip(r *http.Request) (*http.Response, error) {
	if b.token != "" {
		r = r.Clone(r.Context())
		r.Header.Set("Authorization", "Bearer "+b.token)
	}
	resp, err := b.next.RoundTrip(r)
	if err != nil {
		return nil, err
	}
	if !slices.Contains([]int{200, 400, 422, 503}, resp.StatusCode) {
		_ = resp.Body.Close()
		hint := ""
		if resp.StatusCode == http.StatusUnauthorized || resp.StatusCode == http.StatusForbidden {
			hint = "; give a token in TACHYPHOR_PROMETHEUS_TOKEN"
		}
		return nil, fmt.Errorf("it says %s%s", resp.Status, hint)
	}
	resp.Body = &limited{resp.Body, mostBytes}
	return resp, nil
}

type limited struct {
	io.ReadCloser
	left int64
}

// Read reads until the limit.
func (l *limited) Read(p []byte) (int, error) {
	if l.left <= 0 {
		return 0, errLarge
	}
	n, err := l.ReadCloser.Read(p[:min(int64(len(p)), l.left)])
	l.left -= int64(n)
	return n, err
}
