package cli

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"os"
	"path/filepath"

	"tachyphor/client"
	"tachyphor/core/weigh"
	"tachyphor/demo"
	"tachyphor/internal/standin/jobs"
	"tachyphor/wire"
)

// loadDemo stores the demo world, and simulates each scenario that has not been.
func (p *program) loadDemo(ctx context.Context, c *client.Client) error {
	folder, err := os.MkdirTemp("", "tachyphor-demo-")
	if err != nil {
		return err
	}
	defer func() { _ = os.RemoveAll(folder) }()
	if err := copyOut(demo.World, folder); err != nil {
		return err
	}
	quiet := &program{in: p.in, out: io.Discard, raw: io.Discard, err: io.Discard, format: "json"}
	have, err := c.List(ctx, "")
	if err != nil {
		return err
	}
	if len(have) == 0 { // later starts keep what the person made of it
		if _, err := quiet.put(ctx, c, []string{folder}, false, false); err != nil {
			return fmt.Errorf("cannot load the demo world: %w", err)
		}
		if err := loadUsage(ctx, c); err != nil {
			return fmt.Errorf("cannot load the demo world's usage: %w", err)
		}
	}
	if err := tellDemo(ctx, c); err != nil {
		return fmt.Errorf("cannot tell how the demo world's week went: %w", err)
	}
	past, err := c.NewestWork(ctx, client.Which{Kinds: client.Simulations})
	if err != nil || len(past) > 0 {
		return err
	}
	for _, name := range demo.Scenarios {
		o, err := c.Simulate(ctx, name, wire.Run{})
		if err != nil {
			return err
		}
		if _, err := c.Watch(ctx, o.ID, func(wire.WorkBrief) {}); err != nil {
			return err
		}
	}
	if _, err := c.Backtest(ctx, wire.AskBacktest{Scenario: demo.Tested, Live: true}); err != nil { // these go on while people read
		return err
	}
	if _, err = c.Weigh(ctx, demo.Weighed, weigh.Ask{}); err != nil {
		return err
	}
	_, err = c.Follow(ctx, demo.Tested, wire.Follow{From: demo.Went})
	if client.IsStatus(err, http.StatusUnprocessableEntity) { // the week is too far back by now
		err = nil
	}
	return err
}

// tellDemo tells how the week went, as a build system would have, where nothing was told yet.
func tellDemo(ctx context.Context, c *client.Client) error {
	have, err := c.Live(ctx)
	if err != nil || have.Runs > 0 {
		return err
	}
	list, err := jobs.Read(bytes.NewReader(demo.AsItWent))
	if err != nil {
		return err
	}
	_, err = jobs.Send(ctx, list, jobs.Sending{Address: c.Address, Token: c.Token, As: jobs.AsSpans})
	return err
}

// loadUsage takes in what the demo's agents used.
func loadUsage(ctx context.Context, c *client.Client) error {
	list, err := demo.DrawUsage()
	if err != nil {
		return err
	}
	for _, u := range list {
		log, err := c.PutRecording(ctx, bytes.NewReader(u.Jobs), nil, false)
		if err != nil {
			return err
		}
		if _, err := c.PutUsage(ctx, u.Template, "three weeks of samples", log.Digest, bytes.NewReader(u.Samples)); err != nil {
			return err
		}
	}
	return nil
}

// copyOut writes embedded files into a folder.
func copyOut(src fs.FS, folder string) error {
	return fs.WalkDir(src, ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := fs.ReadFile(src, path)
		if err != nil {
			return err
		}
		to := filepath.Join(folder, path)
		if err := os.MkdirAll(filepath.Dir(to), 0o700); err != nil {
			return err
		}
		return os.WriteFile(to, data, 0o600)
	})
}
