package api

import (
	"context"
	"net/http"

	"tachyphor/core/review"
	"tachyphor/core/units"

	"github.com/danielgtaylor/huma/v2"
)

func (s *server) fitOperations(api huma.API) {
	huma.Register(api, huma.Operation{
		OperationID: "fit", Method: http.MethodGet, Path: "/api/v1/fit", Summary: "How agents go on the nodes of a cluster",
		Description: "Agents per node, what binds, what is left over, price an agent-hour with its steps, and the best mix of " +
			"several templates.", Tags: []string{"sizing"},
	}, func(ctx context.Context, in *FitQuestion) (*struct{ Body review.Fits }, error) {
		fits, err := s.fits(ctx, in)
		if err != nil {
			return nil, err
		}
		return &struct{ Body review.Fits }{fits}, nil
	})
}

// FitQuestion says whose agents are held against which nodes.
type FitQuestion struct {
	Templates []string `query:"templates" required:"true" minItems:"1" maxItems:"100" doc:"Names of the templates."`
	Cluster   string   `query:"cluster" maxLength:"63" doc:"Cluster; absent: the only one that is stored."`
	Class     string   `query:"class" maxLength:"120" doc:"The mean run is one of this class."`
	HalfLife  string   `query:"halfLife" maxLength:"20" default:"30d" doc:"Age at which a run counts half as much in the mean one; 0s: all count alike."`
}

// fits says how agents of templates go on the nodes of a cluster.
func (s *server) fits(ctx context.Context, in *FitQuestion) (review.Fits, error) {
	half, err := units.ParseDuration(in.HalfLife)
	if err != nil {
		return review.Fits{}, huma.Error422UnprocessableEntity("halfLife: " + err.Error())
	}
	shelf, docs, err := s.templates(ctx, in.Templates)
	if err != nil {
		return review.Fits{}, err
	}
	fits, err := shelf.Fit(docs, in.Cluster)
	if err != nil {
		return review.Fits{}, huma.Error422UnprocessableEntity(err.Error())
	}
	means := map[string]units.Duration{}
	for _, name := range fits.Templates {
		if means[name], err = s.Queue.Library.MeanRun(ctx, name, in.Class, half); err != nil {
			return review.Fits{}, s.answer(err, "usage of template "+name)
		}
	}
	fits.Runs(means)
	return fits, nil
}
