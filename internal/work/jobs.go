package work

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/internal/store"
)

// keepJobs stores the jobs of a first repeat in blocks of compressed columns, on
// all workers.
func (q *Queue) keepJobs(ctx context.Context, id uint64, t *sim.Trace) error {
	rows := outcome.NewRower(t)
	var next atomic.Int64
	var wait sync.WaitGroup
	failed := make(chan error, q.room.workers)
	for range q.room.workers {
		wait.Go(func() {
			for {
				n := int(next.Add(1)) - 1
				from := n * outcome.BlockJobs
				if from >= rows.Len() || len(failed) > 0 {
					return
				}
				to := min(rows.Len(), from+outcome.BlockJobs)
				data, err := rows.Block(from, to)
				if err == nil {
					err = Patiently(ctx, func() error {
						return q.store.PutBlock(ctx, q.holder, store.Block{WorkID: id, Number: n, Jobs: to - from, Data: data})
					})
				}
				if err != nil {
					failed <- err
					return
				}
			}
		})
	}
	wait.Wait()
	select {
	case err := <-failed:
		return err
	default:
		return nil
	}
}

// Jobs calls take with the stored jobs of a simulation from one on, up to n of them,
// in parts.
func (q *Queue) Jobs(ctx context.Context, id uint64, from, n int, take func([]outcome.JobRow) error) error {
	for n > 0 {
		b, err := q.store.GetBlock(ctx, id, from/outcome.BlockJobs)
		if errors.Is(err, store.ErrNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
		rows, err := outcome.ReadBlock(b.Data, from%outcome.BlockJobs, n)
		if err != nil {
			return fmt.Errorf("block %d: %w", b.Number, err)
		}
		if len(rows) == 0 {
			return nil
		}
		if err := take(rows); err != nil {
			return err
		}
		from, n = from+len(rows), n-len(rows)
	}
	return nil
}
