package client

import (
	"context"
	"io"
	"net/url"
	"strconv"
	"strings"
)

// Brief writes what was found for who was not there: of an exploration, a weighing, or one to six
// outcomes; form is html or markdown.
func (c *Client) Brief(ctx context.Context, ids []uint64, form string) ([]byte, error) {
	words := make([]string, len(ids))
	for i, id := range ids {
		words[i] = strconv.FormatUint(id, 10)
	}
	resp, err := c.send(ctx, request{method: "GET", path: "/brief", query: url.Values{"ids": {strings.Join(words, ",")}, "form": {form}}})
	if err != nil {
		return nil, err
	}
	defer func() { _ = resp.Body.Close() }()
	return io.ReadAll(resp.Body)
}
