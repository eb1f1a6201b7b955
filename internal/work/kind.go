// Package work does the long work: it takes what was asked for from the queue, does it and
// stores what came out. What was accepted is done, whatever happens to the process in
// between.
package work

import (
	"context"
	"fmt"

	"tachyphor/internal/store"
)

// A Kind is one kind of long work. Each stands in a file of its own and is entered in
// kinds; the queue, the records and the interface know nothing of what it is.
type Kind struct {
	Name   string // in the records
	Called string // in words: one of these
	// Live work speaks to a live cluster. It is done at once, by the process that was asked,
	// takes no cores, and is not begun again when that process goes.
	Live bool
	// Run does the work, from its last checkpoint on if it can, and returns how it ended. Its
	// error is the work's: a *library.Trouble is the database's, and the work is put back.
	Run func(ctx context.Context, q *Queue, j *Job) (End, error)
}

// kinds are all kinds of work.
var kinds = []*Kind{&Simulation, &Weighing, &Doubting, &Exploring, &Margining, &Pulling, &Backtesting, &Forecasting, &Preflight, &Rehearsal}

// kindOf finds a kind by its name.
func kindOf(name string) *Kind {
	for _, k := range kinds {
		if k.Name == name {
			return k
		}
	}
	return nil
}

// Names are the names of some kinds, as the records want them.
func Names(list ...*Kind) []string {
	out := make([]string, len(list))
	for i, k := range list {
		out[i] = k.Name
	}
	return out
}

// An End is how work ended well.
type End struct {
	Gist   any    // what lists show
	Result []byte // JSON; nil: there is none beside the last checkpoint
	// Beside stores what is kept beside the result, before that; nil: nothing is.
	Beside func(ctx context.Context) error
	// Then is done once the end is stored; nil: nothing.
	Then func()
}

// Limits on how often work is begun over which a process dies.
const (
	mostAttempts = 3
	onceAttempts = 1
)

// brokenOff is what live work fails with whose process went.
const brokenOff = "the service stopped in the middle of it; what it made ends by itself"

// givenUp is what work fails with that took so many processes with it.
var givenUp = fmt.Sprintf("given up: the service ended %d times while it worked on this, as it does when memory runs out; "+
	"ask for less at a time (a shorter span, fewer jobs), or give the service more memory", mostAttempts)

// claimable lists how live or other kinds are claimed.
func claimable(live bool) (out []store.Claimable) {
	for _, k := range kinds {
		switch {
		case k.Live != live:
		case live:
			out = append(out, store.Claimable{Kind: k.Name, Attempts: onceAttempts, Broken: brokenOff})
		default:
			out = append(out, store.Claimable{Kind: k.Name, Attempts: mostAttempts, Broken: givenUp})
		}
	}
	return out
}

// namesOf are the names of live or other kinds.
func namesOf(live bool) (out []string) {
	for _, k := range kinds {
		if k.Live == live {
			out = append(out, k.Name)
		}
	}
	return out
}
