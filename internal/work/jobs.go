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

// Looker looks at the jobs of a simulation's first repeat.
func (q *Queue) Looker(ctx context.Context, o store.Work) (*outcome.Looker, error) {
	return q.lookers.Get(ctx, key(o.ID), func(ctx context.Context) (*outcome.Looker, error) {
		t, err := q.Trace(ctx, o)
		if err != nil {
			return nil, err
		}
		return outcome.NewLooker(t), nil
	})
}

// Chosen are the jobs that a filter means, in an order, as places in the first repeat.
func (q *Queue) Chosen(ctx context.Context, o store.Work, f outcome.Filter, by string, down bool) (*outcome.Looker, []int32, error) {
	l, err := q.Looker(ctx, o)
	if err != nil {
		return nil, nil, err
	}
	jobs, err := q.chosen.Get(ctx, fmt.Sprintf("%d %+v %s %t", o.ID, f, by, down), func(context.Context) ([]int32, error) {
		jobs := l.Jobs(f)
		return jobs, l.Sort(jobs, by, down)
	})
	return l, jobs, err
}
