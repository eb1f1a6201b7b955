// Package events reads what build systems send while jobs happen: CloudEvents that carry
// CDEvents, and OpenTelemetry's traces with its attributes of builds. What it makes of them
// are messages of core/live.
package events

import (
	"fmt"
	"time"

	"tachyphor/core/live"
)

// Most is how many events or spans a request may carry.
const Most = 10_000

// MostBytes is how large a request's body may be once it is unpacked.
const MostBytes = 8 << 20

// A Batch is what a request carried.
type Batch struct {
	Messages []live.Message
	// Other are events and spans that are not of runs; they are taken, and nothing is made of them.
	Other int
}

// A Fault says what is wrong with an event of a request; nothing of the request is taken.
type Fault struct {
	At  int // which of them, from 1; 0: all
	Why string
}

func (f *Fault) Error() string {
	if f.At == 0 {
		return f.Why
	}
	return fmt.Sprintf("event %d: %s", f.At, f.Why)
}

// add checks a message and adds it.
func (b *Batch) add(at int, m live.Message, now time.Time) error {
	if err := m.Check(now); err != nil {
		return &Fault{at, err.Error()}
	}
	b.Messages = append(b.Messages, m)
	return nil
}
