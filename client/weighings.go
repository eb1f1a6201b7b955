package client

import (
	"context"
	"strconv"

	"tachyphor/core/weigh"
	"tachyphor/wire"
)

func weighingAt(id uint64) string { return "/weighings/" + strconv.FormatUint(id, 10) }

// Weigh asks for a weighing of a scenario's cache plans.
func (c *Client) Weigh(ctx context.Context, scenario string, ask weigh.Ask) (wire.WeighingBrief, error) {
	return asked[wire.WeighingBrief](ctx, c, "/weighings", struct {
		Scenario string `json:"scenario"`
		weigh.Ask
	}{scenario, ask})
}

// Weighing returns a weighing.
func (c *Client) Weighing(ctx context.Context, id uint64) (wire.KeptWeighing, error) {
	var w wire.KeptWeighing
	_, err := c.call(ctx, request{method: "GET", path: weighingAt(id)}, &w)
	return w, err
}

// Weighings returns the newest weighings of a scenario, of all when empty.
func (c *Client) Weighings(ctx context.Context, scenario string) ([]wire.WeighingBrief, error) {
	return listed[wire.WeighingBrief](ctx, c, "/weighings", scenario)
}

// CancelWeighing ends a weighing.
func (c *Client) CancelWeighing(ctx context.Context, id uint64) (wire.WeighingBrief, error) {
	return cancelled[wire.WeighingBrief](ctx, c, weighingAt(id))
}

// WatchWeighing follows a weighing until it is over, as Watch does.
func (c *Client) WatchWeighing(ctx context.Context, id uint64, tell func(wire.WeighingBrief)) (wire.WeighingBrief, error) {
	return follow(ctx, c, weighingAt(id)+"/progress", func(w wire.WeighingBrief) string { return w.State }, tell)
}

// DropWeighing takes a weighing that is over away.
func (c *Client) DropWeighing(ctx context.Context, id uint64) error {
	return c.dropped(ctx, weighingAt(id))
}
