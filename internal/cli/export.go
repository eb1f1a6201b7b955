package cli

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"tachyphor/core/table"

	"github.com/spf13/cobra"
)

func (p *program) exportCommand() *cobra.Command {
	var lines bool
	var form, file string
	c := &cobra.Command{
		Use: "export OUTCOME", Short: "Write an outcome's jobs, or its time lines, as CSV, JSON Lines or Parquet",
		Long: `Write the jobs of an outcome's first repeat, or with --lines its quantities over
time, to standard output or a file. An outcome is named by its number, or by its
scenario for the newest finished one. The file's ending says the format.`,
		Example: "  tachyphor export cached > jobs.csv\n  tachyphor export 7 --lines -f lines.parquet",
		Args:    cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			what := "jobs"
			if lines {
				what = "lines"
			}
			return p.exported(form, file, func(form string, out io.Writer) error {
				cl := p.client()
				id, err := p.resolve(c.Context(), cl, args[0])
				if err != nil {
					return err
				}
				return cl.Export(c.Context(), id, what, form, out)
			})
		},
	}
	c.Flags().BoolVar(&lines, "lines", false, "quantities over time instead of jobs")
	exportFlags(c, &form, &file)
	return c
}

func knownForm(form string) error {
	var names []string
	for _, f := range table.Forms {
		if string(f) == form {
			return nil
		}
		names = append(names, string(f))
	}
	return fmt.Errorf("%q is not an export format; expected one of %s", form, strings.Join(names, ", "))
}

// whole writes a file so that it is there complete or not at all, for its owner alone to read.
func whole(path string, write func(io.Writer) error) error {
	f, err := os.CreateTemp(filepath.Dir(path), ".export-*")
	if err != nil {
		return err
	}
	err = write(f)
	if e := f.Close(); err == nil {
		err = e
	}
	if err == nil {
		err = os.Rename(f.Name(), path)
	}
	if err != nil {
		_ = os.Remove(f.Name())
	}
	return err
}
