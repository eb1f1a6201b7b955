package jobs

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"net/http"

	common "go.opentelemetry.io/proto/otlp/common/v1"
	resource "go.opentelemetry.io/proto/otlp/resource/v1"
	trace "go.opentelemetry.io/proto/otlp/trace/v1"
	"google.golang.org/protobuf/proto"
)

// spans writes what happened as an export of traces: a span for what a job waited once it has
// started, and one for what it did once it has finished.
func spans(list []Happening) (*message, error) {
	var out []*trace.Span
	for _, h := range list {
		if h.Step == Queued {
			continue
		}
		id := sha256.Sum256([]byte(h.ID))
		s := &trace.Span{
			TraceId: id[:16], SpanId: id[16:24], Name: "Run " + h.Class, Kind: trace.Span_SPAN_KIND_INTERNAL,
			StartTimeUnixNano: uint64(h.Started.UnixNano()), EndTimeUnixNano: uint64(h.At.UnixNano()),
			Attributes: []*common.KeyValue{
				text("cicd.pipeline.task.run.id", h.ID), text("cicd.pipeline.task.name", h.Class), text("cicd.pipeline.run.id", "all of "+h.ID),
				text("vcs.repository.name", h.Project), text("vcs.ref.head.name", h.Branch), text("k8s.pod.name", h.Pod), text("tachyphor.class", h.Class),
				words("tachyphor.wants", h.Wants), text("tachyphor.phases", h.Phases),
			},
		}
		if h.Step == Started {
			s.SpanId, s.Name, s.StartTimeUnixNano = id[24:32], "Wait for an agent", uint64(h.Queued.UnixNano())
			s.Attributes = append(s.Attributes, text("cicd.pipeline.run.state", "pending"))
		} else {
			s.Attributes = append(s.Attributes, text("cicd.pipeline.task.run.result", h.Result))
		}
		out = append(out, s)
	}
	if len(out) == 0 {
		return nil, nil
	}
	plain, err := proto.Marshal(&trace.TracesData{ResourceSpans: []*trace.ResourceSpans{{
		Resource: &resource.Resource{Attributes: []*common.KeyValue{text("service.name", source)}}, ScopeSpans: []*trace.ScopeSpans{{Spans: out}},
	}}})
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	if _, err := z.Write(plain); err != nil {
		return nil, err
	}
	if err := z.Close(); err != nil {
		return nil, err
	}
	head := http.Header{"Content-Type": {"application/x-protobuf"}, "Content-Encoding": {"gzip"}}
	return &message{"/v1/traces", head, b.Bytes(), len(out)}, nil
}

func text(name, is string) *common.KeyValue {
	return &common.KeyValue{Key: name, Value: &common.AnyValue{Value: &common.AnyValue_StringValue{StringValue: is}}}
}

// words is an attribute that is a list of words.
func words(name string, is []string) *common.KeyValue {
	list := &common.ArrayValue{}
	for _, w := range is {
		list.Values = append(list.Values, &common.AnyValue{Value: &common.AnyValue_StringValue{StringValue: w}})
	}
	return &common.KeyValue{Key: name, Value: &common.AnyValue{Value: &common.AnyValue_ArrayValue{ArrayValue: list}}}
}
