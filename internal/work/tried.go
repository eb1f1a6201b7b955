package work

import (
	"context"
	"sync"
	"time"

	"tachyphor/core/explore"
	"tachyphor/internal/library"
	"tachyphor/internal/store"
)

// remembering does something with the memory of single runs: what is run meanwhile is kept, also
// where it is stopped.
func (q *Queue) remembering(ctx context.Context, do func(explore.Memory) error) error {
	t := &tried{ctx: ctx, store: q.store, flushed: time.Now(), unkept: map[string][]byte{}}
	err := do(t)
	if left := t.flush(); err == nil {
		err = left
	}
	if err != nil {
		return err
	}
	if _, err := q.store.ForgetTried(ctx, mostTried); err != nil && ctx.Err() == nil { // it is tried again after the next
		q.log.Warn("cannot clear what old runs said", "error", err)
	}
	return nil
}

// mostTried is about how many runs' summaries stay; each takes a few hundred bytes.
const mostTried = 300_000

// Runs that are kept together, and how long they wait for that at most.
const (
	triedTogether = 64
	triedWithin   = time.Second
)

// tried keeps what single runs said in the records, some at a time.
type tried struct {
	ctx   context.Context
	store *store.Store

	mu      sync.Mutex
	unkept  map[string][]byte
	flushed time.Time
}

// Recall returns what is kept.
func (t *tried) Recall(digests []string) (out map[string][]byte, err error) {
	err = Patiently(t.ctx, func() error {
		out, err = t.store.RecallTried(t.ctx, digests)
		return err
	})
	return out, library.Troubled(err)
}

// Keep keeps what a run said, with the next of them.
func (t *tried) Keep(digest string, said []byte) error {
	t.mu.Lock()
	t.unkept[digest] = said
	due := len(t.unkept) >= triedTogether || time.Since(t.flushed) > triedWithin
	t.mu.Unlock()
	if due {
		return t.flush()
	}
	return nil
}

// flush keeps what is not kept yet.
func (t *tried) flush() error {
	t.mu.Lock()
	now := t.unkept
	t.unkept, t.flushed = map[string][]byte{}, time.Now()
	t.mu.Unlock()
	if len(now) == 0 {
		return nil
	}
	ctx, done := context.WithTimeout(context.WithoutCancel(t.ctx), 10*time.Second)
	defer done()
	return library.Troubled(Patiently(ctx, func() error { return t.store.KeepTried(ctx, now) }))
}
