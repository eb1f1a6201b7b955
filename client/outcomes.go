package client

import (
	"context"
	"fmt"
	"io"
	"net/url"
	"strconv"
	"strings"
	"time"

	"tachyphor/core/outcome"
	"tachyphor/wire"
)

// Scenario returns a scenario with what it builds on.
func (c *Client) Scenario(ctx context.Context, name string) (wire.Scenario, error) {
	var s wire.Scenario
	_, err := c.call(ctx, request{method: "GET", path: "/scenarios/" + url.PathEscape(name)}, &s)
	return s, err
}

// Simulate asks for a scenario's simulation.
func (c *Client) Simulate(ctx context.Context, scenario string, run wire.Run) (wire.WorkBrief, error) {
	return c.ask(ctx, "/outcomes", struct {
		Scenario string `json:"scenario"`
		wire.Run
	}{scenario, run})
}

func outcomeAt(id uint64) string { return "/outcomes/" + strconv.FormatUint(id, 10) }

// Outcome returns an outcome, with the exact figures of each repeat if wanted.
func (c *Client) Outcome(ctx context.Context, id uint64, samples bool) (wire.KeptOutcome, error) {
	var o wire.KeptOutcome
	_, err := c.call(ctx, request{method: "GET", path: outcomeAt(id), query: url.Values{"samples": {strconv.FormatBool(samples)}}}, &o)
	return o, err
}

// Jobs returns a page of an outcome's jobs, from one on.
func (c *Client) Jobs(ctx context.Context, id uint64, from, limit int) (wire.JobPage, error) {
	var page wire.JobPage
	q := url.Values{"cursor": {strconv.Itoa(from)}, "limit": {strconv.Itoa(limit)}}
	_, err := c.call(ctx, request{method: "GET", path: outcomeAt(id) + "/jobs", query: q}, &page)
	return page, err
}

// Export writes an outcome's jobs or lines in a format.
func (c *Client) Export(ctx context.Context, id uint64, what, form string, out io.Writer) error {
	q := url.Values{"what": {what}, "form": {form}}
	return c.export(ctx, outcomeAt(id)+"/export", q, out)
}

// export writes a file that the service gives.
func (c *Client) export(ctx context.Context, path string, q url.Values, out io.Writer) error {
	answer, err := c.send(ctx, request{method: "GET", path: path, query: q})
	if err != nil {
		return err
	}
	defer func() { _ = answer.Body.Close() }()
	if _, err = io.Copy(out, answer.Body); err != nil {
		return fmt.Errorf("the export was cut short: %w", err)
	}
	return nil
}

// Explain returns one job's delay, cause by cause.
func (c *Client) Explain(ctx context.Context, id uint64, job string) (outcome.Explanation, error) {
	var e outcome.Explanation
	_, err := c.call(ctx, request{method: "GET", path: outcomeAt(id) + "/jobs/" + url.PathEscape(job)}, &e)
	return e, err
}

// Compare holds outcomes beside each other.
func (c *Client) Compare(ctx context.Context, ids []uint64) (wire.ComparedOutcomes, error) {
	words := make([]string, len(ids))
	for i, id := range ids {
		words[i] = strconv.FormatUint(id, 10)
	}
	var out wire.ComparedOutcomes
	_, err := c.call(ctx, request{method: "GET", path: "/compare", query: url.Values{"ids": {strings.Join(words, ",")}}}, &out)
	return out, err
}

// whichJobs writes a filter as the service is asked for it.
func whichJobs(f outcome.Filter) url.Values {
	q := url.Values{}
	for key, at := range map[string]time.Time{"from": f.From, "to": f.To} {
		if !at.IsZero() {
			q.Set(key, at.Format(time.RFC3339Nano))
		}
	}
	for key, word := range map[string]string{"class": f.Class, "template": f.Template, "result": f.Result, "cause": f.Cause, "text": f.Text} {
		if word != "" {
			q.Set(key, word)
		}
	}
	return q
}

// Part tells what became of the jobs of an outcome's first repeat that a filter means.
func (c *Client) Part(ctx context.Context, id uint64, f outcome.Filter) (outcome.Slice, error) {
	var p outcome.Slice
	_, err := c.call(ctx, request{method: "GET", path: fmt.Sprintf("/outcomes/%d/part", id), query: whichJobs(f)}, &p)
	return p, err
}

// SomeJobs lists the jobs that a filter means, by one of outcome.Orders, from one on.
func (c *Client) SomeJobs(ctx context.Context, id uint64, f outcome.Filter, by string, down bool, from, limit int) (wire.JobPage, error) {
	q := whichJobs(f)
	q.Set("by", by)
	q.Set("down", strconv.FormatBool(down))
	q.Set("cursor", strconv.Itoa(from))
	q.Set("limit", strconv.Itoa(limit))
	var p wire.JobPage
	_, err := c.call(ctx, request{method: "GET", path: fmt.Sprintf("/outcomes/%d/jobs", id), query: q}, &p)
	return p, err
}

// Why says of a number of an outcome what it is, how it is made, how sure it is, and what went in; see
// outcome.Outcome.WhyOf for their names.
func (c *Client) Why(ctx context.Context, id uint64, of string) (wire.WhyNumber, error) {
	var w wire.WhyNumber
	_, err := c.call(ctx, request{method: "GET", path: outcomeAt(id) + "/why", query: url.Values{"of": {of}}}, &w)
	return w, err
}
