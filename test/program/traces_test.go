package program

import (
	"compress/gzip"
	"context"
	"encoding/hex"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"tachyphor/internal/service"
	"tachyphor/test/running"
	"tachyphor/test/worlds"
	"tachyphor/wire"

	collector "go.opentelemetry.io/proto/otlp/collector/trace/v1"
	spans "go.opentelemetry.io/proto/otlp/trace/v1"
	"google.golang.org/protobuf/proto"
)

// A collector is told of requests, within the trace that they are of, and of work; no secret is among it. When it
// is away, nothing waits for it.
func TestTraces(t *testing.T) {
	t.Parallel()
	var mu sync.Mutex
	var told []*spans.Span
	var raw strings.Builder
	here := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		in, err := gzip.NewReader(r.Body)
		if err != nil {
			t.Error(err)
			return
		}
		b, err := io.ReadAll(in)
		if err != nil {
			t.Error(err)
		}
		var x collector.ExportTraceServiceRequest
		if err := proto.Unmarshal(b, &x); err != nil {
			t.Error(err)
		}
		mu.Lock()
		defer mu.Unlock()
		raw.Write(b)
		for _, rs := range x.ResourceSpans {
			for _, ss := range rs.ScopeSpans {
				told = append(told, ss.Spans...)
			}
		}
	}))
	defer here.Close()
	s, c := running.StartAs(t, service.Config{Traces: here.URL})
	ctx := context.Background()
	if _, err := c.Put(ctx, "", []byte(worlds.Small("", "", "{span: 1d, repeats: 2}")), false); err != nil {
		t.Fatal(err)
	}
	o, err := c.Simulate(ctx, "s", wire.Run{})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := c.Watch(ctx, o.ID, func(wire.WorkBrief) {}); err != nil {
		t.Fatal(err)
	}
	const trace = "0af7651916cd43dd8448eb211c80319c"
	_, _ = exchange{"GET", "/api/v1/documents", "", map[string]string{"traceparent": "00-" + trace + "-b7ad6b7169203331-01"}}.do(t, c)
	if status := browse(t, c.Address).get(t, running.Link(t, s)); status != 200 {
		t.Fatal(status)
	}
	eventually(t, "spans", func() bool {
		mu.Lock()
		defer mu.Unlock()
		found := map[string]bool{}
		for _, x := range told {
			found[x.Name] = true
			if x.Name == "GET /api/v1/documents" && hex.EncodeToString(x.TraceId) == trace {
				found["within"] = true
			}
			if x.Name == "simulation" && x.EndTimeUnixNano > x.StartTimeUnixNano {
				found["work"] = true
			}
		}
		return found["within"] && found["work"] && found["POST /api/v1/outcomes"] && found["GET /sign-in"]
	})
	mu.Lock()
	if strings.Contains(raw.String(), "tph_") {
		t.Error("a secret is told")
	}
	mu.Unlock()
	here.CloseClientConnections()
	here.Close()
	began := time.Now()
	for range 50 {
		if _, err := c.List(ctx, ""); err != nil {
			t.Fatal(err)
		}
	}
	if took := time.Since(began); took > 20*time.Second {
		t.Errorf("50 requests took %v while nobody hears", took)
	}
}
