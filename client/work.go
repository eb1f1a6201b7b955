package client

import (
	"context"
	"net/url"
	"strconv"

	"tachyphor/wire"
)

// What is asked for and kept, as outcomes and weighings are, is handled alike.

// asked takes on work that a body describes, and returns it in brief.
func asked[B any](ctx context.Context, c *Client, path string, body any) (B, error) {
	var b B
	_, err := c.call(ctx, request{method: "POST", path: path, contentType: "application/json", body: jsonBody(body)}, &b)
	return b, err
}

// each goes through the work of a scenario, of all when empty, newest first, page by page,
// until take returns false.
func each[B any](ctx context.Context, c *Client, path, scenario string, take func(B) bool) error {
	for cursor := uint64(0); ; {
		var page wire.Page[B]
		q := url.Values{"limit": {"100"}}
		if scenario != "" {
			q.Set("scenario", scenario)
		}
		if cursor > 0 {
			q.Set("cursor", strconv.FormatUint(cursor, 10))
		}
		if _, err := c.call(ctx, request{method: "GET", path: path, query: q}, &page); err != nil {
			return err
		}
		for _, b := range page.Items {
			if !take(b) {
				return nil
			}
		}
		if cursor = page.Next; cursor == 0 {
			return nil
		}
	}
}

// listed returns the newest work of a scenario, of all when empty: as much as one page
// holds.
func listed[B any](ctx context.Context, c *Client, path, scenario string) ([]B, error) {
	var out []B
	err := each(ctx, c, path, scenario, func(b B) bool {
		out = append(out, b)
		return len(out) < Newest
	})
	return out, err
}

// Newest is how many entries a list of the newest has at most.
const Newest = 100

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
