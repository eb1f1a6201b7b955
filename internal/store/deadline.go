package store

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"gorm.io/gorm"
)

// ErrSilent says that the database did not answer in time.
var ErrSilent = errors.New("the database does not answer")

// answers is how long the database may take over one statement, and answersLarge over one
// that carries or clears a large record.
const (
	answers      = 5 * time.Second
	answersLarge = 60 * time.Second
)

type largeKey struct{}

// large has statements under a context take as long as large records do.
func large(ctx context.Context) context.Context { return context.WithValue(ctx, largeKey{}, true) }

func allowed(ctx context.Context) time.Duration {
	if ctx.Value(largeKey{}) != nil {
		return answersLarge
	}
	return answers
}

// bounded gives every statement its time: the context that it runs under ends with that.
func bounded(db *gorm.DB) error {
	const key = "deadline"
	type before = func(name string, f func(*gorm.DB)) error
	start := func(tx *gorm.DB) {
		if tx.Statement == nil || tx.Statement.Context == nil {
			return
		}
		outer := tx.Statement.Context
		ctx, cancel := context.WithTimeoutCause(outer, allowed(outer), ErrSilent)
		tx.Statement.Context = ctx
		tx.InstanceSet(key, func() {
			if tx.Error != nil && ctx.Err() != nil && outer.Err() == nil {
				tx.Error = errors.Join(ErrSilent, tx.Error)
			}
			cancel()
			tx.Statement.Context = outer
		})
	}
	end := func(tx *gorm.DB) {
		if f, ok := tx.InstanceGet(key); ok {
			f.(func())()
		}
	}
	c := db.Callback()
	var errs []error
	for _, x := range []struct{ first, last before }{
		{c.Query().Before("gorm:query").Register, c.Query().After("gorm:after_query").Register},
		{c.Create().Before("gorm:begin_transaction").Register, c.Create().After("gorm:commit_or_rollback_transaction").Register},
		{c.Update().Before("gorm:begin_transaction").Register, c.Update().After("gorm:commit_or_rollback_transaction").Register},
		{c.Delete().Before("gorm:begin_transaction").Register, c.Delete().After("gorm:commit_or_rollback_transaction").Register},
		{c.Raw().Before("gorm:raw").Register, c.Raw().After("gorm:raw").Register},
	} {
		errs = append(errs, x.first("deadline:start", start), x.last("deadline:end", end))
	}
	return errors.Join(errs...)
}

// transaction runs f in a transaction whose beginning has its time too, as each of its
// statements has.
func (s *Store) transaction(ctx context.Context, f func(tx *gorm.DB) error) error {
	// The context that a transaction began under holds for all of it, so that it cannot
	// carry the beginning's deadline itself.
	held, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	late := time.AfterFunc(answers, func() { cancel(ErrSilent) })
	began := false
	err := s.db.WithContext(held).Transaction(func(tx *gorm.DB) error {
		began = late.Stop()
		return f(tx)
	}, &sql.TxOptions{})
	late.Stop()
	if err != nil && !began && context.Cause(held) != nil && ctx.Err() == nil {
		err = errors.Join(ErrSilent, err)
	}
	return err
}
