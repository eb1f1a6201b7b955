package client

import (
	"bytes"
	"context"
	"net/url"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/kit"
	"tachyphor/core/review"
	"tachyphor/core/template"
	"tachyphor/wire"
)

// Templates reviews every stored template.
func (c *Client) Templates(ctx context.Context) ([]wire.Reviewed, error) {
	var all []wire.Reviewed
	for q := (url.Values{}); ; {
		var page wire.TemplatePage
		if _, err := c.call(ctx, request{method: "GET", path: "/templates", query: q}, &page); err != nil {
			return nil, err
		}
		if all = append(all, page.Items...); page.Next == "" {
			return all, nil
		}
		q.Set("cursor", page.Next)
	}
}

// Template reviews a stored template.
func (c *Client) Template(ctx context.Context, name string) (wire.Reviewed, error) {
	var r wire.Reviewed
	_, err := c.call(ctx, request{method: "GET", path: "/templates/" + url.PathEscape(name)}, &r)
	return r, err
}

// Check reviews the templates of a stream without storing them.
func (c *Client) Check(ctx context.Context, file string, text []byte) ([]wire.Reviewed, error) {
	var list wire.ReviewedList
	_, err := c.call(ctx, request{
		method: "POST", path: "/check", query: url.Values{"file": {file}}, contentType: "application/yaml",
		body: bytes.NewReader(text),
	}, &list)
	return list.Items, err
}

// Mend makes edits in the text of a template, and returns the new text and the
// difference.
func (c *Client) Mend(ctx context.Context, text string, edits []document.Edit) (wire.Mended, error) {
	var m wire.Mended
	_, err := c.call(ctx, request{
		method: "POST", path: "/mend", contentType: "application/json",
		body: jsonBody(map[string]any{"text": text, "edits": edits}),
	}, &m)
	return m, err
}

// Match says which template each class of a workload gets; workload empty: the
// scenario's own.
func (c *Client) Match(ctx context.Context, workload, scenario string) (review.Matches, error) {
	var m review.Matches
	q := url.Values{"scenario": {scenario}}
	if workload != "" {
		q.Set("workload", workload)
	}
	_, err := c.call(ctx, request{method: "GET", path: "/match", query: q}, &m)
	return m, err
}

// Render writes manifests of stored templates.
func (c *Client) Render(ctx context.Context, templates []string, scenario string, parts []string) (kit.Rendered, error) {
	var r kit.Rendered
	q := url.Values{"templates": {strings.Join(templates, ",")}}
	if scenario != "" {
		q.Set("scenario", scenario)
	}
	if len(parts) > 0 {
		q.Set("parts", strings.Join(parts, ","))
	}
	_, err := c.call(ctx, request{method: "GET", path: "/manifests", query: q}, &r)
	return r, err
}

// Fit says how agents of stored templates go on the nodes of a cluster, which may be
// empty for the only one.
func (c *Client) Fit(ctx context.Context, templates []string, cluster string) (review.Fits, error) {
	var f review.Fits
	q := url.Values{"templates": {strings.Join(templates, ",")}}
	if cluster != "" {
		q.Set("cluster", cluster)
	}
	_, err := c.call(ctx, request{method: "GET", path: "/fit", query: q}, &f)
	return f, err
}

// Draft writes a first template from answers.
func (c *Client) Draft(ctx context.Context, a template.Answers) (string, error) {
	var d wire.Draft
	_, err := c.call(ctx, request{method: "POST", path: "/drafts", contentType: "application/json", body: jsonBody(a)}, &d)
	return d.Text, err
}
