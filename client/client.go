// Package client is the Go client of the HTTP interface.
package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"

	"tachyphor/wire"
)

// A Client talks to one service. It is safe for use by many goroutines.
type Client struct {
	Address string // as in http://127.0.0.1:7420
	Token   string
	HTTP    *http.Client // nil: a default one
}

// ErrUnreachable says that no service answers at the address.
var ErrUnreachable = errors.New("no service answers")

// IsStatus reports whether err is a problem with an HTTP status.
func IsStatus(err error, status int) bool {
	var p *wire.Problem
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
		return nil, fmt.Errorf("%w at %s: %v", ErrUnreachable, c.Address, errors.Unwrap(err))
	}
	if resp.StatusCode < 300 {
		return resp, nil
	}
	defer func() { _ = resp.Body.Close() }()
	p := &wire.Problem{}
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
