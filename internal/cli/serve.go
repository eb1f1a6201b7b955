package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/url"
	"os"
	"path/filepath"

	"tachyphor/client"
	"tachyphor/internal/kube"
	"tachyphor/wire"

	"github.com/spf13/cobra"
)

// serveFlags are the flags of serve and demo.
type serveFlags struct {
	listen, database, logFormat, logLevel string
	hosts                                 []string
	kubeconfig                            string
	reach, image                          string
	liveDays                              int
	liveRuns                              int64
	tellAllow                             []string
	tellKey                               string
}

func (f *serveFlags) add(c *cobra.Command) {
	fl := c.Flags()
	fl.IntVar(&f.liveDays, "live-days", 400, "keep what was told of jobs for so many days")
	fl.Int64Var(&f.liveRuns, "live-runs", 2_000_000, "and so many runs at most; the oldest go")
	fl.StringArrayVar(&f.tellAllow, "tell-allow", nil, "events may be told to this origin, as in https://hooks.brinewell.example (may be repeated)")
	fl.StringVar(&f.tellKey, "tell-key", "", "file with the key that such events are signed with; absent: tell.key in the state folder, made at the first start")
	fl.StringVar(&f.listen, "listen", "", "address to listen on; absent: "+wire.DefaultAddress+", or a free port when that is taken")
	fl.StringVar(&f.database, "database", os.Getenv("TACHYPHOR_DATABASE"),
		"MariaDB to use, as user:password@tcp(host:port)/name (better: TACHYPHOR_DATABASE); absent: a private one in the state folder")
	fl.StringArrayVar(&f.hosts, "host-name", nil, "further host name that requests may be addressed to (may be repeated)")
	fl.StringVar(&f.kubeconfig, "kubeconfig", "",
		"kubeconfig for preflights, rehearsals and runs on clusters (or TACHYPHOR_KUBECONFIG); absent: KUBECONFIG, or the cluster that this runs in")
	fl.StringVar(&f.reach, "reach", "", "address of this service as pods of clusters reach it, as in https://tachyphor.slipway.example: for sweep --on")
	fl.StringVar(&f.image, "shards-image", "", "image of this version that such pods run, where nobody names one")
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

// A Host runs what serve and demo stand for. The command line is given one: its other
// verbs reach a service over HTTP alone, and nothing of it is built into them.
type Host interface {
	// Start brings a service up; Failed tells when it breaks.
	Start(ctx context.Context, s Serving) (Served, error)
	// Pretend starts the demo's pretended cluster, which writes its kubeconfig to a file.
	Pretend(kubeconfig string) (io.Closer, error)
	// OpenAPI returns the description of the HTTP interface.
	OpenAPI() ([]byte, error)
}

// Serving says how a service is run.
type Serving struct {
	State, Address, Database, Version string
	Hosts                             []string
	Cluster                           kube.Options
	LiveDays                          int      // how long what was told of jobs is kept
	LiveRuns                          int64    // and how many runs at most
	TellAllow                         []string // origins that events may be told to
	TellKey                           string   // file with the key that they are signed with
	Reach, Image                      string   // how pods of it reach the service, and what they run
	Pretended                         bool     // it is the demo's own
	Log                               *slog.Logger
}

// Served is a service that runs until it is closed.
type Served interface {
	io.Closer
	Reached() (access wire.Access, link string) // the link signs the console in once
	Failed() <-chan error
}

// serve runs the service until it is told to stop. load may fill it first.
func (p *program) serve(ctx context.Context, f serveFlags, load func(context.Context, *client.Client) error) error {
	log, err := p.logger(f)
	if err != nil {
		return err
	}
	if u, err := url.Parse(f.reach); f.reach != "" && (err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https") {
		return fmt.Errorf("--reach %s: expected an address, as in https://tachyphor.slipway.example", f.reach)
	}
	reach := kubeconfigOf(f.kubeconfig)
	pretended := load != nil && f.kubeconfig == ""
	if pretended { // the demo has a cluster of its own
		if err := os.MkdirAll(p.state, 0o700); err != nil {
			return no(err)
		}
		reach.Kubeconfig = filepath.Join(p.state, "cluster.yaml")
		stands, err := p.host.Pretend(reach.Kubeconfig)
		if err != nil {
			return fmt.Errorf("cannot start the demo's pretended cluster: %w", err)
		}
		defer func() { _ = stands.Close() }()
	}
	if f.liveDays < 1 || f.liveDays > 36500 || f.liveRuns < 1 {
		return errors.New("--live-days and --live-runs: expected 1 day (36500 at most) and 1 run at least")
	}
	s, err := p.host.Start(ctx, Serving{
		LiveDays: f.liveDays, LiveRuns: f.liveRuns, TellAllow: f.tellAllow, TellKey: f.tellKey,
		State: p.state, Address: f.listen, Database: f.database, Hosts: f.hosts, Version: Version, Cluster: reach, Log: log,
		Reach: f.reach, Image: f.image, Pretended: pretended,
	})
	if err != nil {
		return no(err)
	}
	access, link := s.Reached()
	if load != nil {
		if err := load(ctx, &client.Client{Address: access.Address, Token: access.Token}); err != nil {
			_ = s.Close()
			return err
		}
	}
	log.Info("ready", "address", access.Address, "state", p.state)
	fmt.Fprintf(p.err, "\nConsole:  %s\nSign in:  %s   (works once, within 30 minutes; `tachyphor token link` makes another)\n\n",
		access.Address, link)
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
