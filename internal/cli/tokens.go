package cli

import (
	"fmt"

	"tachyphor/client"
	"tachyphor/wire"

	"github.com/spf13/cobra"
)

func (p *program) tokenCommand() *cobra.Command {
	t := &cobra.Command{
		Use: "token", Short: "Manage access to the service: links, tokens, sessions", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error { return c.Help() },
	}
	t.AddCommand(p.linkCommand(), p.newTokenCommand(), p.listTokensCommand(), p.listSessionsCommand(), p.endTokenCommand())
	return t
}

// roleFlag is a flag for one of some roles.
func roleFlag(c *cobra.Command, into *string, usual, help string, roles ...wire.Role) {
	var names []string
	for _, r := range roles {
		names = append(names, string(r))
	}
	c.Flags().StringVar(into, "role", usual, help)
	_ = c.RegisterFlagCompletionFunc("role", cobra.FixedCompletions(names, cobra.ShellCompDirectiveNoFileComp))
}

func (p *program) linkCommand() *cobra.Command {
	var name, role string
	c := &cobra.Command{
		Use: "link", Short: "Print a link that signs the console in once",
		Long: `Print a link that signs the console in once, within half an hour: you, or, with --name, someone else,
who becomes known by that with a role. Only owners make links for others.`,
		Example: "  tachyphor token link\n  tachyphor token link --name mira --role designer", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			address, link, err := p.client().NewLink(c.Context(), wire.NewLink{Name: name, Role: wire.Role(role)})
			if err != nil {
				return no(err)
			}
			fmt.Fprintln(p.out, address)
			fmt.Fprintf(p.err, "It signs %s in as %s, once, within %d minutes.\n", link.Name, link.Role, link.Minutes)
			return nil
		},
	}
	c.Flags().StringVar(&name, "name", "", "who it signs in; default: you")
	roleFlag(c, &role, "", "with --name: what they may do, where they have no role yet: viewer (the usual), designer, operator or owner", wire.Roles()...)
	return c
}

func (p *program) newTokenCommand() *cobra.Command {
	var days int
	var role string
	c := &cobra.Command{
		Use: "new NAME", Short: "Make a token for a program",
		Long: `Make a token for a program, named for what it is for. It can do no more than its role, and never more
than you may at that time. With the role events, the usual one, it is for a build system, or a collector, that
tells the service of its jobs: it lets events in, and nothing else. It is printed once; the service keeps a hash
of it.`,
		Example: "  tachyphor token new collector --days 90\n  tachyphor token new nightly-sync --role designer", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if days < 0 || days > 3650 {
				return fmt.Errorf("--days %d: expected 0 to 3650", days)
			}
			t, err := p.client().NewToken(c.Context(), wire.NewToken{Name: args[0], Role: wire.Role(role), Days: days})
			if err != nil {
				return no(err)
			}
			if !p.lines() {
				return p.value(t)
			}
			fmt.Fprintln(p.raw, t.Secret)
			fmt.Fprintf(p.err, "It is shown this once. `tachyphor token end %s` ends it.\n", t.ID)
			return nil
		},
	}
	c.Flags().IntVar(&days, "days", 0, "it ends after this many days; 0: never by itself")
	roleFlag(c, &role, string(wire.Events), "what it gives access to: events, viewer, designer, operator or owner", append([]wire.Role{wire.Events}, wire.Roles()...)...)
	return c
}

func (p *program) listTokensCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "List tokens: your own, or everyone's for owners", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			list, err := p.client().Tokens(c.Context())
			if err != nil {
				return no(err)
			}
			l := listing{columns: []column{
				{"token", false}, {"name", false}, {"of", false}, {"role", false}, {"made", false}, {"last used", false}, {"from", false}, {"ends", false},
			}, value: list}
			for _, t := range list {
				l.rows = append(l.rows, []string{t.ID, t.Name, t.Person, string(t.Role), moment(&t.At), moment(t.Used), t.From, moment(t.Expires)})
			}
			return p.show(l)
		},
	}
}

func (p *program) listSessionsCommand() *cobra.Command {
	return &cobra.Command{
		Use: "sessions", Short: "List who is signed in to the console: you, or everyone for owners", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			list, err := p.client().Sessions(c.Context())
			if err != nil {
				return no(err)
			}
			l := listing{columns: []column{
				{"session", false}, {"of", false}, {"role", false}, {"signed in", false}, {"last used", false}, {"from", false}, {"ends", false},
			}, value: list}
			for _, t := range list {
				l.rows = append(l.rows, []string{t.ID, t.Person, string(t.Role), moment(&t.At), moment(t.Used), t.From, moment(&t.Expires)})
			}
			return p.show(l)
		},
	}
}

func (p *program) endTokenCommand() *cobra.Command {
	return &cobra.Command{
		Use: "end TOKEN|SESSION", Short: "End a token or a session, by what list or sessions calls it", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			s, what := p.client(), "token"
			err := s.EndToken(c.Context(), args[0])
			if client.IsStatus(err, 404) {
				what, err = "session", s.EndSession(c.Context(), args[0])
			}
			if client.IsStatus(err, 404) {
				err = fmt.Errorf("there is no token or session %s of yours; `tachyphor token list` and `token sessions` show those that there are", args[0])
			}
			if err != nil {
				return no(err)
			}
			fmt.Fprintf(p.err, "%s %s ended\n", what, args[0])
			return nil
		},
	}
}
