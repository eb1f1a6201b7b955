package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"tachyphor/client"
	"tachyphor/core/table"
	"tachyphor/core/units"
	"tachyphor/wire"

	"github.com/spf13/cobra"
)

// stretchFlags name a part of what happened.
type stretchFlags struct{ client.Stretch }

func (f *stretchFlags) add(c *cobra.Command) {
	c.Flags().StringVar(&f.From, "from", "", "leave jobs out that asked before, as in 2026-09-14, or 2026-09-14T06:00:00Z")
	c.Flags().StringVar(&f.Until, "until", "", "leave jobs out that asked from here on")
	c.Flags().StringVar(&f.Project, "project", "", "only jobs of this project")
}

func (p *program) liveCommand() *cobra.Command {
	l := &cobra.Command{
		Use: "live", Short: "Show jobs that build systems reported as they happened",
		Long: `Build systems tell the service of their jobs while they happen, by CloudEvents or OpenTelemetry's
traces (docs/live.md). Without a word behind it, live says what is known; jobs lists the newest,
export writes them as a job log, and cut makes a workload of them, as learn jobs does of a log.`,
		Example: "  tachyphor live\n  tachyphor live jobs --state waiting\n  tachyphor live cut --from 2026-09-14 --until 2026-09-21 --into week-38-live",
		Args:    cobra.NoArgs,
		RunE:    func(c *cobra.Command, _ []string) error { return p.live(c.Context()) },
	}
	l.AddCommand(p.liveJobsCommand(), p.liveCutCommand(), p.liveExportCommand(), p.liveForgetCommand())
	return l
}

func (p *program) live(ctx context.Context) error {
	l, err := p.client().Live(ctx)
	if err != nil {
		return err
	}
	rows := [][]string{
		{"runs", units.Count(l.Runs), "pipelines among them"},
		{"without an end", units.Count(l.Open), "of these"},
		{"jobs that wait now", units.Count(int64(l.Queue.Waiting)), "among the newest 4,000 runs"},
		{"jobs that run now", units.Count(int64(l.Queue.Running)), ""},
		{"from", moment(l.From), ""},
		{"to", moment(l.To), ""},
		{"last heard", moment(l.Heard), ""},
		{"counted", units.Count(l.Counted), "messages since the service's start"},
		{"known already", units.Count(l.Known), ""},
		{"not of runs", units.Count(l.Other), ""},
		{"turned away", units.Count(l.Turned), "because there was no room, to be sent again"},
		{"kept", fmt.Sprintf("%d days", l.Days), "and " + units.Count(l.Most) + " runs at most"},
	}
	return p.show(listing{columns: []column{{"what happened", false}, {"", true}, {"", false}}, rows: rows, value: l})
}

// moment writes a time, or that there is none.
func moment(t *time.Time) string {
	if t == nil || t.IsZero() {
		return "never"
	}
	return t.UTC().Format("2006-01-02 15:04:05")
}

func (p *program) liveJobsCommand() *cobra.Command {
	var f stretchFlags
	var state string
	var limit int
	c := &cobra.Command{
		Use: "jobs", Short: "List the newest jobs", Example: "  tachyphor live jobs --state waiting\n  tachyphor live jobs --project tide-charts -o json",
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if !slices.Contains([]string{"", "waiting", "running", "ended", "silent"}, state) {
				return fmt.Errorf("--state %q: expected waiting, running, ended or silent", state)
			}
			jobs, err := p.client().LiveJobs(c.Context(), f.Stretch, state, limit)
			if err != nil {
				return err
			}
			return p.liveJobs(jobs)
		},
	}
	f.add(c)
	c.Flags().StringVar(&state, "state", "", "only jobs that are waiting, running, ended or silent")
	c.Flags().IntVar(&limit, "limit", 50, "most jobs")
	return c
}

func (p *program) liveJobs(jobs []wire.LiveJob) error {
	l := listing{columns: []column{
		{"job", false}, {"name", false}, {"project", false}, {"state", false}, {"asked", false}, {"waited", true}, {"took", true}, {"result", false}, {"pod", false},
	}, value: jobs}
	length := func(ns *int64) string {
		if ns == nil {
			return ""
		}
		return units.Duration(*ns).Short()
	}
	for _, j := range jobs {
		l.rows = append(l.rows, []string{
			clipped(j.ID, 30), clipped(j.Name, 30), clipped(j.Project, 24), string(j.State), moment(j.Submitted), length(j.WaitedNs), length(j.TookNs), j.Result,
			clipped(j.Pod, 30),
		})
	}
	if p.lines() && len(jobs) == 0 {
		fmt.Fprintln(p.out, "No jobs have been reported yet. docs/live.md says how a build system reports them; `tachyphor pretend jobs` stands in for one.")
		return nil
	}
	if p.lines() {
		l = l.filled()
	}
	return p.show(l)
}

func (p *program) liveCutCommand() *cobra.Command {
	var f stretchFlags
	var ask wire.Cut
	c := &cobra.Command{
		Use: "cut", Short: "Make a workload of jobs that happened",
		Long: `Make a workload of the jobs that asked for agents in a time, as learn jobs does of a job log. Without
--into it is only shown.`,
		Example: "  tachyphor live cut --from 2026-09-14 --until 2026-09-21 --zone Europe/Oslo --into week-38-live",
		Args:    cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			ask.Project = f.Project
			var err error
			if ask.From, ask.Until, err = asked(f.From, f.Until, ask.Zone); err != nil {
				return err
			}
			got, err := p.client().CutLive(c.Context(), ask)
			if err != nil {
				return err
			}
			if got.Refused != "" {
				return no(errors.New(got.Refused))
			}
			if err := p.learned(&got.LearnedJobs); err != nil {
				return err
			}
			if got.Stored != nil {
				fmt.Fprintf(p.err, "Workload %s: revision %d. Next: name it in a scenario, and `tachyphor simulate` that.\n", got.Stored.Name, got.Stored.Revision)
			}
			return nil
		},
	}
	f.add(c)
	c.Flags().StringVar(&ask.Zone, "zone", "", "time zone of the week, and of days in --from and --until; default: UTC")
	c.Flags().StringVar(&ask.Into, "into", "", "store it under this name")
	return c
}

// asked reads --from and --until; a text that is empty is no bound.
func asked(from, until, zone string) (a, b time.Time, err error) {
	for _, x := range []struct {
		flag, is string
		into     *time.Time
	}{{"--from", from, &a}, {"--until", until, &b}} {
		if x.is == "" {
			continue
		}
		if *x.into, err = askedAt(x.is, zone); err != nil {
			return a, b, fmt.Errorf("%s: %w", x.flag, err)
		}
	}
	return a, b, nil
}

// askedAt reads a day in a zone, or a time with its own.
func askedAt(s, zone string) (time.Time, error) {
	if t, err := time.Parse(time.RFC3339Nano, s); err == nil {
		return t, nil
	}
	var z units.Zone
	if zone != "" {
		if err := z.UnmarshalText([]byte(zone)); err != nil {
			return time.Time{}, err
		}
	}
	t, err := time.ParseInLocation(time.DateOnly, s, z.Location())
	if err != nil {
		return t, fmt.Errorf("%q is not a time; write a day such as 2026-09-14, or 2026-09-14T06:00:00Z", s)
	}
	return t, nil
}

func (p *program) liveExportCommand() *cobra.Command {
	var f stretchFlags
	var form, file string
	c := &cobra.Command{
		Use: "export", Short: "Write jobs that happened as a job log: CSV, JSON Lines or Parquet",
		Example: "  tachyphor live export --from 2026-09-14 -f september.parquet",
		Args:    cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			return p.exported(form, file, func(form string, out io.Writer) error {
				return p.client().LiveLog(c.Context(), f.Stretch, form, out)
			})
		},
	}
	f.add(c)
	exportFlags(c, &form, &file)
	return c
}

func (p *program) liveForgetCommand() *cobra.Command {
	var before string
	var all bool
	c := &cobra.Command{
		Use: "forget", Short: "Drop what was told of jobs", Example: "  tachyphor live forget --before 2026-09-01", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if all == (before != "") {
				return errors.New("say which go: --before TIME, or --all")
			}
			if all {
				before = "all"
			}
			n, err := p.client().ForgetLive(c.Context(), before)
			if err == nil {
				fmt.Fprintf(p.err, "%s went.\n", counted(int(n), "run"))
			}
			return err
		},
	}
	c.Flags().StringVar(&before, "before", "", "those that came before, as in 2026-09-01")
	c.Flags().BoolVar(&all, "all", false, "every one")
	return c
}

// exportFlags are the flags of what writes a table to a file.
func exportFlags(c *cobra.Command, form, file *string) {
	c.Flags().StringVar(form, "form", "", "csv, jsonl or parquet; default: as the file's ending says, or csv")
	c.Flags().StringVarP(file, "file", "f", "", "file to write; default: standard output")
}

// exported writes a table to a file, or to standard output where none is named.
func (p *program) exported(form, file string, write func(form string, out io.Writer) error) error {
	if form == "" {
		form = string(table.CSV)
		if ending := strings.TrimPrefix(filepath.Ext(file), "."); ending != "" {
			form = ending
		}
	}
	if err := knownForm(form); err != nil {
		return err
	}
	if file == "" || file == "-" {
		return write(form, p.raw)
	}
	return whole(file, func(out io.Writer) error { return write(form, out) })
}
