package library

import (
	"errors"

	"tachyphor/internal/store"
)

// A Trouble is an error of the database while inputs are looked up: no fault of the
// question.
type Trouble struct{ error }

// Unwrap returns the database's error.
func (t Trouble) Unwrap() error { return t.error }

// Troubled marks an error of the database as such; that something is not there is none.
func Troubled(err error) error {
	if err == nil || errors.Is(err, store.ErrNotFound) {
		return err
	}
	return Trouble{err}
}
