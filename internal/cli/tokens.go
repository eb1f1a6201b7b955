package cli

import (
	"fmt"

	"github.com/spf13/cobra"
)

func (p *program) newTokenCommand() *cobra.Command {
	var days int
	c := &cobra.Command{
		Use: "new NAME", Short: "Make a token that lets events on jobs in, and nothing else",
		Long: `Make a token for a build system, or a collector, that tells the service of its jobs. It is printed
once; the service keeps a hash of it.`,
		Example: "  tachyphor token new collector --days 90", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if days < 0 || days > 3650 {
				return fmt.Errorf("--days %d: expected 0 to 3650", days)
			}
			t, err := p.client().NewEventsToken(c.Context(), args[0], days)
			if err != nil {
				return err
			}
			if !p.lines() {
				return p.value(t)
			}
			fmt.Fprintln(p.raw, t.Secret)
			fmt.Fprintf(p.err, "It is shown this once. `tachyphor token end %s` ends it.\n", t.ID)
			return nil
		},
	}
	c.Flags().IntVar(&days, "days", 0, "it ends after so many days; 0: not by itself")
	return c
}

func (p *program) listTokensCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "List tokens", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			list, err := p.client().Tokens(c.Context())
			if err != nil {
				return err
			}
			l := listing{columns: []column{{"token", false}, {"name", false}, {"for", false}, {"made", false}, {"ends", false}}, value: list}
			for _, t := range list {
				l.rows = append(l.rows, []string{t.ID, t.Name, t.For, moment(&t.At), moment(t.Expires)})
			}
			return p.show(l)
		},
	}
}

func (p *program) endTokenCommand() *cobra.Command {
	return &cobra.Command{
		Use: "end TOKEN", Short: "End a token that lets events in, by what list calls it", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if err := p.client().EndToken(c.Context(), args[0]); err != nil {
				return no(err)
			}
			fmt.Fprintf(p.err, "token %s ended\n", args[0])
			return nil
		},
	}
}
