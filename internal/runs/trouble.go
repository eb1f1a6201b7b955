package runs

import (
	"context"
	"errors"
	"time"

	"tachyphor/internal/store"
)

// A trouble is an error of the database while inputs are looked up: no fault of the
// question.
type trouble struct{ error }

// Unwrap returns the database's error.
func (t trouble) Unwrap() error { return t.error }

// troubled marks an error of the database as such; that something is not there is none.
func troubled(err error) error {
	if err == nil || errors.Is(err, store.ErrNotFound) {
		return err
	}
	return trouble{err}
}

// patiently does something with the database again while that is away, for ten
// seconds; a lost lease ends it.
func patiently(ctx context.Context, do func() error) error {
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
