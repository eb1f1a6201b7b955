package client

import (
	"context"
	"strconv"

	"tachyphor/wire"
)

// Margin asks how far a scenario bears what may grow; without aims, of those of the scenario.
func (c *Client) Margin(ctx context.Context, scenario string, aims []string) (wire.WorkBrief, error) {
	return c.ask(ctx, "/margins", struct {
		Scenario string   `json:"scenario"`
		Aims     []string `json:"aims,omitempty"`
	}{scenario, aims})
}

// Margins returns how far a scenario bears what may grow.
func (c *Client) Margins(ctx context.Context, id uint64) (wire.KeptMargin, error) {
	var w wire.KeptMargin
	_, err := c.call(ctx, request{method: "GET", path: "/margins/" + strconv.FormatUint(id, 10)}, &w)
	return w, err
}
