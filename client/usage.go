package client

import (
	"context"
	"io"
	"net/url"
	"strconv"

	"tachyphor/core/sizing"
	"tachyphor/wire"
)

func usageOf(template string) string { return "/usage/" + url.PathEscape(template) }

// PutUsage takes in what agents of a template used: CSV, Parquet or answers of
// Prometheus. source says where it comes from; jobs is the digest of a stored job log
// that names pods, and may be empty.
func (c *Client) PutUsage(ctx context.Context, template, source, jobs string, samples io.Reader) (sizing.Taken, error) {
	var t sizing.Taken
	q := url.Values{"source": {source}}
	if jobs != "" {
		q.Set("jobs", jobs)
	}
	_, err := c.call(ctx, request{method: "POST", path: usageOf(template), query: q, contentType: "text/csv", body: samples}, &t)
	return t, err
}

// Usage says what is known of the usage of a template.
func (c *Client) Usage(ctx context.Context, template string) (wire.Usage, error) {
	var u wire.Usage
	_, err := c.call(ctx, request{method: "GET", path: usageOf(template)}, &u)
	return u, err
}

// DropUsage forgets what agents of a template used.
func (c *Client) DropUsage(ctx context.Context, template string) error {
	_, err := c.call(ctx, request{method: "DELETE", path: usageOf(template)}, nil)
	return err
}

// Sizing says how a template is sized; what is left out is the service's default.
type Sizing struct {
	Class, Cluster, Pool string
	Share, Sure, Stretch float64
	HalfLife             string
}

// Size sizes a template from what its agents used.
func (c *Client) Size(ctx context.Context, template string, s Sizing) (*sizing.Advice, error) {
	q := url.Values{}
	for key, value := range map[string]string{"class": s.Class, "cluster": s.Cluster, "pool": s.Pool, "halfLife": s.HalfLife} {
		if value != "" {
			q.Set(key, value)
		}
	}
	for key, value := range map[string]float64{"share": s.Share, "sure": s.Sure, "stretch": s.Stretch} {
		if value != 0 {
			q.Set(key, strconv.FormatFloat(value, 'g', -1, 64))
		}
	}
	a := new(sizing.Advice)
	_, err := c.call(ctx, request{method: "GET", path: "/size/" + url.PathEscape(template), query: q}, a)
	return a, err
}
