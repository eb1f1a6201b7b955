package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"

	"tachyphor/core/learn"
	"tachyphor/core/units"

	"github.com/spf13/cobra"
)

func (p *program) learnCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "learn", Short: "Derive documents from records that you have",
		Long: `Derive documents from records: a workload from a job log, a cluster from what its API
gives. What a record is taken to mean
is told, with the reason and the flag that says otherwise.`,
	}
	c.AddCommand(p.learnJobsCommand(), p.learnClusterCommand())
	return c
}

// learnJobsFlags are the flags of learn jobs.
type learnJobsFlags struct {
	learn.Asked
	write, into    string
	node, currency string
	manifests      []string
	dryRun, quiet  bool
}

func (p *program) learnJobsCommand() *cobra.Command {
	var f learnJobsFlags
	var roles []string
	for _, r := range learn.JobRoles() {
		roles = append(roles, fmt.Sprintf("  %-10s %s", r.Name, r.Doc))
	}
	c := &cobra.Command{
		Use: "jobs FILE...", Short: "A workload from a job log in any form of table",
		Long: `Read a job log and make a workload of it that can be simulated: its classes with what they
want, how long they work and when they come, and the jobs themselves as recorded.

The log may be CSV with any delimiter, JSON, JSON Lines or Parquet, packed with gzip or
zstd, in UTF-8, UTF-16, Latin-1 or Windows-1252, with a header or none. What its columns
say is told by their names and their values; every guess is shown with its reason, and a
flag says otherwise. What contradicts itself is refused.

A column can say:
` + strings.Join(roles, "\n") + `

Without --write or --into nothing is written: what was understood is shown.`,
		Example: "  tachyphor learn jobs export.csv\n  tachyphor learn jobs export.csv.gz --zone Europe/Oslo --column submitted=queued_at " +
			"--unit work=ms --write mine/\n  tachyphor learn jobs july.csv august.csv --into summer --skip-bad",
		Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error { return p.learnJobs(c.Context(), args, f) },
	}
	fl := c.Flags()
	fl.StringArrayVar(&f.Columns, "column", nil, "ROLE=NAME: what a column says; its name or number, or - for none (may be repeated)")
	fl.StringArrayVar(&f.Units, "unit", nil, "ROLE=UNIT: unit of work, wait, memory or disk, as in work=ms (may be repeated)")
	fl.StringArrayVar(&f.Results, "result", nil, "WORD=done|failed|cut|never|underway: what a word of the result "+
		"column means (may be repeated)")
	fl.StringArrayVar(&f.Trunk, "trunk", nil, "branch that is the trunk; default: main, master, trunk and the like (may be repeated)")
	fl.StringVar(&f.Delimiter, "delimiter", "", "character between fields, or tab")
	fl.StringVar(&f.Encoding, "encoding", "", "one of "+strings.Join(learn.Encodings, ", "))
	fl.StringVar(&f.Header, "header", "", "yes or no: whether the first row names the columns")
	fl.StringVar(&f.Dates, "dates", "", "day-first or month-first, where dates are written in numbers")
	fl.StringVar(&f.Decimal, "decimal", "", "point or comma: what parts a fraction, where it could be either")
	fl.StringVar(&f.Zone, "zone", "", "time zone of times that name none, and of the week, as in Europe/Oslo; default: UTC")
	fl.StringVar(&f.From, "from", "", "leave out jobs before this, as in 2026-09-14")
	fl.StringVar(&f.Until, "until", "", "leave out jobs from this on")
	fl.StringVar(&f.ColdAfter, "cold-after", "", "pause of a class after which its next run may be cold, or no; default: 6h")
	fl.IntVar(&f.Least, "least", 0, "fewest jobs of a class of its own; default: one in 500, 5 at least")
	fl.BoolVar(&f.SkipBad, "skip-bad", false, "leave out rows that cannot be read")
	fl.StringVar(&f.Name, "name", "", "name of the workload; default: that of the file")
	fl.StringVar(&f.write, "write", "", "write the workload and its jobs into this folder")
	fl.StringVar(&f.node, "node", "", "with --write: CPU,MEMORY,PRICE of a node, as in 8,32Gi,0.40 an hour; writes a cluster of such, "+
		"a template and a scenario to begin with")
	fl.StringArrayVar(&f.manifests, "manifest", nil, "with --write: file with pod templates, or with objects that hold one, the preferred first (may be "+
		"repeated); writes them with a cluster that holds them and a scenario to begin with")
	fl.StringVar(&f.currency, "currency", "EUR", "with --node or --manifest: currency of prices")
	fl.StringVar(&f.into, "into", "", "store it in the service, under this name")
	fl.BoolVar(&f.dryRun, "dry-run", false, "only show what was understood")
	fl.BoolVarP(&f.quiet, "quiet", "q", false, "no progress")
	return c
}

// options reads the flags.
func (f *learnJobsFlags) options(files []string) (learn.JobOptions, error) {
	if f.into != "" {
		if f.Name != "" && f.Name != f.into {
			return learn.JobOptions{}, errors.New("--into gives the name; leave --name out")
		}
		f.Name = f.into
	}
	if f.Name == "" {
		f.Name = learn.NameOf(filepath.Base(files[0]))
	}
	o, err := f.Asked.Options()
	if err != nil {
		err = fmt.Errorf("--%w", err)
	}
	return o, err
}

// logs reads job logs whole.
func (p *program) logs(paths []string) (files []learn.File, err error) {
	for _, path := range paths {
		data, err := p.wholeFile(path, learn.MostBytes)
		if err != nil {
			return nil, err
		}
		files = append(files, learn.File{Name: path, Data: data})
	}
	return files, nil
}

func (p *program) learnJobs(ctx context.Context, args []string, f learnJobsFlags) error {
	o, err := f.options(args)
	if err != nil {
		return err
	}
	if f.write == "" && (f.node != "" || len(f.manifests) > 0) {
		return errors.New("--node and --manifest go with --write: name the folder that documents to begin with are written to")
	}
	defer debug.SetMemoryLimit(debug.SetMemoryLimit(softMemory))
	files, err := p.logs(args)
	if err != nil {
		return err
	}
	bar := p.progress("learning "+o.Name, f.quiet)
	got, err := learn.Jobs(files, o, bar.set)
	bar.end(err == nil)
	if err != nil {
		return p.notLearned(err, args)
	}
	if err := p.learned(got); err != nil {
		return err
	}
	if f.dryRun {
		return nil
	}
	if f.write != "" {
		if err := p.writeLearned(got, f); err != nil {
			return err
		}
	}
	if f.into != "" {
		return p.storeLearned(ctx, got)
	}
	return nil
}

// softMemory is from where on memory is given back at once: a million rows fit.
const softMemory = 480 << 20

// notLearned tells what kept a log from being learned.
func (p *program) notLearned(err error, args []string) error {
	where := ""
	if len(args) == 1 {
		where = args[0] + ": "
	}
	var bad learn.BadRows
	if errors.As(err, &bad) {
		for _, b := range bad.Bad[:min(len(bad.Bad), 10)] {
			fmt.Fprintf(p.err, "%s%s\n", where, b)
		}
		return no(fmt.Errorf("%s%d rows cannot be used; nothing was written. --skip-bad leaves them out", where, bad.Bads))
	}
	if where != "" && strings.HasPrefix(err.Error(), where) {
		where = ""
	}
	return no(fmt.Errorf("%s%w", where, err))
}

// writeLearned writes the documents into a folder.
func (p *program) writeLearned(got *learn.LearnedJobs, f learnJobsFlags) error {
	folder := f.write
	begin, begun, err := p.begin(got, f)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	doc := filepath.Join(folder, got.Name+".yaml")
	if _, err := os.Stat(doc); err == nil {
		return no(fmt.Errorf("%s already exists; delete it, or give another --name", doc))
	}
	if err := whole(filepath.Join(folder, got.File), func(w io.Writer) error { _, err := w.Write(got.Log); return err }); err != nil {
		return err
	}
	if err := whole(doc, func(w io.Writer) error { _, err := io.WriteString(w, got.Workload); return err }); err != nil {
		return err
	}
	if begin != "" {
		first := filepath.Join(folder, got.Name+"-first.yaml")
		if err := whole(first, func(w io.Writer) error { _, err := io.WriteString(w, begin); return err }); err != nil {
			return err
		}
		if begun != nil {
			p.assumed(begun)
		}
		fmt.Fprintf(p.err, "Written: %s, %s and %s. Next: `tachyphor simulate %s --here`.\n", doc, filepath.Join(folder, got.File), first, first)
		return nil
	}
	fmt.Fprintf(p.err, "Written: %s and %s. Next: name the workload %s in a scenario, and `tachyphor simulate SCENARIO.yaml --here`.\n", doc,
		filepath.Join(folder, got.File), got.Name)
	return nil
}

// storeLearned stores the workload with its jobs.
func (p *program) storeLearned(ctx context.Context, got *learn.LearnedJobs) error {
	c := p.client()
	r, err := c.PutRecording(ctx, bytes.NewReader(got.Log), nil, false)
	if err != nil {
		return err
	}
	stored, err := c.Put(ctx, "", []byte(got.Named(r.Digest)), false)
	if err != nil {
		return err
	}
	for _, s := range stored {
		fmt.Fprintf(p.err, "%s %s is revision %d. Next: name it in a scenario, and `tachyphor simulate SCENARIO`.\n", s.Kind, s.Name, s.Revision)
	}
	return nil
}

// learned shows what was understood of a log.
func (p *program) learned(got *learn.LearnedJobs) error {
	columns := listing{
		columns: []column{{"column", false}, {"says", false}, {"written as", false}, {"such as", false}}, value: got, main: "classes",
	}
	for _, c := range got.Columns {
		says, form := c.Role, c.Form
		switch {
		case says == "":
			says = p.faint("left out")
		case c.Why != "its name":
			says += p.faint(" (" + c.Why + ")")
		}
		var such []string
		for _, s := range c.Samples[:min(2, len(c.Samples))] {
			such = append(such, clipped(s, 28))
		}
		columns.rows = append(columns.rows, []string{c.Name, says, form, strings.Join(such, ", ")})
	}
	if p.format != "table" {
		return p.show(columns)
	}
	fmt.Fprintln(p.out, p.strong(got.Name)+p.faint(fmt.Sprintf("  %s of %s, %s to %s", counted(got.Jobs, "job"), counted(got.Rows, "row"),
		got.From.Format("2006-01-02 15:04"), got.To.Format("2006-01-02 15:04 MST"))))
	fmt.Fprintln(p.out)
	fmt.Fprintln(p.out, p.table(columns.filled()))
	fmt.Fprintln(p.out)
	for _, g := range got.Guesses {
		says := fmt.Sprintf("%s: %s (%s)", g.What, g.Is, g.Why)
		if g.Flag != "" && g.Why != "told" {
			says += p.faint("  otherwise " + g.Flag)
		}
		fmt.Fprintln(p.out, p.wrap(says))
	}
	for i, list := range [][]learn.Count{got.Left, got.Endings} {
		if len(list) > 0 {
			fmt.Fprintln(p.out)
		}
		for _, c := range list {
			fmt.Fprintln(p.out, p.wrap(fmt.Sprintf("%s %s: %s.", counted(c.Rows, []string{"row", "job"}[i]), c.What, c.Says)))
		}
	}
	for _, b := range got.BadRows[:min(5, len(got.BadRows))] {
		fmt.Fprintln(p.out, p.faint("  "+b.String()))
	}
	fmt.Fprintln(p.out)
	classes := listing{columns: []column{
		{"class", false},
		{"jobs", true},
		{"a week", true},
		{"wants", false},
		{"work, half", true},
		{"95 %", true},
		{"as", false},
		{"memory, 95 %", true},
		{"trunk", true},
		{"comes", false},
	}}
	for _, c := range got.Classes {
		memory, trunk := "", ""
		if c.Memory != nil {
			memory = units.Bytes(c.Memory.P95).Short()
		}
		if c.Trunk != nil {
			trunk = fmt.Sprintf("%.0f %%", 100**c.Trunk)
		}
		comes := c.Follows
		if len(c.Bursts) > 0 {
			comes = strings.Join(c.Bursts[:min(2, len(c.Bursts))], "; ")
		}
		classes.rows = append(classes.rows, []string{
			c.Name, units.Count(int64(c.Jobs)), fmt.Sprintf("%.4g", c.PerWeek), strings.Join(c.Wants, " "),
			units.Duration(c.Work.Median * 1e9).Short(), units.Duration(c.Work.P95 * 1e9).Short(), c.Work.Family, memory, trunk, comes,
		})
	}
	fmt.Fprintln(p.out, p.table(classes.filled()))
	fmt.Fprintln(p.out)
	if l := got.Likes; l != nil {
		fmt.Fprintln(p.out, p.wrap(likely(got)))
	}
	for _, n := range got.Notes {
		fmt.Fprintln(p.out, p.wrap(n))
	}
	return nil
}

// filled leaves out the columns in which nothing stands.
func (l listing) filled() listing {
	out := listing{value: l.value, keys: l.keys, main: l.main, rows: make([][]string, len(l.rows))}
	for at, c := range l.columns {
		if !slices.ContainsFunc(l.rows, func(row []string) bool { return row[at] != "" }) {
			continue
		}
		out.columns = append(out.columns, c)
		for i, row := range l.rows {
			out.rows[i] = append(out.rows[i], row[at])
		}
	}
	return out
}

// likely says how near a made workload would be.
func likely(got *learn.LearnedJobs) string {
	var worst *learn.ClassSeen // of those with enough jobs to tell
	for i := range got.Classes {
		c := &got.Classes[i]
		if c.Likes != nil && c.Jobs >= 50 && (worst == nil || c.Likes.Work > worst.Likes.Work) {
			worst = c
		}
	}
	s := fmt.Sprintf("The jobs come as recorded. Made ones instead, without jobs: in the document, would differ from the log by at most "+
		"%.1f %% of all in when they come (chance of that between two draws of one: %.2g)", 100*got.Likes.Arrivals, got.Likes.ArrivalsChance)
	if worst != nil {
		s += fmt.Sprintf(", and by %.1f %% in how long they work, in %s", 100*worst.Likes.Work, worst.Name)
	}
	if u := got.Likes.Unsteady; u > 1.5 {
		s += fmt.Sprintf("; the log's hours vary %.2g times as much as made ones do, so that its peaks are higher", u)
	}
	return s + "."
}
