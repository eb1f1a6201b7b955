package client

import (
	"context"

	"tachyphor/wire"
)

// Try begins a preflight or a rehearsal; scenario and cluster may be empty.
func (c *Client) Try(ctx context.Context, ask wire.TryOut) (wire.WorkBrief, error) {
	return c.ask(ctx, "/trials", ask)
}
