package work

import (
	"context"
	"encoding/json"
	"sync"
	"sync/atomic"

	"tachyphor/internal/store"
)

// A Job is work that this process does.
type Job struct {
	store.Work
	kind *Kind
	with any                // what was put together when live work was asked for
	ctx  context.Context    // ends when the work is to end
	stop context.CancelFunc // ends that

	progress atomic.Uint64 // in millionths

	mu         sync.Mutex
	checkpoint string // JSON
	seen       int    // changes of it so far
	stored     int    // of these, those that the records have
}

// Progress notes the share that is done, and reports whether to go on. Each goroutine of
// the work comes by here, early and often: with that it stands back behind requests.
func (j *Job) Progress(done float64) bool {
	stepBack()
	j.progress.Store(uint64(done * 1e6))
	return j.ctx.Err() == nil
}

// done is the share that is done.
func (j *Job) done() float64 { return float64(j.progress.Load()) / 1e6 }

// Keep notes a checkpoint: what there is by now, as JSON. It is stored with the next sign
// of life, and told at once by this process.
func (j *Job) Keep(v any) {
	b, err := json.Marshal(v)
	if err != nil {
		panic("work: " + err.Error()) // only for types that cannot be written
	}
	j.mu.Lock()
	defer j.mu.Unlock()
	j.checkpoint = string(b)
	j.seen++
}

// unstored returns the checkpoint if it is newer than what the records have; had is what to
// note once they do.
func (j *Job) unstored() (checkpoint *string, had int) {
	j.mu.Lock()
	defer j.mu.Unlock()
	if j.seen == j.stored {
		return nil, j.seen
	}
	text := j.checkpoint
	return &text, j.seen
}

func (j *Job) has(stored int) {
	j.mu.Lock()
	defer j.mu.Unlock()
	j.stored = max(j.stored, stored)
}
