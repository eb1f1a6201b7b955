package client

import (
	"context"
	"io"
	"net/url"
	"strconv"

	"tachyphor/wire"
)

// Live says how much is known of jobs that happened.
func (c *Client) Live(ctx context.Context) (wire.Live, error) {
	var l wire.Live
	_, err := c.call(ctx, request{method: "GET", path: "/live"}, &l)
	return l, err
}

// A Stretch is a part of what happened; what is empty is no bound. From and Until are days, as
// in 2026-09-14, or times with their zone.
type Stretch struct{ From, Until, Project string }

func (s Stretch) query() url.Values {
	q := url.Values{}
	for key, value := range map[string]string{"from": s.From, "until": s.Until, "project": s.Project} {
		if value != "" {
			q.Set(key, value)
		}
	}
	return q
}

// LiveJobs lists the newest jobs that happened, of one state or, where that is empty, of all.
func (c *Client) LiveJobs(ctx context.Context, s Stretch, state string, limit int) ([]wire.LiveJob, error) {
	q := s.query()
	q.Set("limit", strconv.Itoa(limit))
	if state != "" {
		q.Set("state", state)
	}
	var l wire.LiveJobs
	_, err := c.call(ctx, request{method: "GET", path: "/live/jobs", query: q}, &l)
	return l.Items, err
}

// LiveLog writes jobs that happened as a job log, as csv, jsonl or parquet.
func (c *Client) LiveLog(ctx context.Context, s Stretch, form string, out io.Writer) error {
	q := s.query()
	q.Set("form", form)
	return c.export(ctx, "/live/log", q, out)
}

// CutLive makes a workload of jobs that happened, and stores it where ask says so.
func (c *Client) CutLive(ctx context.Context, ask wire.Cut) (wire.LearnedJobs, error) {
	var l wire.LearnedJobs
	_, err := c.call(ctx, request{method: "POST", path: "/live/cut", contentType: "application/json", body: jsonBody(ask)}, &l)
	return l, err
}

// ForgetLive drops what happened before a moment, or all of it, and returns how many runs that was.
func (c *Client) ForgetLive(ctx context.Context, before string) (int64, error) {
	var f wire.Forgotten
	_, err := c.call(ctx, request{method: "DELETE", path: "/live", query: url.Values{"before": {before}}}, &f)
	return f.Runs, err
}

// Agents tells how agents stand in a namespace of a cluster that the service reaches, those of one
// template or, where that is empty, all; an empty cluster means the service's usual cluster.
func (c *Client) Agents(ctx context.Context, cluster, namespace, template string, limit int) (wire.Watched, error) {
	q := url.Values{"namespace": {namespace}, "limit": {strconv.Itoa(limit)}}
	for key, value := range map[string]string{"context": cluster, "template": template} {
		if value != "" {
			q.Set(key, value)
		}
	}
	var w wire.Watched
	_, err := c.call(ctx, request{method: "GET", path: "/live/agents", query: q}, &w)
	return w, err
}

// Usual says what is usual for every hour of the week in a scenario.
func (c *Client) Usual(ctx context.Context, scenario string) (*wire.Usual, error) {
	u := new(wire.Usual)
	_, err := c.call(ctx, request{method: "GET", path: "/scenarios/" + url.PathEscape(scenario) + "/usual"}, u)
	return u, err
}
