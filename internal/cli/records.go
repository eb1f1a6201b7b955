package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"runtime"
	"strings"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/core/learn"
	"tachyphor/core/world"

	"github.com/spf13/cobra"
)

// recordsFlags are the flags of a command that takes jobs as they came: those of a log, of the live records,
// or the workload's own.
type recordsFlags struct {
	learn.Asked // of the log
	files       []string
	live        bool
	project     string
	with        []string
	workers     int
	quiet       bool
}

func (f *recordsFlags) add(c *cobra.Command) {
	fl := c.Flags()
	fl.StringArrayVar(&f.files, "log", nil, "file with a job log (may be repeated); default: the workload's own jobs")
	fl.StringVar(&f.From, "from", "", "leave out jobs before this, as in 2026-09-14")
	fl.StringVar(&f.Until, "until", "", "leave out jobs from this on")
	fl.StringArrayVar(&f.Columns, "column", nil, "of the log, ROLE=NAME: what a column says (may be repeated)")
	fl.StringArrayVar(&f.Units, "unit", nil, "of the log, ROLE=UNIT (may be repeated)")
	fl.StringArrayVar(&f.Results, "result", nil, "of the log, WORD=done|failed|cut|never|underway (may be repeated)")
	fl.StringVar(&f.Dates, "dates", "", "of the log: day-first or month-first")
	fl.StringVar(&f.Zone, "zone", "", "of the log: time zone of times that name none; default: the workload's")
	fl.BoolVar(&f.SkipBad, "skip-bad", false, "leave out rows that cannot be read")
	fl.BoolVar(&f.live, "live", false, "the live records instead of a log")
	fl.StringVar(&f.project, "project", "", "with --live: only jobs of this project")
	fl.StringArrayVar(&f.with, "with", nil, "with FILE: file or folder with more documents (may be repeated)")
	fl.IntVar(&f.workers, "workers", runtime.NumCPU(), "with FILE: runs at once; what is told does not depend on it")
	fl.BoolVarP(&f.quiet, "quiet", "q", false, "no progress")
}

// check refuses flags that do not go together; arg names a stored scenario, or a file.
func (f *recordsFlags) check(arg string) error {
	switch {
	case f.live && len(f.files) > 0:
		return errors.New("--log and --live: choose one")
	case f.live && isFile(arg):
		return errors.New("--live is of the service's records: put the scenario and name it")
	case f.project != "" && !f.live:
		return errors.New("--project goes with --live")
	case len(f.with) > 0 && !isFile(arg):
		return errors.New("--with is for files")
	}
	return nil
}

// cameHere is what a world is put together from, of files, with its jobs as they came.
func (p *program) cameHere(file string, f *recordsFlags) (in world.Input, err error) {
	if in, err = p.gatherInput(file, f.with, true); err != nil {
		return in, err
	}
	var own []byte
	if len(f.files) == 0 {
		if own, err = ownJobs(in); err != nil {
			return in, err
		}
	}
	got, err := p.came(f, in.Workload, own)
	if err != nil {
		return in, err
	}
	return got.In(in)
}

// cameThere sends the log of jobs as they came to the service, understood as it goes with a stored
// scenario, and returns its digest; "" where no log is named.
func (p *program) cameThere(ctx context.Context, c *client.Client, scenario string, f *recordsFlags) (digest string, err error) {
	if len(f.files) == 0 {
		return "", nil
	}
	workload, err := p.workloadOf(ctx, c, scenario)
	if err != nil {
		return "", err
	}
	got, err := p.came(f, workload, nil)
	if err != nil {
		return "", err
	}
	r, err := c.PutRecording(ctx, bytes.NewReader(got.Log), nil, false)
	return r.Digest, err
}

// came reads the log and understands it as it goes with a workload; own are the workload's own jobs, for
// want of another log.
func (p *program) came(f *recordsFlags, workload *document.Document, own []byte) (*learn.LearnedJobs, error) {
	o, err := f.Asked.Options()
	if err != nil {
		return nil, fmt.Errorf("--%w", err)
	}
	files, err := p.logs(f.files)
	if err != nil {
		return nil, err
	}
	if len(files) == 0 {
		files = []learn.File{{Name: "the workload's jobs", Data: own}}
	}
	got, err := learn.Jobs(files, learn.OptionsOf(workload, o, len(f.files) == 0), nil)
	if err != nil {
		return nil, p.notLearned(err, f.files)
	}
	return got, nil
}

// ownJobs is the file of recorded jobs that a workload names.
func ownJobs(in world.Input) ([]byte, error) {
	if in.Workload.Value.(*document.Workload).Spec.Jobs == nil {
		return nil, no(fmt.Errorf("the workload %s has no recorded jobs; name a job log with --log", in.Workload.Name))
	}
	f, err := openRecorded(in.Workload)
	if err != nil {
		return nil, err
	}
	defer func() { _ = f.Close() }()
	var b bytes.Buffer
	_, err = b.ReadFrom(f)
	return b.Bytes(), err
}

// workloadOf is the stored workload of a scenario.
func (p *program) workloadOf(ctx context.Context, c *client.Client, scenario string) (*document.Document, error) {
	read := func(kind, name string) (*document.Document, error) {
		d, err := c.Get(ctx, kind, name, 0)
		if err != nil {
			return nil, unknown(err, strings.ToLower(kind)+"s")
		}
		docs, faults := document.Parse(name, []byte(d.Text))
		if err := faults.Err(); err != nil {
			return nil, err
		}
		return docs[0], nil
	}
	s, err := read(document.KindScenario, scenario)
	if err != nil {
		return nil, err
	}
	return read(document.KindWorkload, s.Value.(*document.Scenario).Spec.Workload)
}
