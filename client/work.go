package client

import (
	"context"
	"net/url"

	"tachyphor/internal/api"
)

// What is asked for and kept, as outcomes and weighings are, is handled alike.

// asked takes on work that a body describes, and returns it in brief.
func asked[B any](ctx context.Context, c *Client, path string, body any) (B, error) {
	var b B
	_, err := c.call(ctx, request{method: "POST", path: path, contentType: "application/json", body: jsonBody(body)}, &b)
	return b, err
}

// listed returns the newest work of a scenario, of all when empty.
func listed[B any](ctx context.Context, c *Client, path, scenario string) ([]B, error) {
	var page api.Page[B]
	q := url.Values{}
	if scenario != "" {
		q.Set("scenario", scenario)
	}
	_, err := c.call(ctx, request{method: "GET", path: path, query: q}, &page)
	return page.Items, err
}

// cancelled ends work and returns it in brief.
func cancelled[B any](ctx context.Context, c *Client, path string) (B, error) {
	var b B
	_, err := c.call(ctx, request{method: "POST", path: path + "/cancel"}, &b)
	return b, err
}

// dropped takes work away that is over.
func (c *Client) dropped(ctx context.Context, path string) error {
	_, err := c.call(ctx, request{method: "DELETE", path: path}, nil)
	return err
}
