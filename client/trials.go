package client

import (
	"context"

	"tachyphor/wire"
)

// Try begins a preflight or a rehearsal; scenario and cluster may be empty.
func (c *Client) Try(ctx context.Context, kind, template, scenario, cluster string) (wire.WorkBrief, error) {
	return c.ask(ctx, "/trials", map[string]any{"kind": kind, "template": template, "scenario": scenario, "context": cluster})
}
