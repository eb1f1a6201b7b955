package work

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"tachyphor/core/forecast"
	"tachyphor/internal/library"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

// onItsOwn is who asks for what the service does by itself.
const onItsOwn = "the service"

// mondays looks ahead, on Monday morning, to the week of a followed scenario, and holds the forecast of the
// week before against what came of it, under the documents that it was made with.
func (q *Queue) mondays(ctx context.Context, f store.Followed, in wire.Inputs, now time.Time) error {
	monday := forecast.MondayOf(now)
	if day := monday.Format(time.DateOnly); now.Sub(monday) < settled || f.Ahead >= day {
		return nil
	}
	_, err := q.forecastLive(ctx, in, f.Scenario, f.Project, wire.Forecasting{Week: monday, Live: true}, now, onItsOwn)
	if err == nil {
		err = q.cameTrue(ctx, f, monday.AddDate(0, 0, -7), now)
	}
	if err != nil && !errors.Is(err, library.ErrNoJobs) { // weeks without a job bear no forecast
		return err
	}
	return q.store.LookedAhead(ctx, f.Scenario, monday.Format(time.DateOnly))
}

// forecastsLooked is how many of a scenario's newest forecasts are looked at for that of a week.
const forecastsLooked = 20

// cameTrue makes the forecast of a week anew that was made before it, with what came of it.
func (q *Queue) cameTrue(ctx context.Context, f store.Followed, week, now time.Time) error {
	list, err := q.store.ListWork(ctx, Names(&Forecasting), f.Scenario, false, 0, forecastsLooked)
	if err != nil {
		return err
	}
	for _, o := range list {
		var in wire.Inputs
		if json.Unmarshal([]byte(o.Question), &in) != nil || in.Forecast == nil || o.State != wire.Done {
			continue
		}
		x := in.Forecast
		if !x.Live || x.First > 0 || !forecast.MondayOf(x.Week.In(week.Location())).Equal(week) {
			continue
		}
		_, err := q.forecastLive(ctx, in, f.Scenario, f.Project, wire.Forecasting{Week: week, Live: true, First: o.ID}, now, onItsOwn)
		return err
	}
	return nil
}
