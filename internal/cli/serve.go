package cli

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"

	"tachyphor/client"
	"tachyphor/demo"
	"tachyphor/internal/service"
	"tachyphor/internal/standin/cluster"
	"tachyphor/web"

	"github.com/spf13/cobra"
)

// serveFlags are the flags of serve and demo.
type serveFlags struct {
	listen, database, logFormat, logLevel string
	hosts                                 []string
	kubeconfig                            string
}

func (f *serveFlags) add(c *cobra.Command) {
	fl := c.Flags()
	fl.StringVar(&f.listen, "listen", "", "address to listen on; absent: "+service.DefaultAddress+", or a free port when that is taken")
	fl.StringVar(&f.database, "database", os.Getenv("TACHYPHOR_DATABASE"), "MariaDB to use, as user:password@tcp(host:port)/name (better: TACHYPHOR_DATABASE); absent: a private one in the state folder")
	fl.StringArrayVar(&f.hosts, "host-name", nil, "further host name that requests may be addressed to (may be repeated)")
	fl.StringVar(&f.kubeconfig, "kubeconfig", "", "kubeconfig for preflights and rehearsals (or TACHYPHOR_KUBECONFIG); absent: KUBECONFIG, or the cluster that this runs in")
	fl.StringVar(&f.logFormat, "log-format", "text", "text or json")
	fl.StringVar(&f.logLevel, "log-level", "info", "debug, info, warn or error")
}

func (p *program) logger(f serveFlags) (*slog.Logger, error) {
	var level slog.Level
	if err := level.UnmarshalText([]byte(f.logLevel)); err != nil {
		return nil, fmt.Errorf("--log-level %q: expected debug, info, warn or error", f.logLevel)
	}
	o := &slog.HandlerOptions{Level: level}
	switch f.logFormat {
	case "json":
		return slog.New(slog.NewJSONHandler(p.err, o)), nil
	case "text":
		return slog.New(slog.NewTextHandler(p.err, o)), nil
	}
	return nil, fmt.Errorf("--log-format %q: expected text or json", f.logFormat)
}

func (p *program) serveCommand() *cobra.Command {
	var f serveFlags
	c := &cobra.Command{
		Use: "serve", Short: "Run the service and its console", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error { return p.serve(c.Context(), f, nil) },
	}
	f.add(c)
	return c
}

func (p *program) demoCommand() *cobra.Command {
	var f serveFlags
	c := &cobra.Command{
		Use: "demo", Short: "Run the service with sample data", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if !p.chosen {
				p.state = demoState()
			}
			return p.serve(c.Context(), f, p.loadDemo)
		},
	}
	f.add(c)
	return c
}

// serve runs the service until it is told to stop. load may fill it first.
func (p *program) serve(ctx context.Context, f serveFlags, load func(context.Context, *client.Client) error) error {
	log, err := p.logger(f)
	if err != nil {
		return err
	}
	reach := kubeconfigOf(f.kubeconfig)
	if load != nil && f.kubeconfig == "" { // the demo has a cluster of its own
		if err := os.MkdirAll(p.state, 0o700); err != nil {
			return no(err)
		}
		reach.Kubeconfig = filepath.Join(p.state, "cluster.yaml")
		pretended, err := cluster.StartDemo(reach.Kubeconfig, 1)
		if err != nil {
			return fmt.Errorf("cannot start the demo's pretended cluster: %w", err)
		}
		defer func() { _ = pretended.Close() }()
	}
	s, err := service.Start(ctx, service.Config{
		Cluster: reach,
		State:   p.state, Address: f.listen, Database: f.database, Hosts: f.hosts, Version: Version, Console: web.Console(), Log: log,
	})
	if err != nil {
		return no(err)
	}
	if load != nil {
		if err := load(ctx, &client.Client{Address: s.Access.Address, Token: s.Access.Token}); err != nil {
			_ = s.Close()
			return err
		}
	}
	log.Info("ready", "address", s.Access.Address, "state", p.state)
	fmt.Fprintf(p.err, "\nConsole:  %s\nSign in:  %s   (works once, within 30 minutes; `tachyphor token link` makes another)\n\n", s.Access.Address, s.Link)
	select {
	case <-ctx.Done():
		log.Info("stopping")
	case err = <-s.Failed():
	}
	if cerr := s.Close(); err == nil {
		err = cerr
	}
	return err
}

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
	past, err := c.Outcomes(ctx, "")
	if err != nil || len(past) > 0 {
		return err
	}
	for _, name := range demo.Scenarios {
		o, err := c.Simulate(ctx, name, client.Run{})
		if err != nil {
			return err
		}
		if _, err := c.Watch(ctx, o.ID, func(client.OutcomeBrief) {}); err != nil {
			return err
		}
	}
	_, err = c.Weigh(ctx, demo.Weighed, client.WeighAsk{}) // goes on while people read
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
