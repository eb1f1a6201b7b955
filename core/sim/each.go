package sim

import (
	"context"

	"golang.org/x/sync/errgroup"
)

// Each does n things, numbered from 0, at most as many at once as there are workers,
// and returns the first error; what had not begun by then is left. A panic is the error
// of the thing that threw it, a *Defect.
func Each(workers, n int, do func(i int) error) error {
	group, ctx := errgroup.WithContext(context.Background())
	group.SetLimit(max(1, workers))
	for i := range n {
		group.Go(func() (err error) {
			defer Catch(&err, 0, -1)
			if ctx.Err() != nil {
				return nil
			}
			return do(i)
		})
	}
	return group.Wait()
}
