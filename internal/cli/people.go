package cli

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"tachyphor/client"
	"tachyphor/wire"

	"github.com/spf13/cobra"
)

func (p *program) peopleCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "people", Short: "List who may sign in, and what they may do", Args: cobra.NoArgs,
		Long: `List who may sign in, and what they may do. Someone becomes known when an owner makes a link for them
(token link --name), or when the identity provider that the service was told of signs them in.`,
		RunE: func(c *cobra.Command, _ []string) error {
			list, err := p.client().People(c.Context())
			if err != nil {
				return no(err)
			}
			l := listing{columns: []column{
				{"name", false}, {"role", false}, {"says", false}, {"known since", false}, {"signed in", false}, {"sessions", true}, {"tokens", true},
			}, value: list}
			for _, x := range list {
				role := string(x.Role)
				if role == "" {
					role = "none"
				}
				l.rows = append(l.rows, []string{
					x.Name, role, map[string]string{"here": "an owner", "provider": "provider"}[x.By], moment(&x.At), moment(x.Seen),
					strconv.Itoa(x.Sessions), strconv.Itoa(x.Tokens),
				})
			}
			return p.show(l)
		},
	}
	c.AddCommand(p.roleCommand(), p.dropPersonCommand())
	return c
}

func (p *program) roleCommand() *cobra.Command {
	return &cobra.Command{
		Use: "role NAME ROLE", Short: "Give someone a role: viewer, designer, operator, owner, or none",
		Long: `Give someone a role. It holds at once, for their sessions and tokens too; with none, those end. Of one whom the
identity provider names, it is the most that they may, whatever that says.

viewer     reads everything but secrets and tokens
designer   also puts, changes and drops documents, and asks for simulations and other work
operator   also touches live clusters: preflight, rehearse, watch, runs on clusters
owner      also manages people, tokens of others, the audit and backups`,
		Example: "  tachyphor people role mira operator", Args: cobra.ExactArgs(2),
		ValidArgsFunction: func(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
			if len(args) != 1 {
				return nil, cobra.ShellCompDirectiveNoFileComp
			}
			return roleNames(), cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(c *cobra.Command, args []string) error {
			role := wire.Role(args[1])
			if args[1] == noRole {
				role = ""
			} else if !role.May(wire.Viewer) {
				return fmt.Errorf("there is no role %q; expected %s", args[1], strings.Join(roleNames(), ", "))
			}
			if err := p.client().SetRole(c.Context(), args[0], role); err != nil {
				return no(err)
			}
			fmt.Fprintf(p.err, "%s: %s\n", args[0], args[1])
			return nil
		},
	}
}

// noRole is what takes a role away.
const noRole = "none"

func roleNames() (out []string) {
	for _, r := range wire.Roles() {
		out = append(out, string(r))
	}
	return append(out, noRole)
}

func (p *program) dropPersonCommand() *cobra.Command {
	return &cobra.Command{
		Use: "drop NAME", Short: "Remove someone; their sessions and tokens end, what they made stays", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if err := p.client().DropPerson(c.Context(), args[0]); err != nil {
				return no(err)
			}
			fmt.Fprintf(p.err, "%s is not known any more\n", args[0])
			return nil
		},
	}
}

func (p *program) auditCommand() *cobra.Command {
	var w client.WhichDeeds
	var from, until string
	var limit int
	c := &cobra.Command{
		Use: "audit", Short: "Show who changed what, when and from where, and who was refused",
		Long: `Who changed what, when, from where, the newest first; and what was refused for want of a right. A change and its
line are stored together or not at all. Nothing secret is in it. For owners. With --output csv all of it is written.`,
		Example: "  tachyphor audit --who mira --from 2026-11-01\n  tachyphor audit --output csv > audit.csv", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			var err error
			if w.From, err = dayOrMoment("from", from); err != nil {
				return err
			}
			if w.Until, err = dayOrMoment("until", until); err != nil {
				return err
			}
			if limit < 1 {
				return errors.New("--limit: expected 1 or more")
			}
			s := p.client()
			if p.format == "csv" {
				return no(s.ExportAudit(c.Context(), w, p.raw))
			}
			l := listing{columns: []column{
				{"at", false}, {"who", false}, {"role", false}, {"via", false}, {"from", false}, {"result", false}, {"what", false}, {"on", false},
			}}
			all := []wire.Deed{}
			for before := ""; ; {
				page, err := s.Audit(c.Context(), w, before, min(limit-len(all), 500))
				if err != nil {
					return no(err)
				}
				all = append(all, page.Items...)
				if before = page.Next; before == "" || len(all) >= limit {
					break
				}
			}
			l.value = all
			for _, d := range all {
				on := d.On
				if d.Said != "" {
					on += ": " + d.Said
				}
				l.rows = append(l.rows, []string{moment(&d.At), d.Who, string(d.Role), d.Via, d.From, d.Result, d.What, on})
			}
			return p.show(l)
		},
	}
	f := c.Flags()
	f.StringVar(&w.Who, "who", "", "only what this one did")
	f.StringVar(&w.What, "what", "", "only this operation, as the column says it")
	f.StringVar(&w.Result, "result", "", "done or refused; default: both")
	f.StringVar(&from, "from", "", "only from this day or moment on, as in 2026-11-02 or 2026-11-02T08:00:00Z")
	f.StringVar(&until, "until", "", "only before this day or moment")
	f.IntVar(&limit, "limit", 50, "lines at most")
	return c
}

// dayOrMoment reads a day or a moment; zero where the text is empty.
func dayOrMoment(flag, text string) (time.Time, error) {
	if text == "" {
		return time.Time{}, nil
	}
	for _, layout := range []string{time.RFC3339, time.DateOnly} {
		if t, err := time.ParseInLocation(layout, text, time.Local); err == nil {
			return t, nil
		}
	}
	return time.Time{}, fmt.Errorf("--%s %q: expected a day or a moment, as in 2026-11-02 or 2026-11-02T08:00:00Z", flag, text)
}
