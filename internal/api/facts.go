package api

import (
	"context"
	"net/http"
	"strings"
	"time"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/doubt"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

func (s *server) factsOperations(api huma.API) {
	huma.Register(api, huma.Operation{
		OperationID: "get-facts", Method: http.MethodGet, Path: "/api/v1/clusters/{name}/facts",
		Summary: "What a cluster says, fact by fact, and what is known of each", Tags: []string{"documents"},
	}, s.getFacts)
	huma.Register(api, huma.Operation{
		OperationID: "get-demand", Method: http.MethodGet, Path: "/api/v1/workloads/{name}/demand",
		Summary: "When a workload's jobs come, and what its classes are", Tags: []string{"documents"},
	}, s.getDemand)
}

// stored reads the newest revision of a document.
func (s *server) stored(ctx context.Context, kind, name string) (d *document.Document, revision int, err error) {
	h, err := s.Store.Get(ctx, kind, name, 0)
	if err != nil {
		return nil, 0, s.answer(err, strings.ToLower(kind)+" "+name)
	}
	docs, faults := document.Parse("", []byte(h.Text))
	if len(faults) > 0 || len(docs) != 1 {
		return nil, 0, unreadable()
	}
	return docs[0], h.Number, nil
}

func (s *server) getDemand(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the workload."`
},
) (*struct{ Body wire.Demand }, error) {
	d, revision, err := s.stored(ctx, document.KindWorkload, in.Name)
	if err != nil {
		return nil, err
	}
	spec := &d.Value.(*document.Workload).Spec
	var r *demand.Recording
	if spec.Jobs != nil {
		if r, err = s.Queue.Library.Recording(ctx, spec.Jobs); err != nil {
			return nil, s.answer(err, "recording of "+in.Name)
		}
	}
	seen, bad := demand.See(spec, r)
	if len(bad) > 0 {
		return nil, huma.Error409Conflict("a recorded job cannot be used: " + bad[0].String())
	}
	return &struct{ Body wire.Demand }{wire.Demand{Name: in.Name, Revision: revision, Note: d.Note(), Seen: *seen}}, nil
}

func (s *server) getFacts(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the cluster."`
},
) (*struct{ Body wire.ClusterFacts }, error) {
	d, revision, err := s.stored(ctx, document.KindCluster, in.Name)
	if err != nil {
		return nil, err
	}
	spec := &d.Value.(*document.Cluster).Spec
	out := wire.ClusterFacts{
		Name: in.Name, Revision: revision, Note: d.Note(), Facts: doubt.Facts(spec, nil, time.Now()), Measured: spec.Measured,
	}
	if out.Measured == nil {
		out.Measured = []document.Measured{}
	}
	if out.Facts == nil {
		out.Facts = []doubt.Fact{}
	}
	return &struct{ Body wire.ClusterFacts }{out}, nil
}
