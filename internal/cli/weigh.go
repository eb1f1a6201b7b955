package cli

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/core/paired"
	"tachyphor/core/weigh"
	"tachyphor/core/world"
	"tachyphor/internal/brief"
	"tachyphor/internal/figures"
	"tachyphor/wire"

	"github.com/spf13/cobra"
)

// weighFlags are the flags of weigh.
type weighFlags struct {
	hereFlags
	ask         weigh.Ask
	grid        string
	apply       string
	plot, lines string
}

func (p *program) weighCommand() *cobra.Command {
	var f weighFlags
	c := &cobra.Command{
		Use: "weigh SCENARIO", Short: "Compare cache plans with no cache, over all builds",
		Long: `Simulate the scenario with every cache plan and with none: archives by when and by
whom they are saved, volumes, the node's disk, workspaces baked into the image, and for
each class its own best. It says which to have, what the usual comparison of two runs
would have said, after how many builds each has paid, what it costs by cause, and where
the break-even lies.

The name is that of a stored scenario; with --here the file of one is weighed without a
service.`,
		Example: "  tachyphor weigh cached-naive\n  tachyphor weigh cached-naive --hour 60/h --apply best\n  tachyphor weigh " +
			"demo/scenarios/cached-naive.yaml --here --plot caches.png\n  tachyphor weigh cached --class hull-firmware --map up,size",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			return p.weigh(c.Context(), args[0], f)
		},
	}
	f.hereFlags.add(c)
	fl := c.Flags()
	fl.StringVar(&f.ask.PerHour, "hour", "", "what an hour of lead time is worth, as in 60/h; default: the scenario's waiting, "+
		"else lead time alone decides")
	fl.StringVar(&f.ask.Class, "class", "", "class whose break-even is drawn; default: the one with most to win")
	fl.StringVar(&f.grid, "map", "", "two quantities of the map, as in up,change: size, up, down, pack, change, per-day, cold")
	fl.StringVar(&f.apply, "apply", "", "give the scenario this plan: best, or the key of one; a new revision, or in the file")
	fl.StringVar(&f.plot, "plot", "", "draw the answer into a file that ends in .png or .svg")
	fl.StringVar(&f.lines, "brief", "", "write a page for people who were not there to this file, which ends in .html or .md")
	return c
}

func (p *program) weigh(ctx context.Context, arg string, f weighFlags) error {
	if f.plot != "" {
		if err := plotted(f.plot); err != nil {
			return err
		}
	}
	if f.grid != "" {
		x, y, ok := strings.Cut(f.grid, ",")
		if !ok {
			return fmt.Errorf("--map %s: expected two quantities, as in up,change", f.grid)
		}
		f.ask.X, f.ask.Y = strings.TrimSpace(x), strings.TrimSpace(y)
	}
	if err := f.check(arg, "weigh"); err != nil {
		return err
	}
	weighed := p.weighThere
	if f.here {
		weighed = p.weighHere
	}
	form := ""
	if f.lines != "" {
		var err error
		if form, err = (&briefFlags{write: f.lines}).form(); err != nil {
			return err
		}
	}
	if keys := weigh.Keys(); f.apply != "" && f.apply != "best" && !slices.Contains(keys, f.apply) {
		return noPlan(f.apply, keys)
	}
	o, apply, told, err := weighed(ctx, arg, f)
	if err != nil {
		return err
	}
	var chosen *weigh.Weighed
	if f.apply != "" {
		if chosen, err = planOf(o, f.apply); err != nil {
			return err
		}
	}
	if f.plot != "" {
		if err := drawInto(f.plot, func(out io.Writer, format string) error { return figures.Weighing(out, format, o) }); err != nil {
			return no(err)
		}
		fmt.Fprintf(p.err, "Drawn into %s.\n", f.plot)
	}
	if f.lines != "" {
		text, err := told(form)
		if err != nil {
			return err
		}
		if err := whole(f.lines, func(w io.Writer) error { _, err := w.Write(text); return err }); err != nil {
			return err
		}
		fmt.Fprintf(p.err, "Written into %s.\n", f.lines)
	}
	if err := p.weighing(o, f.apply != ""); err != nil || chosen == nil {
		return err
	}
	if chosen.Key == o.Today {
		fmt.Fprintf(p.err, "%s has that plan already.\n", o.Scenario)
		return nil
	}
	return apply(chosen)
}

// planOf finds a plan by key; best is the one to have.
func planOf(o *weigh.Weighing, key string) (*weigh.Weighed, error) {
	if key == "best" {
		key = o.Best
	}
	var keys []string
	for i := range o.Plans {
		if o.Plans[i].Key == key {
			return &o.Plans[i], nil
		}
		keys = append(keys, o.Plans[i].Key)
	}
	return nil, noPlan(key, keys)
}

func noPlan(key string, keys []string) error {
	return fmt.Errorf("--apply %s: there is no such plan; choose best or one of %s", key, strings.Join(keys, ", "))
}

// A teller writes a brief in a form.
type teller func(form string) ([]byte, error)

// weighHere computes in this process.
func (p *program) weighHere(ctx context.Context, file string, f weighFlags) (*weigh.Weighing, func(*weigh.Weighed) error, teller, error) {
	in, err := p.gatherInput(file, f.with, f.skipBad)
	if err != nil {
		return nil, nil, nil, err
	}
	w, faults := world.Assemble(in)
	if err := faults.Err(); err != nil {
		return nil, nil, nil, err
	}
	q, err := f.ask.Question(w)
	if err != nil {
		return nil, nil, nil, err
	}
	workers, err := room(f.workers, q.Need)
	if err != nil {
		return nil, nil, nil, err
	}
	var o *weigh.Weighing
	err = p.compute(ctx, "weighing "+w.Scenario, f.quiet, w.Plan.Seed, func(progress paired.Progress) (err error) {
		o, err = weigh.Weigh(q, workers, progress)
		return err
	})
	if err != nil {
		return nil, nil, nil, err
	}
	return o, func(plan *weigh.Weighed) error {
			err := p.mendKind(file, document.KindScenario, func(*document.Document) []document.Edit { return plan.Edits })
			if err != nil {
				return err
			}
			fmt.Fprintf(p.err, "%s is rewritten.\n", file)
			return nil
		}, func(form string) ([]byte, error) {
			about := brief.About{Named: in.Named, Now: time.Now()}
			if about.Diff, err = brief.ChangedTo(o, in.Scenario); err != nil {
				return nil, err
			}
			var out bytes.Buffer
			err := brief.Write(&out, form, brief.OfWeighing(o, about))
			return out.Bytes(), err
		}, nil
}

// weighThere asks the service, watches, and cancels on Ctrl-C.
func (p *program) weighThere(ctx context.Context, name string, f weighFlags) (*weigh.Weighing, func(*weigh.Weighed) error, teller, error) {
	c := p.client()
	asked, err := c.Weigh(ctx, name, f.ask)
	if err != nil {
		return nil, nil, nil, unknown(err, "scenarios")
	}
	if err := p.watch(ctx, c, fmt.Sprintf("weighing %d", asked.ID), f.quiet, asked.ID); err != nil {
		return nil, nil, nil, err
	}
	w, err := c.Weighing(ctx, asked.ID)
	if err != nil {
		return nil, nil, nil, err
	}
	return w.Result, func(plan *weigh.Weighed) error {
		stored, err := c.Edit(ctx, document.KindScenario, name, asked.Weighing.Revision, plan.Edits)
		if client.IsStatus(err, 412) {
			return no(fmt.Errorf("%s was changed by someone else while it was weighed; weigh it again", name))
		}
		if err != nil {
			return err
		}
		fmt.Fprintf(p.err, "%s is revision %d now, with %s. Next: `tachyphor simulate %s`; `tachyphor render` gives what the "+
			"cluster needs for it.\n", name, stored.Revision, plan.Label, name)
		return nil
	}, func(form string) ([]byte, error) { return c.Brief(ctx, []uint64{asked.ID}, form) }, nil
}

// printWeighing prints a weighing.
func (p *program) printWeighing(ctx context.Context, c *client.Client, id uint64) error {
	w, err := c.Weighing(ctx, id)
	if err != nil {
		return err
	}
	if w.Result == nil {
		return notDone("weighing", w.WorkBrief)
	}
	return p.weighing(w.Result, false)
}

func weighingsListing(list []wire.WorkBrief) listing {
	l := listing{columns: []column{
		{"weighing", true},
		{"scenario", false},
		{"revision", true},
		{"state", false},
		{"best", false},
		{"asked", false},
	}, value: list}
	for _, w := range list {
		l.rows = append(l.rows, []string{strconv.FormatUint(w.ID, 10), w.About, strconv.Itoa(w.Weighing.Revision), string(w.State), w.Weighing.Best, here(w.Asked)})
	}
	return l
}
