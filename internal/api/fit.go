package api

import (
	"context"
	"net/http"

	"tachyphor/core/review"

	"github.com/danielgtaylor/huma/v2"
)

func (s *server) fitOperations(api huma.API) {
	huma.Register(api, huma.Operation{
		OperationID: "fit", Method: http.MethodGet, Path: "/api/v1/fit", Summary: "How agents go on the nodes of a cluster",
		Description: "Agents per node, what binds, what is left over, price an agent-hour with its steps, and the best mix of several templates.", Tags: []string{"sizing"},
	}, func(ctx context.Context, in *struct {
		Templates []string `query:"templates" required:"true" minItems:"1" maxItems:"100" doc:"Names of the templates."`
		Cluster   string   `query:"cluster" maxLength:"63" doc:"Cluster; absent: the only one that is stored."`
	},
	) (*struct{ Body review.Fits }, error) {
		shelf, docs, err := s.templates(ctx, in.Templates)
		if err != nil {
			return nil, err
		}
		fits, err := shelf.Fit(docs, in.Cluster)
		if err != nil {
			return nil, huma.Error422UnprocessableEntity(err.Error())
		}
		for i := range fits.Fits {
			f := &fits.Fits[i]
			used, err := s.Store.UsageOf(ctx, f.Template)
			if err != nil {
				return nil, s.answer(err, "usage of template "+f.Template)
			}
			runs, hours := 0, 0.0
			for _, c := range used {
				runs, hours = runs+c.Runs, hours+c.Hours
			}
			f.PerRun = f.PerHour * hours / float64(max(runs, 1))
		}
		return &struct{ Body review.Fits }{fits}, nil
	})
}
