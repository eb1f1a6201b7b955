package client

import (
	"context"
	"strconv"

	"tachyphor/wire"
)

// Doubt asks what a scenario hangs on; where outcome is not 0, what that outcome does.
func (c *Client) Doubt(ctx context.Context, scenario string, outcome uint64) (wire.WorkBrief, error) {
	return c.ask(ctx, "/doubts", struct {
		Scenario string `json:"scenario,omitempty"`
		Outcome  uint64 `json:"outcome,omitempty"`
	}{scenario, outcome})
}

// Doubted returns what a scenario hangs on.
func (c *Client) Doubted(ctx context.Context, id uint64) (wire.KeptDoubt, error) {
	var w wire.KeptDoubt
	_, err := c.call(ctx, request{method: "GET", path: "/doubts/" + strconv.FormatUint(id, 10)}, &w)
	return w, err
}
