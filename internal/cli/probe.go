package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/units"
	"tachyphor/internal/probe"
	"tachyphor/internal/standin/objects"

	"github.com/spf13/cobra"
)

// probeFlags are the flags of probe.
type probeFlags struct {
	store, codecs, cores string
	most, ship           string
	whole, noUnpack      bool
	flows                int
	scratch              string
	use, into            string
	quiet                bool
	lists                string
	include, leaveOut    []string
	save, build, key     string
	list, rights         bool
}

func (p *program) probeCommand() *cobra.Command {
	f := probeFlags{cores: "one,all", most: "512MiB", ship: "32MiB", flows: 4}
	c := &cobra.Command{
		Use: "probe [FOLDER]", Short: "Measure packing a real workspace, and carrying it to a store and back",
		Long: `Pack a folder with none, gzip and zstd at three levels, on one core and on all; unpack
it again; and with --store time real uploads and downloads against a store that speaks
the S3 protocol (its keys from TACHYPHOR_STORE_ACCESS and TACHYPHOR_STORE_SECRET). Run it
where agents run: what it measures is true of that machine.

Links are packed as links and never followed; nothing outside the folder is read. What
cannot be read is counted. Archives and unpacked files are in a scratch folder that is
gone at the end, and nothing is left in the store, also when it is interrupted.

With --into the figures become facts of a stored cluster or of a cluster's file, with
date and place.

--include and --leave-out say what is packed, or --lists with a file that ` + "`tachyphor keep --lists`" + `
wrote. --save leaves the packed folder in the store under a name, with which build wrote it, on
which machine, from which folder and by which key; --list tells what is there and who wrote it.
--rights tries what the keys may do there, and whether that is enough for agents.`,
		Example: "  tachyphor probe ~/work/tide-charts\n  tachyphor probe workspace --store http://127.0.0.1:9000/workspaces " +
			"--into brinewell-north\n  tachyphor pretend store --up 12MB/s --down 90MB/s --latency 150ms",
		Args: cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			switch alone := f.list || f.rights; {
			case alone && (len(args) > 0 && f.rights || f.list && f.rights || f.save != ""):
				return errors.New("--list and --rights look at the store alone")
			case alone && f.store == "":
				return errors.New("say which store: --store http://127.0.0.1:9000/workspaces")
			case f.rights:
				return p.storeRights(c.Context(), f)
			case f.list:
				return p.storeList(c.Context(), strings.Join(args, ""), f)
			case len(args) == 0:
				return errors.New("name the folder of a workspace, or look at a store with --list or --rights")
			case f.save != "" && f.store == "":
				return errors.New("--save goes with --store")
			case f.save != "":
				return p.storeSave(c.Context(), args[0], f)
			}
			return p.probe(c.Context(), args[0], f)
		},
	}
	fl := c.Flags()
	fl.StringVar(&f.store, "store", "", "address of a store's bucket, as in http://127.0.0.1:9000/workspaces")
	fl.StringVar(&f.codecs, "codecs", "", "codecs to measure, separated by commas; default: none, gzip-6, zstd-1, zstd-3, zstd-9")
	fl.StringVar(&f.cores, "cores", f.cores, "cores to pack on: one, all or both")
	fl.StringVar(&f.most, "most", f.most, "pack a sample of about this many bytes of a larger folder")
	fl.BoolVar(&f.whole, "whole", false, "pack all of it, however large")
	fl.BoolVar(&f.noUnpack, "no-unpack", false, "leave unpacking out")
	fl.StringVar(&f.ship, "ship", f.ship, "size of the objects that are sent and brought")
	fl.IntVar(&f.flows, "flows", f.flows, "objects carried at once, to find what they share")
	fl.StringVar(&f.scratch, "scratch", "", "folder for archives and unpacked files; default: the system's")
	fl.StringVar(&f.use, "use", "", "codec whose figures become facts, as in zstd-3; default: the one that is over first")
	fl.StringVar(&f.into, "into", "", "stored cluster, or file of one, that gets the facts")
	fl.StringVar(&f.lists, "lists", "", "file of what is packed, as tachyphor keep --lists writes it")
	fl.StringArrayVar(&f.include, "include", nil, "pack only this: a path with all below it, or a pattern (may be repeated)")
	fl.StringArrayVar(&f.leaveOut, "leave-out", nil, "do not pack this, as in *.log (may be repeated)")
	fl.StringVar(&f.save, "save", "", "leave the packed folder in the store under this name")
	fl.StringVar(&f.build, "build", "", "with --save: which build it is, as in 4711")
	fl.StringVar(&f.key, "key", "", "with --save: key of its dependencies, as tachyphor keep tells it")
	fl.BoolVar(&f.list, "list", false, "list what is in the store (FOLDER: below this prefix) and who wrote it")
	fl.BoolVar(&f.rights, "rights", false, "try what the keys may do in the store")
	fl.BoolVarP(&f.quiet, "quiet", "q", false, "no progress")
	return c
}

// options reads what is to be measured.
func (f probeFlags) options() (probe.Options, error) {
	o := probe.Options{Scratch: f.scratch, Unpack: !f.noUnpack, Flows: f.flows}
	all := probe.Codecs()
	var names []string
	for _, c := range all {
		names = append(names, c.Name)
	}
	o.Codecs = all
	if f.codecs != "" {
		o.Codecs = nil
		for _, name := range strings.Split(f.codecs, ",") {
			i := slices.Index(names, strings.TrimSpace(name))
			if i < 0 {
				return o, fmt.Errorf("--codecs %s: expected some of %s", name, strings.Join(names, ", "))
			}
			o.Codecs = append(o.Codecs, all[i])
		}
	}
	for _, word := range strings.Split(f.cores, ",") {
		switch strings.TrimSpace(word) {
		case "one":
			o.Cores = append(o.Cores, 1)
		case "all":
			if n := probe.AllCores(); n > 1 || len(o.Cores) == 0 {
				o.Cores = append(o.Cores, n)
			}
		default:
			return o, fmt.Errorf("--cores %s: expected one, all or one,all", f.cores)
		}
	}
	for _, x := range []struct {
		name, text string
		to         *int64
	}{{"--most", f.most, &o.Most}, {"--ship", f.ship, &o.Ship}} {
		b, err := units.ParseBytes(x.text)
		if err != nil || b < 1 {
			return o, fmt.Errorf("%s %s: expected an amount of bytes, as in 512MiB", x.name, x.text)
		}
		*x.to = int64(b)
	}
	if f.whole {
		o.Most = 0
	}
	if o.Ship > 5<<30 || f.flows < 1 || f.flows > 64 {
		return o, errors.New("--ship may be 5GiB at most, and --flows 1 to 64")
	}
	var err error
	if o.Lists, err = f.packed(); err != nil {
		return o, err
	}
	if f.store != "" {
		s, err := probe.OpenStore(f.store, os.Getenv("TACHYPHOR_STORE_ACCESS"), os.Getenv("TACHYPHOR_STORE_SECRET"))
		if err != nil {
			return o, err
		}
		o.Store = s
	}
	return o, nil
}

func (p *program) probe(ctx context.Context, folder string, f probeFlags) error {
	o, err := f.options()
	if err != nil {
		return err
	}
	if folder, err = filepath.Abs(folder); err != nil {
		return err
	}
	bar := p.progress("probing", f.quiet)
	defer debug.SetGCPercent(debug.SetGCPercent(400)) // what is measured is packing
	last := 0.0
	r, err := probe.Run(ctx, folder, o, func(done float64, what string) {
		if what == "carrying" || done > last {
			last = done
			bar.set(done)
		}
	})
	bar.end(err == nil)
	if ctx.Err() != nil {
		return no(errors.New("stopped; nothing was left behind"))
	}
	if err != nil {
		return no(err)
	}
	chosen, err := r.Chosen(f.use, o.Cores[0])
	if err != nil && (f.use != "" || f.into != "") {
		return fmt.Errorf("--use: %w", err)
	}
	if err := p.probed(r, chosen, f); err != nil {
		return err
	}
	if f.into == "" {
		return nil
	}
	err = p.intoCluster(ctx, f.into, func(c *document.ClusterSpec) []document.Edit { return r.Edits(c, chosen) })
	if err == nil {
		fmt.Fprintln(p.err, "Next: `tachyphor weigh SCENARIO`.")
	}
	return err
}

// intoCluster makes changes in a stored cluster, or in the file of one.
func (p *program) intoCluster(ctx context.Context, name string, edits func(*document.ClusterSpec) []document.Edit) error {
	made := 0
	if isFile(name) {
		err := p.mendKind(name, document.KindCluster, func(d *document.Document) []document.Edit {
			list := edits(&d.Value.(*document.Cluster).Spec)
			made = len(list)
			return list
		})
		if err != nil {
			return err
		}
		if made == 0 {
			fmt.Fprintf(p.err, "Nothing to change in %s.\n", name)
			return nil
		}
		fmt.Fprintf(p.err, "%s is rewritten; spec.measured says where each fact comes from.\n", name)
		return nil
	}
	c := p.client()
	d, err := c.Get(ctx, document.KindCluster, name, 0)
	if err != nil {
		return err
	}
	docs, faults := document.Parse(name, []byte(d.Text))
	if len(faults) > 0 {
		return faults
	}
	list := edits(&docs[0].Value.(*document.Cluster).Spec)
	if len(list) == 0 {
		fmt.Fprintf(p.err, "Nothing to change in %s.\n", name)
		return nil
	}
	stored, err := c.Edit(ctx, document.KindCluster, name, d.Revision, list)
	if err != nil {
		return err
	}
	fmt.Fprintf(p.err, "%s is revision %d now; spec.measured says where each fact comes from.\n", name, stored.Revision)
	return nil
}

// driftTold is by how much the same unpacking may differ before it is told.
const driftTold = 1.5

// probed writes what was measured.
func (p *program) probed(r *probe.Report, chosen probe.Packing, f probeFlags) error {
	l := listing{columns: []column{
		{"codec", false},
		{"cores", true},
		{"packing", true},
		{"of files", true},
		{"of archive", true},
		{"archive", true},
		{"share", true},
		{"unpacking", true},
		{"of archive", true},
	}, value: r, main: "packings"}
	for _, x := range r.Packings {
		row := []string{
			x.Codec, fmt.Sprint(x.Cores), shortly(x.Seconds * 1e9), rate(float64(x.Read) / x.Seconds), rate(x.Rate()),
			units.Decimal(float64(x.Whole)), fmt.Sprintf("%.0f %%", 100*float64(x.Packed)/float64(max(x.Read, 1))), "–", "–",
		}
		if x.Unpack > 0 {
			row[7], row[8] = shortly(x.Unpack*1e9), rate(x.UnpackRate())
		}
		l.rows = append(l.rows, row)
	}
	if p.format != "table" {
		return p.show(l)
	}
	t := r.Tree
	fmt.Fprintln(p.out, p.strong(r.Folder)+p.faint(fmt.Sprintf("  %s files in %s folders, %s; on %s", units.Count(int64(t.Files)),
		units.Count(int64(t.Folders)), units.Decimal(float64(t.Bytes)), r.Host)))
	if odd := oddTree(t); odd != "" {
		fmt.Fprintln(p.out, p.wrap(odd))
	}
	if r.Share < 0.999 {
		fmt.Fprintln(p.out, p.wrap(fmt.Sprintf("A sample of %.0f %% of its bytes was packed, file by file at random; archives are "+
			"those of the whole. --whole packs all of it.", 100*r.Share)))
	}
	fmt.Fprintln(p.out)
	fmt.Fprintln(p.out, p.table(l))
	if by := r.Slowed(); by > driftTold || by < 1/driftTold {
		first := r.Packings[0]
		fmt.Fprintln(p.out, p.wrap(fmt.Sprintf("The same archive (%s) was unpacked in %s at first and in %s after the others: "+
			"times of unpacking are this disk's as much as the codecs'. `--codecs %s` alone, after a pause, tells what a rested disk does.",
			first.Codec, shortly(first.Unpack*1e9), shortly(r.Again*1e9), chosen.Codec)))
	}
	if x := r.Carried; x != nil {
		fmt.Fprintln(p.out)
		fmt.Fprintln(p.out, p.table(listing{columns: []column{{x.Where, false}, {"sent", true}, {"brought", true}}, rows: [][]string{
			{"one object of " + units.Bytes(x.Bytes).Short(), rate(x.Up), rate(x.Down)},
			{fmt.Sprintf("%d at once, together", x.Flows), rate(x.UpAll), rate(x.DownAll)},
			{"an answer without content", shortly(x.Latency * 1e9), ""},
		}}))
	}
	if chosen.Codec == "" {
		return nil
	}
	fmt.Fprintln(p.out)
	says := fmt.Sprintf("%s on %d: an archive of %s, packed in %s and unpacked in %s", chosen.Codec, chosen.Cores,
		units.Decimal(float64(chosen.Whole)),
		shortly(float64(chosen.Whole)/chosen.Rate()*1e9), unpacked(chosen))
	if x := r.Carried; x != nil {
		says += fmt.Sprintf("; sent in %s and brought in %s", shortly(float64(chosen.Whole)/x.Up*1e9), shortly(float64(chosen.Whole)/x.Down*1e9))
	}
	fmt.Fprintln(p.out, p.wrap(says+"."))
	if f.into == "" {
		fmt.Fprintln(p.out, p.faint(p.wrap("Next: --into CLUSTER makes these facts of a cluster; as workspace.size of a class, write "+
			decimalExact(float64(chosen.Whole))+".")))
	}
	return nil
}

func unpacked(c probe.Packing) string {
	if c.UnpackRate() == 0 {
		return "a time that was not measured"
	}
	return shortly(float64(c.Whole) / c.UnpackRate() * 1e9)
}

// oddTree says what is in a tree beside plain files.
func oddTree(t probe.Tree) string {
	var parts []string
	add := func(n int, what string) {
		if n > 0 {
			parts = append(parts, units.Count(int64(n))+" "+what)
		}
	}
	add(t.Links, "symbolic links, packed as links")
	add(t.Outside, "of them lead out of the folder and are not followed")
	if t.Sparse > 0 {
		add(t.Sparse, "sparse files, whose "+units.Decimal(float64(t.Holes))+" of holes are packed as zeros")
	}
	add(t.Linked, "files with several names, packed each")
	add(t.Unreadable, "that may not be read, left out")
	add(t.Special, "sockets, pipes or devices, left out")
	add(t.Changed, "that changed while they were read")
	if len(parts) == 0 {
		return ""
	}
	return "Among them: " + strings.Join(parts, "; ") + "."
}

// decimalExact writes bytes as a document has them.
func decimalExact(x float64) string { return strings.ReplaceAll(units.Decimal(x), " ", "") }

func rate(x float64) string { return units.Decimal(x) + "/s" }

// pretendFlags are the flags of pretend store.
type pretendFlags struct {
	listen, bucket, down, up, downAll, upAll, latency string
}

func (p *program) pretendCommand() *cobra.Command {
	c := &cobra.Command{Use: "pretend", Short: "Run stand-ins for systems that are not at hand"}
	f := pretendFlags{listen: "127.0.0.1:9000", bucket: "workspaces", latency: "0s"}
	s := &cobra.Command{
		Use: "store", Short: "A store that speaks the S3 protocol, at a chosen speed",
		Long: "Serve a store on loopback that speaks the S3 protocol, keeps everything in memory and carries at the speeds " +
			"that are given, to see what an uplink does to a cache.",
		Example: "  tachyphor pretend store --up 12MB/s --down 90MB/s --latency 150ms",
		Args:    cobra.NoArgs,
		RunE:    func(c *cobra.Command, _ []string) error { return p.pretendStore(c.Context(), f) },
	}
	fl := s.Flags()
	fl.StringVar(&f.listen, "listen", f.listen, "address to listen on")
	fl.StringVar(&f.bucket, "bucket", f.bucket, "name of its bucket")
	fl.StringVar(&f.up, "up", "", "speed of one object that is sent, as in 12MB/s; default: without limit")
	fl.StringVar(&f.down, "down", "", "speed of one object that is brought")
	fl.StringVar(&f.upAll, "up-all", "", "speed of all objects that are sent at once, together")
	fl.StringVar(&f.downAll, "down-all", "", "speed of all objects that are brought at once, together")
	fl.StringVar(&f.latency, "latency", f.latency, "time before each answer")
	c.AddCommand(s, p.pretendJobsCommand())
	return c
}

func (p *program) pretendStore(ctx context.Context, f pretendFlags) error {
	config := objects.Config{Address: f.listen, Bucket: f.bucket, Access: os.Getenv("TACHYPHOR_STORE_ACCESS")}
	for _, x := range []struct {
		name, text string
		to         *units.Rate
	}{
		{"--up", f.up, &config.PerUp},
		{"--down", f.down, &config.PerFlow},
		{"--up-all", f.upAll, &config.Up},
		{"--down-all", f.downAll, &config.Down},
	} {
		if x.text == "" {
			continue
		}
		r, err := units.ParseRate(x.text)
		if err != nil {
			return fmt.Errorf("%s: %w", x.name, err)
		}
		*x.to = r
	}
	var err error
	if config.Latency, err = units.ParseDuration(f.latency); err != nil {
		return fmt.Errorf("--latency: %w", err)
	}
	s, err := objects.Start(config)
	if err != nil {
		return no(err)
	}
	fmt.Fprintf(p.err, "Store: %s   (in memory; Ctrl-C ends it)\nTry:   tachyphor probe FOLDER --store %s\n", s.Address, s.Address)
	<-ctx.Done()
	return s.Close()
}
