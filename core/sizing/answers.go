package sizing

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/table"
	"tachyphor/core/units"
)

// The metrics of containers that the kubelets of every cluster tell, and what they are
// to a sample. Sizes of workspaces are told as the container's writable layer.
var figureOf = map[string]func(*Sample) *float64{
	"container_cpu_usage_seconds_total":         func(s *Sample) *float64 { return &s.CPU },
	"container_memory_working_set_bytes":        func(s *Sample) *float64 { return &s.Memory },
	"container_cpu_cfs_throttled_seconds_total": func(s *Sample) *float64 { return &s.Throttled },
	"container_fs_usage_bytes":                  func(s *Sample) *float64 { return &s.Disk },
}

// Metrics that say something of a container, not of a moment.
const (
	killsMetric = "container_oom_events_total"
	limitMetric = "container_spec_memory_limit_bytes"
	podsMetric  = "kube_pod_container_status_last_terminated_reason"
)

// Metrics are the names of all that are read.
func Metrics() []string {
	out := []string{killsMetric, limitMetric, podsMetric}
	for name := range figureOf {
		out = append(out, name)
	}
	slices.Sort(out)
	return out
}

// A Metric is one series of an answer: its labels, its moments in seconds and its
// values.
type Metric struct {
	Labels map[string]string
	At     []float64
	Value  []float64
}

// answer is what Prometheus answers to a query.
// Source: its HTTP API, format of responses.
type answer struct {
	Status string `json:"status"`
	Error  string `json:"error"`
	Data   struct {
		ResultType string `json:"resultType"`
		Result     []struct {
			Metric map[string]string    `json:"metric"`
			Values [][2]json.RawMessage `json:"values"`
		} `json:"result"`
	} `json:"data"`
}

// readAnswers reads answers of Prometheus to range queries, one after the other.
func readAnswers(src io.Reader) (*Log, error) {
	in := json.NewDecoder(src)
	var all []Metric
	count := 0
	for n := 1; ; n++ {
		var a answer
		err := in.Decode(&a)
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("answer %d is not what Prometheus gives to a range query: %w", n, err)
		}
		if a.Status != "success" {
			return nil, fmt.Errorf("answer %d is a failure: %s", n, a.Error)
		}
		if a.Data.ResultType != "matrix" {
			return nil, fmt.Errorf("answer %d is of type %q; expected matrix, as from a range query", n, a.Data.ResultType)
		}
		for _, r := range a.Data.Result {
			m := Metric{Labels: r.Metric}
			for _, v := range r.Values {
				at, err1 := strconv.ParseFloat(string(v[0]), 64)
				var text string
				err2 := json.Unmarshal(v[1], &text)
				value, err3 := strconv.ParseFloat(text, 64)
				if err := cmp.Or(err1, err2, err3); err != nil {
					return nil, fmt.Errorf("answer %d, series %s: a value that is not [seconds, \"number\"]", n, m.named())
				}
				m.At, m.Value = append(m.At, at), append(m.Value, value)
			}
			if count += len(m.At); count > MaxSamples*len(figureOf) {
				return nil, fmt.Errorf("more than %d values; ask for fewer pods or a longer step", MaxSamples*len(figureOf))
			}
			all = append(all, m)
		}
	}
	return FromMetrics(all), nil
}

// named writes a series as Prometheus does: its name and its labels in order.
func (m Metric) named() string {
	var labels []string
	for _, k := range slices.Sorted(maps.Keys(m.Labels)) {
		if k != "__name__" {
			labels = append(labels, k+"="+strconv.Quote(m.Labels[k]))
		}
	}
	return m.Labels["__name__"] + "{" + strings.Join(labels, ",") + "}"
}

// FromMetrics puts the metrics of containers together into series of samples. Series
// that are told apart by a label of a part (a device, a processor) are added up;
// those of a container that began anew follow each other, their counters added up.
// Of metrics that are none of Metrics, and of those without a pod, a bad row tells.
func FromMetrics(all []Metric) *Log {
	log := newLog()
	names, byContainer := Metrics(), map[[2]string][]Metric{}
	var order [][2]string
	for _, m := range all {
		name := m.Labels["__name__"]
		key := [2]string{m.Labels["pod"], m.Labels["container"]}
		switch {
		case !slices.Contains(names, name):
			log.Refuse(table.BadRow{Series: m.named(), Reason: "not one that is read; " + "expected one of " + strings.Join(names, ", ")})
			continue
		case key[0] == "":
			log.Refuse(table.BadRow{Series: m.named(), Reason: "it names no pod"})
			continue
		case key[1] == "" || key[1] == "POD": // a pod's sum, or what holds its network
			continue
		}
		if byContainer[key] == nil {
			order = append(order, key)
		}
		byContainer[key] = append(byContainer[key], m)
	}
	for _, key := range order {
		if s := together(key, byContainer[key]); len(s.Samples) > 0 {
			log.Series = append(log.Series, s)
		}
	}
	slices.SortStableFunc(log.Series, func(a, b Series) int { return cmp.Compare(a.Samples[0].At, b.Samples[0].At) })
	for i, s := range log.Series {
		log.at[s.Pod+"\x00"+s.Container] = i
		log.samples += len(s.Samples)
	}
	return log
}

// together puts the metrics of one container together.
func together(key [2]string, metrics []Metric) Series {
	s := Series{Pod: key[0], Container: key[1]}
	lives := map[string][]Metric{} // by what tells one life of the container from the next
	var ids []string
	for _, m := range metrics {
		switch name := m.Labels["__name__"]; name {
		case killsMetric:
			s.Killed = s.Killed || len(m.Value) > 0 && slices.Max(m.Value) > 0
		case podsMetric:
			s.Killed = s.Killed || m.Labels["reason"] == "OOMKilled" && slices.Max(append([]float64{0}, m.Value...)) > 0
		case limitMetric:
			for _, v := range m.Value {
				if v > 0 && v < 1<<60 { // without a limit some tell the largest number there is
					s.Limit = max(s.Limit, units.Bytes(v))
				}
			}
		default:
			id := m.Labels["id"]
			if lives[id] == nil {
				ids = append(ids, id)
			}
			lives[id] = append(lives[id], m)
		}
	}
	var parts [][]Sample
	for _, id := range ids {
		if p := joined(lives[id]); len(p) > 0 {
			parts = append(parts, p)
		}
	}
	slices.SortStableFunc(parts, func(a, b []Sample) int { return cmp.Compare(a[0].At, b[0].At) })
	var cpu, throttled float64 // of the lives before
	for i, p := range parts {
		if i > 0 {
			s.Restarts++
		}
		for j := range p {
			p[j].CPU, p[j].Throttled = p[j].CPU+cpu, p[j].Throttled+throttled
		}
		for len(s.Samples) > 0 && s.Samples[len(s.Samples)-1].At >= p[0].At { // told of a life that was over
			s.Samples = s.Samples[:len(s.Samples)-1]
		}
		s.Samples = append(s.Samples, p...)
		for _, x := range p {
			if !math.IsNaN(x.CPU) {
				cpu = max(cpu, x.CPU)
			}
			if !math.IsNaN(x.Throttled) {
				throttled = max(throttled, x.Throttled)
			}
		}
	}
	return s
}

// joined puts the metrics of one life of a container together by their moments.
func joined(metrics []Metric) []Sample {
	at := map[float64]int{}
	var out []Sample
	for _, m := range metrics {
		figure := figureOf[m.Labels["__name__"]]
		for i, t := range m.At {
			j, ok := at[t]
			if !ok {
				j = len(out)
				at[t] = j
				out = append(out, Sample{t, math.NaN(), math.NaN(), math.NaN(), math.NaN()})
			}
			f := figure(&out[j])
			if v := m.Value[i]; math.IsNaN(*f) {
				*f = v
			} else if !math.IsNaN(v) {
				*f += v
			}
		}
	}
	slices.SortFunc(out, func(a, b Sample) int { return cmp.Compare(a.At, b.At) })
	return out
}
