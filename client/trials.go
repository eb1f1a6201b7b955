package client

import (
	"context"
	"net/url"
	"strconv"

	"tachyphor/wire"
)

// Try begins a preflight or a rehearsal; scenario and cluster may be empty.
func (c *Client) Try(ctx context.Context, kind, template, scenario, cluster string) (wire.Trial, error) {
	var t wire.Trial
	body := map[string]any{"kind": kind, "template": template, "scenario": scenario, "context": cluster}
	_, err := c.call(ctx, request{method: "POST", path: "/trials", contentType: "application/json", body: jsonBody(body)}, &t)
	return t, err
}

func trialAt(id uint64) string { return "/trials/" + strconv.FormatUint(id, 10) }

// Trial returns a trial.
func (c *Client) Trial(ctx context.Context, id uint64) (wire.Trial, error) {
	var t wire.Trial
	_, err := c.call(ctx, request{method: "GET", path: trialAt(id)}, &t)
	return t, err
}

// Trials returns the newest trials of a template, of all when empty, without what
// came of them.
func (c *Client) Trials(ctx context.Context, template string) ([]wire.Trial, error) {
	var list wire.Page[wire.Trial]
	_, err := c.call(ctx, request{method: "GET", path: "/trials", query: url.Values{"template": {template}}}, &list)
	return list.Items, err
}

// CancelTrial ends a trial; what it made is taken away.
func (c *Client) CancelTrial(ctx context.Context, id uint64) error {
	_, err := c.call(ctx, request{method: "POST", path: trialAt(id) + "/cancel"}, nil)
	return err
}

// WatchTrial follows a trial until it is over, telling each change, and returns its
// end. A broken connection is taken up again.
func (c *Client) WatchTrial(ctx context.Context, id uint64, tell func(wire.Trial)) (wire.Trial, error) {
	return follow(ctx, c, trialAt(id)+"/progress", func(t wire.Trial) string { return t.State }, tell)
}
