package work

import (
	"context"
	"errors"
	"time"

	"tachyphor/internal/store"
)

// Patiently does something with the database again while that is away, for ten
// seconds; a lost lease ends it.
func Patiently(ctx context.Context, do func() error) error {
	var err error
	for range 20 {
		if err = do(); err == nil || errors.Is(err, store.ErrConflict) {
			return err
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(500 * time.Millisecond):
		}
	}
	return err
}
