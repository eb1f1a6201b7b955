package work

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/forecast"
	"tachyphor/internal/library"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

// Forecasting says what to expect of a week; its question is wire.Inputs with Forecast, its result a
// forecast.Forecast.
var Forecasting = Kind{Name: wire.WorkForecast, Called: "forecast", Run: forecasts}

// Forecast enters a forecast into the queue. What is live is kept as a log first, so that the question
// does not change while it waits.
func (q *Queue) Forecast(ctx context.Context, ask wire.AskForecast, by string) (store.Work, document.Faults, error) {
	in, faults, err := q.Library.Pin(ctx, ask.Scenario)
	if err != nil || len(faults) > 0 {
		return store.Work{}, faults, err
	}
	zone, err := q.zoneOf(ctx, in)
	if err != nil {
		return store.Work{}, nil, err
	}
	f := wire.Forecasting{Log: ask.Log, Live: ask.Live}
	now := time.Now()
	if ask.Week != "" {
		if f.Week, err = time.ParseInLocation(time.DateOnly, ask.Week, zone); err != nil {
			return store.Work{}, nil, fmt.Errorf("%w: week: %q is not a day; write it like 2026-11-30", ErrAsk, ask.Week)
		}
	}
	if f.Log, err = q.logOf(ctx, in, ask.Log, ask.Live); err != nil {
		return store.Work{}, nil, err
	}
	if ask.Live && f.Week.IsZero() {
		f.Week = weekNow(now, zone)
	}
	var o store.Work
	if ask.Live {
		o, err = q.forecastLive(ctx, in, ask.Scenario, ask.Project, f, now, by)
	} else {
		o, err = q.forecast(ctx, in, ask.Scenario, f, by)
	}
	return o, nil, err
}

// forecastLive keeps what is live for a week and enters the forecast.
func (q *Queue) forecastLive(ctx context.Context, in wire.Inputs, scenario, project string, f wire.Forecasting, now time.Time, by string) (store.Work, error) {
	f.Until = now
	var err error
	for back := forecast.MostBack; ; back /= 2 {
		f.Log, err = q.Library.KeepLive(ctx, library.Stretch{From: forecast.MondayOf(f.Week).Add(-back), Until: forecast.MondayOf(f.Week).AddDate(0, 0, 7), Project: project}, now)
		if !errors.Is(err, library.ErrTooLong) || back < 2*7*24*time.Hour {
			break
		}
	}
	if err != nil {
		return store.Work{}, err
	}
	return q.forecast(ctx, in, scenario, f, by)
}

func (q *Queue) forecast(ctx context.Context, in wire.Inputs, scenario string, f wire.Forecasting, by string) (store.Work, error) {
	in.Forecast = &f
	return q.enter(ctx, &Forecasting, store.Work{Subject: scenario, By: by}, in)
}

// weekNow is the week that is looked ahead to where nobody says: this one until Wednesday, then the next.
func weekNow(now time.Time, zone *time.Location) time.Time {
	return forecast.MondayOf(now.In(zone).AddDate(0, 0, 4))
}

// zoneOf is the time zone of a pinned scenario's workload.
func (q *Queue) zoneOf(ctx context.Context, in wire.Inputs) (*time.Location, error) {
	input, faults, err := q.Library.Input(ctx, in, false)
	if err == nil {
		err = faults.Err()
	}
	if err != nil {
		return nil, err
	}
	return input.Workload.Value.(*document.Workload).Spec.Zone.Location(), nil
}

func forecasts(ctx context.Context, q *Queue, j *Job) (End, error) {
	var in wire.Inputs
	if err := json.Unmarshal([]byte(j.Question), &in); err != nil {
		return End{}, err
	}
	var log bytes.Buffer
	if err := q.Library.CopyRecording(ctx, in.Forecast.Log, &log); err != nil {
		return End{}, err
	}
	f := *in.Forecast
	in.Recording, in.Forecast = "", nil
	input, faults, err := q.Library.Input(ctx, in, false)
	if err == nil {
		err = faults.Err()
	}
	if err != nil {
		return End{}, err
	}
	learned, err := understood(input.Workload, log.Bytes())
	if err == nil {
		input, err = learned.In(input)
	}
	if err != nil {
		return End{}, err
	}
	question, err := forecast.Ask(input, forecast.Options{Monday: f.Week, Until: f.Until})
	if err != nil {
		return End{}, err
	}
	return roomed(ctx, q, j, question, func(a *forecast.Forecast) any { return forecastBrief(a, f.Live) })
}

func forecastBrief(a *forecast.Forecast, live bool) wire.ForecastBrief {
	out := wire.ForecastBrief{Monday: a.Monday, Jobs: a.Jobs.Mid, Bill: a.Bill.Mid, Live: live, Says: a.Says[len(a.Says)-1]}
	if a.Came != nil {
		out.Came, out.Says = true, a.Came.Says
	}
	return out
}
