package client

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"tachyphor/wire"
)

// ErrBrokenOff says that following broke off again and again, while what was followed may
// go on.
var ErrBrokenOff = errors.New("the connection breaks off again and again; what was asked for may go on, look at it later")

// follow reads server-sent events of something long until its state is over.
func follow[T any](ctx context.Context, c *Client, path string, state func(T) wire.State, tell func(T)) (T, error) {
	var last T
	for tries := 0; ; tries++ {
		over, err := followOnce(ctx, c, path, state, func(x T) {
			last, tries = x, 0
			tell(x)
		})
		if over || ctx.Err() != nil {
			return last, ctx.Err()
		}
		var p *wire.Problem
		if errors.As(err, &p) && p.Status < 500 {
			return last, err
		}
		if tries > 40 {
			return last, errors.Join(ErrBrokenOff, err)
		}
		select {
		case <-ctx.Done():
		case <-time.After(250 * time.Millisecond):
		}
	}
}

func followOnce[T any](ctx context.Context, c *Client, path string, state func(T) wire.State, tell func(T)) (over bool, err error) {
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
		if state(x).Over() {
			return true, nil
		}
	}
	return false, lines.Err()
}
