package events

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"mime"
	"net/http"
	"slices"
	"strings"
	"time"

	"tachyphor/core/live"

	"github.com/cloudevents/sdk-go/v2/binding"
	"github.com/cloudevents/sdk-go/v2/event"
	cehttp "github.com/cloudevents/sdk-go/v2/protocol/http"
)

// CloudEvents reads the CloudEvents of a request in any of the three modes of their HTTP
// binding: binary, with the event's attributes in the head; structured; or a batch.
func CloudEvents(head http.Header, body []byte, now time.Time) (Batch, error) {
	list, err := cloudEvents(head, body)
	if err != nil {
		return Batch{}, err
	}
	if len(list) > Most {
		return Batch{}, &Fault{0, fmt.Sprintf("%d events at once; send %d at most", len(list), Most)}
	}
	var out Batch
	for i := range list {
		e := &list[i]
		if err := e.Validate(); err != nil {
			return Batch{}, &Fault{i + 1, "no valid CloudEvent: " + oneLine(err)}
		}
		m, ours, err := cdEvent(e)
		if err != nil {
			return Batch{}, &Fault{i + 1, err.Error()}
		}
		if !ours {
			out.Other++
			continue
		}
		if err := out.add(i+1, m, now); err != nil {
			return Batch{}, err
		}
	}
	return out, nil
}

// oneLine writes an error of several lines on one.
func oneLine(err error) string { return strings.Join(strings.Fields(err.Error()), " ") }

func cloudEvents(head http.Header, body []byte) ([]event.Event, error) {
	kind, _, err := mime.ParseMediaType(head.Get("Content-Type"))
	switch {
	case kind == event.ApplicationCloudEventsBatchJSON:
		var list []event.Event
		if err := json.Unmarshal(body, &list); err != nil {
			return nil, &Fault{0, "the body is not a list of CloudEvents: " + oneLine(err)}
		}
		return list, nil
	case head.Get("Ce-Specversion") == "" && kind != event.ApplicationCloudEventsJSON:
		if err != nil || kind == "" {
			kind = "none"
		}
		return nil, &Fault{0, "neither ce- headers nor a body of " + event.ApplicationCloudEventsJSON + " or " +
			event.ApplicationCloudEventsBatchJSON + " (its type is " + kind + ")"}
	}
	m := cehttp.NewMessage(head, io.NopCloser(bytes.NewReader(body)))
	e, err := binding.ToEvent(context.Background(), m)
	if err != nil {
		return nil, &Fault{1, "no valid CloudEvent: " + oneLine(err)}
	}
	return []event.Event{*e}, nil
}

// A reference names a run in CDEvents.
type reference struct {
	ID     string `json:"id"`
	Source string `json:"source"`
}

// A cdevent is what is read of the data that CDEvents puts in a CloudEvent.
type cdevent struct {
	Context struct {
		ID        string    `json:"id"`
		Source    string    `json:"source"`
		Type      string    `json:"type"`
		Timestamp time.Time `json:"timestamp"`
	} `json:"context"`
	Subject struct {
		reference
		Content struct {
			PipelineName string     `json:"pipelineName"`
			TaskName     string     `json:"taskName"`
			PipelineRun  *reference `json:"pipelineRun"`
			Outcome      string     `json:"outcome"`
		} `json:"content"`
	} `json:"subject"`
	CustomData json.RawMessage `json:"customData"`
}

// Kinds and steps by the words in an event's type, as in dev.cdevents.taskrun.finished.0.2.0.
var (
	cdKinds = map[string]string{"pipelinerun": live.Pipeline, "taskrun": live.Task, "build": live.Build}
	cdSteps = map[string]func(*live.Message) *time.Time{
		"queued":   func(m *live.Message) *time.Time { return &m.Queued },
		"started":  func(m *live.Message) *time.Time { return &m.Started },
		"finished": func(m *live.Message) *time.Time { return &m.Ended },
	}
)

// cdEvent reads a CDEvents event; ours is false of one that is not of a run.
func cdEvent(e *event.Event) (m live.Message, ours bool, err error) {
	words := strings.Split(e.Type(), ".")
	if len(words) < 4 || words[0] != "dev" || words[1] != "cdevents" {
		return m, false, nil
	}
	kind, step := cdKinds[words[2]], cdSteps[words[3]]
	if kind == "" || step == nil {
		return m, false, nil
	}
	var c cdevent
	if err := json.Unmarshal(e.Data(), &c); err != nil {
		return m, true, fmt.Errorf("its data is not a CDEvents event: %s", oneLine(err))
	}
	if c.Subject.ID == "" {
		return m, true, fmt.Errorf("its data has no subject.id, which names the run")
	}
	m = live.Message{
		Key: "ce\x00" + e.Source() + "\x00" + e.ID(), Kind: kind, At: c.Context.Timestamp, Facts: map[string]string{},
	}
	if m.At.IsZero() {
		if m.At = e.Time(); m.At.IsZero() {
			return m, true, fmt.Errorf("neither context.timestamp nor the CloudEvent's time is there")
		}
	}
	m.At = m.At.UTC()
	m.Run = c.Subject.of(c.Context.Source, e.Source())
	if p := c.Subject.Content.PipelineRun; p != nil && p.ID != "" {
		m.Parent = p.of(m.Run.Source)
	}
	*step(&m) = m.At
	if c.Subject.Content.TaskName != "" || c.Subject.Content.PipelineName != "" {
		m.Facts[live.Name] = strings.TrimPrefix(c.Subject.Content.PipelineName+"/"+c.Subject.Content.TaskName, "/")
		m.Facts[live.Name] = strings.TrimSuffix(m.Facts[live.Name], "/")
	}
	if c.Subject.Content.Outcome != "" {
		m.Facts[live.Result] = c.Subject.Content.Outcome
	}
	return m, true, custom(&m, c.CustomData)
}

// of is what a reference names, with the first source that is known.
func (r reference) of(sources ...string) live.RunID {
	out := live.RunID{Source: r.Source, ID: r.ID}
	for _, s := range sources {
		if out.Source == "" {
			out.Source = s
		}
	}
	return out
}

// custom takes what a sender tells beyond the standard: an object with the names that columns
// of a job log have. Others are passed over, as is what is no object.
func custom(m *live.Message, data json.RawMessage) error {
	var more map[string]any
	if json.Unmarshal(data, &more) != nil {
		return nil
	}
	for name, value := range more {
		if err := tell(m, name, value); err != nil {
			return err
		}
	}
	return nil
}

// queuedFact is the one moment that senders may tell beside facts.
const queuedFact = "queued"

// tell takes a value that a sender tells of a run, where its name is known.
func tell(m *live.Message, name string, value any) error {
	is, ok := written(value)
	if !ok || is == "" {
		return nil
	}
	if name == queuedFact {
		t, err := time.Parse(time.RFC3339Nano, is)
		if err != nil {
			return fmt.Errorf("queued is %q; expected a time such as 2026-09-14T06:00:00Z", is)
		}
		m.Queued = t.UTC()
		return nil
	}
	if slices.Contains(live.Facts, name) {
		m.Facts[name] = is
	}
	return nil
}

// written writes a value of JSON as a cell of a table: a list as its words.
func written(value any) (string, bool) {
	switch v := value.(type) {
	case string:
		return v, true
	case bool, float64, int64:
		return fmt.Sprint(v), true
	case []any:
		var words []string
		for _, x := range v {
			w, ok := written(x)
			if !ok {
				return "", false
			}
			words = append(words, w)
		}
		return strings.Join(words, " "), true
	}
	return "", false
}
