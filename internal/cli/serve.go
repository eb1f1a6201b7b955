package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/netip"
	"net/url"
	"os"
	"path/filepath"
	"time"

	"tachyphor/client"
	"tachyphor/core/units"
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
	inCluster                             bool
	podsIn, proxies                       []string
	certificate, key, provider, traces    string
	leastFree                             string
	sessionAge, sessionIdle               time.Duration
	keeping                               Keeping
	backupEvery                           time.Duration
	backupKeep                            int
	backupDir                             string
}

func (f *serveFlags) add(c *cobra.Command) {
	fl := c.Flags()
	fl.IntVar(&f.liveDays, "live-days", 400, "keep what was reported of jobs for this many days")
	fl.Int64Var(&f.liveRuns, "live-runs", 2_000_000, "and at most this many runs; the oldest are deleted")
	fl.StringArrayVar(&f.tellAllow, "tell-allow", nil, "events may be told to this origin, as in https://hooks.brinewell.example (may be repeated)")
	fl.StringVar(&f.tellKey, "tell-key", "", "file with the key that such events are signed with; default: tell.key in the state folder, made at the first start")
	fl.StringVar(&f.listen, "listen", "", "address to listen on; default: "+wire.DefaultAddress+", or a free port when that is taken")
	fl.StringVar(&f.database, "database", os.Getenv("TACHYPHOR_DATABASE"),
		"MariaDB to use, as user:password@tcp(host:port)/name (better: TACHYPHOR_DATABASE); default: a private one in the state folder")
	fl.StringArrayVar(&f.hosts, "host-name", nil, "further host name that requests may be addressed to (may be repeated)")
	fl.StringVar(&f.kubeconfig, "kubeconfig", "",
		"kubeconfig for preflights, rehearsals and runs on clusters (or TACHYPHOR_KUBECONFIG); without it there are none")
	fl.BoolVar(&f.inCluster, "in-cluster", false, "do those in the cluster that this runs in, with its own account")
	fl.StringArrayVar(&f.podsIn, "pods-in", nil, "namespace of clusters that rehearsals and runs may make pods in (may be repeated); default: none")
	fl.StringVar(&f.certificate, "tls-cert", "", "file with the certificate for TLS, PEM with its chain; read again when it changes")
	fl.StringVar(&f.key, "tls-key", "", "file with its key")
	fl.StringVar(&f.traces, "traces", "", "tell what is done to an OTLP collector at this address, as in http://127.0.0.1:4318")
	fl.StringVar(&f.leastFree, "least-free", "100MiB", "with a private database: nothing more is taken in with less space free on its disk")
	k := &f.keeping
	fl.IntVar(&k.Outcomes, "outcome-days", 90, "results of outcomes without a name or a pin are kept for this many days, and what lists show of them for ever; 0: all for ever")
	fl.IntVar(&k.Trials, "trial-days", 90, "preflights and rehearsals are kept for this many days")
	fl.IntVar(&k.Revisions, "revision-days", 400, "revisions of documents that nothing kept was computed from are kept for this many days after another took their place")
	fl.IntVar(&k.Recordings, "recording-days", 90, "recordings that nothing names are kept for this many days")
	fl.IntVar(&k.Audit, "audit-days", 400, "the audit is kept for this many days")
	fl.DurationVar(&f.backupEvery, "backup-every", 0, "back all records up this often, as in 24h; 0: not")
	fl.IntVar(&f.backupKeep, "backup-keep", 14, "backups that are kept; the oldest go")
	fl.StringVar(&f.backupDir, "backup-dir", "", "folder for them; default: backups in the state folder")
	fl.StringVar(&f.provider, "oidc", "", "file that says by which OpenID provider people sign in, and which groups have which role")
	fl.StringArrayVar(&f.proxies, "proxy", nil, "address, or prefix as in 10.0.0.0/8, of a proxy before this, whose word is taken on who asks and whether they came encrypted (may be repeated)")
	fl.DurationVar(&f.sessionAge, "session-age", 14*24*time.Hour, "sessions of the console end after this")
	fl.DurationVar(&f.sessionIdle, "session-idle", 3*24*time.Hour, "and when they were not used for this")
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
	// LookAt reads a backup from end to end, and Restore into records that are empty.
	LookAt(file string) (Backed, error)
	Restore(ctx context.Context, s Serving, file string) (Backed, error)
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
	PodsIn                            []string // namespaces of clusters that pods may be made in
	Certificate, Key                  string   // files for TLS
	Provider                          string   // file of an OpenID provider
	Traces                            string   // address of an OTLP collector
	LeastFree                         units.Bytes
	Proxies                           []netip.Prefix
	SessionAge, SessionIdle           time.Duration
	Keeping                           Keeping
	BackupEvery                       time.Duration
	BackupKeep                        int
	BackupDir                         string
	Log                               *slog.Logger
}

// Backed says what a backup is.
type Backed struct {
	Version string
	At      time.Time
}

// Keeping says how long records are kept, in days; 0: for ever.
type Keeping struct{ Outcomes, Trials, Revisions, Recordings, Audit int }

// Served is a service that runs until it is closed.
type Served interface {
	io.Closer
	Reached() wire.Access
	// Link makes a link that signs the owner into the console once.
	Link(context.Context) (string, error)
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
	if (f.certificate == "") != (f.key == "") {
		return errors.New("--tls-cert and --tls-key go together")
	}
	if f.sessionAge < time.Minute || f.sessionIdle < time.Minute {
		return errors.New("--session-age and --session-idle: expected a minute at least")
	}
	for name, days := range map[string]int{
		"outcome": f.keeping.Outcomes, "trial": f.keeping.Trials, "revision": f.keeping.Revisions, "recording": f.keeping.Recordings, "audit": f.keeping.Audit,
	} {
		if days < 0 || days > 36500 {
			return fmt.Errorf("--%s-days %d: expected 0 (for ever) to 36500", name, days)
		}
	}
	if f.backupEvery != 0 && f.backupEvery < time.Minute || f.backupKeep < 1 {
		return errors.New("--backup-every and --backup-keep: expected a minute at least, and 1 at least")
	}
	leastFree, err := units.ParseBytes(f.leastFree)
	if err != nil || leastFree < 10<<20 {
		return fmt.Errorf("--least-free %s: expected 10MiB at least, as in 2GiB", f.leastFree)
	}
	proxies, err := prefixes(f.proxies)
	if err != nil {
		return err
	}
	reach := kubeconfigOf(f.kubeconfig)
	reach.Named, reach.Here = true, f.inCluster
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
		Reach: f.reach, Image: f.image, Pretended: pretended, PodsIn: f.podsIn, Certificate: f.certificate, Provider: f.provider, Traces: f.traces, LeastFree: leastFree, Key: f.key, Proxies: proxies,
		Keeping: f.keeping, BackupEvery: f.backupEvery, BackupKeep: f.backupKeep, BackupDir: f.backupDir, SessionAge: f.sessionAge, SessionIdle: f.sessionIdle,
	})
	if err != nil {
		return no(err)
	}
	access := s.Reached()
	if load != nil {
		c := &client.Client{Address: access.Address, Token: access.Token}
		if access.Certificate != "" {
			c.HTTP = client.Pinned(access.Certificate)
		}
		if err := load(ctx, c); err != nil {
			_ = s.Close()
			return err
		}
	}
	log.Info("ready", "address", access.Address, "state", p.state)
	p.invite(ctx, access, s, load != nil)
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

// invite says where the console is. A link that signs in is a secret, which a log may not hold: it is shown
// to a person, and by the demo, which keeps none.
func (p *program) invite(ctx context.Context, access wire.Access, s Served, demo bool) {
	how := "run `tachyphor token link` on this machine"
	if demo || terminalOf(p.err).isOne {
		if link, err := s.Link(ctx); err == nil {
			how = link + "   (works once, within 30 minutes; `tachyphor token link` makes another)"
		}
	}
	fmt.Fprintf(p.err, "\nConsole:  %s\nSign in:  %s\n\n", access.Address, how)
}

// prefixes reads addresses, and prefixes of addresses.
func prefixes(list []string) (out []netip.Prefix, err error) {
	for _, text := range list {
		if a, err := netip.ParseAddr(text); err == nil {
			out = append(out, netip.PrefixFrom(a, a.BitLen()))
			continue
		}
		x, err := netip.ParsePrefix(text)
		if err != nil {
			return nil, fmt.Errorf("--proxy %s: expected an address, or a prefix as in 10.0.0.0/8", text)
		}
		out = append(out, x.Masked())
	}
	return out, nil
}
