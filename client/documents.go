package client

import (
	"bytes"
	"context"
	"io"
	"net/url"
	"strconv"
	"strings"

	"tachyphor/core/document"
	"tachyphor/wire"
)

// Put stores a stream of documents, all or none.
func (c *Client) Put(ctx context.Context, file string, text []byte, dryRun bool) ([]wire.Stored, error) {
	var list wire.StoredList
	q := url.Values{"file": {file}}
	if dryRun {
		q.Set("dryRun", "true")
	}
	_, err := c.call(ctx, request{
		method: "POST", path: "/documents", query: q, contentType: "application/yaml",
		body: bytes.NewReader(text),
	}, &list)
	return list.Items, err
}

// PutRecording stores recorded jobs.
func (c *Client) PutRecording(ctx context.Context, jobs io.Reader, columns map[string]string, skipBad bool) (wire.Recording, error) {
	var r wire.Recording
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
func (c *Client) Get(ctx context.Context, kind, name string, revision int) (wire.Document, error) {
	var d wire.Document
	q := url.Values{}
	if revision > 0 {
		q.Set("revision", strconv.Itoa(revision))
	}
	_, err := c.call(ctx, request{method: "GET", path: documentAt(kind, name), query: q}, &d)
	return d, err
}

// Edit changes fields of a document whose newest revision must be the given one
// (0: whichever it is).
func (c *Client) Edit(ctx context.Context, kind, name string, revision int, edits []document.Edit) (wire.Stored, error) {
	var s wire.Stored
	r := request{method: "PATCH", path: documentAt(kind, name), contentType: "application/json-patch+json", body: jsonBody(edits)}
	if revision > 0 {
		r.header = map[string]string{"If-Match": `"r` + strconv.Itoa(revision) + `"`}
	}
	_, err := c.call(ctx, r, &s)
	return s, err
}

// List returns every document of a kind, all kinds when empty.
func (c *Client) List(ctx context.Context, kind string) ([]wire.Document, error) {
	var all []wire.Document
	for cursor := ""; ; {
		var page wire.DocumentPage
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

// History returns all revisions of a document, newest first.
func (c *Client) History(ctx context.Context, kind, name string) ([]wire.Document, error) {
	var all []wire.Document
	for cursor := 0; ; {
		var page wire.RevisionPage
		q := url.Values{"cursor": {strconv.Itoa(cursor)}}
		if _, err := c.call(ctx, request{method: "GET", path: documentAt(kind, name) + "/revisions", query: q}, &page); err != nil {
			return nil, err
		}
		all = append(all, page.Items...)
		if cursor = page.Next; cursor == 0 {
			return all, nil
		}
	}
}

// Diff returns the difference of two revisions as a unified diff.
func (c *Client) Diff(ctx context.Context, kind, name string, from, to int) (string, error) {
	var d wire.Diff
	q := url.Values{"from": {strconv.Itoa(from)}, "to": {strconv.Itoa(to)}}
	_, err := c.call(ctx, request{method: "GET", path: documentAt(kind, name) + "/diff", query: q}, &d)
	return d.Text, err
}
