package cli

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"tachyphor/core/units"
	"tachyphor/wire"

	"github.com/spf13/cobra"
)

func (p *program) backupCommand() *cobra.Command {
	var over bool
	c := &cobra.Command{
		Use: "backup FILE", Short: "Write all records to a file, while the service runs",
		Long: `Write all records to a file: documents with their history, recordings, outcomes, usage, live records, the audit,
people and the hashes of tokens. It is of one moment, though the service goes on; the file is read from end to end
and held against its digests before it gets its name. For owners. Whoever has the file has all that the service
knows: keep it as carefully.

The service makes backups by itself with serve --backup-every.`,
		Example: "  tachyphor backup monday.backup", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) (err error) {
			path := args[0]
			if _, err := os.Stat(path); err == nil && !over {
				return no(fmt.Errorf("%s already exists; choose another name, or --over", path))
			}
			part, err := os.OpenFile(path+".part", os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
			if err != nil {
				return no(err)
			}
			defer func() { _ = os.Remove(part.Name()) }() // gone by then, where all went well
			err = p.client().Backup(c.Context(), part)
			if err == nil {
				err = part.Sync()
			}
			if err := errors.Join(err, part.Close()); err != nil {
				return no(fmt.Errorf("the backup was not made: %w", err))
			}
			says, err := p.host.LookAt(part.Name())
			if err != nil {
				return no(fmt.Errorf("the backup was not made: %w", err))
			}
			info, err := os.Stat(part.Name())
			if err != nil {
				return no(err)
			}
			if err := os.Rename(part.Name(), path); err != nil {
				return no(err)
			}
			fmt.Fprintf(p.err, "%s: %s, whole, of %s\n", path, units.Bytes(info.Size()).Short(), says.At.UTC().Format("2006-01-02 15:04:05"))
			return nil
		},
	}
	c.Flags().BoolVar(&over, "over", false, "overwrite an existing file")
	return c
}

func (p *program) restoreCommand() *cobra.Command {
	var database string
	c := &cobra.Command{
		Use: "restore FILE", Short: "Read a backup into an empty state folder, or an empty database",
		Long: `Read a backup into the state folder (--state), which must hold no records yet, or into the database that is given,
which must be empty. A file that was cut short, altered, or written by a newer version is refused before anything is
touched. Start the service afterwards: tables of an older version are brought up to date, and a new token is made for
the state folder; sessions and tokens of people hold as they were.`,
		Example: "  tachyphor restore monday.backup --state /var/lib/tachyphor", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			log, err := p.logger(serveFlags{logFormat: "text", logLevel: "warn"})
			if err != nil {
				return err
			}
			began := time.Now()
			says, err := p.host.Restore(c.Context(), Serving{State: p.state, Database: database, Log: log}, args[0])
			if err != nil {
				return no(err)
			}
			where := p.state
			if database != "" {
				where = "the database"
			}
			fmt.Fprintf(p.err, "%s, a backup of %s by version %s, is in %s now (%s).\nStart the service: tachyphor serve --state %s\n",
				filepath.Base(args[0]), says.At.UTC().Format("2006-01-02 15:04:05"), says.Version, where,
				units.Duration(time.Since(began)).Short(), p.state)
			return nil
		},
	}
	c.Flags().StringVar(&database, "database", os.Getenv("TACHYPHOR_DATABASE"),
		"MariaDB to restore into, as serve --database has it (better: TACHYPHOR_DATABASE); default: a private one in the state folder")
	return c
}

func (p *program) keptCommand() *cobra.Command {
	var days int
	c := &cobra.Command{
		Use: "kept", Short: "Show what is kept and how much, what is deleted soon, and the state of backups",
		Long: `How much is kept of what, for how long, what goes within a number of days, and how the backups stand that the
service makes by itself. Results of outcomes go when they are older than they are kept, unless they have a name or a
pin (tachyphor pin), or are the newest of their scenario; what lists show of them stays, and the same documents give
the same bytes again. For owners.`,
		Example: "  tachyphor kept --days 30", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			k, err := p.client().Kept(c.Context(), days)
			if err != nil {
				return no(err)
			}
			if !p.lines() {
				return p.value(k)
			}
			l := listing{columns: []column{{"what", false}, {"rows", true}, {"size", true}}, value: k}
			for _, t := range k.Tables {
				l.rows = append(l.rows, []string{t.Name, strconv.FormatInt(t.Rows, 10), units.Bytes(t.Bytes).Short()})
			}
			if err := p.show(l); err != nil {
				return err
			}
			fmt.Fprintf(p.out, "\n%s in all.\n\n", units.Bytes(k.Bytes).Short())
			goes := listing{columns: []column{{"what", false}, {"kept for", true}, {fmt.Sprintf("goes within %d days", days), true}, {"size", true}}}
			for _, t := range k.Terms {
				row := []string{t.Kind, "ever", "", ""}
				if t.Days > 0 {
					row[1] = fmt.Sprintf("%d days", t.Days)
				}
				for _, g := range k.Going {
					if g.Kind == t.Kind {
						if row[2] = strconv.FormatInt(g.Count, 10); g.Bytes > 0 {
							row[3] = units.Bytes(g.Bytes).Short()
						}
					}
				}
				goes.rows = append(goes.rows, row)
			}
			if err := p.show(goes); err != nil {
				return err
			}
			for _, g := range k.Going {
				if len(g.IDs) > 0 {
					var ids []string
					for _, id := range g.IDs {
						ids = append(ids, strconv.FormatUint(id, 10))
					}
					fmt.Fprintln(p.out, "\n"+p.wrap("Results of "+strings.Join(ids, ", ")+" go; tachyphor pin NUMBER keeps one."))
				}
			}
			fmt.Fprintln(p.out, "\n"+p.wrap(backupsSay(k.Backups)))
			return nil
		},
	}
	c.Flags().IntVar(&days, "days", 7, "what is deleted within this many days, at most 400")
	return c
}

// backupsSay says how backups stand.
func backupsSay(b wire.Backups) string {
	if b.Every == 0 {
		return "The service makes no backups by itself; serve --backup-every 24h has it do so."
	}
	out := fmt.Sprintf("Backups are made every %s, and %d kept: ", units.Duration(b.Every).Short(), b.Keep)
	if b.Last == nil {
		out += "there is none yet."
	} else {
		out += fmt.Sprintf("there are %d, the newest of %s, %s.", b.Kept, b.Last.UTC().Format("2006-01-02 15:04:05"), units.Bytes(b.Bytes).Short())
	}
	if b.Failure != "" {
		out += " The last backup failed: " + b.Failure
	}
	return out
}

func (p *program) pinCommand() *cobra.Command {
	var name string
	var off bool
	c := &cobra.Command{
		Use: "pin NUMBER", Short: "Keep the result of an outcome, or other work, for good, with a name or without",
		Long: `Keep the result of an outcome, or of other work, however old it becomes, with a name or without. --off takes the
pin and the name away again.`,
		Example: "  tachyphor pin 12 --name \"before the move\"", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			id, err := strconv.ParseUint(args[0], 10, 64)
			if err != nil {
				return fmt.Errorf("%q is not a work number", args[0])
			}
			pinned := !off
			ask := wire.KeepWork{Pinned: &pinned}
			if off || name != "" {
				ask.Called = &name
			}
			w, err := p.client().KeepWork(c.Context(), id, ask)
			if err != nil {
				return no(err)
			}
			says := "is kept for good"
			if off {
				says = "is kept as long as others are"
			}
			if w.Called != "" {
				says += ", called " + w.Called
			}
			fmt.Fprintf(p.err, "%s %d of %s %s\n", w.Kind, w.ID, w.About, says)
			return nil
		},
	}
	c.Flags().StringVar(&name, "name", "", "what to call it")
	c.Flags().BoolVar(&off, "off", false, "remove its pin and its name")
	return c
}
