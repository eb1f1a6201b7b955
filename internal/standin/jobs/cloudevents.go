package jobs

import (
	"bytes"
	"encoding/json"
	"net/http"
	"time"

	"github.com/cloudevents/sdk-go/v2/event"
)

// source is what sends.
const source = "/slipway/dispatch"

// cdWords are CDEvents' words for the steps of a task run.
var cdWords = map[Step]string{Queued: "queued", Started: "started", Finished: "finished"}

// cdVersion is the version of CDEvents that is spoken, and that of its events of task runs and builds.
const (
	cdVersion      = "0.5.0"
	cdEventVersion = "0.3.0"
)

// cloudEvents writes what happened as a batch of CloudEvents that carry CDEvents. The standard
// has no event for a task run that is queued, so that each job is a pipeline run with one.
func cloudEvents(list []Happening) (*message, error) {
	var batch []event.Event
	for _, h := range list {
		whole := map[string]any{"pipelineName": h.Class}
		part := map[string]any{"taskName": h.Class, "pipelineRun": map[string]string{"id": wholeOf(h.ID), "source": source}}
		var err error
		switch h.Step {
		case Queued:
			err = add(&batch, h, "pipelinerun", wholeOf(h.ID), whole)
		case Started:
			err = add(&batch, h, "taskrun", h.ID, part)
		case Finished:
			whole["outcome"], part["outcome"] = h.Result, h.Result
			if err = add(&batch, h, "taskrun", h.ID, part); err == nil {
				err = add(&batch, h, "pipelinerun", wholeOf(h.ID), whole)
			}
		}
		if err != nil {
			return nil, err
		}
	}
	if len(batch) == 0 {
		return nil, nil
	}
	b, err := json.Marshal(batch)
	return &message{"/api/v1/events", http.Header{"Content-Type": {event.ApplicationCloudEventsBatchJSON}}, b, len(batch)}, err
}

// wholeOf names the pipeline run of a job.
func wholeOf(job string) string { return "all of " + job }

// add adds the event of a step of a run.
func add(batch *[]event.Event, h Happening, kind, run string, content map[string]any) error {
	e := event.New()
	e.SetID(run + "/" + cdWords[h.Step])
	e.SetSource(source)
	e.SetType("dev.cdevents." + kind + "." + cdWords[h.Step] + "." + cdEventVersion)
	e.SetSubject(run)
	e.SetTime(h.At)
	err := e.SetData(event.ApplicationJSON, map[string]any{
		"context": map[string]any{
			"specversion": cdVersion, "id": e.ID(), "source": source, "type": e.Type(), "timestamp": h.At.Format(time.RFC3339Nano),
		},
		"subject":               map[string]any{"id": run, "source": source, "content": content},
		"customData":            map[string]any{"class": h.Class, "project": h.Project, "branch": h.Branch, "wants": h.Wants, "pod": h.Pod, "phases": h.Phases},
		"customDataContentType": event.ApplicationJSON,
	})
	*batch = append(*batch, e)
	return err
}

// A message is a request's body, and where it goes.
type message struct {
	path string
	head http.Header
	body []byte
	n    int // events or spans in it
}

func (m *message) reader() *bytes.Reader { return bytes.NewReader(m.body) }
