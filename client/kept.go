package client

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"

	"tachyphor/wire"
)

// Kept says how much is kept of what, what goes within so many days, and how backups stand.
func (c *Client) Kept(ctx context.Context, days int) (wire.Kept, error) {
	var k wire.Kept
	_, err := c.call(ctx, request{method: http.MethodGet, path: "/kept", query: url.Values{"days": {strconv.Itoa(days)}}}, &k)
	return k, err
}

// Backup writes a backup of all records. One that broke off is an error.
func (c *Client) Backup(ctx context.Context, to io.Writer) error {
	resp, err := c.send(ctx, request{method: http.MethodGet, path: "/backup"})
	if err != nil {
		return err
	}
	defer func() { _ = resp.Body.Close() }()
	_, err = io.Copy(to, resp.Body)
	return err
}

// KeepWork gives work a name and a pin.
func (c *Client) KeepWork(ctx context.Context, id uint64, ask wire.KeepWork) (wire.WorkBrief, error) {
	var w wire.WorkBrief
	_, err := c.call(ctx, request{
		method: http.MethodPatch, path: fmt.Sprintf("/work/%d", id), contentType: "application/json", body: jsonBody(ask),
	}, &w)
	return w, err
}

// DropRecording drops a recording that nothing names.
func (c *Client) DropRecording(ctx context.Context, digest string) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: "/recordings/" + url.PathEscape(digest)}, nil)
	return err
}

// Find finds documents and work by a part of their names, or by number.
func (c *Client) Find(ctx context.Context, text string) (wire.Found, error) {
	var f wire.Found
	_, err := c.call(ctx, request{method: http.MethodGet, path: "/find", query: url.Values{"text": {text}}}, &f)
	return f, err
}
