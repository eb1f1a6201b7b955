package client

import (
	"context"
	"strconv"

	"tachyphor/core/pulls"
	"tachyphor/wire"
)

// Pulls asks what images cost a scenario, or an outcome where that is not 0, and what some of other sizes
// would spare.
func (c *Client) Pulls(ctx context.Context, scenario string, outcome uint64, lighter []pulls.Lighter) (wire.WorkBrief, error) {
	return c.ask(ctx, "/pulls", struct {
		Scenario string          `json:"scenario,omitempty"`
		Outcome  uint64          `json:"outcome,omitempty"`
		Lighter  []pulls.Lighter `json:"lighter,omitempty"`
	}{scenario, outcome, lighter})
}

// Pulled returns what images cost.
func (c *Client) Pulled(ctx context.Context, id uint64) (wire.KeptPulls, error) {
	var w wire.KeptPulls
	_, err := c.call(ctx, request{method: "GET", path: "/pulls/" + strconv.FormatUint(id, 10)}, &w)
	return w, err
}
