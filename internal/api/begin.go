package api

import (
	"context"
	"net/http"

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
		Description: "Templates as they are pasted, with a cluster that holds them and a scenario. What nobody said is assumed, and said to be. " +
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
	var workload *document.Document
	if b.Text != "" {
		docs, faults := document.Parse("the workload", []byte(b.Text))
		if len(faults) > 0 {
			return nil, refused(faults)
		}
		workload = docs[0]
	} else {
		d, _, err := s.stored(ctx, document.KindWorkload, b.Workload)
		if err != nil {
			return nil, err
		}
		workload = d
	}
	spec, ok := workload.Value.(*document.Workload)
	if !ok {
		return nil, huma.Error422UnprocessableEntity("text: expected a Workload, found a " + workload.Kind)
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
	begun, err := learn.BeginWith(b.Workload, &spec.Spec, templates, node, b.Currency, b.Cluster)
	if err != nil {
		if faults, ok := err.(document.Faults); ok {
			return nil, refused(faults)
		}
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	out := wire.Begun{Beginning: *begun, Faults: []document.Fault{}, Stored: []wire.Stored{}}
	docs, faults := document.Parse("", []byte(begun.Text))
	if len(faults) > 0 {
		return nil, refused(faults)
	}
	all := shelf.Of(append(docs, workload)...)
	if b.Cluster != "" {
		cluster, _, err := s.stored(ctx, document.KindCluster, b.Cluster)
		if err != nil {
			return nil, err
		}
		all.Put(cluster)
	}
	scenario := all.Find(document.KindScenario, begun.Scenario)
	named, _ := all.Named(scenario)
	if workload.Name == b.Workload {
		_, faults = world.Assemble(world.Input{Named: named, Jobless: true})
		out.Faults = append(out.Faults, faults...)
	}
	if b.Store {
		if out.Stored, err = s.storeAll(ctx, docs, 0); err != nil {
			return nil, s.answer(err, "document")
		}
	}
	return &struct{ Body wire.Begun }{out}, nil
}
