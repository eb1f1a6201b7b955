package api

import (
	"context"
	"encoding/json"
	"net/http"

	"tachyphor/core/forecast"
	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

var forecastings = told{kinds: work.Names(&work.Forecasting), name: "forecast", adds: func(_ *work.Queue, o store.Work, b *wire.WorkBrief) {
	b.Forecast = new(wire.ForecastBrief)
	if in := inputsOf(o); in.Forecast != nil {
		b.Forecast.Live, b.Forecast.Monday = in.Forecast.Live, in.Forecast.Week
	}
	if o.Gist != "" {
		_ = json.Unmarshal([]byte(o.Gist), b.Forecast) // ours; empty if it cannot be read
	}
}}

func (s *server) forecastOperations(api huma.API) {
	tags := []string{"forecasts"}
	huma.Register(api, huma.Operation{
		OperationID: "forecast", Method: http.MethodPost, Path: "/api/v1/forecasts", Summary: "Forecast a week",
		Description: "Weeks are drawn, day by day, from those of a log or of the live records, at the level that these bear, and simulated. The work " +
			"is taken on and done even if the service stops in between; watch it at the address that Location gives.",
		Tags: tags, DefaultStatus: http.StatusAccepted,
	}, func(ctx context.Context, in *struct{ Body wire.AskForecast }) (*accepted, error) {
		o, faults, err := s.Queue.Forecast(ctx, in.Body, who(ctx))
		return s.goesByRecords(o, faults, err, in.Body.Scenario)
	})
	huma.Register(api, huma.Operation{
		OperationID: "get-forecast", Method: http.MethodGet, Path: "/api/v1/forecasts/{id}", Summary: "Get a forecast of a week", Tags: tags,
	}, func(ctx context.Context, in *WorkPath) (*struct{ Body wire.KeptForecast }, error) {
		o, err := forecastings.get(ctx, s, in.ID)
		if err != nil {
			return nil, err
		}
		out := wire.KeptForecast{WorkBrief: inBrief(s.Queue, o)}
		if o.State == wire.Done {
			if out.Result, err = work.ResultOf[forecast.Forecast](ctx, s.Queue, in.ID); err != nil {
				return nil, s.answer(err, forecastings.what(in.ID))
			}
		}
		return &struct{ Body wire.KeptForecast }{out}, nil
	})
}
