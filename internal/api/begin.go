package api

import (
	"context"
	"errors"
	"net/http"
	"slices"

	"tachyphor/core/document"
	"tachyphor/core/learn"
	"tachyphor/core/shelf"
	"tachyphor/core/world"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

func (s *server) beginOperations(api huma.API) {
	huma.Register(api, huma.Operation{
		OperationID: "begin", Method: http.MethodPost, Path: "/api/v1/begin", Summary: "Put a first scenario together from jobs and manifests",
		Description: "Templates as they are pasted, with a cluster that holds them and a scenario. What nobody said is assumed, and marked as assumed. " +
			"Nothing is stored unless store is set.",
		Tags: []string{"scenarios"}, MaxBodyBytes: 2 * document.MaxBytes,
	}, s.begin)
}

func (s *server) begin(ctx context.Context, in *struct {
	Body struct {
		Workload  string `json:"workload" minLength:"1" maxLength:"50" doc:"Name of the workload, after which others are named."`
		Text      string `json:"text,omitempty" doc:"Its document, where it is not stored yet."`
		Manifests string `json:"manifests" minLength:"1" doc:"Manifests with pod templates, as YAML or JSON."`
		Node      string `json:"node,omitempty" maxLength:"60" doc:"CPU, memory and price an hour of a node, as in 8,32Gi,0.40; absent: assumed."`
		Currency  string `json:"currency,omitempty" maxLength:"10" doc:"Currency of prices; absent: EUR."`
		Cluster   string `json:"cluster,omitempty" maxLength:"63" doc:"A cluster that is stored; absent: one is made."`
		Store     bool   `json:"store,omitempty" doc:"Store the documents, all or none."`
	}
},
) (*struct{ Body wire.Begun }, error) {
	b := in.Body
	workload, err := s.begunOn(ctx, b.Workload, b.Text)
	if err != nil {
		return nil, err
	}
	reading := document.Read("", []byte(b.Manifests))
	if len(reading.Faults) > 0 {
		return nil, refused(reading.Faults)
	}
	var templates []*document.Document
	for _, d := range reading.Documents {
		if d.Kind == document.KindPodTemplate {
			templates = append(templates, d)
		}
	}
	var node *learn.Node
	if b.Node != "" {
		n, err := learn.ParseNode(b.Node, b.Currency)
		if err != nil {
			return nil, huma.Error422UnprocessableEntity(err.Error())
		}
		node = &n
	}
	begun, err := learn.BeginWith(b.Workload, &workload.Value.(*document.Workload).Spec, templates, node, b.Currency, b.Cluster)
	if err != nil {
		if faults := document.Faults(nil); errors.As(err, &faults) {
			return nil, refused(faults)
		}
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	out := wire.Begun{Beginning: *begun, Faults: []document.Fault{}, Stored: []wire.Stored{}}
	all := shelf.Of(append(slices.Clone(begun.Documents), workload)...)
	if b.Cluster != "" {
		cluster, _, err := s.stored(ctx, document.KindCluster, b.Cluster)
		if err != nil {
			return nil, err
		}
		all.Put(cluster)
	}
	scenario := all.Find(document.KindScenario, begun.Scenario)
	named, _ := all.Named(scenario)
	_, faults := world.Assemble(world.Input{Named: named, Jobless: true})
	out.Faults = append(out.Faults, faults...)
	if b.Store {
		if out.Stored, err = s.storeAll(ctx, begun.Documents, 0); err != nil {
			return nil, s.answer(err, "document")
		}
	}
	return &struct{ Body wire.Begun }{out}, nil
}

// begunOn is the workload that something is begun on: as its text has it, or as it is stored where there is none.
func (s *server) begunOn(ctx context.Context, name, text string) (*document.Document, error) {
	if text == "" {
		d, _, err := s.stored(ctx, document.KindWorkload, name)
		return d, err
	}
	docs, faults := document.Parse("the workload", []byte(text))
	if len(faults) > 0 {
		return nil, refused(faults)
	}
	if d := docs[0]; d.Kind != document.KindWorkload || d.Name != name {
		return nil, huma.Error422UnprocessableEntity("text: expected the Workload " + name + ", found " + d.Kind + " " + d.Name)
	}
	return docs[0], nil
}
