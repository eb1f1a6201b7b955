package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/core/explore"
	"tachyphor/core/outcome"
	"tachyphor/core/world"
	"tachyphor/internal/brief"
	"tachyphor/wire"

	"github.com/spf13/cobra"
)

// briefFlags are the flags of brief.
type briefFlags struct {
	hereFlags
	html  bool
	write string
}

// form is how the brief is written: as the file's ending says, else as the flag does.
func (f *briefFlags) form() (string, error) {
	switch end := strings.ToLower(extension(f.write)); {
	case end == ".html" || end == ".htm" || f.write == "" && f.html:
		return "html", nil
	case f.write == "" || !f.html && (end == ".md" || end == ".markdown"):
		return "markdown", nil
	}
	return "", fmt.Errorf("--write %s: a brief's file ends in .html or .md", f.write)
}

func (p *program) briefCommand() *cobra.Command {
	var f briefFlags
	c := &cobra.Command{
		Use: "brief OUTCOME...|SWEEP|NUMBER", Short: "Write up what was found, on a page for people who were not there",
		Long: `Write a page with the question, the answer, what it costs and buys in a month and a year, how
sure that is, what was measured and what is assumed, pictures, the change, and what to
watch afterwards. It is Markdown, or one HTML file without scripts and with nothing beside
it, that prints well and follows light and dark.

It is of an exploration, a weighing or an outcome by number, of a sweep by name (its newest
exploration), or of one to six outcomes, also by their scenarios, held against the first.
With --here it is of a file: a scenario is simulated, a sweep explored, without a service.`,
		Example: "  tachyphor brief weekday-lean cached --write lean-or-cached.html\n  tachyphor brief lean-or-leaner > answer.md\n" +
			"  tachyphor brief demo/sweeps/lean-or-leaner.yaml --here --write answer.html",
		Args: cobra.RangeArgs(1, 6),
		RunE: func(c *cobra.Command, args []string) error {
			form, err := f.form()
			if err != nil {
				return err
			}
			var text []byte
			if f.here {
				text, err = p.briefHere(c.Context(), args, f, form)
			} else {
				text, err = p.briefThere(c.Context(), args, f, form)
			}
			if err != nil {
				return err
			}
			if f.write == "" {
				_, err = p.raw.Write(text)
				return err
			}
			if err := whole(f.write, func(w io.Writer) error { _, err := w.Write(text); return err }); err != nil {
				return err
			}
			fmt.Fprintf(p.err, "Written into %s.\n", f.write)
			return nil
		},
	}
	fl := c.Flags()
	fl.StringVar(&f.write, "write", "", "file to write it into; it ends in .html or .md")
	fl.BoolVar(&f.html, "html", false, "write HTML to the terminal or a pipe, not Markdown")
	f.hereFlags.add(c)
	return c
}

// briefThere lets the service write it.
func (p *program) briefThere(ctx context.Context, args []string, f briefFlags, form string) ([]byte, error) {
	c := p.client()
	ids := make([]uint64, len(args))
	for i, a := range args {
		if err := f.check(a, "compute"); err != nil {
			return nil, err
		}
		id, err := p.resolve(ctx, c, a)
		if err != nil && len(args) == 1 && client.IsStatus(err, 404) {
			id, err = p.newestOf(ctx, c, a)
		}
		if err != nil {
			return nil, err
		}
		ids[i] = id
	}
	return c.Brief(ctx, ids, form)
}

// newestOf finds the newest finished exploration of a sweep.
func (p *program) newestOf(ctx context.Context, c *client.Client, sweep string) (id uint64, err error) {
	err = c.EachWork(ctx, client.Which{Kinds: client.Explorations}, func(w wire.WorkBrief) bool {
		if w.State == wire.Done && w.Exploration.Sweep == sweep {
			id = w.ID
		}
		return id == 0
	})
	if err == nil && id == 0 {
		err = no(fmt.Errorf("there is neither a scenario nor an explored sweep of the name %s; run `tachyphor sweep %s` or `tachyphor simulate %s` first",
			sweep, sweep, sweep))
	}
	return id, err
}

// briefHere computes what it is of in this process.
func (p *program) briefHere(ctx context.Context, args []string, f briefFlags, form string) ([]byte, error) {
	if len(args) > 1 {
		return nil, errors.New("with --here a brief is of one file")
	}
	files, err := p.foundIn(args[0])
	if err != nil {
		return nil, err
	}
	var b *brief.Brief
	if len(files.OfKind(document.KindSweep)) > 0 {
		b, err = p.briefOfSweep(ctx, args[0], f)
	} else {
		b, err = p.briefOfScenario(ctx, args[0], f)
	}
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	err = brief.Write(&out, form, b)
	return out.Bytes(), err
}

func (p *program) briefOfSweep(ctx context.Context, file string, f briefFlags) (*brief.Brief, error) {
	d, in, across, err := p.gatherSweep(file, nil, f.with, f.skipBad)
	if err != nil {
		return nil, err
	}
	q, err := explore.Ask(d.Name, d.Value.(*document.Sweep).Spec, across...)
	if err != nil {
		return nil, no(err)
	}
	a, err := p.answer(ctx, q, in, f.hereFlags)
	if err != nil {
		return nil, err
	}
	diff, err := brief.Changed(in.Named, a.Patch)
	if err != nil {
		return nil, err
	}
	return brief.OfExploration(a, brief.About{Named: in.Named, Now: time.Now(), Diff: diff}), nil
}

func (p *program) briefOfScenario(ctx context.Context, file string, f briefFlags) (*brief.Brief, error) {
	in, err := p.gatherInput(file, f.with, f.skipBad)
	if err != nil {
		return nil, err
	}
	w, faults := world.Assemble(in)
	if err := faults.Err(); err != nil {
		return nil, err
	}
	o, err := p.simulated(ctx, w, f.hereFlags)
	if err != nil {
		return nil, err
	}
	return brief.OfOutcomes([]*outcome.Outcome{o}, nil, brief.About{Named: in.Named, Now: time.Now()}), nil
}
