// Package cli is the command line: verbs that translate between people, files
// and the service. What things mean is the core's.
package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strings"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/core/outcome"
	"tachyphor/wire"

	"github.com/spf13/cobra"
)

// Exit statuses.
const (
	exitDone        = 0
	exitNo          = 1 // the work says no
	exitUsage       = 2
	exitUnreachable = 3
)

// Version of the program; set when it is built.
var Version = "dev"

// A refusal is an error with an exit status of its own.
type refusal struct {
	status int
	err    error
}

func (r refusal) Error() string { return r.err.Error() }
func (r refusal) Unwrap() error { return r.err }

// no says that the work itself says no.
func no(err error) error {
	if err == nil {
		return nil
	}
	return refusal{exitNo, err}
}

// program is what verbs share.
type program struct {
	in       io.Reader
	out, err io.Writer
	raw      io.Writer // out for what is not laid out for people: files, JSON
	term     terminal  // of out

	host                 Host // runs services
	server, token, state string
	chosen               bool // the state folder was named by the person
	format               string
	sheet                string          // table of an answer that CSV is to hold; empty: the main one
	tables               bool            // name the tables only
	stopped              context.Context // ends when the command is to end
}

// Execute runs one command line and returns its exit status. host runs services for it.
func Execute(ctx context.Context, args []string, in io.Reader, out, errw io.Writer, host Host) int {
	p := &program{host: host, in: in, raw: out, err: errw, term: terminalOf(out), stopped: ctx}
	p.out = &cleaner{out, p.term.colour}
	root := p.root()
	root.SetArgs(args)
	root.SetIn(in)
	root.SetOut(out)
	root.SetErr(errw)
	err := root.ExecuteContext(ctx)
	if err == nil {
		return exitDone
	}
	if !errors.Is(err, context.Canceled) && !errors.Is(err, errSilent) {
		fmt.Fprintln(&cleaner{out: errw}, "tachyphor: "+strings.TrimSpace(err.Error())+nextStep(err))
	}
	return statusOf(err)
}

// nextStep says what to do about an error that knows no command.
func nextStep(err error) string {
	if errors.Is(err, client.ErrUnreachable) {
		return "; start it with `tachyphor serve`, or name another with --server"
	}
	return ""
}

// statusOf finds the exit status of an error.
func statusOf(err error) int {
	var r refusal
	var faults document.Faults
	var problem *wire.Problem
	switch {
	case errors.As(err, &r):
		return r.status
	case errors.Is(err, client.ErrUnreachable):
		return exitUnreachable
	case errors.As(err, &faults), errors.Is(err, context.Canceled):
		return exitNo
	case errors.As(err, &problem):
		if problem.Status >= 500 {
			return exitUnreachable
		}
		return exitNo
	default:
		return exitUsage
	}
}

func (p *program) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "tachyphor",
		Short: "Design, size and simulate short-lived build agents on a Kubernetes cluster",
		Long: `Tachyphor tries a design for build agents on your own jobs, in seconds: how long
jobs wait to start and why, and what the nodes cost.

  tachyphor demo                            a service with sample data
  tachyphor put design/                     store documents, whole folders too
  tachyphor simulate weekday-lean           run a scenario
  tachyphor simulate lean.yaml --here       the same from files, without a service`,
		SilenceUsage: true, SilenceErrors: true,
	}
	f := root.PersistentFlags()
	f.StringVar(&p.server, "server", os.Getenv("TACHYPHOR_SERVER"),
		"address of the service (or TACHYPHOR_SERVER); default: the one on this machine")
	f.StringVar(&p.token, "token", "", "token for the service (better: TACHYPHOR_TOKEN); default: the owner's on this machine")
	f.StringVar(&p.state, "state", defaultState(), "folder of the service's records and access (or TACHYPHOR_STATE)")
	f.StringVarP(&p.format, "output", "o", "table", "table, json, yaml or csv")
	f.StringVar(&p.sheet, "table", "", "with -o csv: this table of the answer (--tables names them)")
	f.BoolVar(&p.tables, "tables", false, "with -o csv: name the tables of the answer")
	root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return errors.New(plainWords(err.Error())) })
	root.PersistentPreRunE = func(*cobra.Command, []string) error {
		p.chosen = f.Changed("state") || os.Getenv("TACHYPHOR_STATE") != ""
		if (p.sheet != "" || p.tables) && p.format != "csv" {
			return errors.New("--table and --tables go with -o csv")
		}
		if u, err := url.Parse(p.server); p.server != "" && (err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "") {
			return fmt.Errorf("--server %q: expected an address such as http://127.0.0.1:7420", p.server)
		}
		return checkFormat(p.format)
	}
	root.AddCommand(
		p.serveCommand(), p.demoCommand(), p.learnCommand(), p.putCommand(), p.getCommand(), p.dropCommand(), p.historyCommand(), p.diffCommand(),
		p.draftCommand(), p.checkCommand(), p.matchCommand(), p.renderCommand(), p.fitCommand(), p.observeCommand(), p.sizeCommand(), p.preflightCommand(),
		p.rehearseCommand(), p.outsideCommand(), p.whyCommand(), p.doubtCommand(), p.sweepCommand(), p.workCommand(), p.improveCommand(), p.marginCommand(), p.pullsCommand(), p.backtestCommand(), p.forecastCommand(), p.briefCommand(),
		p.simulateCommand(), p.explainCommand(), p.compareCommand(), p.weighCommand(), p.probeCommand(), p.keepCommand(), p.pretendCommand(),
		p.liveCommand(), p.driftCommand(), p.watchCommand(), p.exportCommand(), p.schemaCommand(), p.tokenCommand(), p.peopleCommand(), p.auditCommand(),
		p.manCommand(), p.backupCommand(), p.restoreCommand(), p.keptCommand(), p.pinCommand(), p.versionCommand(),
	)
	p.completing(root)
	return root
}

// goWords are how Go's own packages say that a flag's value is none of its kind.
var goWords = []struct{ from, to string }{
	{`strconv\.ParseUint: parsing "[^"]*": (invalid syntax|value out of range)`, "expected a whole number from 0"},
	{`strconv\.(ParseInt|Atoi): parsing "[^"]*": (invalid syntax|value out of range)`, "expected a whole number"},
	{`strconv\.ParseFloat: parsing "[^"]*": (invalid syntax|value out of range)`, "expected a number"},
	{`strconv\.ParseBool: parsing "[^"]*": invalid syntax`, "expected true or false"},
	{`time: (invalid duration|unknown unit|missing unit).*`, "expected a time, as in 90s"},
}

// plainWords puts what Go says of a value into words for people.
func plainWords(s string) string {
	for _, w := range goWords {
		s = regexp.MustCompile(w.from).ReplaceAllString(s, w.to)
	}
	return s
}

// defaultState is where a service keeps its records unless told otherwise.
func defaultState() string {
	if s := os.Getenv("TACHYPHOR_STATE"); s != "" {
		return s
	}
	base := os.Getenv("XDG_STATE_HOME")
	if base == "" {
		home, err := os.UserHomeDir()
		if err != nil {
			home = "."
		}
		base = filepath.Join(home, ".local", "state")
	}
	return filepath.Join(base, "tachyphor")
}

// demoState is where the demo keeps its records, apart from those of a service
// in earnest.
func demoState() string { return defaultState() + "-demo" }

// client finds the service: named on the command line, in the environment, or
// the one that runs on this machine, a demo if there is no other.
func (p *program) client() *client.Client {
	c := &client.Client{Address: p.server, Token: p.token}
	if c.Token == "" {
		c.Token = os.Getenv("TACHYPHOR_TOKEN")
	}
	local, err := wire.ReadAccess(p.state)
	if err != nil && !p.chosen {
		local, err = wire.ReadAccess(demoState())
	}
	if err == nil && c.Address == "" {
		c.Address = local.Address
	}
	if err == nil && c.Address == local.Address && local.Certificate != "" {
		c.HTTP = client.Pinned(local.Certificate)
	}
	if c.Address == "" {
		c.Address = "http://" + wire.DefaultAddress
	}
	if err == nil && c.Token == "" && c.Address == local.Address {
		c.Token = local.Token
	}
	return c
}

func (p *program) versionCommand() *cobra.Command {
	return &cobra.Command{Use: "version", Short: "Print the version", Args: cobra.NoArgs, RunE: func(*cobra.Command, []string) error {
		if v := (struct {
			Version string `json:"version"`
			Engine  int    `json:"engine"`
		}{Version, outcome.Engine}); p.format != "table" {
			return p.show(listing{value: v})
		}
		_, err := fmt.Fprintln(p.out, "tachyphor "+Version)
		return err
	}}
}

func (p *program) schemaCommand() *cobra.Command {
	return &cobra.Command{
		Use: "schema KIND|openapi", Short: "Print the JSON Schema of a kind of document, or the HTTP interface's description",
		Args: cobra.ExactArgs(1), ValidArgs: append(document.Kinds(), "openapi"),
		RunE: func(_ *cobra.Command, args []string) error {
			if args[0] == "openapi" {
				b, err := p.host.OpenAPI()
				if err == nil {
					err = p.value(json.RawMessage(b))
				}
				return err
			}
			kind, ok := document.FindKind(args[0])
			if !ok {
				return fmt.Errorf("there is no kind %q; expected one of %s", args[0], strings.Join(document.Kinds(), ", "))
			}
			schema, _ := document.Schema(kind)
			_, err := fmt.Fprintln(p.out, string(schema))
			return err
		},
	}
}
