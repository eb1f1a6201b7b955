package events_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"reflect"
	"strings"
	"testing"
	"time"

	"tachyphor/core/live"
	"tachyphor/internal/events"

	cd "github.com/cdevents/sdk-go/pkg/api"
	cdv04 "github.com/cdevents/sdk-go/pkg/api/v04"
	cdv05 "github.com/cdevents/sdk-go/pkg/api/v05"
	"github.com/cloudevents/sdk-go/v2/binding"
	"github.com/cloudevents/sdk-go/v2/event"
	cehttp "github.com/cloudevents/sdk-go/v2/protocol/http"
	common "go.opentelemetry.io/proto/otlp/common/v1"
	resource "go.opentelemetry.io/proto/otlp/resource/v1"
	trace "go.opentelemetry.io/proto/otlp/trace/v1"
	"google.golang.org/protobuf/proto"
)

var monday = time.Date(2026, 9, 14, 6, 0, 0, 0, time.UTC)

// finished is an event as the standard's own library writes it, of either version.
func finished(t *testing.T, version string) *event.Event {
	t.Helper()
	custom := map[string]any{"wants": []string{"linux", "amd64"}, "project": "tide-charts", "queued": "2026-09-14T05:58:00Z", "mood": "calm"}
	var e cd.CDEvent
	switch version {
	case "0.4":
		x, err := cdv04.NewTaskRunFinishedEvent()
		if err != nil {
			t.Fatal(err)
		}
		x.SetSubjectTaskName("compile")
		x.SetSubjectPipelineRun(&cd.Reference{Id: "pipe-9", Source: "/slipway"})
		x.SetSubjectOutcome("success")
		e = x
	case "0.5":
		x, err := cdv05.NewTaskRunFinishedEvent()
		if err != nil {
			t.Fatal(err)
		}
		x.SetSubjectTaskName("compile")
		x.SetSubjectPipelineRun(&cd.Reference{Id: "pipe-9", Source: "/slipway"})
		x.SetSubjectOutcome("success")
		e = x
	}
	e.SetId("evt-1")
	e.SetSource("/slipway")
	e.SetTimestamp(monday)
	e.SetSubjectId("run-7")
	if err := e.SetCustomData("application/json", custom); err != nil {
		t.Fatal(err)
	}
	if err := cd.Validate(e); err != nil {
		t.Fatal(err)
	}
	ce, err := cd.AsCloudEvent(e)
	if err != nil {
		t.Fatal(err)
	}
	return ce
}

// In every mode, of every version, the same message; and again with the same key.
func TestCDEvents(t *testing.T) {
	want := live.Message{
		Run: live.RunID{Source: "/slipway", ID: "run-7"}, Kind: live.Task, Parent: live.RunID{Source: "/slipway", ID: "pipe-9"}, At: monday, Ended: monday,
		Queued: monday.Add(-2 * time.Minute), Facts: map[string]string{
			live.Name: "compile", live.Result: "success", live.Wants: "linux amd64", live.Project: "tide-charts",
		},
	}
	for _, version := range []string{"0.4", "0.5"} {
		e := finished(t, version)
		structured, err := json.Marshal(e)
		if err != nil {
			t.Fatal(err)
		}
		binary, err := http.NewRequest(http.MethodPost, "/", nil)
		if err != nil {
			t.Fatal(err)
		}
		if err := cehttp.WriteRequest(t.Context(), (*binding.EventMessage)(e), binary); err != nil {
			t.Fatal(err)
		}
		var inBinary bytes.Buffer
		if _, err := inBinary.ReadFrom(binary.Body); err != nil {
			t.Fatal(err)
		}
		for mode, sent := range map[string]struct {
			head http.Header
			body []byte
		}{
			"structured": {http.Header{"Content-Type": {"application/cloudevents+json; charset=utf-8"}}, structured},
			"batch":      {http.Header{"Content-Type": {"application/cloudevents-batch+json"}}, []byte("[" + string(structured) + "]")},
			"binary":     {binary.Header, inBinary.Bytes()},
		} {
			got, err := events.CloudEvents(sent.head, sent.body, monday)
			if err != nil || len(got.Messages) != 1 || got.Other != 0 {
				t.Fatalf("%s %s: %v %+v", version, mode, err, got)
			}
			m := got.Messages[0]
			if m.Key != "ce\x00/slipway\x00evt-1" {
				t.Errorf("%q", m.Key)
			}
			m.Key = ""
			if !reflect.DeepEqual(m, want) {
				t.Errorf("%s %s: %+v", version, mode, m)
			}
		}
	}
}

func TestOtherEventsAreLeftAlone(t *testing.T) {
	body := `[{"specversion":"1.0","id":"1","source":"/s","type":"com.example.tide.turned"},
		{"specversion":"1.0","id":"2","source":"/s","type":"dev.cdevents.change.merged.0.2.0","data":{}},
		{"specversion":"1.0","id":"3","source":"/s","type":"dev.cdevents.pipelinerun.queued.0.2.0","time":"2026-09-14T06:00:00Z",
		 "data":{"subject":{"id":"p","content":{"pipelineName":"nightly"}}}}]`
	got, err := events.CloudEvents(http.Header{"Content-Type": {"application/cloudevents-batch+json"}}, []byte(body), monday)
	if err != nil || got.Other != 2 || len(got.Messages) != 1 {
		t.Fatalf("%v %+v", err, got)
	}
	if m := got.Messages[0]; m.Kind != live.Pipeline || !m.Queued.Equal(monday) || m.Run.Source != "/s" || m.Facts[live.Name] != "nightly" {
		t.Errorf("%+v", m)
	}
	if got, err := events.CloudEvents(http.Header{"Content-Type": {"application/cloudevents-batch+json"}}, []byte("[]"), monday); err != nil || len(got.Messages) != 0 {
		t.Errorf("%v %+v", err, got)
	}
}

// What is wrong is told with its place; nothing makes the reader fall over.
func TestEventsRefused(t *testing.T) {
	batch := http.Header{"Content-Type": {"application/cloudevents-batch+json"}}
	one := func(data string) string {
		return `[{"specversion":"1.0","id":"0","source":"/s","type":"x.y"},{"specversion":"1.0","id":"1","source":"/s","type":"dev.cdevents.taskrun.started.0.2.0","data":` +
			data + `}]`
	}
	many := strings.TrimSuffix(strings.Repeat(`{"specversion":"1.0","id":"0","source":"/s","type":"x.y"},`, events.Most+1), ",")
	for _, x := range []struct {
		head http.Header
		body string
		want string
	}{
		{http.Header{}, "", "neither ce- headers"},
		{http.Header{"Content-Type": {"text/plain"}}, "hello", "text/plain"},
		{batch, "{", "not a list of CloudEvents"},
		{batch, "[1]", "not a list of CloudEvents"},
		{batch, `[{"specversion":"1.0","id":"1","type":"x"}]`, "event 1: no valid CloudEvent"},
		{batch, one(`{}`), "event 2: its data has no subject.id"},
		{batch, one(`"words"`), "event 2: its data is not a CDEvents event"},
		{batch, one(`{"subject":{"id":"r"}}`), "event 2: neither context.timestamp nor"},
		{batch, one(`{"subject":{"id":"r"},"context":{"timestamp":"2036-09-14T06:00:00Z"}}`), "event 2: its time 2036-09-14T06:00:00Z is more than a day ahead"},
		{batch, one(`{"subject":{"id":"r"},"context":{"timestamp":"1970-01-01T00:00:00Z"}}`), "never set"},
		{batch, one(`{"subject":{"id":"` + strings.Repeat("r", 300) + `"},"context":{"timestamp":"2026-09-14T06:00:00Z"}}`), "the run's id has 300 bytes"},
		{batch, one(`{"subject":{"id":"r"},"context":{"timestamp":"2026-09-14T06:00:00Z"},"customData":{"queued":"soon"}}`), `queued is "soon"`},
		{batch, one(`{"subject":{"id":"r"},"context":{"timestamp":"2026-09-14T06:00:00Z"},"customData":{"project":"a\nb"}}`), "control characters"},
		{batch, "[" + many + "]", "10001 events at once"},
		{http.Header{"Content-Type": {"application/cloudevents+json"}}, strings.Repeat("[", 100_000), "no valid CloudEvent"},
	} {
		if _, err := events.CloudEvents(x.head, []byte(x.body), monday); err == nil || !strings.Contains(err.Error(), x.want) {
			t.Errorf("%.60s: %v, expected %q", x.body, err, x.want)
		}
	}
}

func word(name, is string) *common.KeyValue {
	return &common.KeyValue{Key: name, Value: &common.AnyValue{Value: &common.AnyValue_StringValue{StringValue: is}}}
}

// Spans of a run: what it waited, what it did; of another, a step within it and the whole.
func spans() *trace.TracesData {
	span := func(id byte, from, to int, a ...*common.KeyValue) *trace.Span {
		return &trace.Span{
			TraceId: bytes.Repeat([]byte{0xA1}, 16), SpanId: bytes.Repeat([]byte{id}, 8), Attributes: a,
			StartTimeUnixNano: uint64(monday.Add(time.Duration(from) * time.Minute).UnixNano()),
			EndTimeUnixNano:   uint64(monday.Add(time.Duration(to) * time.Minute).UnixNano()),
		}
	}
	task, whole := word("cicd.pipeline.task.run.id", "run-7"), word("cicd.pipeline.run.id", "pipe-9")
	return &trace.TracesData{ResourceSpans: []*trace.ResourceSpans{{
		Resource: &resource.Resource{Attributes: []*common.KeyValue{
			word("service.name", "slipway"), word("vcs.repository.name", "tide-charts"), word("k8s.pod.name", "compile-1"),
		}},
		ScopeSpans: []*trace.ScopeSpans{{Spans: []*trace.Span{
			span(1, 0, 2, task, whole, word("cicd.pipeline.run.state", "pending")),
			span(2, 2, 9, task, whole, word("cicd.pipeline.task.name", "compile"), word("cicd.pipeline.name", "all"),
				word("cicd.pipeline.task.run.result", "success"), word("tachyphor.wants", "linux amd64")),
			span(3, 3, 4, word("http.request.method", "GET")),
			span(4, 0, 10, whole, word("cicd.pipeline.name", "all"), word("cicd.pipeline.result", "success")),
		}}},
	}}}
}

func TestTraces(t *testing.T) {
	packed, err := proto.Marshal(spans())
	if err != nil {
		t.Fatal(err)
	}
	// OTLP's JSON: ids in hexadecimal digits, numbers of 64 bits as text.
	var list []string
	for _, s := range spans().ResourceSpans[0].ScopeSpans[0].Spans {
		var attributes []string
		for _, a := range s.Attributes {
			attributes = append(attributes, fmt.Sprintf(`{"key":%q,"value":{"stringValue":%q}}`, a.Key, a.Value.GetStringValue()))
		}
		list = append(list, fmt.Sprintf(`{"traceId":"%X","spanId":"%x","startTimeUnixNano":"%d","endTimeUnixNano":"%d","attributes":[%s],"flags":257,"later":1}`,
			s.TraceId, s.SpanId, s.StartTimeUnixNano, s.EndTimeUnixNano, strings.Join(attributes, ",")))
	}
	text := `{"resourceSpans":[{"resource":{"attributes":[{"key":"service.name","value":{"stringValue":"slipway"}},
		{"key":"vcs.repository.name","value":{"stringValue":"tide-charts"}},{"key":"k8s.pod.name","value":{"stringValue":"compile-1"}}]},
		"scopeSpans":[{"spans":[` + strings.Join(list, ",") + `]}]}]}`
	fromProto, err := events.Traces(packed, false, monday)
	if err != nil {
		t.Fatal(err)
	}
	fromJSON, err := events.Traces([]byte(text), true, monday)
	if err != nil {
		t.Fatal(err)
	}
	if !reflect.DeepEqual(fromProto, fromJSON) {
		t.Errorf("%+v\n%+v", fromProto, fromJSON)
	}
	if len(fromProto.Messages) != 3 || fromProto.Other != 1 {
		t.Fatalf("%+v", fromProto)
	}
	runs := map[string]*live.Run{}
	for i := range fromProto.Messages {
		m := &fromProto.Messages[i]
		if runs[m.Run.ID] == nil {
			runs[m.Run.ID] = new(live.Run)
		}
		runs[m.Run.ID].Take(m)
	}
	jobs := live.Jobs([]*live.Run{runs["pipe-9"], runs["run-7"]}, monday, time.Hour)
	if len(jobs) != 1 {
		t.Fatalf("%+v", jobs)
	}
	row := jobs[0].Row()
	if row.ID != "run-7" || !row.Submitted.Equal(monday) || !row.Started.Equal(monday.Add(2*time.Minute)) || !row.Ended.Equal(monday.Add(9*time.Minute)) ||
		row.Basis != "queue" || row.Name != "all/compile" || row.Result != "success" || row.Wants != "linux amd64" || row.Pod != "compile-1" ||
		row.Project != "tide-charts" {
		t.Errorf("%+v", row)
	}
}

func TestTracesRefused(t *testing.T) {
	edited := func(edit func(*trace.Span)) []byte {
		s := spans()
		edit(s.ResourceSpans[0].ScopeSpans[0].Spans[1])
		b, err := proto.Marshal(s)
		if err != nil {
			t.Fatal(err)
		}
		return b
	}
	for _, x := range []struct {
		body []byte
		json bool
		want string
	}{
		{[]byte("\xff\xff\xff"), false, "not an export of traces"},
		{[]byte("[]"), true, "not an export of traces"},
		{edited(func(s *trace.Span) { s.TraceId = nil }), false, "event 2: the span has no trace id"},
		{edited(func(s *trace.Span) { s.StartTimeUnixNano = 0 }), false, "event 2: the span has no time of its start"},
		{edited(func(s *trace.Span) { s.EndTimeUnixNano = 5 }), false, "before it starts"},
		{edited(func(s *trace.Span) { s.EndTimeUnixNano, s.StartTimeUnixNano = 1<<63, 1<<63 }), false, "no time of its start"},
		{edited(func(s *trace.Span) { s.Attributes = append(s.Attributes, word("tachyphor.queued", "x")) }), false, "tachyphor.queued"},
	} {
		if _, err := events.Traces(x.body, x.json, monday); err == nil || !strings.Contains(err.Error(), x.want) {
			t.Errorf("%v, expected %q", err, x.want)
		}
	}
	if got := string(events.TracesRefused(429, "later", true)); got != `{"code":8,"message":"later"}` {
		t.Error(got)
	}
	if got := events.TracesRefused(400, "no", false); !bytes.Equal(got, []byte{8, 3, 18, 2, 'n', 'o'}) {
		t.Errorf("%v", got)
	}
}

// Rubbish is refused or left alone, and never takes the reader down.
func FuzzEvents(f *testing.F) {
	f.Add([]byte(`[{"specversion":"1.0","id":"3","source":"/s","type":"dev.cdevents.build.queued.0.2.0","time":"2026-09-14T06:00:00Z","data":{"subject":{"id":"p"}}}]`), 0)
	f.Add([]byte(`{"resourceSpans":[{"scopeSpans":[{"spans":[{"traceId":"aa","attributes":[{"key":"cicd.pipeline.run.id","value":{"stringValue":"x"}}]}]}]}]}`), 2)
	f.Fuzz(func(t *testing.T, body []byte, how int) {
		var b events.Batch
		var err error
		switch how & 3 {
		case 0:
			b, err = events.CloudEvents(http.Header{"Content-Type": {"application/cloudevents-batch+json"}}, body, monday)
		case 1:
			b, err = events.CloudEvents(http.Header{"Content-Type": {"application/cloudevents+json"}}, body, monday)
		default:
			b, err = events.Traces(body, how&1 == 0, monday)
		}
		if err != nil {
			return
		}
		for i := range b.Messages {
			if err := b.Messages[i].Check(monday); err != nil {
				t.Error(err)
			}
		}
	})
}
