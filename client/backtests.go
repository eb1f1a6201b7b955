package client

import (
	"context"
	"strconv"

	"tachyphor/wire"
)

func backtestAt(id uint64) string { return "/backtests/" + strconv.FormatUint(id, 10) }

// Backtest asks whether a scenario's simulation came true.
func (c *Client) Backtest(ctx context.Context, ask wire.AskBacktest) (wire.WorkBrief, error) {
	return c.ask(ctx, "/backtests", ask)
}

// Backtested returns whether it did.
func (c *Client) Backtested(ctx context.Context, id uint64) (wire.KeptBacktest, error) {
	var b wire.KeptBacktest
	_, err := c.call(ctx, request{method: "GET", path: backtestAt(id)}, &b)
	return b, err
}

// TakeFactOver stores a revision of the cluster with the value that would explain most.
func (c *Client) TakeFactOver(ctx context.Context, id uint64) (wire.Stored, error) {
	var s wire.Stored
	_, err := c.call(ctx, request{method: "POST", path: backtestAt(id) + "/fact"}, &s)
	return s, err
}
