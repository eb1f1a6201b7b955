package client

import (
	"context"
	"strconv"

	"tachyphor/core/weigh"
	"tachyphor/wire"
)

// Weigh asks for a weighing of a scenario's cache plans.
func (c *Client) Weigh(ctx context.Context, scenario string, ask weigh.Ask) (wire.WorkBrief, error) {
	return c.ask(ctx, "/weighings", struct {
		Scenario string `json:"scenario"`
		weigh.Ask
	}{scenario, ask})
}

// Weighing returns a weighing.
func (c *Client) Weighing(ctx context.Context, id uint64) (wire.KeptWeighing, error) {
	var w wire.KeptWeighing
	_, err := c.call(ctx, request{method: "GET", path: "/weighings/" + strconv.FormatUint(id, 10)}, &w)
	return w, err
}
