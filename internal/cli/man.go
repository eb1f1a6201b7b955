package cli

import (
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"
)

func (p *program) manCommand() *cobra.Command {
	return &cobra.Command{
		Use: "man FOLDER", Short: "Write a manual page for each command",
		Example: "  tachyphor man /usr/local/share/man/man1", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if err := os.MkdirAll(args[0], 0o755); err != nil {
				return no(err)
			}
			head := &doc.GenManHeader{Section: "1", Source: "Tachyphor " + Version, Manual: "Tachyphor"}
			root := c.Root()
			root.DisableAutoGenTag = true
			root.PersistentFlags().Lookup("state").DefValue = "~/.local/state/tachyphor" // as everyone's, not the writer's
			if err := doc.GenManTree(root, head, args[0]); err != nil {
				return no(err)
			}
			list, err := filepath.Glob(filepath.Join(args[0], "tachyphor*.1"))
			if err != nil {
				return err
			}
			fmt.Fprintf(p.err, "%d pages in %s\n", len(list), args[0])
			return nil
		},
	}
}
