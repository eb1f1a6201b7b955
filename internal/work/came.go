package work

import (
	"context"
	"errors"
	"fmt"

	"tachyphor/core/document"
	"tachyphor/core/learn"
	"tachyphor/wire"
)

// ErrAsk says that something cannot be held against what happened, or drawn from it, as it was asked.
var ErrAsk = errors.New("cannot go by what happened")

// logOf is the digest of the log that is meant: the one that is named, else the pinned workload's own jobs;
// "" where it is the live records.
func (q *Queue) logOf(ctx context.Context, in wire.Inputs, log string, live bool) (string, error) {
	switch {
	case live && log != "":
		return "", fmt.Errorf("%w: name a log, or the live records", ErrAsk)
	case live:
		return "", nil
	case log == "":
		if log = in.Recording; log == "" {
			return "", fmt.Errorf("%w: the workload has no recorded jobs; name a log, or the live records", ErrAsk)
		}
	}
	if _, err := q.store.HasRecording(ctx, log); err != nil {
		return "", fmt.Errorf("job log %.12s: %w", log, err)
	}
	return log, nil
}

// understood are the jobs of a log in our own columns, as they go with a workload.
func understood(workload *document.Document, log []byte) (*learn.LearnedJobs, error) {
	return learn.Jobs([]learn.File{{Name: "the log", Data: log}}, learn.OptionsOf(workload, learn.JobOptions{SkipBad: true}, true), nil)
}
