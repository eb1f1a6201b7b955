package client

import (
	"context"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"tachyphor/wire"
)

// NewLink makes a link that signs someone in once: who asks, or, where a name is given, someone else, who gets
// the role where they have none.
func (c *Client) NewLink(ctx context.Context, ask wire.NewLink) (address string, link wire.Link, err error) {
	_, err = c.call(ctx, request{method: http.MethodPost, path: "/session/link", contentType: "application/json", body: jsonBody(ask)}, &link)
	return strings.TrimSuffix(c.Address, "/") + link.Path, link, err
}

// Session says who the client's token is.
func (c *Client) Session(ctx context.Context) (wire.Session, error) {
	var s wire.Session
	_, err := c.call(ctx, request{method: http.MethodGet, path: "/session"}, &s)
	return s, err
}

// Tokens lists tokens: one's own, or, for owners, all.
func (c *Client) Tokens(ctx context.Context) ([]wire.Token, error) {
	var l wire.Tokens
	_, err := c.call(ctx, request{method: http.MethodGet, path: "/tokens"}, &l)
	return l.Items, err
}

// NewToken makes a token.
func (c *Client) NewToken(ctx context.Context, ask wire.NewToken) (wire.MadeToken, error) {
	var t wire.MadeToken
	_, err := c.call(ctx, request{method: http.MethodPost, path: "/tokens", contentType: "application/json", body: jsonBody(ask)}, &t)
	return t, err
}

// EndToken ends a token.
func (c *Client) EndToken(ctx context.Context, id string) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: "/tokens/" + url.PathEscape(id)}, nil)
	return err
}

// Sessions lists sessions of the console: one's own, or, for owners, all.
func (c *Client) Sessions(ctx context.Context) ([]wire.SignedIn, error) {
	var l wire.Sessions
	_, err := c.call(ctx, request{method: http.MethodGet, path: "/sessions"}, &l)
	return l.Items, err
}

// EndSession ends a session of the console.
func (c *Client) EndSession(ctx context.Context, id string) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: "/sessions/" + url.PathEscape(id)}, nil)
	return err
}

// People lists who may sign in.
func (c *Client) People(ctx context.Context) ([]wire.Person, error) {
	var l wire.People
	_, err := c.call(ctx, request{method: http.MethodGet, path: "/people"}, &l)
	return l.Items, err
}

// SetRole gives someone a role; with none, their sessions and tokens end.
func (c *Client) SetRole(ctx context.Context, name string, role wire.Role) error {
	_, err := c.call(ctx, request{
		method: http.MethodPut, path: "/people/" + url.PathEscape(name), contentType: "application/json", body: jsonBody(wire.SetRole{Role: role}),
	}, nil)
	return err
}

// DropPerson forgets someone.
func (c *Client) DropPerson(ctx context.Context, name string) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: "/people/" + url.PathEscape(name)}, nil)
	return err
}

// WhichDeeds asks for some of the audit; what is zero is not asked for.
type WhichDeeds struct {
	Who, What, Result string
	From, Until       time.Time
}

func (w WhichDeeds) query() url.Values {
	q := url.Values{}
	for key, value := range map[string]string{"who": w.Who, "what": w.What, "result": w.Result} {
		if value != "" {
			q.Set(key, value)
		}
	}
	for key, at := range map[string]time.Time{"from": w.From, "until": w.Until} {
		if !at.IsZero() {
			q.Set(key, at.Format(time.RFC3339))
		}
	}
	return q
}

// Audit reads who changed what, the newest first; before is where the last page ended, or empty.
func (c *Client) Audit(ctx context.Context, w WhichDeeds, before string, limit int) (wire.Audit, error) {
	q := w.query()
	q.Set("limit", strconv.Itoa(limit))
	if before != "" {
		q.Set("before", before)
	}
	var a wire.Audit
	_, err := c.call(ctx, request{method: http.MethodGet, path: "/audit", query: q}, &a)
	return a, err
}

// ExportAudit writes who changed what as CSV, the newest first.
func (c *Client) ExportAudit(ctx context.Context, w WhichDeeds, to io.Writer) error {
	resp, err := c.send(ctx, request{method: http.MethodGet, path: "/audit/export", query: w.query()})
	if err != nil {
		return err
	}
	defer func() { _ = resp.Body.Close() }()
	_, err = io.Copy(to, resp.Body)
	return err
}
