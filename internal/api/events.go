package api

import (
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"io"
	"mime"
	"net/http"
	"strconv"
	"time"

	"tachyphor/internal/events"
	"tachyphor/internal/intake"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
)

// Where events come in.
const (
	eventsPath = "/api/v1/events"
	tracesPath = "/v1/traces"
)

// takesEvents tells whether a request sends events, which tokens for that alone may.
func takesEvents(g *gin.Context) bool {
	path := g.Request.URL.Path
	return (path == eventsPath || path == tracesPath) && (g.Request.Method == http.MethodPost || g.Request.Method == http.MethodOptions)
}

// unpacked reads a body that may be packed with gzip, up to a bound of what it unpacks to.
func unpacked(body io.Reader, encoding string) ([]byte, error) {
	switch encoding {
	case "", "identity":
	case "gzip":
		z, err := gzip.NewReader(body)
		if err != nil {
			return nil, huma.Error400BadRequest("the body is not packed with gzip, as its head says")
		}
		body = z
	default:
		return nil, huma.NewError(http.StatusUnsupportedMediaType, "the body may be packed with gzip, or not at all")
	}
	data, err := io.ReadAll(io.LimitReader(body, events.MostBytes+1))
	if long := new(http.MaxBytesError); errors.As(err, &long) || len(data) > events.MostBytes {
		return nil, huma.NewError(http.StatusRequestEntityTooLarge, "a request may have 8 MiB once it is unpacked; send fewer events at once")
	}
	if err != nil {
		return nil, huma.Error400BadRequest("the body broke off, or is damaged")
	}
	return data, nil
}

// take stores what a request carried and says what it came to. after is not 0 where it is to
// be sent again after that time.
func (s *server) take(ctx context.Context, b events.Batch) (out wire.EventsTaken, after time.Duration, err error) {
	t, after, err := s.Intake.Take(ctx, b.Messages, b.Other)
	switch {
	case errors.Is(err, intake.ErrFull):
		return out, after, huma.NewError(http.StatusTooManyRequests, "more events come in than can be stored; send these again in "+
			strconv.Itoa(seconds(after))+" s")
	case err != nil:
		return out, time.Second, s.answer(err, "events")
	}
	return wire.EventsTaken{Counted: t.New, Known: t.Known, Other: b.Other}, 0, nil
}

// seconds rounds up, as Retry-After has whole ones.
func seconds(d time.Duration) int { return int((d + time.Second - 1) / time.Second) }

// headed is a request's head.
type headed struct{ head http.Header }

// Resolve takes the head.
func (x *headed) Resolve(ctx huma.Context) []error {
	x.head = http.Header{}
	ctx.EachHeader(func(name, value string) { x.head.Add(name, value) })
	return nil
}

func (s *server) eventOperations(api huma.API) {
	binary := &huma.Schema{Type: "string", Format: "binary"}
	huma.Register(api, huma.Operation{
		OperationID: "send-events", Method: http.MethodPost, Path: eventsPath, Summary: "Tell what happens to jobs, as CloudEvents",
		Description: "CloudEvents in structured, binary or batch mode that carry CDEvents of pipeline runs, task runs and builds: queued, " +
			"started, finished. What is answered is stored. An event that is sent again counts once, by its source and id, whatever the " +
			"order. Events of other types are taken and left alone. A token for events alone is enough.",
		Tags: []string{"live"},
		RequestBody: &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{
			"application/cloudevents+json": {Schema: binary}, "application/cloudevents-batch+json": {Schema: binary}, "application/json": {Schema: binary},
		}},
		SkipValidateBody: true, MaxBodyBytes: events.MostBytes, BodyReadTimeout: bodyTime,
		Responses: map[string]*huma.Response{"429": {Description: "No room now; Retry-After says when to send them again."}},
	}, func(ctx context.Context, in *struct {
		headed
		RawBody []byte `contentType:"application/cloudevents+json"`
	},
	) (*struct{ Body wire.EventsTaken }, error) {
		data, err := unpacked(bytes.NewReader(in.RawBody), in.head.Get("Content-Encoding"))
		if err != nil {
			return nil, err
		}
		b, err := events.CloudEvents(in.head, data, time.Now())
		if err != nil {
			return nil, huma.Error400BadRequest(err.Error())
		}
		out, after, err := s.take(ctx, b)
		if err != nil && after > 0 {
			err = huma.ErrorWithHeaders(err, http.Header{"Retry-After": {strconv.Itoa(seconds(after))}})
		}
		return &struct{ Body wire.EventsTaken }{out}, err
	})
}

// eventRoutes are those that other protocols want where they are: OTLP's, and a sender's
// question whether it may send CloudEvents here.
func (s *server) eventRoutes(r *gin.Engine) {
	r.OPTIONS(eventsPath, s.authorized, s.telling, func(g *gin.Context) {
		if origin := g.GetHeader("WebHook-Request-Origin"); origin != "" {
			g.Header("WebHook-Allowed-Origin", origin)
			g.Header("WebHook-Allowed-Rate", "*")
		}
		g.Header("Allow", "POST, OPTIONS")
		g.Status(http.StatusOK)
	})
	r.POST(tracesPath, newBusy(mostAtOnce).pass, s.authorized, s.telling, s.roomy, s.traces)
}

// telling lets those through who may tell of jobs.
func (s *server) telling(g *gin.Context) {
	if c := callerOf(g.Request.Context()); c.May != wire.Events && !c.May.May(wire.Designer) {
		problem(g, http.StatusForbidden, s.forbidden(g, "send-events", g.Request.URL.Path, wire.Designer).Error())
	}
}

// traces takes an export of traces in OTLP over HTTP.
func (s *server) traces(g *gin.Context) {
	kind, _, _ := mime.ParseMediaType(g.ContentType())
	asJSON := kind == "application/json"
	answer := func(status int, body []byte) {
		if asJSON {
			g.Data(status, "application/json", body)
		} else {
			g.Data(status, "application/x-protobuf", body)
		}
	}
	refuse := func(err error) {
		status := http.StatusInternalServerError
		if e := huma.StatusError(nil); errors.As(err, &e) {
			status = e.GetStatus()
		}
		why := err.Error()
		if e := (*huma.ErrorModel)(nil); errors.As(err, &e) {
			why = e.Detail
		}
		answer(status, events.TracesRefused(status, why, asJSON))
	}
	if !asJSON && kind != "application/x-protobuf" {
		asJSON = true
		refuse(huma.NewError(http.StatusUnsupportedMediaType, "traces come as application/x-protobuf or application/json"))
		return
	}
	data, err := unpacked(http.MaxBytesReader(g.Writer, g.Request.Body, events.MostBytes), g.GetHeader("Content-Encoding"))
	if err != nil {
		refuse(err)
		return
	}
	b, err := events.Traces(data, asJSON, time.Now())
	if err != nil {
		refuse(huma.Error400BadRequest(err.Error()))
		return
	}
	_, after, err := s.take(g, b)
	if after > 0 {
		g.Header("Retry-After", strconv.Itoa(seconds(after)))
	}
	if err != nil {
		refuse(err)
		return
	}
	answer(http.StatusOK, events.TracesTaken(asJSON))
}
