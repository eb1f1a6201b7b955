package cli

import (
	"cmp"
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/core/units"
	"tachyphor/wire"

	"github.com/spf13/cobra"
	"sigs.k8s.io/yaml"
)

func (p *program) putCommand() *cobra.Command {
	var skipBad, dryRun bool
	c := &cobra.Command{
		Use: "put FILE...", Short: "Store documents, all or none; folders are searched",
		Long: `Store documents from files, folders or standard input (-). Recorded jobs that a
workload names are stored with it. With any fault nothing is stored, and every
fault is told with its place.`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			stored, err := p.put(c.Context(), p.client(), args, skipBad, dryRun)
			if err != nil {
				return err
			}
			if dryRun {
				fmt.Fprintln(p.err, "No faults. Nothing was stored.")
				return nil
			}
			l := listing{columns: []column{{"kind", false}, {"name", false}, {"revision", true}, {"", false}}, value: stored}
			for _, s := range stored {
				l.rows = append(l.rows, []string{s.Kind, s.Name, strconv.Itoa(s.Revision), s.Change})
			}
			return p.show(l)
		},
	}
	c.Flags().BoolVar(&skipBad, "skip-bad", false, "leave out bad rows of recorded jobs")
	c.Flags().BoolVar(&dryRun, "dry-run", false, "check only")
	return c
}

// put stores every document that the paths name.
func (p *program) put(ctx context.Context, c *client.Client, paths []string, skipBad, dryRun bool) ([]wire.Stored, error) {
	var all []*document.Document
	var others []string
	var faults document.Faults
	for _, path := range paths {
		files := []string{path}
		if path != "-" {
			var err error
			if files, err = find(path); err != nil {
				return nil, err
			}
		}
		for _, f := range files {
			data, err := p.read(f)
			if err != nil {
				return nil, err
			}
			r := document.Read(f, data)
			all, faults = append(all, r.Documents...), append(faults, r.Faults...)
			for _, o := range r.Others {
				others = append(others, o.String())
			}
		}
	}
	if len(faults) > 0 {
		return nil, faults
	}
	if len(all) == 0 {
		return nil, fmt.Errorf("no documents in %s", strings.Join(paths, ", "))
	}
	if len(others) > 0 {
		fmt.Fprintf(p.err, "Left out, because they are not documents and hold no pod template: %s.\n", strings.Join(others, ", "))
	}
	for _, d := range all {
		if d.Lift.From != "" && d.Lift.From != d.Kind {
			fmt.Fprintf(p.err, "%s: taken out of a %s.%s\n", d.Name, d.Lift.From, left(d))
		} else if len(d.Lift.Left) > 0 {
			fmt.Fprintf(p.err, "%s:%s\n", d.Name, left(d))
		}
	}
	var stream strings.Builder
	for _, d := range all {
		text, err := p.withRecording(ctx, c, d, skipBad)
		if err != nil {
			return nil, err
		}
		stream.WriteString("---\n" + strings.TrimRight(text, "\n") + "\n")
	}
	stored, err := c.Put(ctx, "", []byte(stream.String()), dryRun)
	if err == nil && !dryRun {
		p.lacking(ctx, c, stored)
	}
	return stored, err
}

// lacking says what stored scenarios name that is not stored: they can be simulated when
// it is.
func (p *program) lacking(ctx context.Context, c *client.Client, stored []wire.Stored) {
	for _, s := range stored {
		if s.Kind != document.KindScenario {
			continue
		}
		full, err := c.Scenario(ctx, s.Name)
		if err != nil {
			continue // it is stored; what it lacks is told when it is simulated
		}
		for _, f := range full.Faults {
			fmt.Fprintf(p.err, "%s cannot be simulated yet: %s\n", s.Name, f)
		}
	}
}

// left says what of an object had to be left behind.
func left(d *document.Document) string {
	if len(d.Lift.Left) == 0 {
		return ""
	}
	return " Left behind: " + strings.Join(d.Lift.Left, ", ") + "."
}

// withRecording stores the recorded jobs that a document names, and returns its
// text with their digest.
func (p *program) withRecording(ctx context.Context, c *client.Client, d *document.Document, skipBad bool) (string, error) {
	path := recordedFile(d)
	if path == "" {
		return d.Text, nil
	}
	f, err := openRecorded(d)
	if err != nil {
		return "", document.Faults{d.Fault("spec.jobs.file", path, err.Error())}
	}
	defer func() { _ = f.Close() }()
	r, err := c.PutRecording(ctx, f, d.Value.(*document.Workload).Spec.Jobs.Columns, skipBad)
	if err != nil {
		return "", fmt.Errorf("%s: %w", path, err)
	}
	fmt.Fprintf(p.err, "%s: %s jobs\n", path, units.Count(int64(r.Jobs)))
	if r.Bad > 0 {
		fmt.Fprintf(p.err, "%s: %s left out\n", path, counted(r.Bad, "bad row"))
	}
	return document.Apply(d.Text, []document.Edit{{Op: "add", Path: "/spec/jobs/digest", Value: r.Digest}})
}

func (p *program) getCommand() *cobra.Command {
	var revision int
	c := &cobra.Command{
		Use: "get [KIND [NAME]]", Short: "List documents, outcomes, weighings or explorations, or print one",
		Example: "  tachyphor get\n  tachyphor get scenarios\n  tachyphor get scenario weekday-lean\n  tachyphor get outcomes\n  " +
			"tachyphor get weighings\n  tachyphor get exploration 9",
		Args: cobra.MaximumNArgs(2),
		RunE: func(c *cobra.Command, args []string) error {
			cl := p.client()
			if len(args) > 0 {
				if n := p.numberedOf(args[0]); n != nil {
					return n.get(c.Context(), p, cl, args[1:])
				}
			}
			kind := ""
			if len(args) > 0 {
				var err error
				if kind, err = kindOf(args[0]); err != nil {
					return err
				}
			}
			if len(args) == 2 {
				d, err := cl.Get(c.Context(), kind, args[1], revision)
				if err != nil {
					return err
				}
				return p.print(d)
			}
			list, err := cl.List(c.Context(), kind)
			if err != nil {
				return err
			}
			return p.show(documentsListing(list))
		},
	}
	c.Flags().IntVar(&revision, "revision", 0, "an older revision")
	return c
}

// print writes a document: its text as it was written, or its fields.
func (p *program) print(d wire.Document) error {
	switch p.format {
	case "json":
		var v any
		if err := yaml.Unmarshal([]byte(d.Text), &v); err != nil {
			return err
		}
		return p.value(v)
	default:
		_, err := fmt.Fprint(p.raw, d.Text)
		return err
	}
}

// printOutcome prints an outcome.
func (p *program) printOutcome(ctx context.Context, c *client.Client, id uint64) error {
	o, err := c.Outcome(ctx, id, true)
	if err != nil {
		return err
	}
	if o.Result == nil {
		return notDone("outcome", o.WorkBrief)
	}
	return p.outcome(o.Result)
}

func outcomesListing(list []wire.WorkBrief) listing {
	l := listing{columns: []column{
		{"outcome", true},
		{"scenario", false},
		{"state", false},
		{"p95 start delay", true},
		{"cost a month", true},
		{"aims", false},
		{"asked", false},
	}, value: list}
	for _, o := range list {
		delay, cost, aims := "", "", ""
		if s := o.Simulation.Summary; s != nil {
			if s.P95DelayNs != nil {
				delay = units.Duration(*s.P95DelayNs).Short()
			}
			cost = units.Amount(s.CostPerMonth).Short(s.Currency)
			aims = cmp.Or(string(s.Aims), "–")
		}
		l.rows = append(l.rows, []string{strconv.FormatUint(o.ID, 10), o.About, string(o.State), delay, cost, aims, here(o.Asked)})
	}
	return l
}

func kindOf(word string) (string, error) {
	kind, ok := document.FindKind(word)
	if !ok {
		return "", fmt.Errorf("there is no kind %q; expected one of %s, outcomes, weighings and explorations", word, strings.Join(document.Kinds(), ", "))
	}
	return kind, nil
}

func documentsListing(list []wire.Document) listing {
	l := listing{columns: []column{{"kind", false}, {"name", false}, {"revision", true}, {"stored", false}, {"by", false}}, value: list}
	for _, d := range list {
		l.rows = append(l.rows, []string{d.Kind, d.Name, strconv.Itoa(d.Revision), d.Stored.Local().Format("2006-01-02 15:04:05"), d.By})
	}
	return l
}

func (p *program) dropCommand() *cobra.Command {
	return &cobra.Command{
		Use: "drop KIND NAME", Short: "Delete a document, or an outcome, or what is known of usage",
		Long: "Delete a document; its revisions stay for outcomes that used it. Or take an outcome away by its number, with " +
			"all its stored jobs. Or forget what the agents of a template used.",
		Example: "  tachyphor drop scenario old-idea\n  tachyphor drop outcome 7\n  tachyphor drop weighing 8\n  tachyphor drop " +
			"usage compile-wide",
		Args: cobra.ExactArgs(2),
		RunE: func(c *cobra.Command, args []string) error {
			if n := p.numberedOf(args[0]); n != nil {
				return n.drop(c.Context(), p, args[1])
			}
			if strings.EqualFold(args[0], "usage") {
				if err := p.client().DropUsage(c.Context(), args[1]); err != nil {
					return err
				}
				fmt.Fprintf(p.err, "usage of %s forgotten.\n", args[1])
				return nil
			}
			kind, err := kindOf(args[0])
			if err != nil {
				return err
			}
			if err := p.client().Drop(c.Context(), kind, args[1]); err != nil {
				return err
			}
			fmt.Fprintf(p.err, "%s %s dropped.\n", kind, args[1])
			return nil
		},
	}
}

func (p *program) historyCommand() *cobra.Command {
	return &cobra.Command{
		Use: "history KIND NAME", Short: "List a document's revisions", Args: cobra.ExactArgs(2),
		RunE: func(c *cobra.Command, args []string) error {
			kind, err := kindOf(args[0])
			if err != nil {
				return err
			}
			list, err := p.client().History(c.Context(), kind, args[1])
			if err != nil {
				return err
			}
			return p.show(documentsListing(list))
		},
	}
}

func (p *program) diffCommand() *cobra.Command {
	return &cobra.Command{
		Use: "diff KIND NAME A B", Short: "Show what changed between two revisions", Args: cobra.ExactArgs(4),
		RunE: func(c *cobra.Command, args []string) error {
			kind, err := kindOf(args[0])
			if err != nil {
				return err
			}
			from, err1 := strconv.Atoi(args[2])
			to, err2 := strconv.Atoi(args[3])
			if err1 != nil || err2 != nil {
				return fmt.Errorf("revisions are whole numbers; `tachyphor history %s %s` lists them", args[0], args[1])
			}
			text, err := p.client().Diff(c.Context(), kind, args[1], from, to)
			if err != nil {
				return err
			}
			for line := range strings.Lines(text) {
				if p.term.colour {
					line = coloured(line)
				}
				fmt.Fprint(p.out, line)
			}
			return nil
		},
	}
}

// coloured marks a line of a difference.
func coloured(line string) string {
	bare := strings.TrimSuffix(line, "\n")
	switch {
	case strings.HasPrefix(line, "+"):
		return "\x1b[32m" + bare + "\x1b[0m\n"
	case strings.HasPrefix(line, "-"):
		return "\x1b[31m" + bare + "\x1b[0m\n"
	default:
		return line
	}
}

// here writes a moment of the service in this machine's time.
func here(moment string) string {
	t, err := time.Parse(time.RFC3339, moment)
	if err != nil {
		return moment
	}
	return t.Local().Format("2006-01-02 15:04:05")
}
