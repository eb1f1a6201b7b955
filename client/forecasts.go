package client

import (
	"context"
	"strconv"

	"tachyphor/wire"
)

// Forecast asks what to expect of a week.
func (c *Client) Forecast(ctx context.Context, ask wire.AskForecast) (wire.WorkBrief, error) {
	return c.ask(ctx, "/forecasts", ask)
}

// Forecasted returns it.
func (c *Client) Forecasted(ctx context.Context, id uint64) (wire.KeptForecast, error) {
	var f wire.KeptForecast
	_, err := c.call(ctx, request{method: "GET", path: "/forecasts/" + strconv.FormatUint(id, 10)}, &f)
	return f, err
}
