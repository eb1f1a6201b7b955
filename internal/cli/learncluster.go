package cli

import (
	"cmp"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/learn"
	"tachyphor/core/units"
	"tachyphor/internal/kube"

	"github.com/spf13/cobra"
)

// learnClusterFlags are the flags of learn cluster.
type learnClusterFlags struct {
	o                        learn.ClusterOptions
	options                  kube.Options
	prices, spots, most      []string
	priceFile                string
	write, into, onto        string
	long                     time.Duration
	records                  string
	live, dryRun, all, quiet bool
}

func (p *program) learnClusterCommand() *cobra.Command {
	var f learnClusterFlags
	c := &cobra.Command{
		Use: "cluster [FILE...]", Short: "The facts of a cluster from its own records",
		Long: `Read what a cluster's API gives of nodes, pods, events, volumes, quotas and limit ranges,
and make its facts a Cluster: node types with what is reserved, pools with labels and
taints, DaemonSets, boot times, images with sizes, how fast they come, how long containers
take to start and volumes to be attached; and what namespaces bound, for scenarios. Files
hold lists or single objects, as JSON or YAML, packed or not; with --live they are asked
for.

Each fact says what it rests on (measured: in the document); what no record tells, prices
among it, is said. With --onto the facts become changes of a Cluster that is there: what
somebody wrote by hand stays, unless --all.`,
		Example: "  kubectl get nodes,pods,events,pvc,pv,quota,limits -A -o json > records.json\n  tachyphor learn cluster records.json " +
			"--price octo-32=0.38 --max burst=12 --write mine/\n  tachyphor learn cluster --live --context north --onto platform/cluster.yaml\n" +
			"  tachyphor learn cluster --live --for 2h --write mine/",
		RunE: func(c *cobra.Command, args []string) error { return p.learnCluster(c.Context(), args, f) },
	}
	fl := c.Flags()
	fl.BoolVar(&f.live, "live", false, "ask a live cluster, with your kubeconfig")
	fl.StringVar(&f.options.Kubeconfig, "kubeconfig", "", "with --live: kubeconfig; default: KUBECONFIG or the usual one")
	fl.StringVar(&f.options.Context, "context", "", "with --live: context of the kubeconfig; default: the current one")
	fl.DurationVar(&f.long, "for", 0, "with --live: watch what comes and goes for this long, as in 2h; events are short-lived")
	fl.StringVar(&f.records, "records", "", "with --live: also write what was read to this file, to be learned from again")
	fl.StringVar(&f.o.Name, "name", "learned", "name of the cluster")
	fl.StringVar(&f.o.Currency, "currency", "EUR", "currency of prices")
	fl.StringVar(&f.o.PoolLabel, "pool-label", "", "label of nodes that names their pool; without it the label is guessed")
	fl.StringArrayVar(&f.prices, "price", nil, "TYPE=PRICE an hour of a node type, as in octo-32=0.38 (may be repeated)")
	fl.StringArrayVar(&f.spots, "spot-price", nil, "TYPE=PRICE an hour in a spot pool (may be repeated)")
	fl.StringVar(&f.priceFile, "prices", "", "CSV file with the columns type, price and perhaps spot")
	fl.StringArrayVar(&f.most, "max", nil, "POOL=N: most nodes of a pool (may be repeated)")
	fl.StringVar(&f.write, "write", "", "write the Cluster into this folder")
	fl.StringVar(&f.into, "into", "", "store it in the service, under this name")
	fl.StringVar(&f.onto, "onto", "", "Cluster that gets the facts: a file, or the name of a stored one")
	fl.BoolVar(&f.all, "all", false, "with --onto: also what somebody wrote by hand")
	fl.BoolVar(&f.dryRun, "dry-run", false, "only show what was understood")
	fl.BoolVarP(&f.quiet, "quiet", "q", false, "no progress")
	return c
}

// settings reads the flags.
func (f *learnClusterFlags) settings(p *program) (o learn.ClusterOptions, err error) {
	o = f.o
	if f.into != "" {
		o.Name = f.into
	}
	if o.Prices, err = learn.Pairs("price", f.prices); err != nil {
		return o, err
	}
	if o.Spot, err = learn.Pairs("spot-price", f.spots); err != nil {
		return o, err
	}
	most, err := learn.Pairs("max", f.most)
	if err != nil {
		return o, err
	}
	o.Most = map[string]int{}
	for pool, n := range most {
		x, err := strconv.Atoi(n)
		if err != nil || x < 1 {
			return o, fmt.Errorf("--max %s=%s: expected a number of nodes", pool, n)
		}
		o.Most[pool] = x
	}
	if f.priceFile != "" {
		o.List, err = f.readPrices(p)
	}
	return o, err
}

// readPrices reads a table of prices.
func (f *learnClusterFlags) readPrices(p *program) (list learn.PriceList, err error) {
	data, err := p.wholeFile(f.priceFile, 1<<20)
	if err != nil {
		return list, err
	}
	rows, err := csv.NewReader(strings.NewReader(strings.TrimPrefix(string(data), "\ufeff"))).ReadAll()
	if err != nil {
		return list, no(fmt.Errorf("%s: %w", f.priceFile, err))
	}
	if len(rows) < 1 || len(rows[0]) < 2 || rows[0][0] != "type" || rows[0][1] != "price" {
		return list, no(fmt.Errorf("%s: expected the columns type, price and perhaps spot", f.priceFile))
	}
	list = learn.PriceList{Prices: map[string]string{}, Spot: map[string]string{}}
	for _, row := range rows[1:] {
		list.Prices[row[0]] = row[1]
		if len(row) > 2 && row[2] != "" {
			list.Spot[row[0]] = row[2]
		}
	}
	return list, nil
}

func (p *program) learnCluster(ctx context.Context, args []string, f learnClusterFlags) error {
	switch {
	case f.live == (len(args) > 0):
		return errors.New("name files with a cluster's records, or ask it with --live; one of the two")
	case !f.live && (f.long != 0 || f.records != ""):
		return errors.New("--for and --records go with --live: files are what they are")
	case f.long < 0 || f.long > mostFollowed:
		return fmt.Errorf("--for %s: expected a time up to %s", f.long, mostFollowed)
	}
	o, err := f.settings(p)
	if err != nil {
		return err
	}
	files, err := p.recordsIn(args)
	if err != nil {
		return err
	}
	if f.live {
		if files, err = p.askLive(ctx, f); err != nil {
			return err
		}
		ctx = context.WithoutCancel(ctx) // following may end early; what was seen is learned from all the same
	}
	got, err := learnedFrom(files, o)
	if err != nil {
		return err
	}
	if f.onto != "" {
		return p.learnOnto(ctx, got, f)
	}
	if err := p.learnedCluster(got); err != nil || f.dryRun {
		return err
	}
	if f.write != "" {
		if err := os.MkdirAll(f.write, 0o755); err != nil {
			return err
		}
		file := filepath.Join(f.write, got.Name+".yaml")
		if _, err := os.Stat(file); err == nil {
			return no(fmt.Errorf("%s already exists; --onto %s changes its facts, or give another --name", file, file))
		}
		if err := whole(file, func(w io.Writer) error { _, err := io.WriteString(w, got.Cluster); return err }); err != nil {
			return err
		}
		fmt.Fprintf(p.err, "Written: %s. Next: fill in what is not known, and name it in a scenario.\n", file)
	}
	if f.into != "" {
		stored, err := p.client().Put(ctx, "", []byte(got.Cluster), false)
		if err != nil {
			return err
		}
		for _, s := range stored {
			fmt.Fprintf(p.err, "%s %s is revision %d.\n", s.Kind, s.Name, s.Revision)
		}
	}
	return nil
}

// recordsIn reads files with a cluster's records.
func (p *program) recordsIn(paths []string) (files []learn.File, err error) {
	for _, path := range paths {
		data, err := p.wholeFile(path, learn.MostBytes)
		if err != nil {
			return nil, err
		}
		files = append(files, learn.File{Name: path, Data: data})
	}
	return files, nil
}

// learnedFrom learns a cluster from its records.
func learnedFrom(files []learn.File, o learn.ClusterOptions) (*learn.LearnedCluster, error) {
	records, err := learn.ReadRecords(files)
	if err != nil {
		return nil, no(err)
	}
	got, err := learn.Cluster(records, o)
	return got, no(err)
}

// mostFollowed is how long a cluster is followed at most.
const mostFollowed = 7 * 24 * time.Hour

// askLive asks a live cluster for its records, once or for a while.
func (p *program) askLive(ctx context.Context, f learnClusterFlags) (files []learn.File, err error) {
	conn, err := kube.Connect(f.options)
	if err != nil {
		return nil, no(err)
	}
	say := func(text string) {
		if !f.quiet {
			fmt.Fprintln(p.err, p.faint(text))
		}
	}
	var left []string
	if f.long > 0 {
		say(fmt.Sprintf("Following %s until %s; an interrupt ends it early and learns from what was seen.", conn.Context,
			time.Now().Add(f.long).Format("15:04:05")))
		var got kube.Followed
		got, err = conn.Follow(ctx, f.long, func(nodes, pods, events int) {
			say(fmt.Sprintf("%s  %s, %s, %s", time.Now().Format("15:04:05"), counted(nodes, "node"), counted(pods, "pod"), counted(events, "event")))
		})
		if files, left = got.Files, got.Left; got.Full {
			fmt.Fprintln(p.err, "It ended early: more objects came than are kept. What was seen is learned from.")
		}
	} else {
		files, left, err = conn.Records(ctx, func(kind string, n int) { say(units.Count(int64(n)) + " " + kind) })
	}
	if err != nil {
		return nil, no(err)
	}
	if len(left) > 0 {
		fmt.Fprintf(p.err, "Not allowed to read %s; what they would say is missing.\n", strings.Join(left, ", "))
	}
	if f.records == "" {
		return files, nil
	}
	return files, whole(f.records, func(w io.Writer) error {
		for _, x := range files {
			if _, err := w.Write(x.Data); err != nil {
				return err
			}
		}
		return nil
	})
}

// learnedCluster shows what was understood of a cluster's records.
func (p *program) learnedCluster(got *learn.LearnedCluster) error {
	l := listing{columns: []column{{"fact", false}, {"is", false}, {"of", true}, {"from", false}}, value: got, main: "facts"}
	for _, x := range got.Facts {
		l.rows = append(l.rows, []string{x.Fact, x.Value, units.Count(int64(x.Count)), x.How})
	}
	if p.format != "table" {
		return p.show(l)
	}
	fmt.Fprintln(p.out, p.strong(got.Name)+p.faint(fmt.Sprintf("  %s, %s, %s, as of %s", counted(got.Nodes, "node"), counted(got.Pods, "pod"),
		counted(got.Events, "event"), got.AsOf.Format("2006-01-02 15:04 UTC"))))
	fmt.Fprintln(p.out)
	fmt.Fprintln(p.out, p.table(l))
	fmt.Fprintln(p.out)
	for _, g := range got.Guesses {
		says := fmt.Sprintf("%s: %s (%s)", g.What, g.Is, g.Why)
		if g.Flag != "" {
			says += p.faint("  otherwise " + g.Flag)
		}
		fmt.Fprintln(p.out, p.wrap(says))
	}
	for _, n := range got.Namespaces {
		fmt.Fprintln(p.out)
		fmt.Fprintln(p.out, p.strong("Namespace "+n.Name))
		for _, s := range n.Says {
			fmt.Fprintln(p.out, p.wrap("- "+s))
		}
	}
	fmt.Fprintln(p.out)
	fmt.Fprintln(p.out, p.strong("Not known from these records"))
	for _, s := range got.Lacks {
		fmt.Fprintln(p.out, p.wrap("- "+s))
	}
	if len(got.PassedOver) > 0 {
		var others []string
		for _, kind := range slices.Sorted(maps.Keys(got.PassedOver)) {
			others = append(others, fmt.Sprintf("%s %s", units.Count(int64(got.PassedOver[kind])), cmp.Or(kind, "of no kind")))
		}
		fmt.Fprintln(p.out)
		fmt.Fprintln(p.out, p.wrap("Left out, because they say nothing about a cluster: "+strings.Join(others, ", ")+"."))
	}
	return nil
}

// learnOnto makes what was learned changes of a cluster that is there.
func (p *program) learnOnto(ctx context.Context, got *learn.LearnedCluster, f learnClusterFlags) error {
	var text, name string
	revision := 0
	if isFile(f.onto) {
		data, err := p.read(f.onto)
		if err != nil {
			return err
		}
		text = string(data)
	} else {
		d, err := p.client().Get(ctx, document.KindCluster, f.onto, 0)
		if err != nil {
			return err
		}
		text, name, revision = d.Text, d.Name, d.Revision
	}
	docs, faults := document.Parse(f.onto, []byte(text))
	if len(faults) > 0 {
		return faults
	}
	var spec *document.ClusterSpec
	for _, d := range docs {
		if c, ok := d.Value.(*document.Cluster); ok && spec == nil {
			spec = &c.Spec
		}
	}
	if spec == nil {
		return no(fmt.Errorf("there is no Cluster in %s", f.onto))
	}
	edits, changes := got.Onto(spec, f.all)
	l := listing{columns: []column{{"fact", false}, {"was", false}, {"records tell", false}, {"", false}}, value: changes}
	for _, c := range changes {
		note := ""
		if !c.Taken {
			note = p.warn("stays: by hand (--all takes it)")
		}
		l.rows = append(l.rows, []string{c.Fact, clipped(c.Was, 44), clipped(c.Is, 60), note})
	}
	if err := p.show(l); err != nil {
		return err
	}
	switch {
	case len(edits) == 0:
		fmt.Fprintln(p.err, "Nothing to change.")
		return nil
	case f.dryRun:
		return nil
	case name == "":
		err := p.mendKind(f.onto, document.KindCluster, func(*document.Document) []document.Edit { return edits })
		if err != nil {
			return err
		}
		fmt.Fprintf(p.err, "%s is rewritten.\n", f.onto)
		return nil
	}
	stored, err := p.client().Edit(ctx, document.KindCluster, name, revision, edits)
	if err != nil {
		return err
	}
	fmt.Fprintf(p.err, "%s is revision %d now.\n", name, stored.Revision)
	return nil
}
