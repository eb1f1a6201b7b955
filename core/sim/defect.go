package sim

import (
	"fmt"
	"runtime/debug"
)

// A Defect is a panic of the engine, caught where it happened: the error of the run that
// it ended, so that nothing else ends with it.
type Defect struct {
	What   any    // what was thrown
	Seed   uint64 // of the run
	Repeat int    // of the run; below 0: it was in none
	Stack  string // of the goroutine that threw it
}

// Error says what happened and how to have it happen again.
func (d *Defect) Error() string {
	if d.Repeat < 0 {
		return fmt.Sprintf("a defect of the engine: %v; please report it with the documents", d.What)
	}
	return fmt.Sprintf("a defect of the engine in repeat %d of seed %d: %v; please report it with the documents", d.Repeat, d.Seed, d.What)
}

// Catch turns a panic into err; it is deferred by what must not let one through.
func Catch(err *error, seed uint64, repeat int) {
	if p := recover(); p != nil {
		*err = &Defect{What: p, Seed: seed, Repeat: repeat, Stack: string(debug.Stack())}
	}
}
