package cli

import (
	"context"
	"fmt"
	"strings"

	"tachyphor/core/fleet"
	"tachyphor/core/review"

	"github.com/spf13/cobra"
)

func (p *program) fitCommand() *cobra.Command {
	var with []string
	var cluster, plot string
	c := &cobra.Command{
		Use: "fit TEMPLATE|FILE...", Short: "Show how many agents fit on each kind of node, what limits them and what is left over",
		Long: `For each template and each pool: how many agents go on a node, which resource binds,
what a full node has left over, what an agent costs an hour, and the request a little
smaller with which one more would fit. For several templates also the mix that is
worth most on one node. -o json has the whole curve of price against request.

Names are those of stored templates; files are read without a service, with what else
they hold and --with.`,
		Example: "  tachyphor fit compile-wide small-steady image-maker\n  tachyphor fit agents.yaml --with platform/cluster.yaml -o json",
		Args:    cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if plot != "" {
				if err := plotted(plot); err != nil {
					return err
				}
			}
			f, err := p.fit(c.Context(), args, with, cluster)
			if err != nil {
				return err
			}
			if plot != "" {
				if err := plotFits(f, plot); err != nil {
					return no(err)
				}
				fmt.Fprintf(p.err, "Drawn into %s.\n", plot)
			}
			return p.fits(f)
		},
	}
	c.Flags().StringArrayVar(&with, "with", nil, "with FILE: file or folder with the cluster (may be repeated)")
	c.Flags().StringVar(&cluster, "cluster", "", "cluster; default: the only one there is")
	c.Flags().StringVar(&plot, "plot", "", "draw price against request into a file that ends in .png or .svg")
	return c
}

func (p *program) fit(ctx context.Context, args, with []string, cluster string) (review.Fits, error) {
	if !isFile(args[0]) {
		return p.client().Fit(ctx, args, cluster)
	}
	s, err := p.stackOf(args, with)
	if err != nil {
		return review.Fits{}, err
	}
	f, err := s.shelf.Fit(s.asked, cluster)
	return f, no(err)
}

// fits writes how agents go on nodes.
func (p *program) fits(f review.Fits) error {
	l := listing{columns: []column{
		{"template", false},
		{"pool and node", false},
		{"agents", true},
		{"binds", false},
		{"CPU, memory left", true},
		{f.Currency + "/h", true},
		{"1,000 runs", true},
		{"one more", false},
	}, value: f, main: "fits", keys: 2}
	last := ""
	for _, x := range f.Fits {
		name := x.Template
		if name == last && p.format == "table" {
			name = ""
		}
		last = x.Template
		row := []string{name, x.Pool + " " + x.NodeType, fmt.Sprint(x.Agents), x.Binds, "", "", "–", ""}
		if x.Agents == 0 {
			row[3] = "–"
			row[7] = "none: " + strings.Join(x.Why, ", ")
		} else {
			row[4] = fmt.Sprintf("%s, %s", x.Left.CPU, x.Left.Memory.Short())
			if x.PerRun > 0 {
				row[6] = fmt.Sprintf("%.2f", 1000*x.PerRun)
			}
			if x.PerHour > 0 {
				row[5] = fmt.Sprintf("%.3f", x.PerHour)
			}
			row[7] = oneMore(x.OneMore)
		}
		l.rows = append(l.rows, row)
	}
	if p.format != "table" {
		return p.show(l)
	}
	if err := p.show(l); err != nil {
		return err
	}
	if len(f.Mixes) == 0 {
		return nil
	}
	fmt.Fprintln(p.out)
	m := listing{columns: []column{{"best mix on", false}, {"agents", false}, {"worth", true}, {"price", true}, {"left over", false}}}
	for _, x := range f.Mixes {
		var parts []string
		for i, n := range x.Agents {
			if n > 0 {
				parts = append(parts, fmt.Sprintf("%d %s", n, f.Templates[i]))
			}
		}
		what := strings.Join(parts, " + ")
		if what == "" {
			continue
		}
		if !x.Proven {
			what += " (not proven best)"
		}
		m.rows = append(m.rows, []string{
			x.Pool + " " + x.NodeType, what, fmt.Sprintf("%.3f", x.Worth), fmt.Sprintf("%.3f", x.Price),
			fmt.Sprintf("%s CPU, %s", x.Left.CPU, x.Left.Memory.Short()),
		})
	}
	if err := p.show(m); err != nil {
		return err
	}
	_, err := fmt.Fprintln(p.out, p.faint("Worth: what these agents would cost an hour where each is cheapest alone; above the "+
		"node's price the mix pays."))
	return err
}

// oneMore writes the step to one agent more.
func oneMore(s *fleet.Step) string {
	if s == nil {
		return ""
	}
	var less []string
	if s.LessCPU > 0 {
		less = append(less, "−"+s.LessCPU.String()+" CPU")
	}
	if s.LessMem > 0 {
		less = append(less, "−"+s.LessMem.Short())
	}
	return fmt.Sprintf("%s: %.0f %%", strings.Join(less, ", "), 100*s.Cheaper)
}
