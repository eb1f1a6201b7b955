// Package client is the Go client of the HTTP interface.
package client

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/kit"
	"tachyphor/core/outcome"
	"tachyphor/core/review"
	"tachyphor/core/template"
	"tachyphor/internal/api"

	"github.com/danielgtaylor/huma/v2"
)

// The messages of the interface.
type (
	Document     = api.Document
	Stored       = api.Stored
	Recording    = api.Recording
	JobPage      = api.JobPage
	Scenario     = api.Scenario
	OutcomeBrief = api.OutcomeBrief
	Outcome      = api.KeptOutcome
	Comparison   = api.ComparedOutcomes
	Reviewed     = api.Reviewed
	Trial        = api.Trial
)

// A Client talks to one service. It is safe for use by many goroutines.
type Client struct {
	Address string // as in http://127.0.0.1:7420
	Token   string
	HTTP    *http.Client // nil: a default one
}

// ErrUnreachable says that no service answers at the address.
var ErrUnreachable = errors.New("no service answers")

// A Problem is an answer that says no, with its reasons.
type Problem struct {
	huma.ErrorModel
}

// Error writes the detail and every reason on a line of its own.
func (p *Problem) Error() string {
	lines := []string{p.Detail}
	if p.Detail == "" {
		lines[0] = p.Title
	}
	for _, e := range p.Errors {
		lines = append(lines, "  "+e.Message)
	}
	return strings.Join(lines, "\n")
}

// IsStatus reports whether err is a problem with an HTTP status.
func IsStatus(err error, status int) bool {
	var p *Problem
	return errors.As(err, &p) && p.Status == status
}

// request is one call.
type request struct {
	method, path string
	query        url.Values
	header       map[string]string
	contentType  string
	body         io.Reader
}

// send makes a call and returns its answer if it is a good one; the caller
// closes the body.
func (c *Client) send(ctx context.Context, r request) (*http.Response, error) {
	address := strings.TrimSuffix(c.Address, "/") + "/api/v1" + r.path
	if len(r.query) > 0 {
		address += "?" + r.query.Encode()
	}
	req, err := http.NewRequestWithContext(ctx, r.method, address, r.body)
	if err != nil {
		return nil, err
	}
	req.Header.Set("Authorization", "Bearer "+c.Token)
	if r.contentType != "" {
		req.Header.Set("Content-Type", r.contentType)
	}
	for k, v := range r.header {
		req.Header.Set(k, v)
	}
	h := c.HTTP
	if h == nil {
		h = http.DefaultClient
	}
	resp, err := h.Do(req)
	if err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, fmt.Errorf("%w at %s: %v; start it with `tachyphor serve`, or name another with --server", ErrUnreachable, c.Address, errors.Unwrap(err))
	}
	if resp.StatusCode < 300 {
		return resp, nil
	}
	defer func() { _ = resp.Body.Close() }()
	p := &Problem{}
	if json.NewDecoder(io.LimitReader(resp.Body, 16<<20)).Decode(p) != nil || p.Status == 0 {
		p.Status, p.Detail = resp.StatusCode, resp.Status
	}
	return nil, p
}

// call makes a call and reads its answer into out, which may be nil.
func (c *Client) call(ctx context.Context, r request, out any) (http.Header, error) {
	resp, err := c.send(ctx, r)
	if err != nil {
		return nil, err
	}
	defer func() { _ = resp.Body.Close() }()
	if out == nil {
		_, err = io.Copy(io.Discard, resp.Body)
		return resp.Header, err
	}
	return resp.Header, json.NewDecoder(resp.Body).Decode(out)
}

func jsonBody(v any) io.Reader {
	b, err := json.Marshal(v)
	if err != nil {
		panic("client: " + err.Error()) // only for types that cannot be written
	}
	return bytes.NewReader(b)
}

// Put stores a stream of documents, all or none.
func (c *Client) Put(ctx context.Context, file string, text []byte, dryRun bool) ([]Stored, error) {
	var list api.StoredList
	q := url.Values{"file": {file}}
	if dryRun {
		q.Set("dryRun", "true")
	}
	_, err := c.call(ctx, request{method: "POST", path: "/documents", query: q, contentType: "application/yaml", body: bytes.NewReader(text)}, &list)
	return list.Items, err
}

// PutRecording stores recorded jobs.
func (c *Client) PutRecording(ctx context.Context, jobs io.Reader, columns map[string]string, skipBad bool) (Recording, error) {
	var r Recording
	q := url.Values{"skipBad": {strconv.FormatBool(skipBad)}}
	pairs := make([]string, 0, len(columns))
	for ours, theirs := range columns {
		pairs = append(pairs, ours+"="+theirs)
	}
	if len(pairs) > 0 {
		q.Set("columns", strings.Join(pairs, ","))
	}
	_, err := c.call(ctx, request{method: "POST", path: "/recordings", query: q, contentType: "text/csv", body: jobs}, &r)
	return r, err
}

func documentAt(kind, name string) string {
	return "/documents/" + url.PathEscape(kind) + "/" + url.PathEscape(name)
}

// Get returns a document's revision, the newest for 0.
func (c *Client) Get(ctx context.Context, kind, name string, revision int) (Document, error) {
	var d Document
	q := url.Values{}
	if revision > 0 {
		q.Set("revision", strconv.Itoa(revision))
	}
	_, err := c.call(ctx, request{method: "GET", path: documentAt(kind, name), query: q}, &d)
	return d, err
}

// Edit changes fields of a document whose newest revision must be the given one
// (0: whichever it is).
func (c *Client) Edit(ctx context.Context, kind, name string, revision int, edits []document.Edit) (Stored, error) {
	var s Stored
	r := request{method: "PATCH", path: documentAt(kind, name), contentType: "application/json-patch+json", body: jsonBody(edits)}
	if revision > 0 {
		r.header = map[string]string{"If-Match": `"r` + strconv.Itoa(revision) + `"`}
	}
	_, err := c.call(ctx, r, &s)
	return s, err
}

// List returns every document of a kind, all kinds when empty.
func (c *Client) List(ctx context.Context, kind string) ([]Document, error) {
	var all []Document
	for cursor := ""; ; {
		var page api.DocumentPage
		q := url.Values{}
		if kind != "" {
			q.Set("kind", kind)
		}
		if cursor != "" {
			q.Set("cursor", cursor)
		}
		if _, err := c.call(ctx, request{method: "GET", path: "/documents", query: q}, &page); err != nil {
			return nil, err
		}
		all = append(all, page.Items...)
		if cursor = page.Next; cursor == "" {
			return all, nil
		}
	}
}

// Drop takes a document away.
func (c *Client) Drop(ctx context.Context, kind, name string) error {
	_, err := c.call(ctx, request{method: "DELETE", path: documentAt(kind, name)}, nil)
	return err
}

// History returns a document's newest revisions.
func (c *Client) History(ctx context.Context, kind, name string) ([]Document, error) {
	var page api.RevisionPage
	_, err := c.call(ctx, request{method: "GET", path: documentAt(kind, name) + "/revisions"}, &page)
	return page.Items, err
}

// Diff returns the difference of two revisions as a unified diff.
func (c *Client) Diff(ctx context.Context, kind, name string, from, to int) (string, error) {
	var d api.Diff
	q := url.Values{"from": {strconv.Itoa(from)}, "to": {strconv.Itoa(to)}}
	_, err := c.call(ctx, request{method: "GET", path: documentAt(kind, name) + "/diff", query: q}, &d)
	return d.Text, err
}

// Templates reviews every stored template.
func (c *Client) Templates(ctx context.Context) ([]Reviewed, error) {
	var list api.ReviewedList
	_, err := c.call(ctx, request{method: "GET", path: "/templates"}, &list)
	return list.Items, err
}

// Template reviews a stored template.
func (c *Client) Template(ctx context.Context, name string) (Reviewed, error) {
	var r Reviewed
	_, err := c.call(ctx, request{method: "GET", path: "/templates/" + url.PathEscape(name)}, &r)
	return r, err
}

// Check reviews the templates of a stream without storing them.
func (c *Client) Check(ctx context.Context, file string, text []byte) ([]Reviewed, error) {
	var list api.ReviewedList
	_, err := c.call(ctx, request{method: "POST", path: "/check", query: url.Values{"file": {file}}, contentType: "application/yaml", body: bytes.NewReader(text)}, &list)
	return list.Items, err
}

// Mend makes edits in the text of a template, and returns the new text and the
// difference.
func (c *Client) Mend(ctx context.Context, text string, edits []document.Edit) (api.Mended, error) {
	var m api.Mended
	_, err := c.call(ctx, request{method: "POST", path: "/mend", contentType: "application/json", body: jsonBody(map[string]any{"text": text, "edits": edits})}, &m)
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
	var d api.Draft
	_, err := c.call(ctx, request{method: "POST", path: "/drafts", contentType: "application/json", body: jsonBody(a)}, &d)
	return d.Text, err
}

// Scenario returns a scenario with what it builds on.
func (c *Client) Scenario(ctx context.Context, name string) (Scenario, error) {
	var s Scenario
	_, err := c.call(ctx, request{method: "GET", path: "/scenarios/" + url.PathEscape(name)}, &s)
	return s, err
}

// Simulate asks for a scenario's simulation. seed and repeats may be nil.
func (c *Client) Simulate(ctx context.Context, scenario string, seed *uint64, repeats *int) (OutcomeBrief, error) {
	var o OutcomeBrief
	body := map[string]any{"scenario": scenario}
	if seed != nil {
		body["seed"] = *seed
	}
	if repeats != nil {
		body["repeats"] = *repeats
	}
	_, err := c.call(ctx, request{method: "POST", path: "/outcomes", contentType: "application/json", body: jsonBody(body)}, &o)
	return o, err
}

func outcomeAt(id uint64) string { return "/outcomes/" + strconv.FormatUint(id, 10) }

// Outcome returns an outcome, with the exact figures of each repeat if wanted.
func (c *Client) Outcome(ctx context.Context, id uint64, samples bool) (Outcome, error) {
	var o Outcome
	_, err := c.call(ctx, request{method: "GET", path: outcomeAt(id), query: url.Values{"samples": {strconv.FormatBool(samples)}}}, &o)
	return o, err
}

// Outcomes returns the newest outcomes of a scenario, of all when empty.
func (c *Client) Outcomes(ctx context.Context, scenario string) ([]OutcomeBrief, error) {
	var page api.OutcomePage
	q := url.Values{}
	if scenario != "" {
		q.Set("scenario", scenario)
	}
	_, err := c.call(ctx, request{method: "GET", path: "/outcomes", query: q}, &page)
	return page.Items, err
}

// Cancel ends a simulation.
func (c *Client) Cancel(ctx context.Context, id uint64) (OutcomeBrief, error) {
	var o OutcomeBrief
	_, err := c.call(ctx, request{method: "POST", path: outcomeAt(id) + "/cancel"}, &o)
	return o, err
}

// Watch follows a simulation until it is over, telling each change, and returns
// its end. A broken connection is taken up again.
func (c *Client) Watch(ctx context.Context, id uint64, tell func(OutcomeBrief)) (OutcomeBrief, error) {
	return follow(ctx, c, outcomeAt(id)+"/progress", func(o OutcomeBrief) string { return o.State }, tell)
}

// follow reads server-sent events of something long until its state is over.
func follow[T any](ctx context.Context, c *Client, path string, state func(T) string, tell func(T)) (T, error) {
	var last T
	for tries := 0; ; tries++ {
		over, err := followOnce(ctx, c, path, state, func(x T) {
			last, tries = x, 0
			tell(x)
		})
		if over || ctx.Err() != nil {
			return last, ctx.Err()
		}
		var p *Problem
		if errors.As(err, &p) && p.Status < 500 || tries > 40 {
			return last, err
		}
		select {
		case <-ctx.Done():
		case <-time.After(250 * time.Millisecond):
		}
	}
}

func followOnce[T any](ctx context.Context, c *Client, path string, state func(T) string, tell func(T)) (over bool, err error) {
	resp, err := c.send(ctx, request{method: "GET", path: path})
	if err != nil {
		return false, err
	}
	defer func() { _ = resp.Body.Close() }()
	lines := bufio.NewScanner(resp.Body)
	lines.Buffer(nil, 4<<20)
	for lines.Scan() {
		data, ok := strings.CutPrefix(lines.Text(), "data: ")
		if !ok {
			continue
		}
		var x T
		if err := json.Unmarshal([]byte(data), &x); err != nil {
			return false, err
		}
		tell(x)
		switch state(x) {
		case "done", "failed", "cancelled":
			return true, nil
		}
	}
	return false, lines.Err()
}

// DropOutcome takes an outcome that is over away, with its jobs.
func (c *Client) DropOutcome(ctx context.Context, id uint64) error {
	_, err := c.call(ctx, request{method: "DELETE", path: fmt.Sprintf("/outcomes/%d", id)}, nil)
	return err
}

// Jobs returns a page of an outcome's jobs, from one on.
func (c *Client) Jobs(ctx context.Context, id uint64, from, limit int) (JobPage, error) {
	var page JobPage
	q := url.Values{"cursor": {strconv.Itoa(from)}, "limit": {strconv.Itoa(limit)}}
	_, err := c.call(ctx, request{method: "GET", path: fmt.Sprintf("/outcomes/%d/jobs", id), query: q}, &page)
	return page, err
}

// Export writes an outcome's jobs or lines in a format.
func (c *Client) Export(ctx context.Context, id uint64, what, form string, out io.Writer) error {
	q := url.Values{"what": {what}, "form": {form}}
	answer, err := c.send(ctx, request{method: "GET", path: fmt.Sprintf("/outcomes/%d/export", id), query: q})
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
func (c *Client) Compare(ctx context.Context, ids []uint64) (Comparison, error) {
	words := make([]string, len(ids))
	for i, id := range ids {
		words[i] = strconv.FormatUint(id, 10)
	}
	var out Comparison
	_, err := c.call(ctx, request{method: "GET", path: "/compare", query: url.Values{"ids": {strings.Join(words, ",")}}}, &out)
	return out, err
}

// Try begins a preflight or a rehearsal; scenario and cluster may be empty.
func (c *Client) Try(ctx context.Context, kind, template, scenario, cluster string) (Trial, error) {
	var t Trial
	body := map[string]any{"kind": kind, "template": template, "scenario": scenario, "context": cluster}
	_, err := c.call(ctx, request{method: "POST", path: "/trials", contentType: "application/json", body: jsonBody(body)}, &t)
	return t, err
}

func trialAt(id uint64) string { return "/trials/" + strconv.FormatUint(id, 10) }

// Trial returns a trial.
func (c *Client) Trial(ctx context.Context, id uint64) (Trial, error) {
	var t Trial
	_, err := c.call(ctx, request{method: "GET", path: trialAt(id)}, &t)
	return t, err
}

// Trials returns the newest trials of a template, of all when empty, without what
// came of them.
func (c *Client) Trials(ctx context.Context, template string) ([]Trial, error) {
	var list api.TrialList
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
func (c *Client) WatchTrial(ctx context.Context, id uint64, tell func(Trial)) (Trial, error) {
	return follow(ctx, c, trialAt(id)+"/progress", func(t Trial) string { return t.State }, tell)
}

// NewLink makes a link that signs the console in once.
func (c *Client) NewLink(ctx context.Context) (string, error) {
	var l api.Link
	_, err := c.call(ctx, request{method: "POST", path: "/session/link"}, &l)
	return strings.TrimSuffix(c.Address, "/") + l.Path, err
}
