package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"time"

	"tachyphor/client"
	"tachyphor/core/sizing"
	"tachyphor/core/template"
	"tachyphor/core/units"
	"tachyphor/internal/prometheus"

	"github.com/spf13/cobra"
)

// observeFlags are the flags of observe.
type observeFlags struct {
	prometheus, namespace, pods string
	since, until                string
	jobs, write                 string
	skipBad                     bool
}

func (p *program) observeCommand() *cobra.Command {
	var f observeFlags
	c := &cobra.Command{
		Use: "observe TEMPLATE [FILE...]", Short: "Store what the agents of a template really used",
		Long: `Take in samples of what agents used: CSV or Parquet with the columns
  ` + strings.Join(sizing.Columns(), ", ") + `
(pod, at and one figure must be there; cpu_seconds and throttled_seconds are counters,
cores a rate), or answers of Prometheus to range queries, as JSON. With --prometheus
they are asked for live, over its HTTP API, from the metrics of containers that every
cluster has; a token is taken from TACHYPHOR_PROMETHEUS_TOKEN.

A pod is a run. With --jobs, a job log with the columns pod, started and ended, each
job is one, and is known by its class. The same may be taken in again: runs that are
known take the place of those known less well.`,
		Example: "  tachyphor observe compile-wide usage.csv --jobs jobs.csv\n  tachyphor observe compile-wide --prometheus " +
			"http://127.0.0.1:9090 --namespace slipway --since 14d",
		Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if (len(args) > 1) == (f.prometheus != "") {
				return errors.New("name files with samples, or the address of a Prometheus with --prometheus; one of the two")
			}
			return p.observe(c.Context(), args[0], args[1:], f)
		},
	}
	fl := c.Flags()
	fl.StringVar(&f.prometheus, "prometheus", "", "address of a Prometheus to ask")
	fl.StringVar(&f.namespace, "namespace", "", "with --prometheus: namespace of the pods; default: the template's")
	fl.StringVar(&f.pods, "pods", "", "with --prometheus: regular expression for the names of the pods; default: those that "+
		"begin with the template's name")
	fl.StringVar(&f.since, "since", "14d", "with --prometheus: how far back, or a time such as 2026-09-14T06:00:00Z")
	fl.StringVar(&f.until, "until", "", "with --prometheus: up to this time; default: now")
	fl.StringVar(&f.jobs, "jobs", "", "job log that says in which pod each job ran")
	fl.StringVar(&f.write, "write", "", "with --prometheus: write the samples to this CSV file instead of storing them")
	fl.BoolVar(&f.skipBad, "skip-bad", false, "leave out bad rows of the job log")
	return c
}

// observe takes in samples of a stored template.
func (p *program) observe(ctx context.Context, name string, files []string, f observeFlags) error {
	cl := p.client()
	digest := ""
	if f.jobs != "" && f.write == "" {
		data, err := p.wholeFile(f.jobs, maxSamples)
		if err != nil {
			return err
		}
		r, err := cl.PutRecording(ctx, bytes.NewReader(data), nil, f.skipBad)
		if err != nil {
			return fmt.Errorf("%s: %w", f.jobs, err)
		}
		digest = r.Digest
	}
	if f.prometheus != "" {
		data, source, err := p.scraped(ctx, cl, name, f)
		if err != nil || data == nil {
			return err
		}
		t, err := cl.PutUsage(ctx, name, source, digest, bytes.NewReader(data))
		if err != nil {
			return err
		}
		return p.taken(name, source, t)
	}
	for _, file := range files {
		data, err := p.wholeFile(file, maxSamples)
		if err != nil {
			return err
		}
		t, err := cl.PutUsage(ctx, name, filepath.Base(file), digest, bytes.NewReader(data))
		if err != nil {
			return fmt.Errorf("%s: %w", file, err)
		}
		if err := p.taken(name, file, t); err != nil {
			return err
		}
	}
	return nil
}

// maxSamples bounds a file of samples or a job log.
const maxSamples = 256 << 20

// scraped asks a Prometheus for samples and returns them as CSV; nil when they were
// written to a file.
func (p *program) scraped(ctx context.Context, cl *client.Client, name string, f observeFlags) (data []byte, source string, err error) {
	q := prometheus.Question{
		Address: f.prometheus, Token: os.Getenv("TACHYPHOR_PROMETHEUS_TOKEN"), Namespace: f.namespace, Pods: f.pods,
		To: time.Now(),
	}
	if q.Pods == "" {
		q.Pods = regexp.QuoteMeta(name) + "-.+"
	}
	if f.until != "" {
		if q.To, err = time.Parse(time.RFC3339, f.until); err != nil {
			return nil, "", fmt.Errorf("--until %q: expected a time such as 2026-09-14T06:00:00Z", f.until)
		}
	}
	if back, err := units.ParseDuration(f.since); err == nil {
		q.From = q.To.Add(-time.Duration(back))
	} else if q.From, err = time.Parse(time.RFC3339, f.since); err != nil {
		return nil, "", fmt.Errorf("--since %q: expected a time such as 14d or 2026-09-14T06:00:00Z", f.since)
	}
	r, err := cl.Template(ctx, name)
	if err != nil {
		return nil, "", err
	}
	if q.Container = r.Portrait.Container; q.Container == "" {
		return nil, "", no(fmt.Errorf("it is not clear which container of %s is the agent; name it with the annotation %s", name,
			template.ContainerAnnotation))
	}
	if q.Namespace == "" {
		q.Namespace = r.Portrait.Namespace
	}
	bar := p.progress("asking "+f.prometheus, false)
	log, err := prometheus.Ask(ctx, q, bar.set)
	bar.end(err == nil)
	if err != nil {
		return nil, "", no(err)
	}
	if f.write == "" {
		var out bytes.Buffer
		err := log.WriteCSV(&out)
		return out.Bytes(), f.prometheus, no(err)
	}
	if err := whole(f.write, log.WriteCSV); err != nil {
		return nil, "", no(err)
	}
	fmt.Fprintf(p.err, "%s of %s written to %s.\n", counted(log.Samples(), "sample"), counted(len(log.Series), "container"), f.write)
	return nil, "", nil
}

// taken says what taking in samples came to.
func (p *program) taken(name, source string, t sizing.Taken) error {
	if p.format != "table" {
		return p.value(t)
	}
	fmt.Fprintf(p.out, "%s: %s make %s of %s: %s new, %s more complete than before, %s known.\n", source,
		counted(t.Samples, "sample"), counted(t.Runs, "run"), name, units.Count(int64(t.New)), units.Count(int64(t.Replaced)),
		units.Count(int64(t.Known)))
	if m := t.Matched; m != nil {
		fmt.Fprintf(p.out, "%s matched with the job log, %s not in it, %s between jobs left out.\n", counted(m.Jobs, "run"),
			counted(m.Alone, "pod"), counted(m.Between, "sample"))
	}
	if s := oddities(t.Oddities); s != "" {
		fmt.Fprintln(p.out, p.wrap("Worked around: "+s+"."))
	}
	for _, x := range []struct {
		n    int
		what string
	}{{t.Short, "%s had fewer than two samples and made no run."}, {t.Others, "%s not of the agent were left out."}} {
		if x.n > 0 {
			fmt.Fprintf(p.out, x.what+"\n", counted(x.n, "container"))
		}
	}
	if t.Dropped > 0 {
		fmt.Fprintf(p.out, "%s from before had to be deleted: no more are kept.\n", counted(t.Dropped, "run"))
	}
	if t.Bad > 0 {
		fmt.Fprintln(p.out, p.warn(fmt.Sprintf("! %s refused:", counted(t.Bad, "row"))))
		for _, b := range t.BadRows[:min(len(t.BadRows), mostBadShown)] {
			fmt.Fprintln(p.out, "  "+b.String())
		}
	}
	if t.Runs == 0 {
		return no(errors.New("nothing was stored: a run needs at least two samples of one container of the agent, and none has; " +
			"see what the file holds"))
	}
	_, err := fmt.Fprintln(p.out, p.faint(fmt.Sprintf("Next: `tachyphor size %s`.", name)))
	return err
}

// mostBadShown is how many refused rows are written out.
const mostBadShown = 5

// oddities lists what was worked around; empty when nothing was.
func oddities(o sizing.Oddities) string {
	var parts []string
	for _, x := range []struct {
		n         int
		one, many string
	}{
		{o.Gaps, "gap", "gaps"},
		{o.Resets, "counter that started over", "counters that started over"},
		{o.Restarts, "container restarted", "containers restarted"},
		{o.Duplicates, "sample at a moment that had one", "samples at a moment that had one"},
		{o.Steps, "sample from before a clock was set back", "samples from before a clock was set back"},
		{o.Missing, "sample without a figure", "samples without a figure"},
	} {
		switch {
		case x.n == 1:
			parts = append(parts, "1 "+x.one)
		case x.n > 1:
			parts = append(parts, units.Count(int64(x.n))+" "+x.many)
		}
	}
	return strings.Join(parts, ", ")
}
