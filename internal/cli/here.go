package cli

import (
	"fmt"
	"runtime"
	"slices"

	"tachyphor/client"

	"github.com/spf13/cobra"
)

// hereFlags are the flags of what the service computes of what is stored, and this process of
// files.
type hereFlags struct {
	here    bool
	with    []string
	workers int
	skipBad bool
	quiet   bool
}

func (f *hereFlags) add(c *cobra.Command) {
	fl := c.Flags()
	fl.BoolVar(&f.here, "here", false, "compute in this process, from files, without a service")
	fl.StringArrayVar(&f.with, "with", nil, "with --here: file or folder with more documents (may be repeated)")
	fl.IntVar(&f.workers, "workers", runtime.NumCPU(), "with --here: runs at once; what is told does not depend on it")
	fl.BoolVar(&f.skipBad, "skip-bad", false, "with --here: leave out bad rows of recorded jobs")
	fl.BoolVarP(&f.quiet, "quiet", "q", false, "no progress")
}

// check refuses a file where a name is expected; todo is what would be done with it.
func (f *hereFlags) check(arg, todo string) error {
	if !f.here && slices.Contains(endings, extension(arg)) {
		return fmt.Errorf("%s is a file: add --here to %s it without a service, or `tachyphor put` it and name what is in it", arg, todo)
	}
	return nil
}

// unknown tells of an error that something is not stored what lists those that are.
func unknown(err error, listed string) error {
	if client.IsStatus(err, 404) {
		return no(fmt.Errorf("%w; `tachyphor get %s` lists those that are stored", err, listed))
	}
	return err
}
