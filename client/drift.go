package client

import (
	"context"
	"net/url"

	"tachyphor/wire"
)

// Followed lists the scenarios that are followed, and how they stand.
func (c *Client) Followed(ctx context.Context) (wire.AllFollowed, error) {
	var l wire.AllFollowed
	_, err := c.call(ctx, request{method: "GET", path: "/drift"}, &l)
	return l, err
}

// FollowedDays says how a followed scenario stands, day by day.
func (c *Client) FollowedDays(ctx context.Context, scenario string) (wire.FollowedDays, error) {
	var f wire.FollowedDays
	_, err := c.call(ctx, request{method: "GET", path: "/drift/" + url.PathEscape(scenario)}, &f)
	return f, err
}

// Follow has every day of the live records held against a scenario.
func (c *Client) Follow(ctx context.Context, scenario string, ask wire.Follow) (wire.FollowedDays, error) {
	var f wire.FollowedDays
	_, err := c.call(ctx, request{
		method: "PUT", path: "/drift/" + url.PathEscape(scenario), contentType: "application/json", body: jsonBody(ask),
	}, &f)
	return f, err
}

// Unfollow ends that.
func (c *Client) Unfollow(ctx context.Context, scenario string) error {
	_, err := c.call(ctx, request{method: "DELETE", path: "/drift/" + url.PathEscape(scenario)}, nil)
	return err
}
