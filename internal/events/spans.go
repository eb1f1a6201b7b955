package events

import (
	"cmp"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"tachyphor/core/live"

	common "go.opentelemetry.io/proto/otlp/common/v1"
	trace "go.opentelemetry.io/proto/otlp/trace/v1"
	"google.golang.org/protobuf/encoding/protojson"
	"google.golang.org/protobuf/encoding/protowire"
	"google.golang.org/protobuf/proto"
)

// Names of attributes, by OpenTelemetry's conventions.
const (
	pipelineName   = "cicd.pipeline.name"
	pipelineRun    = "cicd.pipeline.run.id"
	pipelineState  = "cicd.pipeline.run.state"
	pipelineResult = "cicd.pipeline.result"
	taskName       = "cicd.pipeline.task.name"
	taskRun        = "cicd.pipeline.task.run.id"
	taskResult     = "cicd.pipeline.task.run.result"
	serviceName    = "service.name"
)

// spanFacts are attributes that tell facts, the surest first.
var spanFacts = []struct{ attribute, fact string }{
	{"k8s.pod.name", live.Pod},
	{"cicd.worker.name", live.Pod},
	{"cicd.worker.id", live.Pod},
	{"vcs.repository.name", live.Project},
	{"vcs.ref.head.name", live.Branch},
	{"vcs.change.id", live.Change},
}

// own begins attributes that tell what the conventions have no name for: tachyphor.wants,
// tachyphor.class, tachyphor.queued and the like.
const own = "tachyphor."

// Traces reads the spans of an export of traces in OTLP over HTTP: protobuf, or JSON.
func Traces(body []byte, asJSON bool, now time.Time) (Batch, error) {
	sent := &trace.TracesData{} // as the request that exports them is: a list of resources with spans
	var err error
	if asJSON {
		err = protojson.UnmarshalOptions{DiscardUnknown: true}.Unmarshal(body, sent)
	} else {
		err = proto.Unmarshal(body, sent)
	}
	if err != nil {
		return Batch{}, &Fault{0, "the body is not an export of traces: " + oneLine(err)}
	}
	var out Batch
	n := 0
	for _, r := range sent.ResourceSpans {
		shared := attributes{}
		shared.add(r.GetResource().GetAttributes())
		for _, s := range r.ScopeSpans {
			for _, span := range s.Spans {
				if n++; n > Most {
					return Batch{}, &Fault{0, fmt.Sprintf("more than %d spans at once; have the exporter send fewer", Most)}
				}
				if err := out.span(n, span, shared, asJSON, now); err != nil {
					return Batch{}, err
				}
			}
		}
	}
	return out, nil
}

// attributes are those of a span and its resource, by name.
type attributes map[string]any

func (a attributes) add(list []*common.KeyValue) {
	for _, x := range list {
		a[x.Key] = plain(x.Value)
	}
}

// plain is an attribute's value as JSON has it.
func plain(v *common.AnyValue) any {
	switch x := v.GetValue().(type) {
	case *common.AnyValue_StringValue:
		return x.StringValue
	case *common.AnyValue_BoolValue:
		return x.BoolValue
	case *common.AnyValue_IntValue:
		return x.IntValue
	case *common.AnyValue_DoubleValue:
		return x.DoubleValue
	case *common.AnyValue_ArrayValue:
		list := make([]any, 0, len(x.ArrayValue.GetValues()))
		for _, v := range x.ArrayValue.GetValues() {
			list = append(list, plain(v))
		}
		return list
	}
	return nil
}

func (a attributes) text(name string) string {
	s, _ := written(a[name])
	return s
}

// span adds what a span says, if it is of a run of a pipeline or of one of its tasks.
func (b *Batch) span(at int, s *trace.Span, shared attributes, asJSON bool, now time.Time) error {
	a := make(attributes, len(shared)+len(s.Attributes))
	for k, v := range shared {
		a[k] = v
	}
	a.add(s.Attributes)
	whole, task := a.text(pipelineRun), a.text(taskRun)
	if whole == "" && task == "" {
		b.Other++
		return nil
	}
	traceID, spanID := idOf(s.TraceId, asJSON), idOf(s.SpanId, asJSON)
	if traceID == "" || spanID == "" {
		return &Fault{at, "the span has no trace id or no span id"}
	}
	source := a.text(serviceName)
	m := live.Message{
		Key: "otlp\x00" + traceID + "\x00" + spanID, Kind: live.Pipeline, Run: live.RunID{Source: source, ID: whole}, Facts: map[string]string{},
	}
	if task != "" {
		m.Kind, m.Run = live.Task, live.RunID{Source: source, ID: task}
		if whole != "" {
			m.Parent = live.RunID{Source: source, ID: whole}
		}
	}
	from, to := moment(s.StartTimeUnixNano), moment(s.EndTimeUnixNano)
	if m.At = to; m.At.IsZero() {
		m.At = from
	}
	switch {
	case from.IsZero():
		return &Fault{at, "the span has no time of its start"}
	case to.Before(from) && !to.IsZero():
		return &Fault{at, fmt.Sprintf("the span ends at %s, before it starts at %s", to.Format(time.RFC3339Nano), from.Format(time.RFC3339Nano))}
	case a.text(pipelineState) == "pending": // what the run waits for an agent
		m.Queued, m.Started = from, to
	default:
		m.Started, m.Ended = from, to
		if result := cmp.Or(a.text(taskResult), a.text(pipelineResult)); result != "" && (task == "") == (a.text(taskResult) == "") {
			m.Facts[live.Result] = result
		}
	}
	if name := strings.Trim(a.text(pipelineName)+"/"+a.text(taskName), "/"); name != "" {
		m.Facts[live.Name] = name
	}
	for _, f := range spanFacts {
		if is := a.text(f.attribute); is != "" && m.Facts[f.fact] == "" {
			m.Facts[f.fact] = is
		}
	}
	for name, value := range a {
		if name, ours := strings.CutPrefix(name, own); ours {
			if err := tell(&m, name, value); err != nil {
				return &Fault{at, own + err.Error()}
			}
		}
	}
	return b.add(at, m, now)
}

func moment(ns uint64) time.Time {
	if ns == 0 || ns > 1<<63-1 {
		return time.Time{}
	}
	return time.Unix(0, int64(ns)).UTC()
}

// idOf writes an id of a trace or span. OTLP's JSON has them in hexadecimal digits where
// protobuf's own JSON has base64, which therefore read them as that.
func idOf(id []byte, asJSON bool) string {
	if asJSON {
		is := base64.StdEncoding.EncodeToString(id)
		if raw, err := hex.DecodeString(is); err == nil {
			return hex.EncodeToString(raw) // digits in either case
		}
		return is
	}
	return hex.EncodeToString(id)
}

// TracesTaken answers an export: that it was taken whole.
func TracesTaken(asJSON bool) []byte {
	if asJSON {
		return []byte("{}")
	}
	return nil // a message without fields
}

// TracesRefused is the status that an export is refused with, as OTLP wants it: a code of gRPC,
// which goes with that of HTTP, and words.
func TracesRefused(status int, why string, asJSON bool) []byte {
	code, known := grpcCodes[status]
	if !known {
		code = 13
	}
	if asJSON {
		b, _ := json.Marshal(struct {
			Code    int32  `json:"code"`
			Message string `json:"message"`
		}{code, why})
		return b
	}
	var b []byte
	b = protowire.AppendTag(b, 1, protowire.VarintType)
	b = protowire.AppendVarint(b, uint64(code))
	b = protowire.AppendTag(b, 2, protowire.BytesType)
	return protowire.AppendString(b, why)
}

// grpcCodes are codes of gRPC by statuses of HTTP.
var grpcCodes = map[int]int32{400: 3, 413: 3, 415: 3, 429: 8, 503: 14, 507: 8}
