package cli

import (
	"context"
	"errors"
	"fmt"
	"runtime"
	"slices"
	"strings"

	"tachyphor/core/paired"
	"tachyphor/core/pulls"
	"tachyphor/core/units"

	"github.com/spf13/cobra"
)

// pullFlags are the flags of pulls.
type pullFlags struct {
	doubtFlags
	image []string
}

func (p *program) pullsCommand() *cobra.Command {
	var f pullFlags
	c := &cobra.Command{
		Use: "pulls SCENARIO|FILE", Short: "Show what images cost a design, and what lighter or prepulled ones would save",
		Long: `Simulate a scenario and say how often nodes pull which images and layers, what images share, and
what would be spared, on the same jobs and draws: if one of the largest layers weighed nothing, if
nodes had the images before agents need them, by a pod on every node or as part of what they boot
from, and if an image were of another size (--image, by its name or that of a template).

SCENARIO is a stored one, or the number of an outcome with --outcome; the service computes it. FILE
is the scenario's, with what it names beside it, as for simulate --here.`,
		Example: "  tachyphor pulls weekday-lean\n  tachyphor pulls weekday-lean --image compile-wide=900MB\n" +
			"  tachyphor pulls demo/scenarios/weekday-lean.yaml -o csv --table layers",
		Args: cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			lighter, err := sizesAsked(f.image)
			switch {
			case err != nil:
				return err
			case (len(args) == 0) == (f.outcome == 0):
				return errors.New("name a scenario, its file, or an outcome with --outcome; one of them")
			case len(args) == 1 && isFile(args[0]):
				return p.pullsHere(c.Context(), args[0], lighter, f)
			case len(f.with) > 0 || f.skipBad:
				return errors.New("--with and --skip-bad are for files")
			}
			return p.pullsThere(c.Context(), strings.Join(args, ""), lighter, f)
		},
	}
	f.add(c)
	c.Flags().StringArrayVar(&f.image, "image", nil, "an image of another size, NAME=SIZE as in compile-wide=900MB (may be repeated)")
	return c
}

// add adds the flags of what is tried on a scenario or an outcome.
func (f *doubtFlags) add(c *cobra.Command) {
	fl := c.Flags()
	fl.Uint64Var(&f.outcome, "outcome", 0, "number of an outcome, with its revisions and changes")
	fl.StringArrayVar(&f.with, "with", nil, "file or folder with more documents (may be repeated)")
	fl.IntVar(&f.workers, "workers", runtime.NumCPU(), "runs at once; what is told does not depend on it")
	fl.BoolVar(&f.skipBad, "skip-bad", false, "leave out bad rows of recorded jobs")
	fl.BoolVarP(&f.quiet, "quiet", "q", false, "no progress")
}

// sizesAsked reads images of other sizes.
func sizesAsked(list []string) (out []pulls.Lighter, err error) {
	for _, s := range list {
		at := strings.LastIndexByte(s, '=')
		if at < 1 {
			return nil, fmt.Errorf("--image %s: expected NAME=SIZE, as in compile-wide=900MB", s)
		}
		size, err := units.ParseBytes(s[at+1:])
		if err != nil {
			return nil, fmt.Errorf("--image %s: %w", s, err)
		}
		out = append(out, pulls.Lighter{Name: s[:at], Size: size})
	}
	return out, nil
}

func (p *program) pullsHere(ctx context.Context, file string, lighter []pulls.Lighter, f pullFlags) error {
	w, err := p.gather(file, f.with, f.skipBad)
	if err != nil {
		return err
	}
	question, err := pulls.Ask(w, lighter)
	if err != nil {
		return no(err)
	}
	workers, err := room(max(1, f.workers), question.Need)
	if err != nil {
		return err
	}
	var told *pulls.Costs
	err = p.compute(ctx, "pulls of "+w.Scenario, f.quiet, w.Plan.Seed, func(progress paired.Progress) (err error) {
		told, err = question.Try(workers, progress)
		return err
	})
	if err != nil {
		return err
	}
	return p.pulls(told)
}

// pullsThere lets the service compute it.
func (p *program) pullsThere(ctx context.Context, scenario string, lighter []pulls.Lighter, f pullFlags) error {
	c := p.client()
	asked, err := c.Pulls(ctx, scenario, f.outcome, lighter)
	if err != nil {
		return err
	}
	if err := p.watch(ctx, c, "pulls of "+asked.About, f.quiet, asked.ID); err != nil {
		return err
	}
	d, err := c.Pulled(ctx, asked.ID)
	if err != nil {
		return err
	}
	return p.pulls(d.Result)
}

// pulls writes what images cost.
func (p *program) pulls(d *pulls.Costs) error {
	money := inCurrency(d.Currency)
	images := listing{columns: []column{
		{"image", false},
		{"for", false},
		{"size", true},
		{"its own", true},
		{"shared with", false},
		{"pulls", true},
	}, value: d, main: "images"}
	for _, x := range d.Images {
		var with []string
		for _, s := range x.Shared {
			with = append(with, units.Decimal(float64(s.Size))+" with "+pulls.Short(s.With))
		}
		images.rows = append(images.rows, []string{
			pulls.Short(x.Name), strings.Join(x.Templates, ", "), units.Decimal(float64(x.Size)), units.Decimal(float64(x.Own)), strings.Join(with, ", "),
			interval(x.Pulls, 0),
		})
	}
	if !p.lines() {
		return p.show(images)
	}
	spared := func(s *pulls.Spared) []string {
		if s == nil {
			return []string{"", "", ""}
		}
		return []string{p.change(s.Mean, shortly), p.change(s.P95, shortly), p.change(s.Cost, money)}
	}
	layers := listing{columns: []column{
		{"if it weighed nothing", false},
		{"size", true},
		{"pulls", true},
		{"GB", true},
		{"mean delay", true},
		{"95 % of delays", true},
		{"a month", true},
	}}
	for _, x := range d.Layers {
		layers.rows = append(layers.rows, append([]string{pulls.Short(x.Name), units.Decimal(float64(x.Size)), interval(x.Pulls, 0), interval(x.GB, 1)}, spared(x.Spared)...))
	}
	ways := listing{columns: []column{{"with images", false}, {"GB", true}, {"mean delay", true}, {"95 % of delays", true}, {"a month", true}}}
	wrong := slices.ContainsFunc(d.Ways, func(w pulls.ImageWay) bool { return w.Spared.Wrong.Mean != 0 })
	if wrong {
		ways.columns = append(ways.columns, column{"jobs wrong", true})
	}
	for _, x := range d.Ways {
		gb, whole := func(v float64) string { return fmt.Sprintf("%.1f", v) }, func(v float64) string { return fmt.Sprintf("%.0f", v) }
		row := append([]string{x.What, p.change(x.Spared.GB, gb)}, spared(&x.Spared)...)
		if wrong {
			row = append(row, p.change(x.Spared.Wrong, whole))
		}
		ways.rows = append(ways.rows, row)
	}
	fmt.Fprintln(p.out, p.strong(d.Scenario)+p.faint(fmt.Sprintf("  jobs start after %s on average, %s of it waiting for images; %s GB of images, %s a month; %d repeats",
		shortly(d.Mean.Mean), shortly(d.Image.Mean), interval(d.GB, 0), money(d.Cost.Mean), d.Repeats)))
	for _, l := range []listing{images, layers, ways} {
		fmt.Fprintln(p.out)
		fmt.Fprintln(p.out, p.table(l))
	}
	return nil
}
