package client

import (
	"context"
	"net/url"
	"strconv"
	"strings"

	"tachyphor/wire"
)

// Which work is meant: of some kinds, and about a scenario or template; the zero value
// means all.
type Which struct {
	Kinds []string // simulation, weighing, doubt, exploration, margin, pulls, backtest, forecast, preflight, rehearsal; none: all
	About string   // empty: everything
}

// Kinds of work.
var (
	Simulations  = []string{wire.WorkSimulation}
	Weighings    = []string{wire.WorkWeighing}
	Doubts       = []string{wire.WorkDoubt}
	Explorations = []string{wire.WorkExploration}
	Margins      = []string{wire.WorkMargin}
	Pulls        = []string{wire.WorkPulls}
	Backtests    = []string{wire.WorkBacktest}
	Forecasts    = []string{wire.WorkForecast}
	Trials       = []string{wire.WorkPreflight, wire.WorkRehearsal}
)

// Newest is how many entries a list of the newest has at most.
const Newest = 100

func workAt(id uint64) string { return "/work/" + strconv.FormatUint(id, 10) }

// ofKinds asks for work of some kinds, of all when there are none.
func ofKinds(kinds []string) url.Values {
	if len(kinds) == 0 {
		return url.Values{}
	}
	return url.Values{"kind": {strings.Join(kinds, ",")}}
}

// ask takes on work that a body describes, and returns it in brief.
func (c *Client) ask(ctx context.Context, path string, body any) (wire.WorkBrief, error) {
	var w wire.WorkBrief
	_, err := c.call(ctx, request{method: "POST", path: path, contentType: "application/json", body: jsonBody(body)}, &w)
	return w, err
}

// Work returns work of any kind in brief.
func (c *Client) Work(ctx context.Context, id uint64) (wire.WorkBrief, error) {
	var w wire.WorkBrief
	_, err := c.call(ctx, request{method: "GET", path: workAt(id)}, &w)
	return w, err
}

// EachWork goes through work, newest first, until take returns false.
func (c *Client) EachWork(ctx context.Context, which Which, take func(wire.WorkBrief) bool) error {
	for cursor := uint64(0); ; {
		var page wire.Page[wire.WorkBrief]
		q := ofKinds(which.Kinds)
		q.Set("limit", "100")
		if which.About != "" {
			q.Set("about", which.About)
		}
		if cursor > 0 {
			q.Set("cursor", strconv.FormatUint(cursor, 10))
		}
		if _, err := c.call(ctx, request{method: "GET", path: "/work", query: q}, &page); err != nil {
			return err
		}
		for _, w := range page.Items {
			if !take(w) {
				return nil
			}
		}
		if cursor = page.Next; cursor == 0 {
			return nil
		}
	}
}

// NewestWork returns the newest work: Newest of it at most.
func (c *Client) NewestWork(ctx context.Context, which Which) ([]wire.WorkBrief, error) {
	var out []wire.WorkBrief
	err := c.EachWork(ctx, which, func(w wire.WorkBrief) bool {
		out = append(out, w)
		return len(out) < Newest
	})
	return out, err
}

// Cancel ends work. What a trial made is taken away first; watch it to see the end.
func (c *Client) Cancel(ctx context.Context, id uint64) (wire.WorkBrief, error) {
	var w wire.WorkBrief
	_, err := c.call(ctx, request{method: "POST", path: workAt(id) + "/cancel"}, &w)
	return w, err
}

// Watch follows work until it is over, telling each change, and returns its end. A broken
// connection is taken up again.
func (c *Client) Watch(ctx context.Context, id uint64, tell func(wire.WorkBrief)) (wire.WorkBrief, error) {
	return follow(ctx, c, workAt(id)+"/progress", func(w wire.WorkBrief) wire.State { return w.State }, tell)
}

// DropWork takes work of some kinds, of any when there are none, away that is over, with
// all it gave.
func (c *Client) DropWork(ctx context.Context, kinds []string, id uint64) error {
	_, err := c.call(ctx, request{method: "DELETE", path: workAt(id), query: ofKinds(kinds)}, nil)
	return err
}
