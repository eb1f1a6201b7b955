// Package traced tells a collector, by OTLP over HTTP, what the service does and how long that takes. Where no
// address was given it does nothing.
package traced

import (
	"context"
	"fmt"
	"net/url"
	"time"

	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/codes"
	"go.opentelemetry.io/otel/exporters/otlp/otlptrace/otlptracehttp"
	"go.opentelemetry.io/otel/propagation"
	"go.opentelemetry.io/otel/sdk/resource"
	sdk "go.opentelemetry.io/otel/sdk/trace"
	semconv "go.opentelemetry.io/otel/semconv/v1.37.0"
	"go.opentelemetry.io/otel/trace"
)

// Bounds of what waits to be told; beyond them it is dropped, for nothing may wait for a collector.
const (
	mostWaiting = 4096
	tellWithin  = 10 * time.Second
	mostText    = 512
)

// A Teller tells spans until Close. A nil one tells nothing.
type Teller struct {
	provider *sdk.TracerProvider
	tracer   trace.Tracer
}

// New tells a collector at an address, as in https://collector.slipway.example:4318; traces go to its path
// /v1/traces. Empty: there is none, and the Teller is nil.
// Failed hears of spans that could not be told.
func New(ctx context.Context, address, version string, failed func(error)) (*Teller, error) {
	if address == "" {
		return nil, nil
	}
	u, err := url.Parse(address)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" || u.User != nil || u.RawQuery != "" {
		return nil, fmt.Errorf("%q: expected the address of an OTLP collector, as in https://collector.slipway.example:4318", address)
	}
	out, err := otlptracehttp.New(ctx, otlptracehttp.WithEndpointURL(u.JoinPath("v1", "traces").String()), otlptracehttp.WithTimeout(tellWithin),
		otlptracehttp.WithCompression(otlptracehttp.GzipCompression))
	if err != nil {
		return nil, err
	}
	about, err := resource.New(ctx, resource.WithAttributes(semconv.ServiceName("tachyphor"), semconv.ServiceVersion(version)))
	if err != nil {
		return nil, err
	}
	otel.SetErrorHandler(otel.ErrorHandlerFunc(failed)) // which the library has one of in a process
	p := sdk.NewTracerProvider(sdk.WithBatcher(out, sdk.WithMaxQueueSize(mostWaiting), sdk.WithExportTimeout(tellWithin)), sdk.WithResource(about),
		sdk.WithRawSpanLimits(sdk.SpanLimits{AttributeValueLengthLimit: mostText, AttributeCountLimit: 64, EventCountLimit: 16, LinkCountLimit: 16}))
	return &Teller{provider: p, tracer: p.Tracer("tachyphor")}, nil
}

// Span is something that goes on; End says how it ended.
type Span struct{ span trace.Span }

// carrier is how other programs say of which trace they are: W3C trace context.
var carrier = propagation.TraceContext{}

// Request begins the span of a request, within the trace that its head names.
func (t *Teller) Request(ctx context.Context, method string, head map[string][]string) (context.Context, Span) {
	if t == nil {
		return ctx, Span{}
	}
	ctx = carrier.Extract(ctx, propagation.HeaderCarrier(head))
	ctx, s := t.tracer.Start(ctx, method, trace.WithSpanKind(trace.SpanKindServer), trace.WithAttributes(semconv.HTTPRequestMethodKey.String(method)))
	return ctx, Span{s}
}

// Answered ends the span of a request.
func (s Span) Answered(route, who string, status int) {
	if s.span == nil {
		return
	}
	s.span.SetName(route)
	s.span.SetAttributes(semconv.HTTPRoute(route), semconv.HTTPResponseStatusCode(status), attribute.String("enduser.id", who))
	if status >= 500 {
		s.span.SetStatus(codes.Error, "")
	}
	s.span.End()
}

// Work begins the span of a piece of long work.
func (t *Teller) Work(ctx context.Context, kind, subject string, id uint64) (context.Context, Span) {
	if t == nil {
		return ctx, Span{}
	}
	ctx, s := t.tracer.Start(ctx, kind, trace.WithSpanKind(trace.SpanKindInternal), trace.WithAttributes(
		attribute.String("tachyphor.work.about", subject), attribute.Int64("tachyphor.work.id", int64(id))))
	return ctx, Span{s}
}

// Over ends it.
func (s Span) Over(state string, err error) {
	if s.span == nil {
		return
	}
	s.span.SetAttributes(attribute.String("tachyphor.work.state", state))
	if err != nil {
		s.span.SetStatus(codes.Error, err.Error())
	}
	s.span.End()
}

// Close tells what has not been told yet, and ends.
func (t *Teller) Close() error {
	if t == nil {
		return nil
	}
	ctx, cancel := context.WithTimeout(context.Background(), 2*time.Second)
	defer cancel()
	return t.provider.Shutdown(ctx)
}
